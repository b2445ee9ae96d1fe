"""Each part against the brief: computed needs as limits, rules of thumb as advice."""

from dataclasses import dataclass
from typing import Literal

from fusus.core.derived_requirements.derive import DerivedRequirement
from fusus.core.derived_requirements.modes import MATRIX, MODES, Mode
from fusus.core.frames.units import from_si
from fusus.core.parts.fields import fields_of
from fusus.core.parts.fitting import Fitting
from fusus.core.parts.models import inertial_models, magnetometer_model
from fusus.core.parts.part import Completed


@dataclass(frozen=True, slots=True)
class Check:
    """One check: a computed limit or a rule of thumb, whether the part keeps it, and why."""

    subject: str
    kind: Literal["limit", "advice"]
    kept: bool
    message: str
    reason: str


@dataclass(frozen=True, slots=True)
class Climate:
    """Temperatures to fly in, °C."""

    low_degc: float = 0.0
    high_degc: float = 30.0


def check_part(
    part: Completed, needs: tuple[DerivedRequirement, ...], fitting: Fitting, climate: Climate
) -> tuple[Check, ...]:
    """Return all checks of a part; those that fail come first."""
    by_key = {n.key: n for n in needs}
    found: list[Check] = []
    match part.part.kind:
        case "imu":
            found += _imu(part, by_key, fitting)
        case "barometer":
            found += _compare(by_key, "baro_rate", part.value("rate"))
            found += _compare(by_key, "baro_noise", part.value("noise"))
            found.append(
                _advice("Oversampling", part.value("rate") <= 200, "150 to 200 Hz is more than enough", part, "rate")
            )
            found.append(
                _advice(
                    "Airflow",
                    part.value("airflow") <= 0.25 or fitting.foam,
                    "open-cell foam over it, or a port",
                    part,
                    "airflow",
                )
            )
        case "magnetometer":
            pass
        case "receiver":
            found += _compare(by_key, "fix_rate", part.value("rate"))
            found += _compare(by_key, "fix_speed", part.value("speed"))
            found.append(
                _advice(
                    "Fix rate",
                    part.value("rate") >= 10,
                    "1 to 5 Hz is the cheap end, 10 Hz is good, 20 Hz high-end",
                    part,
                    "rate",
                )
            )
            found.append(
                Check(
                    "Accuracy",
                    "advice",
                    True,
                    "advertised accuracies are best cases",
                    "test your own: 2 to 3 m sold may show 5 m",
                )
            )
        case "rangefinder":
            found.append(
                _advice("Range", part.value("range_high") >= 4, "4 m and more for holding a height", part, "range_high")
            )
    if part.part.has_magnetometer:
        found += _compare(by_key, "mag_error", magnetometer_model(part, fitting).hard_iron_ut)
        found.append(_advice("Magnetometer rate", part.value("mag_rate") >= 50, "50 Hz and more", part, "mag_rate"))
    found += _temperature(part, climate)
    return tuple(sorted(found, key=lambda c: (c.kept, c.kind == "advice")))


def _imu(part: Completed, needs: dict[str, DerivedRequirement], fitting: Fitting) -> list[Check]:
    gyro, acc = inertial_models(part, fitting)
    out = _compare(needs, "gyro_range", part.value("gyro_range"))
    out += _compare(needs, "acc_range", part.value("acc_range"))
    out += _compare(needs, "gyro_rate", min(part.value("gyro_rate"), part.value("acc_rate")))
    out += _compare(needs, "gyro_noise", gyro.noise)
    out += _compare(needs, "acc_bias", acc.bias)
    # The start at rest takes the offset off; what is left is what drifts.
    out += _compare(needs, "gyro_bias", gyro.instability)
    out += _compare(needs, "gyro_bias_outage", gyro.instability)
    out += _compare(needs, "acc_bias_outage", acc.bias)
    out += [
        _advice("Bits", min(part.value("gyro_bits"), part.value("acc_bits")) >= 14, "14 bits and more", part, "gyro_bits"),
        _advice("Gyro range", part.value("gyro_range") >= 34.9, "±2000 °/s and more (others: ±500 °/s)", part, "gyro_range"),
        _advice("Sample rate", part.value("gyro_rate") >= 400, "400 to 600 Hz and more", part, "gyro_rate"),
    ]  # fmt: skip
    return out


