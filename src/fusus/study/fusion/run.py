"""Runs estimators over a recording and says how good they are."""

from dataclasses import dataclass
from dataclasses import replace as changed
from pathlib import Path

import numpy as np

from fusus.core.analysis.attitude_error import circular_mean, circular_spread
from fusus.core.analysis.comparison import Comparison, Track, compare
from fusus.core.analysis.outage import SETTLE_S, Outages, errors_at, hidden, recorded, trials
from fusus.core.arrays import Array
from fusus.core.estimation.accelerometer_filter import without_accelerometer
from fusus.core.estimation.catalogue import ESTIMATORS, EstimatorInfo, EstimatorParameters
from fusus.core.estimation.replay import Replay, run_estimator
from fusus.core.judgement.finding import Finding
from fusus.core.judgement.findings import ODD_REFERENCE, ORDER, Evidence, find
from fusus.core.judgement.reference_findings import OTHER_AXES
from fusus.core.judgement.verdicts import Verdict, judge
from fusus.core.progress import Progress, Silent
from fusus.core.requirements import Requirement
from fusus.errors import AlignmentError
from fusus.project.records import Project
from fusus.study.fusion.other_parts import other_parts_findings
from fusus.study.fusion.smoothing import smoothed
from fusus.study.recording.loading import LoadedRecording, load

# Outages are tried at places shifted against one another, in so many runs.
TRIAL_SETS = 3
ENOUGH_TRIALS = 40
# A reference whose heading the judged estimate bears out to within so much needs no further witnesses.
BORNE_OUT_RAD = np.radians(4.0)


@dataclass(frozen=True, slots=True)
class Choice:
    """An estimator and its tuning."""

    estimator: str
    parameters: EstimatorParameters


@dataclass(frozen=True, slots=True)
class Request:
    """All that a run depends on: its parts are values, so that a run can be recognised again."""

    folder: Path
    project: Project
    recording: str
    choices: tuple[Choice, ...]
    use_magnetometer: bool = True
    align_time: bool = False
    align_yaw: bool = False
    use_barometer: bool = True
    use_gnss: bool = True
    outages: tuple[tuple[float, float], ...] = ()
    use_accelerometer: bool = True


@dataclass(frozen=True, slots=True)
class Estimate:
    """One estimator's result; ``comparison`` is None without a reference, ``why_not`` says why.

    ``against_smoother``: how far it is off the smoother where there is no reference, else None.
    """

    replay: Replay
    comparison: Comparison | None
    why_not: str
    against_smoother: Comparison | None = None


@dataclass(frozen=True, slots=True)
class Study:
    """Results of all chosen estimators; the first is the one that is judged."""

    request: Request
    loaded: LoadedRecording
    estimates: tuple[Estimate, ...]
    verdicts: tuple[Verdict, ...]
    findings: tuple[Finding, ...]

    @property
    def judged(self) -> Estimate:
        """The estimate that the requirements are held against."""
        return self.estimates[0]


def request_for(folder: Path, project: Project, recording: str) -> Request:
    """Return the run that the project's own choices mean."""
    fusion = project.fusion
    return Request(
        folder,
        project,
        recording,
        tuple(Choice(name, fusion.parameters_of(name)) for name in fusion.estimators),
        fusion.use_magnetometer,
        fusion.align_time,
        fusion.align_yaw,
        fusion.use_barometer,
        fusion.use_gnss,
        use_accelerometer=fusion.use_accelerometer,
    )


def run(request: Request, progress: Progress | None = None) -> Study:
    """Return estimates, errors, verdicts and findings of one recording."""
    progress = progress or Silent()
    loaded = load(
        request.folder, request.project, request.recording,
        request.use_magnetometer, request.use_barometer, request.use_gnss,
    )  # fmt: skip
    measured = loaded
    if not request.use_accelerometer:
        loaded = changed(loaded, given=without_accelerometer(loaded.given))
    whole = loaded
    if request.outages:
        loaded = without_fixes(loaded, request.outages)
    # The smoother sees the fixes, and the accelerometer, that are hidden from the others.
    stand_in = smoothed(measured, request.project.fusion.navigation_ekf) if loaded.reference is None else None
    estimates = tuple(_estimate(loaded, choice, request, progress, stand_in) for choice in request.choices)
    judged = estimates[0]
    verdicts = tuple(
        judge(r, None, "the recording holds no fixes: its place can only drift away")
        if r.quantity in ("position", "velocity") and not len(whole.given.aiding.gnss)
        else judge(r, judged.comparison, judged.why_not, _trials(whole, r, request, judged, progress))
        for r in request.project.brief.requirements
    )
    others = tuple((e.replay.estimator.title, e.comparison) for e in estimates[1:] if e.comparison is not None)
    if (
        judged.comparison is not None
        and judged.comparison.has_attitude
        and len(others) < 2
        and not _bears_out(judged.comparison)
    ):
        others += _witnesses(loaded, request, {c.estimator for c in request.choices})
    shown = changed(loaded.given, samples=measured.given.samples)
    found = find(Evidence(shown, judged.replay, judged.comparison, loaded.site, others, request.choices[0].parameters))
    tuned_for = other_parts_findings(request.project, request.choices[0].estimator)
    found = tuple(sorted((*found, *tuned_for), key=lambda f: ORDER[f.severity]))
    if any(f.subject == OTHER_AXES for f in found):
        why = "the reference is in other axes: see the finding, and declare them"
        verdicts = tuple(judge(v.requirement, None, why) for v in verdicts)
    if any(f.subject == ODD_REFERENCE for f in found):
        # A reference that stands alone against all estimates and the field is no measure of heading.
        verdicts = tuple(
            judge(v.requirement, None, "the reference's heading is the odd one out; align headings, or take another")
            if v.requirement.quantity == "heading"
            else v
            for v in verdicts
        )
    return Study(request, loaded, estimates, verdicts, found)


