"""Runs estimators over a recording and says how good they are."""

from dataclasses import dataclass
from pathlib import Path

from fusus.core.analysis.comparison import Comparison, Track, compare
from fusus.core.estimation.catalogue import ESTIMATORS, AttitudeParameters
from fusus.core.estimation.replay import AttitudeReplay, replay_attitude
from fusus.core.judgement.findings import ODD_REFERENCE, Evidence, Finding, find
from fusus.core.judgement.verdicts import Verdict, judge
from fusus.core.progress import Progress, Silent
from fusus.errors import AlignmentError
from fusus.project.records import Project
from fusus.study.loading import LoadedRecording, load


@dataclass(frozen=True, slots=True)
class Choice:
    """An estimator and its tuning."""

    estimator: str
    parameters: AttitudeParameters


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


@dataclass(frozen=True, slots=True)
class Estimate:
    """One estimator's result; ``comparison`` is None without a reference, ``why_not`` says why."""

    replay: AttitudeReplay
    comparison: Comparison | None
    why_not: str


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
    )


def run(request: Request, progress: Progress | None = None) -> Study:
    """Return estimates, errors, verdicts and findings of one recording."""
    progress = progress or Silent()
    loaded = load(request.folder, request.project, request.recording, request.use_magnetometer)
    estimates = tuple(_estimate(loaded, choice, request, progress) for choice in request.choices)
    judged = estimates[0]
    verdicts = tuple(judge(r, judged.comparison, judged.why_not) for r in request.project.brief.requirements)
    others = tuple((e.replay.estimator.title, e.comparison) for e in estimates[1:] if e.comparison is not None)
    if judged.comparison is not None and len(others) < 2:
        others += _witnesses(loaded, request, {c.estimator for c in request.choices})
    found = find(Evidence(loaded.given, judged.replay, judged.comparison, loaded.site, others))
    if any(f.subject == ODD_REFERENCE for f in found):
        # A reference that stands alone against all estimates and the field is no measure of heading.
        verdicts = tuple(
            judge(v.requirement, None, "the reference's heading is the odd one out; align headings, or take another")
            if v.requirement.quantity == "heading"
            else v
            for v in verdicts
        )
    return Study(request, loaded, estimates, verdicts, found)


def _estimate(loaded: LoadedRecording, choice: Choice, request: Request, progress: Progress) -> Estimate:
    replay = replay_attitude(choice.estimator, choice.parameters, loaded.given, loaded.site, progress)
    if loaded.reference is None:
        return Estimate(replay, None, "the recording has no reference attitude")
    track = Track(replay.t_s, replay.outputs.q_nb)
    try:
        return Estimate(replay, compare(track, loaded.reference, request.align_time, request.align_yaw), "")
    except AlignmentError as error:
        return Estimate(replay, None, str(error))


def _witnesses(loaded: LoadedRecording, request: Request, have: set[str]) -> tuple[tuple[str, Comparison], ...]:
    """Run the remaining estimators with their usual tuning: a reference is only doubted when several disagree with it."""
    out = []
    for info in ESTIMATORS:
        if info.name in have:
            continue
        estimate = _estimate(loaded, Choice(info.name, info.parameters()), request, Silent())
        if estimate.comparison is not None:
            out.append((info.title, estimate.comparison))
    return tuple(out)