def _compare(needs: dict[str, DerivedRequirement], key: str, value: float) -> list[Check]:
    need = needs.get(key)
    if need is None:
        return []
    kept = value >= need.value * 0.999 if need.sense == "at least" else value <= need.value * 1.001
    number = from_si(value, need.unit, need.quantity)
    shown = f"{number:.3g}" if abs(number) < 1000 else f"{number:.0f}"
    return [Check(need.title, "limit", kept, f"{shown}, {need.sense} {need.shown}", need.reason)]


def _advice(subject: str, kept: bool, rule: str, part: Completed, field: str) -> Check:
    f = fields_of(part.part.kind)[field]
    value = from_si(part.value(field), f.unit, f.quantity)
    return Check(
        subject, "advice", kept, f"{value:.4g} {f.unit}; rule of thumb: {rule}", "common practice, not computed"
    )


def _temperature(part: Completed, climate: Climate) -> list[Check]:
    low, high = part.part.figures.get("temperature_low"), part.part.figures.get("temperature_high")
    if low is None or high is None:
        return []
    kept = low <= climate.low_degc and high >= climate.high_degc
    return [
        Check(
            "Temperature", "limit", kept, f"{low:.0f} to {high:.0f} °C, flown in {climate.low_degc:.0f} to {climate.high_degc:.0f} °C",
            "outside its range a part may do anything",
        )
    ]  # fmt: skip


@dataclass(frozen=True, slots=True)
class Conflict:
    """Parts, or a part and a use, that do not go together: what does not fit, why, what to do."""

    parts: tuple[str, ...]
    message: str
    reason: str
    action: str


def conflicts(parts: tuple[Completed, ...]) -> tuple[Conflict, ...]:
    """Return which parts of a suite cannot share a bus or a supply: same I2C address, supplies without overlap."""
    from fusus.core.parts.part import addresses

    out = []
    taken: dict[int, str] = {}
    # Parts with a single address choose first.
    for part in sorted((p.part for p in parts if addresses(p.part)), key=lambda p: len(addresses(p))):
        free = [a for a in addresses(part) if a not in taken]
        if free:
            taken[free[0]] = part.name
        else:
            others = sorted({taken[a] for a in addresses(part)})
            where = ", ".join(f"0x{a:02x}" for a in addresses(part))
            out.append(
                Conflict(
                    (*others, part.name), f"{part.name} answers at {where} only, as {' and '.join(others)} does",
                    "Two devices that answer at once garble each other.", "put one on a second I2C bus, or on SPI",
                )
            )  # fmt: skip
    lows = [(p.part.figures["supply_low"], p.part.name) for p in parts if "supply_low" in p.part.figures]
    highs = [(p.part.figures["supply_high"], p.part.name) for p in parts if "supply_high" in p.part.figures]
    if lows and highs and max(lows)[0] > min(highs)[0]:
        (low, a), (high, b) = max(lows), min(highs)
        out.append(
            Conflict(
                (a, b), f"{a} wants {low:g} V and more, {b} stands {high:g} V at most", "One supply cannot be right for both.",
                "plan two supplies and level shifters",
            )
        )  # fmt: skip
    return tuple(out)


def course_conflicts(by_course: bool, modes: tuple[Mode, ...]) -> tuple[Conflict, ...]:
    """Return the modes that cannot do with a heading from the GNSS course: those that hold a place."""
    at_rest = tuple(MODES[m] for m in modes if MATRIX[m]["magnetometer"].need == "needed")
    if not by_course or not at_rest:
        return ()
    return (
        Conflict(
            ("GNSS course", *at_rest), "A hover has no course over ground, so nothing shows its heading while it holds a place",
            "Without a heading the corrections of a position hold go the wrong way.", "take the heading from a magnetometer",
        ),
    )  # fmt: skip
