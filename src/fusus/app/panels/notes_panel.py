"""NotesPanel notes: what Fusus concludes here, worst first, each with its reason and next step."""

from dataclasses import dataclass

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QScrollArea, QToolButton, QVBoxLayout, QWidget

from fusus.app import theme
from fusus.core.judgement.finding import SEVERITY_WORDS


@dataclass(frozen=True, slots=True)
class Note:
    """A conclusion as shown, with its severity: error, warning or ok on screen."""

    subject: str
    severity: str
    statement: str
    reason: str
    next_step: str
    link: str


@dataclass(frozen=True, slots=True)
class Help:
    """What a row is: explanation, typical values, how to measure it, source."""

    title: str
    what: str
    typical: str = ""
    measure: str = ""
    source: str = ""


def _text(words: str, role: str = "") -> QLabel:
    label = QLabel(words)
    label.setWordWrap(True)
    label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
    if role:
        label.setProperty("role", role)
    return label


class LinkLabel(QLabel):
    """A link that breaks its text over lines, as push buttons do not; mouse and keyboard follow it."""

    followed = pyqtSignal()

    def __init__(self, words: str) -> None:
        super().__init__(words)
        self.setWordWrap(True)
        self.setStyleSheet(f"color: {theme.tokens().accent};")
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(words.removeprefix("→ "))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self.followed.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.followed.emit()
            return
        super().keyPressEvent(event)


class NoteView(QWidget):
    """One note."""

    followed = pyqtSignal(str)

    def __init__(self, note: Note) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 8, 0, 8)
        column.setSpacing(3)
        word = QLabel(f"{theme.SHAPES[note.severity]} {SEVERITY_WORDS[note.severity]}")
        word.setStyleSheet(f"color: {theme.tokens().severity(note.severity)}; font-weight: bold;")
        column.addWidget(word)
        subject = _text(note.subject)
        subject.setStyleSheet("font-weight: bold;")
        column.addWidget(subject)
        column.addWidget(_text(note.statement))
        column.addWidget(_text(note.reason, "faint"))
        if note.next_step:
            link = LinkLabel("→ " + note.next_step)
            link.followed.connect(lambda: self.followed.emit(note.link))
            column.addWidget(link)


class NotesPanel(QScrollArea):
    """The column of notes, and above them help on a row when it is asked for."""

    followed = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("margin")
        self.setFixedWidth(264)
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._notes: tuple[Note, ...] = ()
        self._help: Help | None = None
        self._caution = ""
        self._rebuild()

    @property
    def notes(self) -> tuple[Note, ...]:
        """The notes that are shown."""
        return self._notes

    def show_notes(self, notes: tuple[Note, ...], caution: str = "") -> None:
        """Show notes, worst first, and a caution under them."""
        order = {"stop": 0, "mind": 1, "fine": 2}
        self._notes = tuple(sorted(notes, key=lambda n: order[n.severity]))
        self._caution = caution
        self._rebuild()

    def show_help(self, help_: Help | None) -> None:
        """Show help on a row above the notes, or put it away."""
        self._help = help_
        self._rebuild()
        self.verticalScrollBar().setValue(0)  # type: ignore[union-attr]

    @property
    def help_shown(self) -> Help | None:
        """The help that is shown."""
        return self._help

    def _rebuild(self) -> None:
        body = QWidget()
        body.setObjectName("margin")
        column = QVBoxLayout(body)
        column.setContentsMargins(14, 8, 14, 8)
        column.setSpacing(0)
        if self._help is not None:
            self._add_help(column, self._help)
        for i, note in enumerate(self._notes):
            if i:
                column.addWidget(rule())
            view = NoteView(note)
            view.followed.connect(self.followed.emit)
            column.addWidget(view)
        if not self._notes:
            column.addWidget(_text("Nothing to remark yet.", "faint"))
        if self._caution:
            column.addWidget(rule())
            column.addWidget(_text("▲ " + self._caution, "faint"))
        column.addStretch()
        self.setWidget(body)

    def _add_help(self, column: QVBoxLayout, help_: Help) -> None:
        head = QHBoxLayout()
        title = _text(help_.title, "title")
        close = QToolButton()
        close.setText("✕")
        close.setToolTip("Put the explanation away (Esc)")
        close.setAccessibleName("Close help")
        close.clicked.connect(lambda: self.show_help(None))
        head.addWidget(title, 1)
        head.addWidget(close, 0, Qt.AlignmentFlag.AlignTop)
        column.addLayout(head)
        for name, words in (
            ("", help_.what), ("Usual", help_.typical), ("How to measure", help_.measure), ("Source", help_.source),
        ):  # fmt: skip
            if words:
                column.addWidget(_text(f"{name}: {words}" if name else words))
                column.addSpacing(4)
        column.addWidget(rule())


def rule() -> QFrame:
    """Return a thin line between things."""
    line = QFrame()
    line.setProperty("role", "rule")
    return line
