"""From measured to model: Allan curves and fits become figures of the chosen parts, beside the datasheet's, and judged."""

import math
from dataclasses import dataclass
from datetime import UTC, datetime

from fusus.core.analysis.allan.reading import Coefficient
from fusus.core.frames.units import from_si
from fusus.core.judgement.finding import Finding, Severity
from fusus.core.parts.fields import FIELDS, PartKind
from fusus.core.parts.part import Completed
from fusus.errors import PartError
from fusus.logs.info import RecordingInfo
from fusus.project.evidence import Evidence
from fusus.project.records import MeasuredFigure, Project, StoredCalibration
from fusus.study.bench.allan import AxisAllan
from fusus.study.parts.suite import choice_of

WORSE, BETTER = 1.4, 0.7
CLEAR = 3.0  # standard errors that a coefficient must stand out of: a short record makes up a walk by chance


@dataclass(frozen=True, slots=True)
class Against:
    """A measured figure beside the datasheet's: SI values, their ratio, and what it says."""

    figure: MeasuredFigure
    datasheet: float | None
    ratio: float | None
    severity: Severity
    statement: str


def from_allan(project: Project, info: RecordingInfo, axes: tuple[AxisAllan, ...]) -> tuple[MeasuredFigure, ...]:
    """Return the figures of the chosen IMU that an Allan deviation shows, the worst axis each; bounds are left out."""
    choice = choice_of(project)
    if choice is None:
        raise PartError("IMU", None, "choose the IMU in Parts that was measured")
    imu = choice.imu
    # Inside, N is two-sided; a datasheet that prints one-sided densities gets its own kind.
    printed = 1.0 if imu.part.word("noise_is") == "Allan coefficient" else math.sqrt(2.0)
    out = []
    for sensor in ("gyro", "acc"):
        own = [a for a in axes if a.name.startswith(sensor)]
        for field, found, scale in (
            (f"{sensor}_noise", [a.reading.noise for a in own], printed),
            (f"{sensor}_instability", [a.reading.instability for a in own], 1.0),
            (f"{sensor}_walk", [a.reading.walk for a in own], 1.0),
        ):
            shown: list[Coefficient] = [
                k for k in found if k is not None and not k.is_bound and k.value > CLEAR * k.sigma
            ]
            if shown:
                worst = max(shown, key=lambda k: k.value)
                out.append(_figure("imu", imu.part.name, field, worst.value * scale, worst.sigma * scale, info))
    return tuple(out)


def from_calibration(project: Project, c: StoredCalibration, info: RecordingInfo) -> tuple[MeasuredFigure, ...]:
    """Return the figures of chosen parts that a calibration shows; () for kinds that show none."""
    choice = choice_of(project)
    if choice is None:
        return ()
    p, s = c.parameters, c.standard_errors
    if c.kind == "gyro-bias" and p.get("noise_rad_s_rthz"):
        printed = 1.0 if choice.imu.part.word("noise_is") == "Allan coefficient" else math.sqrt(2.0)
        values = [(v, e or 0.0) for v, e in zip(p["noise_rad_s_rthz"], s["noise_rad_s_rthz"], strict=True) if v]
        if values:
            v, e = max(values)
            return (_figure("imu", choice.imu.part.name, "gyro_noise", v * printed, e * printed, info),)
    if c.kind == "gnss-scatter" and choice.receiver is not None and p:
        name = choice.receiver.part.name
        horizontal = math.hypot(p["sigma_north_m"], p["sigma_east_m"]) / math.sqrt(2)
        return (
            _figure(
                "receiver",
                name,
                "position_horizontal",
                horizontal,
                math.hypot(s["sigma_north_m"], s["sigma_east_m"]) / 2,
                info,
            ),
            _figure("receiver", name, "position_vertical", p["vertical_sigma_m"], s["vertical_sigma_m"], info),
        )
    return ()


def fitting_from(c: StoredCalibration) -> tuple[tuple[str, float, float | None], ...]:
    """Return the fitting's figures that a calibration shows: path, SI value, one sigma."""
    p, s = c.parameters, c.standard_errors
    if c.kind == "motor-current" and p:
        return (("parts.fitting.motor_ut_a", math.hypot(*p["slope_ut_a"]), math.hypot(*s["slope_ut_a"])),)
    if c.kind == "lever-arm" and p:
        arms = zip(p["lever_arm_m"], s["lever_arm_m"], strict=True)
        return tuple((f"parts.fitting.lever_arm_b_m.{i}", v, e) for i, (v, e) in enumerate(arms) if v is not None)
    return ()


def evidence_of(c: StoredCalibration, sigma: float | None) -> Evidence:
    """Return where a figure of a calibration comes from."""
    warm = f"{c.temperature_degc:.0f} °C" if c.temperature_degc is not None else ""
    return Evidence(source="bench", day=c.when.date(), conditions=warm, standard_error=sigma, recording=c.recording)


def _figure(
    kind: PartKind, part: str, field: str, value: float, sigma: float | None, info: RecordingInfo
) -> MeasuredFigure:
    return MeasuredFigure(
        part_kind=kind, part=part, field=field, value=float(value), standard_error=None if sigma is None else float(sigma),
        recording=info.name, when=info.when or datetime.now(UTC),
    )  # fmt: skip


def against_datasheet(project: Project, figures: tuple[MeasuredFigure, ...]) -> tuple[Against, ...]:
    """Return measured figures judged against what the parts' datasheets say."""
    choice = choice_of(project)
    parts: dict[tuple[str, str], Completed] = {}
    if choice is not None:
        parts = {(p.part.kind, p.part.name): p for p in choice.separate()}
    return tuple(_judge(f, parts.get((f.part_kind, f.part))) for f in figures)


def _judge(f: MeasuredFigure, part: Completed | None) -> Against:
    field = next(x for x in FIELDS[f.part_kind] if x.name == f.field)
    shown = f"{from_si(f.value, field.unit, field.quantity):.3g} {field.unit}"
    datasheet = part.part.figures.get(f.field) if part is not None else None
    if not datasheet:
        return Against(f, None, None, "fine", f"{field.title} {shown}; the datasheet does not say.")
    ratio = f.value / datasheet
    printed = f"{from_si(datasheet, field.unit, field.quantity):.3g} {field.unit}"
    if ratio > WORSE:
        why = {
            "noise": "aliasing or vibration likely: lower the part's own filter, or sample faster; measure again somewhere quiet",
            "walk": "the temperature moved, or the supply is not clean", "instability": "the temperature moved while measuring",
        }.get(f.field.rpartition("_")[2], "worse sky, antenna or place than the datasheet's")  # fmt: skip
        severity: Severity = "stop" if ratio > 3 * WORSE else "mind"
        return Against(
            f,
            datasheet,
            ratio,
            severity,
            f"{field.title} {ratio:.1f} times the datasheet ({shown} against {printed}): {why}.",
        )
    if ratio < BETTER:
        words = (
            f"{field.title} {ratio:.2f} of the datasheet ({shown} against {printed}): a filter in the part may be on."
        )
        return Against(f, datasheet, ratio, "fine", words)
    return Against(f, datasheet, ratio, "fine", f"{field.title} as the datasheet says ({shown} against {printed}).")


def findings(against: tuple[Against, ...]) -> tuple[Finding, ...]:
    """Return what the comparison says as findings."""
    return tuple(
        Finding(
            "Measured against datasheet", a.severity, a.statement, f"From recording “{a.figure.recording}”.",
            "The prediction uses the measured figure.", "parts.imu",
        )
        for a in against
    )  # fmt: skip
