"""What is in the kit: its files, each to be read, and the way to write them."""

from pathlib import Path
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFileDialog, QLabel, QPlainTextEdit, QSplitter, QVBoxLayout, QWidget

from fusus.app import theme
from fusus.app.figures.rows import Cell, RowsTable
from fusus.app.session import Session
from fusus.app.stages.inputs import input_line, push_button
from fusus.app.stages.kit.actions import export

ABOUT = {
    "README.md": "how to use it",
    "LICENSE": "0BSD: yours",
    "Makefile": "check, hostile, main, desk",
    "main.c": "a whole firmware loop",
    "kit_math.h": "small pieces",
    "sample.h": "in and out",
    "sensors.h": "scaling, calibrations",
    "sensors.c": "scaling, calibrations",
    "sensors_constants.h": "what the bench found",
    "alignment.h": "first attitude",
    "alignment.c": "first attitude",
    "estimator.h": "the filter",
    "estimator.c": "the filter",
    "estimator_constants.h": "its tuning",
    "control.h": "loops, arming, failsafes",
    "control.c": "loops, arming, failsafes",
    "control_constants.h": "gains, limits",
    "telemetry.h": "sends the line protocol",
    "telemetry.c": "sends the line protocol",
    "desk.c": "runs it on the desk",
    "test_hostile.c": "feeds it with what nobody should",
    "test_kit.c": "holds it against vectors",
    "vectors.txt": "figures to reach",
    "own_estimator.h": "for code of your own",
}
FIRST = "estimator.c"
MOST = 400_000  # characters shown; test vectors are longer than anybody reads


class ContentsPage(QWidget):
    """Files on the left, the chosen one on the right."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.files: dict[str, str] = {}
        self.note = QLabel("The kit is being made …")
        self.note.setTextFormat(Qt.TextFormat.RichText)
        self.note.setWordWrap(True)
        self.note.setObjectName("kit-note")
        self.export = push_button("export-kit", "Export …", "Write all files to a folder", self._export, is_main=True)
        self.table = RowsTable("kit-files", "Files of the kit", ("file", "lines>"), 0)
        self.table.itemSelectionChanged.connect(self._choose)
        self.text = QPlainTextEdit()
        self.text.setObjectName("kit-text")
        self.text.setAccessibleName("The chosen file")
        self.text.setReadOnly(True)
        self.text.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        self.text.setProperty("role", "code")
        parts = QSplitter(Qt.Orientation.Horizontal)
        parts.addWidget(self.table)
        parts.addWidget(self.text)
        parts.setStretchFactor(0, 0)
        parts.setStretchFactor(1, 1)
        parts.setSizes([theme.px(215), theme.px(600)])
        parts.setChildrenCollapsible(False)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 8, 14, 8)
        column.setSpacing(6)
        column.addWidget(input_line(self.export))
        column.addWidget(self.note)
        column.addWidget(parts, 1)

    def draw(self) -> None:
        """Show the newest kit, and make one where the project has changed."""
        self.session.answers.ask("kit.contents")
        found = self.session.answers.result("kit.contents")
        self.export.setEnabled(found is not None)
        if found is None:
            return
        plan, files, _ = found
        if files is self.files:
            return
        self.files = files
        self.note.setText(
            f"<b>{plan.info.title}</b> in {plan.precision} precision, loops and mixer for {len(plan.controls.table)} motors: C99 that "
            f"needs nothing but math.h, no heap, no global state. State {plan.state}."
        )
        rows: list[tuple[Cell, ...]] = [(n, f"{text.count(chr(10))}") for n, text in files.items()]
        names = list(files)
        chosen = max(self.table.currentRow(), 0)
        self.table.show_rows(rows, [f"{n}: {ABOUT.get(n, '')}" for n in files])
        self.table.selectRow(names.index(FIRST) if chosen == 0 and FIRST in names else min(chosen, len(names) - 1))
        self._choose()

    def _choose(self) -> None:
        row = self.table.currentRow()
        names = list(self.files)
        if 0 <= row < len(names):
            text = self.files[names[row]][:MOST]
            self.text.setPlainText(text)
            # What a file does stands behind the list of its constants: begin there.
            first = text.find("\n{\n")
            if names[row].endswith(".c") and first > 0:
                cursor = self.text.textCursor()
                cursor.setPosition(text.rfind("\n/*", 0, first) + 1)
                self.text.setTextCursor(cursor)
                bar = self.text.verticalScrollBar()
                if bar is not None:
                    bar.setValue(cursor.blockNumber())

    def _export(self) -> None:
        document = self.session.document
        if document is None:
            return
        exported: Any = self.session.project.kit.exported
        begin = Path(exported.folder) if exported is not None else document.folder / "kit"
        begin = begin if begin.is_dir() else document.folder
        folder = QFileDialog.getExistingDirectory(self, "An empty folder, or that of an earlier kit", str(begin))
        if folder:
            export(self.session, Path(folder))
