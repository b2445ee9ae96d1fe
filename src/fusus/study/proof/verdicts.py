"""Verdicts of all recordings of a project, kept in ``results/`` under a hash of everything they depend on."""

import hashlib
import json
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from fusus.core.progress import Progress, Silent
from fusus.core.source import source_digest
from fusus.errors import FususError, ProjectError
from fusus.logs.info import RECORDING_FILE, RecordingInfo, list_recordings, recordings_folder
from fusus.logs.streams import KINDS
from fusus.project.atomic import write_atomically
from fusus.project.records import Project

if TYPE_CHECKING:
    from fusus.study.fusion.run import Study

BENCH_KINDS = set(KINDS) - {"flight", "other"}
# Guided bench captures hold no reference: they calibrate, they do not judge the estimate.
WITHOUT_GUIDE = ("flight", "jig", "other")


@dataclass(frozen=True, slots=True)
class Judgement:
    """What one recording says of the requirements; ``verdicts`` and ``findings`` as in ``summary``, ``reference`` what it was held
    against in words, ``board`` the same of the estimate that the board itself logged, as in ``boards``."""

    recording: str
    kind: str
    evidence: str
    estimator: str
    verdicts: tuple[dict[str, Any], ...]
    findings: tuple[dict[str, Any], ...]
    error: str | None = None
    reference: str | None = None
    board: dict[str, Any] | None = None

    def verdict(self, requirement: str) -> dict[str, Any] | None:
        """Return the verdict on a requirement by its key."""
        return next((v for v in self.verdicts if v["requirement"] == requirement), None)


def is_judged(info: RecordingInfo, project: Project) -> bool:
    """Return whether a recording says anything of the estimate: guided captures without a reference do not."""
    return info.kind in WITHOUT_GUIDE or "reference" in info.streams or project.proof.declared(info.name) is not None


def evidence_of(kind: str) -> str:
    """Return whether a kind of recording is bench or flight evidence."""
    return "bench" if kind in BENCH_KINDS else "flight"


def key_of(folder: Path, project: Project, recording: str) -> str:
    """Return the hash of all that a judgement of a recording depends on."""
    fusion = project.fusion
    judged = fusion.estimators[0]
    declared = project.proof.declared(recording)
    names = [recording, *([declared.other] if declared is not None and declared.other else [])]
    parts = {
        "source": source_digest(),
        "recording": [_digest(recordings_folder(folder) / name / RECORDING_FILE) for name in names],
        "reference": declared.model_dump(mode="json") if declared is not None else None,
        "estimators": [[n, asdict(fusion.parameters_of(n))] for n in fusion.estimators],
        "options": [
            fusion.use_magnetometer,
            fusion.use_barometer,
            fusion.use_gnss,
            fusion.align_time,
            fusion.align_yaw,
            project.loops.acc_lowpass_hz,
        ],
        "requirements": [asdict(r) for r in project.brief.requirements],
        "place": project.brief.place.model_dump() if project.brief.place else None,
        "day": str(project.brief.day),
        "judged": judged,
        "calibrations": [project.bench.use, {k: c.parameters for k, c in project.bench.in_force().items()}],
    }
    return hashlib.sha256(json.dumps(parts, sort_keys=True).encode()).hexdigest()[:24]


def _digest(path: Path) -> str:
    return hashlib.sha256(path.read_bytes()).hexdigest() if path.exists() else ""


def cached(folder: Path, project: Project, recording: str) -> Judgement | None:
    """Return a kept judgement that is still true, or None."""
    try:
        data = json.loads((folder / "results" / f"{key_of(folder, project, recording)}.json").read_text())
        return Judgement(**data | {"verdicts": tuple(data["verdicts"]), "findings": tuple(data["findings"])})
    except (OSError, ValueError, TypeError, KeyError):
        return None


def judge_recording(folder: Path, project: Project, info: RecordingInfo, progress: Progress | None = None) -> Judgement:
    """Return the judgement of one recording, computed if it is not kept."""
    found = cached(folder, project, info.name)
    if found is not None:
        return found
    # The estimators are heavy to load: a kept judgement must not wait for them.
    from fusus.study.fusion.run import request_for, run

    try:
        study = run(request_for(folder, project, info.name), progress or Silent())
    except FususError as error:
        return Judgement(info.name, info.kind, evidence_of(info.kind), project.fusion.estimators[0], (), (), str(error))
    return keep_study(study)


def keep_study(study: "Study") -> Judgement:
    """Return what a study says of the requirements, and keep it: nobody need run the same again."""
    from fusus.study.fusion import summary
    from fusus.study.proof.boards import board_report

    info, project = study.loaded.info, study.request.project
    result = Judgement(
        info.name,
        info.kind,
        evidence_of(info.kind),
        project.fusion.estimators[0],
        tuple(summary.verdict(v, float(study.loaded.given.t_s[0])) for v in study.verdicts),
        tuple(summary.finding(f) for f in study.findings),
        reference=study.loaded.reference_is if study.loaded.reference is not None else None,
        board=board_report(study),
    )
    keep(study.request.folder, project, result)
    return result


def keep(folder: Path, project: Project, judgement: Judgement) -> None:
    """Write a judgement to the cache; a cache that cannot be written is no reason to fail."""
    try:
        (folder / "results").mkdir(exist_ok=True)
        path = folder / "results" / f"{key_of(folder, project, judgement.recording)}.json"
        write_atomically(path, json.dumps(asdict(judgement), ensure_ascii=False).encode())
    except (OSError, ProjectError):
        return


def judge_all(folder: Path, project: Project, progress: Progress | None = None) -> tuple[Judgement, ...]:
    """Return the judgements of all recordings."""
    progress = progress or Silent()
    infos = [i for i in list_recordings(folder) if is_judged(i, project)]
    out = []
    for i, info in enumerate(infos):
        progress.step(i, len(infos), f"Judging {info.name}")
        out.append(judge_recording(folder, project, info))
    progress.step(len(infos), max(len(infos), 1), "Judging")
    return tuple(out)
