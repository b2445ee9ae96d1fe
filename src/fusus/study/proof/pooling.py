"""Requirements over several flights at once, and recordings that are the same flight twice."""

from dataclasses import dataclass
from pathlib import Path
from typing import Any

from fusus.core.analysis.statistics import pooled_interval
from fusus.core.arrays import Array
from fusus.core.judgement.verdicts import SERIES, Verdict, widened, word_for
from fusus.core.progress import Progress, Silent
from fusus.core.requirements import Requirement
from fusus.errors import RecordingError
from fusus.logs.info import duplicates, list_recordings
from fusus.project.records import Project
from fusus.study.fusion.run import Study, request_for, run
from fusus.study.fusion.summary import verdict
from fusus.study.proof.verdicts import evidence_of, is_judged

LEAST = 2


@dataclass(frozen=True, slots=True)
class Pooled:
    """Verdicts over several flights: which they are, which were left out and why."""

    recordings: tuple[str, ...]
    left_out: tuple[tuple[str, str], ...]
    verdicts: tuple[Verdict, ...]


def pool(folder: Path, project: Project, progress: Progress | None = None) -> Pooled:
    """Return the verdicts over all flights of a project; RecordingError where fewer than two can be measured."""
    progress = progress or Silent()
    infos = [i for i in list_recordings(folder) if is_judged(i, project) and evidence_of(i.kind) == "flight"]
    twice = duplicates(infos)
    studies: list[Study] = []
    left: list[tuple[str, str]] = [(n, f"the same files as {other}") for n, other in twice.items()]
    flights = [i for i in infos if i.name not in twice]
    for i, info in enumerate(flights):
        progress.step(i, len(flights), f"Judging {info.name}")
        try:
            study = run(request_for(folder, project, info.name))
        except RecordingError as error:
            left.append((info.name, error.reason))
            continue
        if study.judged.comparison is None:
            left.append((info.name, study.judged.why_not))
        elif all(v.value is None for v in study.verdicts):
            left.append((info.name, study.verdicts[0].reason if study.verdicts else "there are no requirements"))
        else:
            studies.append(study)
    progress.step(len(flights), max(len(flights), 1), "Judging")
    if len(studies) < LEAST:
        said = "; ".join(f"{n}: {why}" for n, why in left)
        raise RecordingError(
            "flights",
            f"{len(studies)} can be measured, and pooling needs two." + (f" Left out: {said}." if said else ""),
        )
    verdicts = tuple(v for r in project.brief.requirements if (v := _pooled(r, studies)) is not None)
    return Pooled(tuple(s.request.recording for s in studies), tuple(left), verdicts)


def _pooled(r: Requirement, studies: list[Study]) -> Verdict | None:
    series: list[Array] = []
    sigmas: list[float] = []
    for s in studies:
        c = s.judged.comparison
        own = next((v for v in s.verdicts if v.requirement == r), None)
        errors = c.series(SERIES.get(r.quantity, r.quantity)) if c is not None and r.quantity != "outage" else None
        if errors is not None and own is not None and own.value is not None and c is not None:
            series.append(errors)
            sigmas.append(c.sigmas.get(r.quantity, 0.0))
    if len(series) < LEAST:
        return None
    found = widened(pooled_interval(series, r.statistic), max(sigmas))
    word = word_for(found, r.limit)
    reasons = {
        "pass": "the whole 95 % interval over all flights lies within the limit",
        "close": "the value over all flights lies within the limit, its 95 % interval does not: fly more",
        "fail": "the value over all flights lies above the limit",
        "not measured": "",
    }
    return Verdict(r, found.value, found.low, found.high, word, f"{len(series)} flights: {reasons[word]}")


def pooled_report(found: Pooled) -> dict[str, Any]:
    """Return what ``fusus verify --pooled`` adds."""
    return {
        "recordings": list(found.recordings), "verdicts": [verdict(v) for v in found.verdicts],
        "left_out": [{"recording": n, "reason": why} for n, why in found.left_out],
    }  # fmt: skip
