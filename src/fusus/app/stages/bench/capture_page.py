"""The page of guided captures: choose one, read why and how, acknowledge cautions, capture, and use what came out."""

from typing import Any

import numpy as np
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QProgressBar,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from fusus.app import theme
from fusus.app.captures import STAND_IN, capture_name
from fusus.app.figures.series import SeriesFigure
from fusus.app.session import Session
from fusus.app.stages.bench.actions import use_calibration
from fusus.app.stages.bench.result import ResultView
from fusus.core.guidance.guides import GUIDES, HANDS, Guide

ACTS_A_ROW = 3
BOARD_S, BOARD_PX = 30.0, 190  # how much of the board's own attitude is drawn, and how high


def _words(role: str = "", name: str = "") -> QLabel:
    label = QLabel()
    label.setWordWrap(True)
    label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
    if role:
        label.setProperty("role", role)
    label.setObjectName(name)
    return label


class CapturePage(QWidget):
    """Guides on the left, the chosen one on the right."""

    used = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.guide: Guide = GUIDES[0]
        self._entry: Any = None
        self.list = QListWidget()
        self.list.setObjectName("guides")
        self.list.setAccessibleName("Guided captures")
        self.list.setFixedWidth(theme.px(132))
        for guide in GUIDES:
            item = QListWidgetItem(guide.title)
            item.setData(Qt.ItemDataRole.UserRole, guide.name)
            item.setToolTip(guide.why)
            self.list.addItem(item)
        self.list.currentRowChanged.connect(self._choose)
        self.title, self.why, self.how = (
            _words("title", "guide-title"),
            _words("", "guide-why"),
            _words("", "guide-how"),
        )
        self.caution = _words("fault", "guide-caution")
        self.read = QCheckBox("I have read this, and all of it is so")
        self.read.setObjectName("cautions-read")
        self.read.toggled.connect(lambda _: self._show_buttons())
        self.begin = self._button("Capture", "capture-begin", self._begin, main=True)
        self.enough = self._button("Enough", "capture-finish", lambda: session.captures.finish())
        self.drop = self._button("Throw away", "capture-discard", lambda: session.captures.discard())
        self.use = self._button("Use this calibration", "capture-use", self._use, main=True)
        self.bar = QProgressBar()
        self.bar.setRange(0, 100)
        self.bar.setTextVisible(False)
        self.now, self.wrong = _words("title", "guide-now"), _words("fault", "guide-wrong")
        self.health = _words("", "capture-health")
        self.tilt = SeriesFigure("board-attitude", "What the board says of its own attitude")
        self.tilt.setMaximumHeight(theme.px(BOARD_PX))
        self._told: list[tuple[float, float, float]] = []
        self.verdict = _words("", "capture-verdict")
        self.view = ResultView()
        self.more = QComboBox()
        self.more.setObjectName("act-more")
        self.more.setAccessibleName("What else happens to the stand-in")
        self.more.addItems(["what else happens …", *HANDS])
        self.more.activated.connect(self._tell_more)
        self.acts = QGridLayout()
        self.acts.setSpacing(6)
        self._lay_out()
        captures = session.captures
        captures.status_changed.connect(self._on_status)
        captures.ended.connect(self._on_end)
        captures.captured.connect(lambda _, info: self.verdict.setText(f"Captured “{info.name}”."))
        captures.board_changed.connect(self.health.setText)
        session.answers.ready.connect(self._on_ready)
        self.list.setCurrentRow(0)

    def _button(self, words: str, name: str, run: Any, main: bool = False) -> QPushButton:
        button = QPushButton(words)
        button.setObjectName(name)
        if main:
            button.setProperty("role", "main")
        button.clicked.connect(lambda _=False: run())
        return button

    def _lay_out(self) -> None:
        buttons = QHBoxLayout()
        for button in (self.begin, self.enough, self.drop, self.use):
            buttons.addWidget(button)
        buttons.addStretch()
        self.hands = QLabel("Stand-in: your hands")
        self.hands.setProperty("role", "faint")
        column = QVBoxLayout()
        column.setSpacing(6)
        for widget in (self.title, self.why, self.how, self.caution, self.read):
            column.addWidget(widget)
        column.addLayout(buttons)
        column.addWidget(self.bar)
        column.addWidget(self.now)
        column.addWidget(self.wrong)
        hands = QHBoxLayout()
        hands.addWidget(self.hands, 1)
        hands.addWidget(self.more)
        column.addLayout(hands)
        column.addLayout(self.acts)
        column.addWidget(self.verdict)
        column.addWidget(self.view, 1)
        column.addWidget(self.tilt)
        column.addWidget(self.health)
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 8, 14, 8)
        row.setSpacing(16)
        row.addWidget(self.list)
        row.addLayout(column, 1)

    # Choosing

    def choose(self, name: str) -> None:
        """Choose a guide by its name."""
        names = [g.name for g in GUIDES]
        if name in names:
            self.list.setCurrentRow(names.index(name))

    def _choose(self, row: int) -> None:
        if self.session.captures.is_running:
            return
        guide = self.guide = GUIDES[max(0, row)]
        self._entry = None
        self.title.setText(guide.title)
        self.why.setText(guide.why)
        self.how.setText(guide.how)
        self.caution.setText(guide.caution)
        self.read.setChecked(False)
        self.read.setVisible(guide.is_powered)
        for label in (self.now, self.wrong, self.verdict, self.health):
            label.clear()
        self.bar.setValue(0)
        self._told = []
        self.tilt.hide()
        self.view.say("")
        self._show_acts()
        self._show_buttons()

    def _show_acts(self) -> None:
        while self.acts.count():
            item = self.acts.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        is_stand_in = self.session.project.bench.link.strip() == STAND_IN
        self.hands.setVisible(is_stand_in)
        self.more.setVisible(is_stand_in)
        if is_stand_in:
            for i, command in enumerate(self.guide.stand_in):
                button = QPushButton(command.removeprefix("face "))
                button.setObjectName(f"act-{command}")
                button.setToolTip(f"Tells the stand-in: {command}")
                button.clicked.connect(lambda _=False, c=command: self.session.captures.command(c))
                self.acts.addWidget(button, i // ACTS_A_ROW, i % ACTS_A_ROW)

    def _show_buttons(self) -> None:
        running = self.session.captures.is_running
        self.begin.setEnabled(not running and (self.read.isChecked() or not self.guide.is_powered))
        self.begin.setVisible(not running)
        self.enough.setVisible(running)
        self.drop.setVisible(running)
        self.bar.setVisible(running)
        for label in (self.why, self.how):
            label.setVisible(not running)
        self.more.setEnabled(running)
        usable = self._entry is not None and self._entry.verdict != "fail"
        self.use.setVisible(usable and not running)
        self.list.setEnabled(not running)
        for i in range(self.acts.count()):
            item = self.acts.itemAt(i)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.setEnabled(running)

    def refresh(self) -> None:
        """Show the guides with what is active or due."""
        force, due = self.session.project.bench.in_force(), {d.kind for d in self.session.due if d.is_due}
        for i, guide in enumerate(GUIDES):
            item = self.list.item(i)
            if item is not None:
                mark = (
                    ""
                    if guide.calibration is None
                    else "◆ "
                    if guide.calibration in due
                    else "● "
                    if guide.calibration in force
                    else "○ "
                )
                item.setText(mark + guide.title)
        if not self.session.captures.is_running:
            self._show_acts()
            self._show_buttons()

    def _tell_more(self, index: int) -> None:
        if index > 0:
            self.session.captures.command(self.more.itemText(index))
        self.more.setCurrentIndex(0)

    # Capturing

    def _begin(self) -> None:
        document = self.session.document
        if document is None:
            return
        self._entry = None
        self._told = []
        self.tilt.hide()
        self.verdict.clear()
        self.now.setText("Waiting for the board …")
        self.session.captures.start(document, self.guide, capture_name(document.folder, self.guide.name))
        self._show_buttons()

    def _on_status(self, status: Any, health: Any) -> None:
        self.bar.setValue(round(100 * status.progress))
        self.now.setText(status.now)
        self.wrong.setText(" ".join(status.wrong))
        self.view.show_status(self.guide.name, status.picture)
        streams = "   ".join(
            f"{n} {rate:.0f} Hz ± {1e3 * jitter:.2f} ms" for n, (_, rate, jitter) in list(health.streams.items())[:4]
        )
        link = "" if health.is_connected else "   LINK LOST, seeking it again"
        self.health.setText(
            f"{health.good} lines, {health.spoilt} spoilt, {health.missing} missing, {health.breaks} breaks, "
            f"{health.waiting} B waiting{link}\n"
            f"{streams}" + (f"\n{health.board_says}" if health.board_says else "")
        )
        if health.board is not None:
            self._show_board(health.seconds, health.board)
        if not self.enough.isVisibleTo(self):
            self._show_buttons()

    def _show_board(self, seconds: float, board: tuple[float, float, float]) -> None:
        """Draw roll and pitch that the board itself told over the last while; its heading is in the line below."""
        self._told.append((seconds, *board[:2]))
        self._told = [row for row in self._told if row[0] > seconds - BOARD_S]
        t, roll, pitch = np.array(self._told).T
        self.tilt.show()
        self.tilt.show_lines(t, (("roll", np.degrees(roll)), ("pitch", np.degrees(pitch))), "roll, pitch [°]")

    def _on_end(self) -> None:
        self.wrong.clear()
        self.now.clear()
        self._show_buttons()

    def _on_ready(self, question: str) -> None:
        found = self.session.answers.result(question)
        if question == "bench.fit" and found is not None:
            self._on_fitted(*found)
        elif question == "bench.check" and found is not None:
            self._on_checked(found)

    def _on_fitted(self, entry: Any, result: Any) -> None:
        if entry.kind != self.guide.calibration:
            return
        self._entry = entry
        shape = theme.SHAPES[entry.verdict]
        self.verdict.setText(f"{shape} {entry.verdict}. {entry.reason}")
        self.verdict.setStyleSheet(f"color: {theme.tokens().severity(entry.verdict)};")
        self.view.show_result(self.session.project, entry, result)
        self._show_buttons()

    def _on_checked(self, result: Any) -> None:
        holds = all(i.holds for i in result.items)
        word = "pass" if holds else "fail"
        said = (
            " ".join(f"{i.kind}: {i.statement}" for i in result.items) or "No active calibration that it could check."
        )
        self.verdict.setText(f"{theme.SHAPES[word]} {said}")
        self.verdict.setStyleSheet(f"color: {theme.tokens().severity(word)};")

    def _use(self) -> None:
        if self._entry is None:
            return
        wrong = use_calibration(self.session, self._entry)
        if wrong is not None:
            self.session.noticed.emit("stop", wrong)
            return
        self._entry = None
        self.verdict.setText(f"{self.verdict.text()} Active from now on.")
        self._show_buttons()
        self.used.emit()
