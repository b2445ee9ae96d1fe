"""A row whose value is written as a few words: figures in a line, read by a function that says what is wrong."""

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QSignalBlocker

from fusus.app.ledger.rows import TextRow
from fusus.app.session import Session
from fusus.project.records import Project


class WordsRow(TextRow):
    """``show`` writes a project's value, ``read`` makes a value of what was written; its ValueError is shown in place."""

    def __init__(
        self, session: Session, path: str, label: str, empty: str, tip: str, show: Callable[[Project], str], read: Callable[[str], Any]
    ) -> None:  # fmt: skip
        self._show, self._read = show, read
        super().__init__(session, path, label, empty)
        self.edit.setProperty("role", "figure")
        self.edit.setToolTip(tip)

    def show_project(self, project: Project) -> None:
        """Show the value."""
        with QSignalBlocker(self.edit):
            self.edit.setText(self._show(project))
            self.edit.setCursorPosition(0)  # its beginning shows
        self.edit.setModified(False)

    def _edited(self) -> None:
        if not self.edit.isModified():
            return
        self.edit.setModified(False)
        try:
            wanted = self._read(self.edit.text())
        except ValueError as error:
            self.tell(str(error))
            return
        self.set_value(wanted)
