"""What Bench does beside asking: calibrations and measured noise made active, events written into the book."""

from pathlib import Path
from typing import Any

from fusus.app.session import Session
from fusus.errors import FususError


def use_calibration(session: Session, entry: Any) -> str | None:
    """Make a fitted calibration active, with the figures that it measures; return what is wrong, or None."""
    from fusus.study.bench.storing import PRACTICE, use

    if session.document is None:
        return "No project is open."
    try:
        if not use(session.document, entry):
            return PRACTICE
    except FususError as error:
        return str(error)
    session.ask("bench.due")
    return None


def use_noise(session: Session, recording: str, axes: Any) -> str | None:
    """Put measured noise beside the datasheet's; return what is wrong, or None."""
    from fusus.study.bench.storing import use_allan

    if session.document is None:
        return "No project is open."
    try:
        use_allan(session.document, recording, axes)
    except FususError as error:
        return str(error)
    return None


def write_event(
    session: Session, what: str, words: str, details: dict[str, Any], attached: tuple[Path, ...], then: Any
) -> None:
    """Write an event with its pictures into the book; pictures are looked at and copied in the job."""
    document = session.document
    if document is None:
        return
    folder = document.folder

    def work(_progress: Any) -> Any:
        from fusus.project import book, pictures

        book.add_event(folder, what, words, **details, pictures=[pictures.attach(folder, p) for p in attached] or None)

    session.start_job("Writing into the book", "written", work, then)
