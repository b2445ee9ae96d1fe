"""Faults put into a recording: how far each estimator goes wrong, whether anything tells, how it recovers."""

from concurrent.futures import Executor
from dataclasses import dataclass

import numpy as np

from fusus.core.analysis.comparison import Comparison, Track, compare
from fusus.core.arrays import Array
from fusus.core.estimation.catalogue import EstimatorParameters
from fusus.core.estimation.navigation_ekf.parameters import Parameters as NavigationParameters
from fusus.core.estimation.replay import EstimatorInput, Replay, run_estimator
from fusus.core.judgement.finding import Finding, new_among
from fusus.core.judgement.findings import Evidence, find
from fusus.core.progress import Progress, Silent
from fusus.core.simulation.faults import FAULTS, Fault, Window
from fusus.core.workers import work_off
from fusus.errors import RecordingError
from fusus.study.fusion.run import Choice
from fusus.study.fusion.survey import findings as survey_findings
from fusus.study.fusion.survey import survey
from fusus.study.recording.loading import LoadedRecording

QUANTITIES = ("tilt", "heading", "horizontal", "height")
AFTER_S = 20.0  # how long after a fault its mark is looked for
GREW = 1.3  # a claimed sigma this many times as large as without the fault has grown


@dataclass(frozen=True, slots=True)
class FaultResult:
    """One fault with one estimator.

    ``worst`` and ``without``: largest errors while it lasts and shortly after, with the fault and without, SI by quantity.
    ``told``: findings that only the fault brings or makes much larger, by their subjects. ``sigma_grew``: by how much the
    claimed sigma grew (1: not). ``recovers_s``: after how long the error is again what it is without; None: not within the
    recording.
    """

    fault: Fault
    estimator: str
    title: str
    start_s: float
    end_s: float
    worst: dict[str, float]
    without: dict[str, float]
    told: tuple[str, ...]
    sigma_grew: float
    recovers_s: float | None

    @property
    def noticed(self) -> bool:
        """Whether the claimed sigma grew or a finding says so."""
        return bool(self.told) or self.sigma_grew > GREW

    @property
    def hurts(self) -> bool:
        """Whether any error grew by more than half and by more than a trifle."""
        least = {"tilt": np.radians(0.3), "heading": np.radians(1.0), "horizontal": 0.3, "height": 0.15}
        return any(v > 1.5 * self.without[k] and v - self.without[k] > least[k] for k, v in self.worst.items())


@dataclass(frozen=True, slots=True)
class _Ran:
    replay: Replay
    comparison: Comparison
    findings: tuple[Finding, ...]
    sigma: Array


def fault_sweep(
    loaded: LoadedRecording,
    choices: tuple[Choice, ...],
    faults: tuple[Fault, ...] = FAULTS,
    progress: Progress | None = None,
    executor: Executor | None = None,
) -> tuple[FaultResult, ...]:
    """Return what each fault does to each estimator; RecordingError where there is nothing to measure against."""
    progress = progress or Silent()
    if loaded.reference is None:
        raise RecordingError(
            loaded.info.name,
            "faults need a reference to measure what they do, or fixes for a smoother; it has neither.",
        )
    plain = work_off(_plain, [(loaded, c) for c in choices], executor, progress, "Flying without faults")
    tasks = [_Trial(loaded, c, f, p) for c, p in zip(choices, plain, strict=True) for f in faults]
    return tuple(work_off(_try, tasks, executor, progress, "Trying faults"))


@dataclass(frozen=True, slots=True)
class _Trial:
    loaded: LoadedRecording
    choice: Choice
    fault: Fault
    plain: _Ran


def _plain(task: tuple[LoadedRecording, Choice]) -> _Ran:
    loaded, choice = task
    return _run(loaded, loaded.given, choice.estimator, choice.parameters)


def _run(
    loaded: LoadedRecording, given: EstimatorInput, name: str, parameters: EstimatorParameters, surveys: bool = False
) -> _Ran:
    replay = run_estimator(name, parameters, given, loaded.site)
    m = replay.motion
    track = Track(replay.t_s, replay.outputs.q_nb, m.pos_n if m else None, m.vel_n if m else None)
    reference = loaded.reference or track
    found = compare(track, reference)
    findings = find(Evidence(given, replay, found, loaded.site, (), parameters))
    if surveys and isinstance(parameters, NavigationParameters):
        seen = survey(given, parameters, loaded.site)
        findings += tuple(survey_findings(seen, parameters)) if seen else ()
    sigma = np.full(len(found.t_s), np.nan)
    if m is not None and "position" in m.key_sigmas:
        sigma = np.sqrt(np.nansum(m.sigma_at("position", found.t_s) ** 2, axis=1))
        if replay.outputs.has_sigma and replay.estimator.gives == "motion":
            sigma = sigma + 10.0 * np.interp(found.t_s, replay.t_s, replay.outputs.sigma_rad.sum(axis=1))
    elif replay.outputs.has_sigma:
        sigma = np.interp(found.t_s, replay.t_s, replay.outputs.sigma_rad.sum(axis=1))
    return _Ran(replay, found, findings, sigma)


def _window(loaded: LoadedRecording, fault: Fault) -> Window:
    t = loaded.given.t_s
    if fault.length_s == 0.0:
        return Window(float(t[0]), float(t[-1]))
    start = float(t[0] + 0.45 * (t[-1] - t[0]))
    return Window(start, min(start + fault.length_s, float(t[-1])))


def _try(trial: _Trial) -> FaultResult:
    loaded, choice, fault, plain = trial.loaded, trial.choice, trial.fault, trial.plain
    w = _window(loaded, fault)
    given = fault.change(loaded.given, w) if fault.change else loaded.given
    parameters = fault.retune(choice.parameters) if fault.retune else choice.parameters
    ran = _run(loaded, given, choice.estimator, parameters, surveys=fault.retune is not None)
    c, base = ran.comparison, plain.comparison
    seen = (c.t_s >= w.start_s) & (c.t_s <= w.end_s + AFTER_S)
    seen_base = (base.t_s >= w.start_s) & (base.t_s <= w.end_s + AFTER_S)
    worst, without, recovers = {}, {}, 0.0
    never = False
    for quantity in QUANTITIES:
        a, b = c.series(quantity), base.series(quantity)
        if a is None or b is None or not seen.any():
            continue
        a, b = np.abs(a), np.abs(b)
        worst[quantity], without[quantity] = float(np.nanmax(a[seen])), float(np.nanmax(b[seen_base]))
        late = np.flatnonzero((a > 1.2 * float(np.nanmax(b)) + 1e-9) & (c.t_s > w.end_s))
        if len(late) and fault.length_s > 0.0:
            last = float(c.t_s[late[-1]])
            never = never or last > float(c.t_s[-1]) - 2.0
            recovers = max(recovers, last - w.end_s)
    told = tuple(dict.fromkeys(f.subject for f in new_among(ran.findings, plain.findings, GREW)))
    sigma, before = ran.sigma[seen], plain.sigma[seen_base]
    grew = (
        float(np.nanmax(sigma) / np.nanmax(before)) if np.isfinite(sigma).any() and np.isfinite(before).any() else 1.0
    )
    return FaultResult(
        fault, choice.estimator, ran.replay.estimator.title, w.start_s, w.end_s, worst, without, told, grew,
        None if never else recovers,
    )  # fmt: skip
