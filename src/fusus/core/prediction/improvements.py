"""What would make a suite better: half of one error at a time, and one other part at a time."""

from dataclasses import dataclass, replace

from fusus.core.mission.trajectory import Trajectory
from fusus.core.parts.fitting import Fitting
from fusus.core.parts.models import SuiteModel, suite_model
from fusus.core.parts.part import Completed
from fusus.core.prediction.predict import Recursion, Tables, figures_of
from fusus.core.prediction.ranking import Choice
from fusus.core.requirements import Requirement

HALF = 0.5


@dataclass(frozen=True, slots=True)
class Sensitivity:
    """How much less the error is, as a share, when one thing is halved and the filter designed anew."""

    change: str
    gains: tuple[float | None, ...]


@dataclass(frozen=True, slots=True)
class Swap:
    """One part put in place of another: values per requirement, and the price on top (less than zero: cheaper)."""

    old: str
    new: Completed
    choice: Choice
    values: tuple[float | None, ...]
    extra_price: float


def improvements(suite: SuiteModel) -> dict[str, SuiteModel]:
    """Return the suite with one error halved, by what that takes."""
    g, a = suite.gyro, suite.acc
    out = {
        "half the gyro noise": replace(suite, gyro=replace(g, noise=g.noise * HALF)),
        "half the gyro's drift with temperature": replace(
            suite, gyro=replace(g, temperature_slope=g.temperature_slope * HALF)
        ),
        "half the gyro's scale error": replace(
            suite, gyro=replace(g, scale=g.scale * HALF, misalignment_rad=g.misalignment_rad * HALF)
        ),
        "half the accelerometer's offset": replace(
            suite,
            acc=replace(a, bias=a.bias * HALF, scale=a.scale * HALF, misalignment_rad=a.misalignment_rad * HALF),
        ),
        "half the accelerometer's drift with temperature": replace(
            suite, acc=replace(a, temperature_slope=a.temperature_slope * HALF)
        ),
    }
    if suite.baro is not None:
        b = suite.baro
        out["half the barometer noise"] = replace(suite, baro=replace(b, noise_pa=b.noise_pa * HALF))
        out["half the airflow on the barometer (more foam)"] = replace(
            suite, baro=replace(b, airflow_cp=b.airflow_cp * HALF)
        )
        out["half the barometer's drift with temperature"] = replace(
            suite, baro=replace(b, temperature_slope_pa_k=b.temperature_slope_pa_k * HALF)
        )
    if suite.mag is not None:
        m = suite.mag
        out["half the magnetometer noise"] = replace(suite, mag=replace(m, noise_ut=m.noise_ut * HALF))
        out["a better magnetometer place (half the motors' field)"] = replace(
            suite, mag=replace(m, motor_ut_a=m.motor_ut_a * HALF)
        )
        out["a magnetometer calibration twice as good"] = replace(
            suite, mag=replace(m, hard_iron_ut=m.hard_iron_ut * HALF, soft_iron=m.soft_iron * HALF)
        )
    if suite.gnss is not None:
        s = suite.gnss
        out["half the GNSS position error"] = replace(
            suite,
            gnss=replace(
                s, white_horizontal_m=s.white_horizontal_m * HALF, white_vertical_m=s.white_vertical_m * HALF,
                correlated_horizontal_m=s.correlated_horizontal_m * HALF, correlated_vertical_m=s.correlated_vertical_m * HALF,
            ),
        )  # fmt: skip
        out["half the GNSS speed error"] = replace(
            suite,
            gnss=replace(
                s, velocity_horizontal_m_s=s.velocity_horizontal_m_s * HALF,
                velocity_vertical_m_s=s.velocity_vertical_m_s * HALF,
            ),
        )  # fmt: skip
        out["twice the fix rate"] = replace(suite, gnss=replace(s, rate_hz=s.rate_hz * 2))
    return out


def sensitivities(
    suite: SuiteModel, trajectory: Trajectory, requirements: tuple[Requirement, ...], course_heading: bool = False
) -> tuple[Sensitivity, ...]:
    """Return the gain of each improvement on each requirement."""
    tables = Tables(trajectory)
    before = _values(suite, trajectory, requirements, course_heading, tables)
    out = []
    for change, better in improvements(suite).items():
        after = _values(better, trajectory, requirements, course_heading, tables)
        gains = tuple(
            None if a is None or b is None or b == 0 else 1 - a / b for a, b in zip(after, before, strict=True)
        )
        out.append(Sensitivity(change, gains))
    return tuple(out)


def _values(
    suite: SuiteModel,
    trajectory: Trajectory,
    requirements: tuple[Requirement, ...],
    course_heading: bool,
    tables: Tables,
) -> tuple[float | None, ...]:
    true = Recursion(suite, trajectory, course_heading, keeps=False, tables=tables).true
    return tuple(f.value for f in figures_of(requirements, true, trajectory, suite))


def swaps(
    choice: Choice, parts: tuple[Completed, ...], trajectory: Trajectory, requirements: tuple[Requirement, ...],
    fitting: Fitting, course_heading: bool = False,
) -> tuple[Swap, ...]:  # fmt: skip
    """Return every suite that differs by one part, cheapest first."""
    tables = Tables(trajectory)
    out = []
    for part in parts:
        other = _with(choice, part)
        if other is None:
            continue
        old, changed = other
        model = suite_model(
            changed.imu, changed.barometer, changed.magnetometer, changed.receiver, changed.rangefinder, fitting
        )
        values = _values(model, trajectory, requirements, course_heading, tables)
        out.append(Swap(old, part, changed, values, changed.total("price") - choice.total("price")))
    return tuple(sorted(out, key=lambda s: s.extra_price))


def _with(choice: Choice, part: Completed) -> tuple[str, Choice] | None:
    """Return the name of the part that goes and the choice with the other, or None where nothing changes."""
    kind = part.part.kind
    old: Completed | None = getattr(choice, kind)
    if old is not None and old.part.name == part.part.name:
        return None
    changed = replace(choice, **{kind: part})
    if kind == "imu" and choice.magnetometer is choice.imu:
        changed = replace(changed, magnetometer=part if part.part.has_magnetometer else None)
        if changed.magnetometer is None:
            return None
    return (old.part.name if old is not None else "none"), changed
