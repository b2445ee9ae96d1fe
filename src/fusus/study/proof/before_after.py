"""Two recordings, or one estimate before and after a change: which requirement's figure differs, and whether the difference is real."""

import math
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Literal

from fusus.core.analysis.statistics import Difference, difference
from fusus.core.judgement.verdicts import SERIES
from fusus.core.progress import Progress, Silent
from fusus.core.requirements import Requirement
from fusus.errors import RecordingError
from fusus.project.records import Project
from fusus.study.fusion.run import Study, request_for, run
from fusus.study.plain import plain

Word = Literal["better", "worse", "no real difference", "cannot be told"]


@dataclass(frozen=True, slots=True)
class Change:
    """A requirement's figure before and after, SI, and what is to be said of it."""

    requirement: Requirement
    found: Difference
    word: Word


def compare_recordings(
    folder: Path, project: Project, before: str, after: str, progress: Progress | None = None
) -> tuple[Change, ...]:
    """Return how each requirement's figure changed from one recording to another; RecordingError where nothing can be measured."""
    progress = progress or Silent()
    a, b = (_study(folder, project, name, progress) for name in (before, after))
    out = []
    for r in project.brief.requirements:
        first, second = (_series(s, r) for s in (a, b))
        if first is None or second is None:
            continue
        found = difference(first, second, r.statistic)
        out.append(Change(r, found, _word(found)))
    if not out:
        raise RecordingError(after, f"and “{before}” have no requirement that both can be measured by.")
    return tuple(out)


def _study(folder: Path, project: Project, name: str, progress: Progress) -> Study:
    study = run(request_for(folder, project, name), progress)
    if study.judged.comparison is None:
        raise RecordingError(name, f"it cannot be compared: {study.judged.why_not}.")
    return study


def _series(study: Study, r: Requirement) -> Any:
    comparison = study.judged.comparison
    if comparison is None or r.quantity == "outage":
        return None
    return comparison.series(SERIES.get(r.quantity, r.quantity))


def _word(d: Difference) -> Word:
    if not math.isfinite(d.low):
        return "cannot be told"
    if not d.is_real:
        return "no real difference"
    return "worse" if d.low > 0 else "better"


def changes_report(changes: tuple[Change, ...], before: str, after: str) -> dict[str, Any]:
    """Return what ``fusus verify --before`` prints: angles in degrees."""
    rows = []
    for c in changes:
        scale = math.degrees(1.0) if c.requirement.unit == "rad" else 1.0
        rows.append(
            {
                "requirement": c.requirement.key, "title": c.requirement.title, "statistic": c.requirement.statistic,
                "unit": "deg" if c.requirement.unit == "rad" else c.requirement.unit, "before": c.found.before * scale,
                "after": c.found.after * scale, "change": (c.found.after - c.found.before) * scale,
                "interval": [c.found.low * scale, c.found.high * scale], "word": c.word,
            }
        )  # fmt: skip
    worse = [c.requirement.key for c in changes if c.word == "worse"]
    report: dict[str, Any] = plain(
        {"before": before, "after": after, "changes": rows, "worse": worse, "passed": not worse}
    )
    return report
