"""Many simulated flights of one scenario, each with its own sensors and noise: what estimators are off, and what they claim."""

from collections.abc import Sequence
from concurrent.futures import Executor
from dataclasses import dataclass

import numpy as np

from fusus.core.analysis.comparison import Track as CompareTrack
from fusus.core.analysis.comparison import compare
from fusus.core.analysis.consistency import COMPONENTS, coverages, errors_of, nees
from fusus.core.arrays import Array
from fusus.core.control.elements import LowPass
from fusus.core.estimation.accelerometer_filter import filter_accelerometer
from fusus.core.estimation.catalogue import EstimatorParameters
from fusus.core.estimation.replay import run_estimator
from fusus.core.mission.mission import Mission
from fusus.core.progress import Progress, Silent
from fusus.core.simulation.flights import scenario_named
from fusus.core.simulation.given import given_by
from fusus.core.simulation.record import record
from fusus.core.simulation.scenario import Suite
from fusus.core.workers import work_off
from fusus.core.world.site import Site

QUANTITIES = ("tilt", "heading", "horizontal", "height", "velocity")


@dataclass(frozen=True, slots=True)
class Task:
    """One flight to simulate and estimate: plain values, so that any worker can take it."""

    scenario: str
    seed: int
    mission: Mission
    suite: Suite
    site: Site
    home: tuple[float, float, float]
    estimators: tuple[tuple[str, EstimatorParameters], ...]
    rate_hz: float = 500.0
    acc_filters: tuple[LowPass, ...] = ()


@dataclass(frozen=True, slots=True)
class Outcome:
    """What one estimator did on one flight: RMS errors in the air by quantity (SI; NaN for what it does not give), the
    largest, errors at the ends of outages (m, horizontal), the share within one sigma by component, and NEES by part."""

    estimator: str
    seed: int
    rmse: dict[str, float]
    largest: dict[str, float]
    outages: tuple[float, ...]
    coverage: dict[str, float]
    nees: dict[str, float]


def fly_one(task: Task) -> tuple[Outcome, ...]:
    """Return what each estimator made of one flight."""
    flight = scenario_named(task.scenario).flight(task.mission, task.site.gravity_m_s2, task.rate_hz)
    streams = record(flight.motion, flight.rate_hz, task.suite, flight.around, task.site, task.home, task.seed)
    given, truth = given_by(streams, task.home)
    given = filter_accelerometer(task.acc_filters, given)
    flies = -truth_heights(truth) > 0.2
    out = []
    for name, parameters in task.estimators:
        replay = run_estimator(name, parameters, given, task.site)
        motion = replay.motion
        track = CompareTrack(
            replay.t_s, replay.outputs.q_nb, motion.pos_n if motion else None, motion.vel_n if motion else None
        )
        found = compare(track, truth)
        air = np.interp(found.t_s, truth.t_s, flies) > 0.5
        rmse, largest = {}, {}
        for quantity in QUANTITIES:
            series = found.series(quantity)
            known = series is not None and air.any()
            rmse[quantity] = float(np.sqrt(np.mean(series[air] ** 2))) if known and series is not None else float("nan")
            largest[quantity] = float(np.abs(series[air]).max()) if known and series is not None else float("nan")
        ends = []
        horizontal = found.series("horizontal")
        if horizontal is not None:
            ends = [float(np.interp(s + d, found.t_s, horizontal)) for s, d in flight.around.outages]
        claimed = errors_of(motion, found) if motion is not None else None
        covers = {k: c.one for k, c in coverages(claimed).items()} if claimed is not None else {}
        normalised = {n.name: n.value for n in nees(claimed)} if claimed is not None else {}
        out.append(Outcome(name, task.seed, rmse, largest, tuple(ends), covers, normalised))
    return tuple(out)


def truth_heights(truth: CompareTrack) -> Array:
    """Return the true down coordinates (N,), zeros where there are none."""
    return truth.pos_n[:, 2] if truth.pos_n is not None else np.zeros(len(truth.t_s))


def fly_many(
    tasks: Sequence[Task], executor: Executor | None = None, progress: Progress | None = None
) -> tuple[Outcome, ...]:
    """Return the outcomes of all tasks, in their order, whoever works them off: the seeds alone decide what comes out."""
    found = work_off(fly_one, tasks, executor, progress or Silent(), "Simulating flights")
    return tuple(outcome for outcomes in found for outcome in outcomes)


@dataclass(frozen=True, slots=True)
class Summary:
    """Over all flights of an estimator: RMS errors, outage error (RMS), and coverage of one sigma by component."""

    estimator: str
    flights: int
    rmse: dict[str, float]
    outage: float
    coverage: dict[str, float]
    nees: dict[str, float]


def summarise(outcomes: Sequence[Outcome], estimator: str) -> Summary:
    """Return the means over flights: of squares for errors, of shares for coverage."""
    mine = [o for o in outcomes if o.estimator == estimator]
    rmse = {q: float(np.sqrt(np.mean([o.rmse[q] ** 2 for o in mine]))) for q in QUANTITIES}
    ends = [e for o in mine for e in o.outages]
    covers = {
        c: float(np.mean([o.coverage[c] for o in mine])) for c in COMPONENTS if all(c in o.coverage for o in mine)
    }
    parts = {k: float(np.mean([o.nees[k] for o in mine])) for k in (mine[0].nees if mine else {})}
    return Summary(
        estimator, len(mine), rmse, float(np.sqrt(np.mean(np.square(ends)))) if ends else float("nan"), covers, parts
    )
