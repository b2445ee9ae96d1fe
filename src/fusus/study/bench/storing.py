"""What is done with a calibration once it is fitted: told, compared with earlier ones, made active."""

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from fusus.core.calibration.result import Calibration
from fusus.errors import RecordingError
from fusus.logs.info import load_info
from fusus.project import book
from fusus.project.commands import SetValue, TakeCalibration, TakeMeasured
from fusus.project.document import Document
from fusus.project.records import MeasuredFigure, Project, StoredCalibration
from fusus.study.bench.allan import AxisAllan
from fusus.study.bench.comparing import compared
from fusus.study.bench.measured import evidence_of, fitting_from, from_allan, from_calibration
from fusus.study.plain import plain


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


PRACTICE = (
    "This was captured on the stand-in or simulated: it is kept to look at, and never used in a real craft. "
    "A craft to learn on is made with “fusus new --practice”, or marked so in Bench."
)


def use(document: Document, entry: StoredCalibration) -> bool:
    """Make a calibration active, with the figures of parts and fitting that it measures, and write it into the book.

    Return whether it is active: one of practice is only kept in a real craft.
    """
    document.do(TakeCalibration(entry))
    if not document.project.counts(entry.is_practice):
        book.note(document.folder, "practice", kind=entry.kind, recording=entry.recording, verdict=entry.verdict)
        return False
    info = load_info(document.folder, entry.recording)
    measured = from_calibration(document.project, entry, info)
    if measured:
        document.do(TakeMeasured(measured))
    for path, value, sigma in fitting_from(entry):
        document.do(SetValue(path, value, "Use measured fitting", evidence_of(entry, sigma)))
    note_taken(document.folder, entry)
    return True


def use_allan(document: Document, recording: str, axes: tuple[AxisAllan, ...]) -> tuple[MeasuredFigure, ...]:
    """Put what an Allan deviation shows beside the datasheet's figures; return them."""
    info = load_info(document.folder, recording)
    if not document.project.counts(info.is_practice):
        raise RecordingError(recording, PRACTICE)
    figures = from_allan(document.project, info, axes)
    if not figures:
        raise RecordingError(recording, "its Allan deviation shows no coefficient clearly; record longer at rest.")
    document.do(TakeMeasured(figures))
    book.note(document.folder, "measured", recording=recording, part=figures[0].part, fields=[f.field for f in figures])
    return figures


@contextmanager
def held(folder: Path) -> Iterator[Document]:
    """Open a project for a change, or raise LockedError where another window holds it."""
    document = Document.open(folder)
    try:
        document.require_writable()
        yield document
    finally:
        document.close()


def note_taken(folder: Path, entry: StoredCalibration) -> None:
    """Write a calibration that was made active into the book."""
    book.note(
        folder, "calibration", kind=entry.kind, recording=entry.recording, verdict=entry.verdict, reason=entry.reason,
        temperature_degc=entry.temperature_degc, place=entry.place.model_dump() if entry.place else None,
    )  # fmt: skip
