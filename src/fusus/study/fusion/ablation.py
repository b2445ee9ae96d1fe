"""Each sensor taken out, or made twice as good: how the requirements move."""

from dataclasses import dataclass, replace

import numpy as np

from fusus.core.analysis.comparison import Track, compare
from fusus.core.analysis.outage import SETTLE_S, recorded, trials
from fusus.core.analysis.sensor_improvement import SENSORS, twice_as_good
from fusus.core.analysis.statistics import measure
from fusus.core.estimation.accelerometer_filter import without_accelerometer
from fusus.core.estimation.navigation_ekf.parameters import Parameters
from fusus.core.estimation.replay import EstimatorInput, run_estimator
from fusus.core.judgement.verdicts import SERIES
from fusus.core.progress import Progress, Silent
from fusus.core.requirements import Requirement
from fusus.errors import RecordingError
from fusus.study.fusion.run import Choice, without_fixes
from fusus.study.recording.loading import LoadedRecording


@dataclass(frozen=True, slots=True)
class Variant:
    """One row: what was changed, and each requirement's value, SI units, None where it cannot be had."""

    title: str
    values: tuple[float | None, ...]


@dataclass(frozen=True, slots=True)
class Ablation:
    """All rows; the first is the recording as it is."""

    recording: str
    estimator: str
    requirements: tuple[Requirement, ...]
    rows: tuple[Variant, ...]


def ablate(
    loaded: LoadedRecording, choice: Choice, requirements: tuple[Requirement, ...], progress: Progress | None = None
) -> Ablation:
    """Return how the requirements move; RecordingError without a reference.

    Twice as good: half of a sensor's error is taken off, which the reference shows; rows that it cannot show are left out.
    """
    progress = progress or Silent()
    if loaded.reference is None:
        raise RecordingError(
            loaded.info.name, "ablation needs a reference to measure by, or fixes for a smoother; it has neither."
        )
    given = loaded.given
    a = given.aiding
    cases: list[tuple[str, EstimatorInput | None]] = [("As it is", given)]
    cases.append(("Without accelerometer", without_accelerometer(given)))
    if len(a.mag):
        blind = given.samples._replace(mag_b=np.full_like(given.samples.mag_b, np.nan))
        cases.append(("Without magnetometer", replace(given, samples=blind, aiding=replace(a, mag=a.mag[:0]))))
    if len(a.baro):
        cases.append(("Without barometer", replace(given, aiding=replace(a, baro=a.baro[:0]))))
    if len(a.gnss):
        cases.append(("Without GNSS", replace(given, aiding=replace(a, gnss=a.gnss[:0]))))
    parameters = choice.parameters if isinstance(choice.parameters, Parameters) else Parameters()
    for sensor in SENSORS:
        has = {"magnetometer": len(a.mag), "barometer": len(a.baro), "receiver": len(a.gnss)}.get(sensor, 1)
        if has:
            cases.append(
                (
                    f"{sensor.capitalize()} twice as good",
                    twice_as_good(sensor, given, loaded.reference, loaded.site, parameters),
                )
            )
    rows = []
    for i, (title, changed) in enumerate(cases):
        progress.step(i, len(cases), "Taking sensors out")
        if changed is not None:
            rows.append(Variant(title, values(replace(loaded, given=changed), choice, requirements)))
    progress.step(len(cases), len(cases), "Taking sensors out")
    return Ablation(loaded.info.name, choice.estimator, requirements, tuple(rows))


def values(loaded: LoadedRecording, choice: Choice, requirements: tuple[Requirement, ...]) -> tuple[float | None, ...]:
    """Return each requirement's value with one estimator on one set of samples."""
    if loaded.reference is None:
        return (None,) * len(requirements)
    replay = run_estimator(choice.estimator, choice.parameters, loaded.given, loaded.site)
    m = replay.motion
    track = Track(replay.t_s, replay.outputs.q_nb, m.pos_n if m else None, m.vel_n if m else None)
    found = compare(track, loaded.reference)
    out: list[float | None] = []
    for r in requirements:
        if r.quantity == "outage":
            out.append(_outage(loaded, choice, r))
            continue
        series = found.series(SERIES.get(r.quantity, r.quantity))
        out.append(measure(series, r.statistic) if series is not None else None)
    return tuple(out)


def _outage(loaded: LoadedRecording, choice: Choice, r: Requirement) -> float | None:
    g, t = loaded.given.aiding.gnss, loaded.given.t_s
    if r.outage_s is None or not len(g) or loaded.reference is None:
        return None
    begins, span = float(t[0]), float(t[-1] - t[0])
    outages = trials(r.outage_s, 10.0 + SETTLE_S, span - 5.0, recorded(g[:, 0], begins), 0.0)
    if not outages:
        return None
    replay = run_estimator(choice.estimator, choice.parameters, without_fixes(loaded, outages).given, loaded.site)
    if replay.motion is None or replay.estimator.gives != "motion":
        return None
    found = compare(Track(replay.t_s, replay.outputs.q_nb, replay.motion.pos_n, replay.motion.vel_n), loaded.reference)
    horizontal = found.series("horizontal")
    if horizontal is None:
        return None
    ends = np.interp([begins + s + d for s, d in outages], found.t_s, horizontal)
    return measure(ends, r.statistic)
