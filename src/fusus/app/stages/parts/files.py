"""Files of parts: JSON in and out, shopping list and wiring table as CSV. Errors become notices."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

from PyQt6.QtWidgets import QFileDialog, QWidget

from fusus.app.session import Session
from fusus.errors import FususError
from fusus.project.atomic import write_atomically
from fusus.project.commands import AddParts
from fusus.project.parts_files import read_parts, write_parts
from fusus.study.brief.brief import available

FileAction = Callable[[Session, QWidget], None]


def import_parts(session: Session, parent: QWidget, path: Path | None = None) -> None:
    """Add the parts of a JSON file to the project."""
    if path is None:
        chosen, _ = QFileDialog.getOpenFileName(parent, "Import parts", "", "Parts (*.json)")
        if not chosen:
            return
        path = Path(chosen)
    try:
        found = read_parts(path)
    except FususError as error:
        session.noticed.emit("stop", str(error))
        return
    wrong = session.do(AddParts(found))
    session.noticed.emit("stop" if wrong else "fine", wrong or f"{len(found)} parts of {path.name} are in the project.")


def export_parts(session: Session, parent: QWidget, path: Path | None = None) -> None:
    """Write all available parts."""
    _save(session, parent, path, "parts.json", lambda p: write_parts(p, available(session.project)))


def save_shopping(session: Session, parent: QWidget, path: Path | None = None) -> None:
    """Write the shopping list."""
    from fusus.study.parts.lists import shopping_rows

    _save_rows(session, parent, path, "shopping.csv", shopping_rows)


def save_wiring(session: Session, parent: QWidget, path: Path | None = None) -> None:
    """Write the wiring table."""
    from fusus.study.parts.lists import wiring_rows

    _save_rows(session, parent, path, "wiring.csv", wiring_rows)


def _save_rows(
    session: Session, parent: QWidget, path: Path | None, name: str, rows: Callable[[Any], list[list[str]]]
) -> None:
    from fusus.study.parts.lists import as_csv

    study = session.prediction.study if session.prediction is not None else None
    if study is None:
        session.noticed.emit("mind", "No IMU is chosen yet.")
        return
    _save(session, parent, path, name, lambda p: write_atomically(p, as_csv(rows(study.choice))))


def _save(session: Session, parent: QWidget, path: Path | None, name: str, write: Callable[[Path], None]) -> None:
    if path is None:
        chosen, _ = QFileDialog.getSaveFileName(parent, "Save", name, f"*{Path(name).suffix}")
        if not chosen:
            return
        path = Path(chosen)
    try:
        write(path)
    except FususError as error:
        session.noticed.emit("stop", str(error))
    else:
        session.noticed.emit("fine", f"Saved {path.name}.")


FILE_ACTIONS: tuple[tuple[str, str, FileAction], ...] = (
    ("import", "Import parts (JSON) …", lambda session, parent: import_parts(session, parent)),
    ("export", "Export parts (JSON) …", lambda session, parent: export_parts(session, parent)),
    ("shopping", "Save shopping list (CSV) …", lambda session, parent: save_shopping(session, parent)),
    ("wiring", "Save wiring table (CSV) …", lambda session, parent: save_wiring(session, parent)),
)
