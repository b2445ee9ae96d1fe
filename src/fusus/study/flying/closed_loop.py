"""Closed-loop flights of a project's craft: one with all that it left, kept as a recording, or many for what to expect."""

import time
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from pathlib import Path

from fusus.core.judgement.finding import Finding
from fusus.core.judgement.findings import ORDER
from fusus.core.progress import Progress
from fusus.core.simulation.flight.campaign import FlightSummary, FlightTask, fly_all, fly_task, summarise_flights
from fusus.core.simulation.flight.figures import Figures
from fusus.core.simulation.flight.fly import Flown
from fusus.core.simulation.flight.streams import TEMPERATURE_DEGC, streams_of
from fusus.core.simulation.kinds import TROUBLES
from fusus.logs.create import create_recording
from fusus.logs.info import RecordingInfo
from fusus.project.records import Project
from fusus.study.flying.findings import flight_findings
from fusus.study.flying.open_loop import place_of, sensors_of
from fusus.study.flying.setup import flight_tasks
from fusus.study.fusion.other_parts import other_parts_findings
from fusus.study.workers import workers


@dataclass(frozen=True, slots=True)
class Flights:
    """Closed-loop flights of one scenario: figures of each, their summary, the first one with all that it left, and how many times
    as fast as time they went; findings, worst first; which part flies of each kind of sensor."""

    scenario: str
    seed: int
    estimator: str
    found: tuple[Figures, ...]
    summary: FlightSummary
    first: Flown
    x_real_time: float
    findings: tuple[Finding, ...]
    sensors: dict[str, str | None]


@dataclass(frozen=True, slots=True)
class Conditions:
    """What flights go under: the estimator that is flown on (None: the project's), whether a calibration is due, and a trouble made
    on purpose."""

    estimator: str | None = None
    calibration_due: bool = False
    trouble: str | None = None


USUAL = Conditions()


def simulate_flights(
    project: Project,
    scenario: str,
    seed: int,
    runs: int,
    progress: Progress | None = None,
    scheduler: str | None = None,
    conditions: Conditions = USUAL,
) -> Flights:
    """Return flights of a scenario; the first seed's craft is the drawing, the others differ as parts do. KeyError as in the tasks."""
    c = conditions
    tasks = with_first_as_drawn(
        flight_tasks(project, scenario, seed, runs, c.estimator, False, c.calibration_due, c.trouble)
    )
    first = fly_task(tasks[0])
    began = time.perf_counter()
    with workers(scheduler, runs) as pool:
        found = fly_all(tasks, pool, progress)
    elapsed, sensors = time.perf_counter() - began, sensors_of(project)
    seconds = len(tasks) * float(first.t_s[-1])
    says = (
        *flight_findings(scenario, found, first, sensors), *other_parts_findings(project, first.controller.estimator),
    )  # fmt: skip
    return Flights(
        scenario, seed, first.controller.estimator, found, summarise_flights(found), first, seconds / elapsed,
        tuple(sorted(says, key=lambda f: ORDER[f.severity])), sensors,
    )  # fmt: skip


def with_first_as_drawn(tasks: list[FlightTask]) -> list[FlightTask]:
    """Return the tasks with the craft of the first exactly as drawn."""
    return [replace(t, as_drawn=i == 0) for i, t in enumerate(tasks)]


def keep_closed_flight(
    folder: Path,
    project: Project,
    scenario: str,
    seed: int,
    name: str,
    estimator: str | None = None,
    trouble: str | None = None,
    when: datetime | None = None,
) -> RecordingInfo:
    """Fly a scenario once and write it as a recording like any other; return what is written of it."""
    flown = fly_task(with_first_as_drawn(flight_tasks(project, scenario, seed, 1, estimator, trouble=trouble))[0])
    place, _ = place_of(project)
    info = RecordingInfo(
        name=name, kind="flight", when=when or datetime.now(UTC).replace(microsecond=0), place=place, temperature_degc=TEMPERATURE_DEGC,
        conditions=f"simulated in closed loop: {scenario}, flown on {flown.controller.estimator}"
        + (f", with {TROUBLES[trouble]}" if trouble is not None else ""), is_calibrated=True,
        is_practice=True, reference_is="simulation truth", seed=seed,
    )  # fmt: skip
    create_recording(folder, info, streams_of(flown))
    return info
