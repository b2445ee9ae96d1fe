"""The project's recordings: what each holds and is used for, and what one does with it."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

from PyQt6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QMessageBox,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from fusus.app.figures.rows import Cell, RowsTable
from fusus.app.importing.flow import import_again
from fusus.app.session import Session
from fusus.errors import FususError
from fusus.logs.handling import RenameRecording, export_recording, noted, put_aside, remove_recording, sources_of
from fusus.logs.info import RecordingInfo, list_recordings
from fusus.project import book
from fusus.project.commands import SetValue
from fusus.project.uses import uses_of

PER_ROW = 4
NOTHING = "No recording yet. Drop a log on this window, or choose “Import a log” in the menu."


class RecordingsPage(QWidget):
    """A table of recordings, and buttons for the chosen one."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._infos: list[RecordingInfo] = []
        self.table = RowsTable(
            "recordings-table",
            "Recordings",
            ("name", "kind", "length>", "streams>", "problems>", "used for", "note"),
            5,
        )
        self.table.itemSelectionChanged.connect(self._enable)
        self.table.doubleClicked.connect(lambda _: self.look())
        self.words = QLabel(NOTHING)
        self.words.setProperty("role", "faint")
        rows = (QHBoxLayout(), QHBoxLayout())
        self.buttons: dict[str, QPushButton] = {}
        for name, words, tip, run in (
            ("look", "Look at it", "Show its signals, and run the estimators over it", self.look),
            ("rename", "Rename …", "Give it another name, wherever the project names it", self.rename),
            ("note", "Note …", "Note something of it", self.note),
            ("aside", "Set aside", "Keep it, and do not evaluate it", self.set_aside),
            ("again", "Import again …", "Read its source files again, with another mapping", self.again),
            ("export", "Export …", "Write its streams as CSV into an empty folder", self.export),
            ("delete", "Delete …", "Move it to the desktop's bin", self.delete),
        ):
            button = QPushButton(words)
            button.setObjectName(f"recording-{name}")
            button.setToolTip(tip)
            button.clicked.connect(lambda _=False, r=run: r())
            self.buttons[name] = button
            rows[len(self.buttons) > PER_ROW].addWidget(button)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 8, 14, 8)
        column.addWidget(self.words)
        column.addWidget(self.table, 1)
        for row in rows:
            row.addStretch()
            column.addLayout(row)

    def draw(self) -> None:
        """Show the recordings of the open project; the chosen one stays chosen."""
        document = self.session.document
        if document is None:
            return
        kept = self.chosen()
        self._infos = list_recordings(document.folder, set_aside=True)
        rows: list[tuple[Cell, ...]] = []
        tips = []
        for info in self._infos:
            streams = str(len(info.streams))
            rates = ", ".join(f"{k} {v.rate_hz:.0f} Hz" if v.rate_hz else k for k, v in info.streams.items())
            uses = ", ".join(uses_of(document.project, info.name)) or "–"
            note = "; ".join(x for x in ("set aside" if info.is_set_aside else "", info.note) if x)
            cells = (info.name, info.kind, f"{info.length_s:.1f} s", streams, str(len(info.problems)), uses, note)
            rows.append(tuple((c, "faint") for c in cells) if info.is_set_aside else cells)
            made = ", ".join(s.name for s in info.sources) or "made here"
            tips.append(f"From {made}. {rates}. " + " ".join(p.sentence() for p in info.problems[:4]))
        self.table.show_rows(rows, tips)
        self.words.setText(f"{len(rows)} recordings" if rows else NOTHING)
        names = [i.name for i in self._infos]
        wanted = kept.name if kept is not None and kept.name in names else document.project.fusion.recording
        if wanted in names:
            self.table.selectRow(names.index(wanted))
        self._enable()

    def chosen(self) -> RecordingInfo | None:
        """Return the chosen recording, None without one."""
        row = self.table.currentRow()
        return self._infos[row] if self.table.selectedItems() and 0 <= row < len(self._infos) else None

    def _enable(self) -> None:
        info, document = self.chosen(), self.session.document
        can_change = document is not None and not document.read_only
        for name, button in self.buttons.items():
            button.setEnabled(info is not None and (can_change or name in ("look", "export")))
        self.buttons["aside"].setText("Use again" if info is not None and info.is_set_aside else "Set aside")

    def _do(self, work: Callable[[Path, RecordingInfo], Any], what: str) -> bool:
        """Run something on the chosen recording; tell what goes wrong, and put what was done into the logbook."""
        info, document = self.chosen(), self.session.document
        if info is None or document is None:
            return False
        try:
            work(document.folder, info)
            book.note(document.folder, f"recording: {what}", recording=info.name)
        except FususError as error:
            self.session.noticed.emit("stop", str(error))
            return False
        return True

    def look(self) -> None:
        """Let Fusion look at the chosen recording."""
        info = self.chosen()
        if info is not None:
            self.session.do(SetValue("fusion.recording", info.name, f"Look at {info.name}"))
            self.session.signals_wanted.emit()

    def rename(self) -> None:
        """Ask for another name."""
        info, document = self.chosen(), self.session.document
        if info is None or document is None:
            return
        name, is_ok = QInputDialog.getText(self, "Rename recording", f"Another name for “{info.name}”:", text=info.name)
        if is_ok and name.strip() and name.strip() != info.name:
            self._do(lambda _f, i: document.do(RenameRecording(i.name, name.strip())), "rename")

    def note(self) -> None:
        """Ask for a note."""
        info, document = self.chosen(), self.session.document
        if info is None or document is None:
            return
        text, is_ok = QInputDialog.getText(self, "Note on recording", f"Note on “{info.name}”:", text=info.note)
        if is_ok:
            self._do(lambda f, i: document.do(noted(f, i.name, text.strip())), "note")

    def set_aside(self) -> None:
        """Set the recording aside, or use it again."""
        document = self.session.document
        if document is not None:
            self._do(lambda f, i: document.do(put_aside(f, i.name, not i.is_set_aside)), "set aside")

    def again(self) -> None:
        """Look at its source files again, and import them in its place."""
        self._do(lambda _f, i: import_again(self.session, i, sources_of(i), self), "import again")

    def export(self) -> None:
        """Ask for a folder, and write the streams into it."""
        chosen = QFileDialog.getExistingDirectory(self, "An empty folder for the streams")
        if chosen and self._do(lambda f, i: export_recording(f, i.name, Path(chosen)), "export"):
            self.session.noticed.emit("fine", f"Wrote the streams into {chosen}.")

    def delete(self) -> None:
        """Ask, and move the recording to the bin."""
        info, document = self.chosen(), self.session.document
        if info is None or document is None:
            return
        uses = uses_of(document.project, info.name)
        told = f" It is used: {', '.join(uses)}." if uses else ""
        answer = QMessageBox.question(
            self, "Delete recording", f"Move “{info.name}” to the desktop's bin?{told} Its source files are not touched.",
            QMessageBox.StandardButton.Yes | QMessageBox.StandardButton.Cancel, QMessageBox.StandardButton.Cancel,
        )  # fmt: skip
        if answer == QMessageBox.StandardButton.Yes and self._do(lambda f, i: remove_recording(f, i.name), "delete"):
            document.recordings_changed.emit(None)
