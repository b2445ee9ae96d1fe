"""Find anything: actions, rows, recordings, requirements, by any of their words."""

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QDialog, QLabel, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget


@dataclass(frozen=True, slots=True)
class Findable:
    """Something to go to or to do."""

    what: str
    words: str
    go: Callable[[], object]


def matches(text: str, item: Findable) -> bool:
    """Return whether all words of a text stand in an item."""
    hay = f"{item.what} {item.words}".lower()
    return all(word in hay for word in text.lower().split())


class Finder(QDialog):
    """A line to type in and what fits below it."""

    def __init__(self, items: list[Findable], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Find anything")
        self.setObjectName("finder")
        self.resize(560, 400)
        self._items = items
        self.edit = QLineEdit()
        self.edit.setObjectName("finder-edit")
        self.edit.setPlaceholderText("a few words: “gyro noise”, “import”, “pool” …")
        self.edit.setAccessibleName("Find anything")
        self.list = QListWidget()
        self.list.setObjectName("finder-list")
        self.list.setAccessibleName("What fits")
        hint = QLabel("Up and down choose, Return goes there, Escape leaves.")
        hint.setProperty("role", "faint")
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 16, 16, 12)
        column.addWidget(self.edit)
        column.addWidget(self.list, 1)
        column.addWidget(hint)
        self.edit.textChanged.connect(self._fill)
        self.edit.returnPressed.connect(self._go)
        self.list.itemActivated.connect(lambda _: self._go())
        self.edit.installEventFilter(self)
        self._fill("")

    def _fill(self, text: str) -> None:
        self.list.clear()
        for item in self._items:
            if matches(text, item):
                row = QListWidgetItem(f"{item.words}    · {item.what}")
                row.setData(Qt.ItemDataRole.UserRole, item)
                self.list.addItem(row)
        self.list.setCurrentRow(0)

    def _go(self) -> None:
        row = self.list.currentItem()
        if row is None:
            return
        self.accept()
        item = row.data(Qt.ItemDataRole.UserRole)
        item.go()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()), 0)
            if step:
                self.list.setCurrentRow(max(0, min(self.list.count() - 1, self.list.currentRow() + step)))
                return True
        return False
