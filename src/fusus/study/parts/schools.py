"""Where practitioners differ, both schools with figures of the chosen suite."""

import math
from dataclasses import dataclass

from fusus.core.judgement.parts_findings import told
from fusus.core.noise import filtered_sigma
from fusus.core.parts.part import Completed
from fusus.core.prediction.predict import predict
from fusus.core.prediction.ranking import Ranking
from fusus.core.requirements import Requirement
from fusus.project.records import Project
from fusus.study.parts.suite import SuiteStudy, trajectory_of

CROSSOVER_HZ = 20.0
# A ready-made fusion chip's usual promise: dynamic tilt and heading, one sigma, and how late it speaks. Common practice.
CHIP_TILT_DEG, CHIP_HEADING_DEG, CHIP_LATE_MS = 1.0, 3.0, 10.0


@dataclass(frozen=True, slots=True)
class School:
    """One question with two answers, each with its figures, and what these say here."""

    question: str
    first: str
    first_says: str
    second: str
    second_says: str
    here: str


def schools(project: Project, study: SuiteStudy, ranking: Ranking | None) -> tuple[School, ...]:
    """Return the questions that arise before buying."""
    out = [*_range(study.choice.imu), _filter(study), _heading(project, study)]
    if ranking is not None:
        out.append(_board(ranking))
    out.append(_chip(study))
    return tuple(out)


def _range(imu: Completed) -> list[School]:
    out = []
    for axis, name, unit, scale in (
        ("gyro", "gyro", "°/s", math.degrees(1.0)),
        ("acc", "accelerometer", "g", 1 / 9.80665),
    ):
        wide, narrow = imu.value(f"{axis}_range"), imu.get(f"{axis}_range_low", imu.value(f"{axis}_range"))
        words = 2 ** round(imu.value(f"{axis}_bits")) / 2
        noise = imu.value(f"{axis}_noise") * math.sqrt(imu.value(f"{axis}_rate") / 2)
        here = f"The steps of the wide range exceed the noise of {noise * scale:.2g} {unit}: the narrow one shows more."
        if noise > wide / words / 2:
            here = f"Noise of {noise * scale:.2g} {unit} hides the steps of the wide range: take the wide one."
        out.append(
            School(
                f"Range of the {name}",
                f"wide: ±{wide * scale:.4g} {unit}",
                f"a step is {wide / words * scale:.3g} {unit}; nothing saturates early",
                f"narrow: ±{narrow * scale:.4g} {unit}",
                f"a step is {narrow / words * scale:.3g} {unit}; saturates {wide / narrow:.3g} times sooner",
                here,
            )
        )
    return out


def _filter(study: SuiteStudy) -> School:
    density = study.model.gyro.noise * math.sqrt(2.0)
    rate = study.model.imu_rate_hz
    raw, low = density * math.sqrt(rate / 2), filtered_sigma(density, 100.0, 2)
    delay = math.sqrt(2.0) / (2 * math.pi * 100.0)
    phase = 360.0 * CROSSOVER_HZ * delay
    return School(
        "Filter the gyro",
        "no: its delay costs phase", f"noise {math.degrees(raw):.2g} °/s at {rate:.0f} Hz, no phase lost",
        "yes: low-pass of 100 Hz", f"noise {math.degrees(low):.2g} °/s, {delay * 1e3:.1f} ms late: {phase:.0f}° at {CROSSOVER_HZ:.0f} Hz",
        f"The filter takes {1 - low / raw:.0%} of the noise for {phase:.0f}° of phase; vibration decides which is dearer.",
    )  # fmt: skip


def _heading(project: Project, study: SuiteStudy) -> School:
    wanted = next((r for r in project.brief.requirements if r.quantity == "heading"), Requirement("heading", 0.14))
    trajectory = trajectory_of(project)

    def value(by_course: bool) -> str:
        if (by_course and study.model.gnss is None) or (not by_course and study.model.mag is None):
            return "not possible with these parts"
        found = predict(study.model, trajectory, (wanted,), by_course, with_budget=False).figures[0].value
        return f"{told(wanted, found)} predicted" if found is not None else "not possible with these parts"

    return School(
        "Heading from",
        "the magnetometer", f"{value(False)}; bent by steel and motor currents",
        "the GNSS course", f"{value(True)}; only while moving, and it lags",
        "Predicted on your mission, hover included; a craft that mostly hovers wants a magnetometer.",
    )  # fmt: skip


def _board(ranking: Ranking) -> School:
    def best(on_board: bool) -> str:
        found = [s for s in ranking.suites if (s.choice.magnetometer is s.choice.imu) == on_board and s.score <= 1.0]
        if not found:
            return "none meets all requirements"
        s = min(found, key=lambda s: s.price)
        return f"cheapest that meets all: {', '.join(s.choice.names().values())} for {s.price:.1f} cr, {s.mass_kg * 1e3:.0f} g"

    return School(
        "One board or several",
        "nine axes on one board", best(True), "six axes and a separate magnetometer", best(False),
        "A magnetometer on the IMU's board sits near the power wires; a separate one can go on a mast.",
    )  # fmt: skip


def _chip(study: SuiteStudy) -> School:
    figures = {f.requirement.quantity: f for f in study.prediction.figures if f.value is not None}
    own = [f"{q} {told(figures[q].requirement, figures[q].value or 0.0)}" for q in ("tilt", "heading") if q in figures]
    return School(
        "Who fuses",
        "a ready-made fusion chip", f"usual promise: tilt {CHIP_TILT_DEG:g}°, heading {CHIP_HEADING_DEG:g}°, {CHIP_LATE_MS:g} ms late",
        "your own filter", (", ".join(own) or "not predicted") + "; tuned, and its errors known",
        "A chip cannot be told of motors, steel or GNSS; for self-level it is enough.",
    )  # fmt: skip