def without_fixes(loaded: LoadedRecording, outages: Outages) -> LoadedRecording:
    """Return a recording without the fixes that come in outages, (start after the first sample, duration) in s."""
    given = loaded.given
    aiding = changed(given.aiding, gnss=hidden(given.aiding.gnss, outages, float(given.t_s[0])))
    return changed(loaded, given=changed(given, aiding=aiding))


def outage_errors(
    loaded: LoadedRecording, comparison: Comparison | None, outages: Outages
) -> list[tuple[float | None, float | None]]:
    """Return horizontal and height error at the end of each outage, m."""
    begins = float(loaded.given.t_s[0])
    if comparison is None:
        return [(None, None)] * len(outages)
    found = errors_at(comparison, [begins + start + duration for start, duration in outages])
    return [
        (h if np.isfinite(h) else None, v if np.isfinite(v) else None)
        for h, v in zip(*map(np.ndarray.tolist, found), strict=True)
    ]


def _trials(
    loaded: LoadedRecording, requirement: Requirement, request: Request, judged: Estimate, progress: Progress
) -> Array | None:
    """Return horizontal errors at the ends of outages made on purpose, of the length that a requirement names."""
    gives_motion = judged.replay.estimator.gives == "motion"
    if (
        requirement.outage_s is None
        or not gives_motion
        or judged.comparison is None
        or not len(loaded.given.aiding.gnss)
    ):
        return None
    t = loaded.given.t_s
    begins, ends = float(t[0]), float(t[-1])
    flies_from = judged.replay.start.rest_s + SETTLE_S
    avoid = recorded(loaded.given.aiding.gnss[:, 0], begins)
    errors: list[float] = []
    for i in range(TRIAL_SETS):
        outages = trials(requirement.outage_s, flies_from, ends - begins - 5.0, avoid, i / TRIAL_SETS)
        if not outages:
            continue
        tried = _estimate(without_fixes(loaded, outages), request.choices[0], request, progress)
        errors += [h for h, _ in outage_errors(loaded, tried.comparison, outages) if h is not None]
        if len(errors) >= ENOUGH_TRIALS:
            break
    return np.array(errors) if errors else None


def _estimate(
    loaded: LoadedRecording, choice: Choice, request: Request, progress: Progress, stand_in: Track | None = None
) -> Estimate:
    replay = run_estimator(choice.estimator, choice.parameters, loaded.given, loaded.site, progress)
    motion = replay.motion
    track = Track(replay.t_s, replay.outputs.q_nb, motion.pos_n if motion else None, motion.vel_n if motion else None)
    if loaded.reference is None:
        why = "the recording has no reference"
        return Estimate(replay, None, why, compare(track, stand_in) if stand_in is not None else None)
    try:
        return Estimate(replay, compare(track, loaded.reference, request.align_time, request.align_yaw), "")
    except AlignmentError as error:
        return Estimate(replay, None, str(error))


def _bears_out(c: Comparison) -> bool:
    """Return whether an estimate's heading is the reference's, on the whole and all along."""
    return bool(abs(circular_mean(c.heading)) < BORNE_OUT_RAD and circular_spread(c.heading) < BORNE_OUT_RAD)


def _witnesses(loaded: LoadedRecording, request: Request, have: set[str]) -> tuple[tuple[str, Comparison], ...]:
    """Run the remaining estimators with their usual tuning: a reference is only doubted when several disagree with it."""
    names = [i for i in ESTIMATORS if i.name not in have and i.gives == "attitude"]
    found = (_witness(loaded, request, info) for info in names)
    return tuple(w for w in found if w is not None)


def _witness(loaded: LoadedRecording, request: Request, info: EstimatorInfo) -> tuple[str, Comparison] | None:
    """Return one more estimator's errors; its run itself, of hours a gigabyte, is let go."""
    estimate = _estimate(loaded, Choice(info.name, info.parameters()), request, Silent())
    return (info.title, estimate.comparison) if estimate.comparison is not None else None
