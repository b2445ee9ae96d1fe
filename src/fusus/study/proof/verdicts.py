"""Verdicts of all recordings of a project, kept in ``results/`` with all that was read to compute them."""

import hashlib
import json
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from fusus.core.progress import Progress, Silent
from fusus.core.source import code_digest
from fusus.errors import FususError, ProjectError
from fusus.logs.info import RecordingInfo, list_recordings
from fusus.logs.streams import KINDS
from fusus.project.atomic import write_atomically
from fusus.project.reads import Reads, holds, recorded
from fusus.project.records import Project

if TYPE_CHECKING:
    from fusus.study.fusion.run import Study

BENCH_KINDS = set(KINDS) - {"flight", "other"}
# Guided bench captures hold no reference: they calibrate, they do not judge the estimate.
WITHOUT_GUIDE = ("flight", "jig", "other")
MOST_KEPT = 6  # states of a project whose verdict on a recording is kept: taking a change back shows it at once


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


def cached(folder: Path, project: Project, recording: str) -> Judgement | None:
    """Return a kept judgement that is still true, or None: what it was computed from reads the same, by the same code."""
    for path in _kept(folder, recording):
        try:
            data = json.loads(path.read_text(encoding="utf-8"))
            if data["code"] == code_digest() and holds(data["reads"], folder, project):
                kept = data["judgement"]
                return Judgement(**kept | {"verdicts": tuple(kept["verdicts"]), "findings": tuple(kept["findings"])})
        except (OSError, ValueError, TypeError, KeyError, AttributeError):
            continue
    return None


def _kept(folder: Path, recording: str) -> list[Path]:
    """Return the kept judgements of a recording, the newest first."""
    name = hashlib.sha256(recording.encode(errors="surrogateescape")).hexdigest()[:12]
    try:
        return sorted((folder / "results").glob(f"verdict-{name}-*.json"), key=lambda p: -p.stat().st_mtime_ns)
    except OSError:
        return []


def judge_recording(folder: Path, project: Project, info: RecordingInfo, progress: Progress | None = None) -> Judgement:
    """Return the judgement of one recording, computed if it is not kept."""
    found = cached(folder, project, info.name)
    if found is not None:
        return found
    # The estimators are heavy to load: a kept judgement must not wait for them.
    from fusus.study.fusion.run import request_for, run

    try:
        with recorded(project) as (watched, reads):
            judgement = judgement_of(run(request_for(folder, watched, info.name), progress or Silent()))
    except FususError as error:
        return Judgement(info.name, info.kind, evidence_of(info.kind), project.fusion.estimators[0], (), (), str(error))
    keep(folder, judgement, reads)
    return judgement


def judgement_of(study: "Study") -> Judgement:
    """Return what a study says of the requirements."""
    from fusus.study.fusion import summary
    from fusus.study.proof.boards import board_report

    info, project = study.loaded.info, study.request.project
    return Judgement(
        info.name,
        info.kind,
        evidence_of(info.kind),
        project.fusion.estimators[0],
        tuple(summary.verdict(v, float(study.loaded.given.t_s[0])) for v in study.verdicts),
        tuple(summary.finding(f) for f in study.findings),
        reference=study.loaded.reference_is if study.loaded.reference is not None else None,
        board=board_report(study),
    )


def keep(folder: Path, judgement: Judgement, reads: Reads) -> None:
    """Write a judgement with all that it depends on to the cache; a cache that cannot be written is no reason to fail."""
    data = {"code": code_digest(), "reads": reads.as_json(folder), "judgement": asdict(judgement)}
    earlier = _kept(folder, judgement.recording)
    name = hashlib.sha256(judgement.recording.encode(errors="surrogateescape")).hexdigest()[:12]
    mark = hashlib.sha256(json.dumps(data["reads"], sort_keys=True).encode()).hexdigest()[:12]
    try:
        (folder / "results").mkdir(exist_ok=True)
        path = folder / "results" / f"verdict-{name}-{mark}.json"
        write_atomically(path, json.dumps(data, ensure_ascii=False).encode())
        for old in earlier[MOST_KEPT - 1 :]:
            if old != path:
                old.unlink(missing_ok=True)
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
