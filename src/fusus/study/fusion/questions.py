"""Fusion's longer questions by name, each from folder, project, recording and progress to a plain result."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

from fusus.core.progress import Progress
from fusus.errors import RecordingError
from fusus.project.commands import SetMany
from fusus.project.records import Project
from fusus.study.fusion.ablation import Ablation, ablate
from fusus.study.fusion.faults import FaultResult, fault_sweep
from fusus.study.fusion.run import request_for
from fusus.study.fusion.schools import fusion_schools
from fusus.study.fusion.smoothing import load_measurable
from fusus.study.fusion.survey import Survey, survey
from fusus.study.fusion.tuning import tuning_by_likelihood
from fusus.study.parts.schools import School
from fusus.study.recording.loading import load


def _ablation(folder: Path, project: Project, recording: str, progress: Progress) -> Ablation:
    request = request_for(folder, project, recording)
    return ablate(load_measurable(folder, project, recording), request.choices[0], project.brief.requirements, progress)


def _faults(folder: Path, project: Project, recording: str, progress: Progress) -> tuple[FaultResult, ...]:
    return fault_sweep(
        load_measurable(folder, project, recording), request_for(folder, project, recording).choices, progress=progress
    )


def _schools(folder: Path, project: Project, recording: str, progress: Progress) -> tuple[School, ...]:
    return fusion_schools(project, load_measurable(folder, project, recording), progress)


def _likelihood(folder: Path, project: Project, recording: str, progress: Progress) -> tuple[SetMany, float]:
    return tuning_by_likelihood(folder, project, recording, progress)


def _survey(folder: Path, project: Project, recording: str, progress: Progress) -> Survey:
    progress.step(0, 1, "Surveying the flight")
    loaded = load(folder, project, recording)
    found = survey(loaded.given, project.fusion.navigation_ekf, loaded.site)
    if found is None:
        raise RecordingError(recording, "a survey needs a flight with fixes, turns and accelerations.")
    return found


QUESTIONS: dict[str, Callable[[Path, Project, str, Progress], Any]] = {
    "ablation": _ablation, "faults": _faults, "schools": _schools, "likelihood": _likelihood, "survey": _survey,
}  # fmt: skip
