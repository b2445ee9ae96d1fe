"""The first screen: three ways in, and the projects opened before."""

from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget


class Card(QFrame):
    """One way in."""

    chosen = pyqtSignal()

    def __init__(self, name: str, title: str, words: str) -> None:
        super().__init__()
        self.setObjectName("card")
        self.setProperty("way", name)
        self.setAccessibleName(title)
        self.setAccessibleDescription(words)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFixedSize(290, 124)
        head, text = QLabel(title), QLabel(words)
        head.setProperty("role", "title")
        text.setWordWrap(True)
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 16, 18, 16)
        column.addWidget(head)
        column.addWidget(text)
        column.addStretch()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self.chosen.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.chosen.emit()
            return
        super().keyPressEvent(event)


class StartScreen(QWidget):
    """Shown while no project is open."""

    demo_wanted = pyqtSignal()
    new_wanted = pyqtSignal()
    log_wanted = pyqtSignal()
    project_wanted = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("page")
        title = QLabel("Fusus")
        title.setProperty("role", "large")
        words = QLabel("From loose sensor readings to the state estimate that your craft flies on.")
        words.setProperty("role", "faint")
        cards = QHBoxLayout()
        cards.setSpacing(16)
        for name, head, text, signal in (
            ("demo", "Open the demo", "The invented craft Dunlin over the Saltmere estuary: a jig, a hover, a survey under a steel bridge.",
             self.demo_wanted),
            (
                "new",
                "Start a craft",
                "Name it, say where it flies and how good its estimate has to be. Then choose its parts, or import logs.",
                self.new_wanted,
            ),
            ("log", "Look at a log", "Gyro and accelerometer in CSV, Parquet, HDF5 and more. Drop it here, see what is in it and what is "
             "wrong.", self.log_wanted),
        ):  # fmt: skip
            card = Card(name, head, text)
            card.chosen.connect(signal.emit)
            cards.addWidget(card)
        cards.addStretch()
        self._recent = QVBoxLayout()
        self._recent.setSpacing(2)
        inner = QVBoxLayout()
        inner.addStretch(2)
        inner.addWidget(title)
        inner.addWidget(words)
        inner.addSpacing(20)
        inner.addLayout(cards)
        inner.addSpacing(24)
        inner.addLayout(self._recent)
        inner.addStretch(3)
        row = QHBoxLayout(self)
        row.addStretch(1)
        row.addLayout(inner)
        row.addStretch(1)

    def show_recent(self, folders: list[str]) -> None:
        """List the projects opened before."""
        while self._recent.count():
            item = self._recent.takeAt(0)
            widget = item.widget() if item else None
            if widget is not None:
                widget.deleteLater()
        if folders:
            head = QLabel("Opened before")
            head.setProperty("role", "group")
            self._recent.addWidget(head)
        for folder in folders[:5]:
            link = QPushButton(f"{Path(folder).name}   {folder}")
            link.setProperty("role", "link")
            link.clicked.connect(lambda _, f=folder: self.project_wanted.emit(f))
            self._recent.addWidget(link)
