"""Registers: what one count is for each range, how it compares with the noise, and raw words turned into readings."""

import math
from dataclasses import dataclass

from fusus.core.frames.units import from_si
from fusus.core.parts.part import Completed
from fusus.core.sensors.quantise import counts_per_unit, from_counts
from fusus.study.parts.suite import SuiteStudy

_AXES = (
    ("gyro", "Gyro", "rate", "deg/s"),
    ("acc", "Accel.", "acceleration", "g"),
    ("mag", "Magn.", "field", "µT"),
)
_WORDS = (0x0001, 0x7FFF, 0x8000, 0xFFFF, 0x0400)


@dataclass(frozen=True, slots=True)
class Register:
    """One range of one sensor, in words for a table."""

    sensor: str
    range: str
    per_unit: str
    step: str
    noise: str
    meaning: str


def registers(study: SuiteStudy) -> tuple[Register, ...]:
    """Return the scale factors of the chosen parts: ranges from the narrowest to the widest, doubling."""
    out = []
    for part, axis, title, quantity, unit in _sensors(study):
        widest = part.value(f"{axis}_range")
        narrow = part.get(f"{axis}_range_low", widest)
        bits = round(part.value(f"{axis}_bits"))
        noise = _noise(study, part, axis)
        for full in _ranges(narrow, widest):
            lsb = full / 2 ** (bits - 1)
            ratio = noise / lsb
            meaning = "about equal"
            if ratio > 1:
                meaning = "noise hides it"
            elif ratio < 0.3:
                meaning = "steps show"
            out.append(
                Register(
                    f"{title}, {bits} bit", f"±{from_si(full, unit, quantity):.4g} {unit}",
                    f"{counts_per_unit(from_si(full, unit, quantity), bits):.5g}", f"{from_si(lsb, unit, quantity):.3g} {unit}",
                    f"{ratio:.2g}", meaning,
                )
            )  # fmt: skip
    return tuple(out)


def _sensors(study: SuiteStudy) -> list[tuple[Completed, str, str, str, str]]:
    out = [(study.choice.imu, *_AXES[0]), (study.choice.imu, *_AXES[1])]
    if study.choice.magnetometer is not None:
        out.append((study.choice.magnetometer, *_AXES[2]))
    return out


def _noise(study: SuiteStudy, part: Completed, axis: str) -> float:
    """Return the sigma of one sample at the part's greatest rate."""
    if axis == "mag":
        return part.value("mag_noise")
    model = study.model.gyro if axis == "gyro" else study.model.acc
    return model.noise * math.sqrt(part.value(f"{axis}_rate"))


def _ranges(narrow: float, widest: float) -> list[float]:
    out = [widest]
    while out[-1] / 2 >= narrow * 0.99:
        out.append(out[-1] / 2)
    return out[::-1]


def raw_rows(study: SuiteStudy) -> tuple[tuple[str, str, str, str, str], ...]:
    """Return example words of each sensor at its widest range: hexadecimal, counts, value, and what was done."""
    rows = []
    for part, axis, title, quantity, unit in _sensors(study):
        bits = round(part.value(f"{axis}_bits"))
        full = part.value(f"{axis}_range")
        for word in _WORDS:
            raw = word << (bits - 16) if bits > 16 else word & (2**bits - 1)
            counts = raw - 2**bits if raw >= 2 ** (bits - 1) else raw
            value = from_si(float(from_counts(raw, full, bits)), unit, quantity)
            digits = -(-bits // 4)
            rows.append(
                (
                    title,
                    f"0x{raw:0{digits}X}",
                    f"{counts}",
                    f"{value:.5g} {unit}",
                    f"{counts} × {from_si(full / 2 ** (bits - 1), unit, quantity):.5g} {unit}",
                )
            )
    return tuple(rows)
