"""The ledger: the inputs of a stage in groups of rows."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QLabel, QScrollArea, QVBoxLayout, QWidget

from fusus.app.ledger.rows import Row
from fusus.app.panels.notes_panel import rule

WIDTH_PX = 326


class Ledger(QScrollArea):
    """A column of rows."""

    row_focused = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("ledger")
        self.setFixedWidth(WIDTH_PX)
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.rows: dict[str, Row] = {}
        self._column = QVBoxLayout()
        self.clear()

    def clear(self) -> None:
        """Take all rows off. One of them may be at work just now, so they go when the event is over."""
        for row in self.rows.values():
            row.retire()
        old = self.takeWidget()
        if old is not None:
            old.hide()
            old.deleteLater()
        body = QWidget()
        body.setObjectName("ledger")
        self._column = QVBoxLayout(body)
        self._column.setContentsMargins(16, 8, 10, 12)
        self._column.setSpacing(3)
        self.rows = {}
        self.setWidget(body)

    def group(self, title: str) -> None:
        """Begin a group."""
        name = QLabel(title)
        name.setProperty("role", "group")
        self._column.addWidget(name)
        self._column.addWidget(rule())

    def add(self, widget: QWidget) -> None:
        """Add a row or another widget."""
        if isinstance(widget, Row):
            self.rows[widget.path] = widget
            widget.focused.connect(self.row_focused.emit)
        self._column.addWidget(widget)

    def finish(self) -> None:
        """Close the column."""
        self._column.addStretch()

    def reveal(self, path: str) -> bool:
        """Bring a row into sight and into focus: by its path, or the first whose path contains it."""
        row = self.rows.get(path) or next((r for p, r in self.rows.items() if path in p), None)
        if row is None:
            return False
        self.ensureWidgetVisible(row)
        for child in row.findChildren(QWidget):
            if child.focusPolicy() & Qt.FocusPolicy.TabFocus and child.isEnabled():
                child.setFocus(Qt.FocusReason.OtherFocusReason)
                break
        return True
