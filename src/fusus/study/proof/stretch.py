"""One requirement over one recording in full: the error, what was claimed of it, the limit, and the stretch that decides."""

from dataclasses import dataclass
from pathlib import Path

import numpy as np

from fusus.core.analysis.comparison import Comparison, compare
from fusus.core.arrays import Array
from fusus.core.judgement.deciding import Deciding
from fusus.core.judgement.verdicts import SERIES, Verdict, judge
from fusus.core.progress import Progress
from fusus.core.requirements import Requirement
from fusus.errors import RecordingError
from fusus.logs.recording import load_stream
from fusus.project.records import Project
from fusus.study.fusion.run import Study, request_for, run
from fusus.study.proof.boards import board_track

FUSUS, BOARD = "fusus", "board"


@dataclass(frozen=True, slots=True)
class Stretch:
    """Errors (N,) at times (N,) s from the first sample, SI; the deciding stretch in the same times, None for none."""

    recording: str
    source: str
    requirement: Requirement
    t_s: Array
    errors: Array
    verdict: Verdict
    deciding: Deciding | None


def stretch_of(
    folder: Path,
    project: Project,
    recording: str,
    requirement: str,
    source: str,
    progress: Progress,
    done: Study | None = None,
) -> Stretch:
    """Return a requirement (by key) over a recording, of Fusus' estimate or of the board's; ``done``: a study that ran it already.

    RecordingError says why it cannot be shown.
    """
    study = (
        done
        if done is not None and done.request.recording == recording
        else run(request_for(folder, project, recording), progress)
    )
    r = next((r for r in project.brief.requirements if r.key == requirement), None)
    if r is None:
        raise RecordingError(recording, f"“{requirement}” is no requirement of this project.")
    comparison = study.judged.comparison if source == FUSUS else _board(study)
    if comparison is None:
        raise RecordingError(recording, study.judged.why_not or "the board logged no estimate, or nothing measures it.")
    verdict = next((v for v in study.verdicts if v.requirement == r), None) if source == FUSUS else judge(r, comparison)
    if verdict is None:
        raise RecordingError(recording, "it holds no such errors.")
    return stretch_in(recording, source, comparison, verdict, float(study.loaded.given.t_s[0]))


def stretch_in(recording: str, source: str, comparison: Comparison, verdict: Verdict, first_s: float) -> Stretch:
    """Return a verdict's errors in full, times from the recording's first sample at ``first_s``; RecordingError where there are none."""
    r = verdict.requirement
    errors = (
        comparison.series(SERIES.get(r.quantity, r.quantity))
        if r.quantity != "outage"
        else comparison.series("horizontal")
    )
    if errors is None:
        raise RecordingError(recording, verdict.reason + ".")
    d = verdict.deciding
    return Stretch(
        recording, source, r, comparison.t_s - first_s, np.asarray(errors), verdict,
        None if d is None else d._replace(start_s=d.start_s - first_s, end_s=d.end_s - first_s),
    )  # fmt: skip


def _board(study: Study) -> Comparison | None:
    found = load_stream(study.request.folder, study.request.recording, "board")
    track = board_track(found) if found is not None else None
    if track is None or study.loaded.reference is None:
        return None
    return compare(track, study.loaded.reference, study.request.align_time, study.request.align_yaw)
