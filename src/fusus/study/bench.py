"""What is done with a calibration once it is fitted: told, compared with earlier ones, put in force."""

from pathlib import Path
from typing import Any

from fusus.core.calibration.result import Calibration
from fusus.errors import LockedError
from fusus.project import book
from fusus.project.commands import TakeCalibration
from fusus.project.document import Document
from fusus.project.records import Project, StoredCalibration
from fusus.study.comparing import compared
from fusus.study.summary import plain


def told(entry: StoredCalibration, result: Calibration, project: Project) -> dict[str, Any]:
    """Return a calibration as JSON data, with its comparison to earlier ones of its kind, the latest first."""
    earlier = [c for c in project.bench.calibrations if c.kind == entry.kind][::-1]
    return {
        "kind": entry.kind, "recording": entry.recording, "parameters": plain(entry.parameters),
        "standard_errors": plain(entry.standard_errors), "units": entry.units, "before": plain(entry.before),
        "after": plain(entry.after), "condition": plain(entry.condition), "verdict": entry.verdict, "reason": entry.reason,
        "problems": [{"kind": p.kind, "message": p.message, "action": p.action} for p in result.problems],
        "compared": [c for old in earlier if (c := compared(entry, old)) is not None],
    }  # fmt: skip


def take(folder: Path, entry: StoredCalibration) -> None:
    """Put a calibration in force in a project folder, and into its book."""
    document = Document.open(folder)
    try:
        if document.read_only:
            raise LockedError(folder, "the project is open elsewhere; close that window first.")
        document.do(TakeCalibration(entry))
    finally:
        document.close()
    note_taken(folder, entry)


def note_taken(folder: Path, entry: StoredCalibration) -> None:
    """Write a calibration that was put in force into the book."""
    book.note(
        folder, "calibration", kind=entry.kind, recording=entry.recording, verdict=entry.verdict, reason=entry.reason,
        temperature_degc=entry.temperature_degc, place=entry.place.model_dump() if entry.place else None,
    )  # fmt: skip
