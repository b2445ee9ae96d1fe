"""The bar over the top: a drawn line through one button a stage, in the order of work. It is the navigation."""

from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFocusEvent, QKeyEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QAbstractButton, QHBoxLayout, QLabel, QSizePolicy, QVBoxLayout, QWidget

from fusus.app import theme

MARK_PX = 18


@dataclass(frozen=True, slots=True)
class StageState:
    """How a stage stands: fill 0, 0.5 or 1; a headline figure; whether something upstream changed since."""

    fill: float
    headline: str
    stale: bool = False


class StageButton(QAbstractButton):
    """One stage on the bar."""

    def __init__(self, stage: str, title: str, number: int) -> None:
        super().__init__()
        self.stage, self.title, self.number = stage, title, number
        self.state = StageState(0.0, "")
        self._by_keys = False
        self.setCheckable(True)
        self.setObjectName(f"stage-{stage}")
        self.setAccessibleName(title)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def show_state(self, state: StageState) -> None:
        """Show how the stage stands."""
        self.state = state
        word = {0.0: "not begun", 0.5: "under way", 1.0: "done"}[state.fill]
        stale = " Something before it changed since." if state.stale else ""
        self.setToolTip(f"{self.title}: {word}. {state.headline}.{stale} Ctrl+{self.number}")
        self.setAccessibleDescription(f"{word}, {state.headline}")
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(130, 70)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.click()
            return
        super().keyPressEvent(event)

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        super().focusInEvent(event)
        # A ring for those who walk by keyboard; after a click it would only disturb.
        keys = (Qt.FocusReason.TabFocusReason, Qt.FocusReason.BacktabFocusReason)
        self._by_keys = event is not None and event.reason() in keys
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = theme.tokens()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle = QPointF(self.width() / 2, 20)
        radius = MARK_PX / 2 + (2 if self.isChecked() else 0)
        painter.setPen(QPen(QColor(t.accent), 2))
        painter.setBrush(QColor(t.paper))
        painter.drawEllipse(middle, radius, radius)
        inner = QRectF(middle.x() - radius + 4, middle.y() - radius + 4, 2 * radius - 8, 2 * radius - 8)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(t.accent))
        if self.state.fill > 0:
            painter.drawPie(inner, -90 * 16, round(360 * 16 * self.state.fill))
        if self.state.stale:
            mark = QPainterPath(QPointF(middle.x() + radius - 1, middle.y() - radius - 6))
            mark.lineTo(middle.x() + radius + 9, middle.y() - radius - 6)
            mark.lineTo(middle.x() + radius + 4, middle.y() - radius + 2)
            mark.closeSubpath()
            painter.setBrush(QColor(t.ochre))
            painter.drawPath(mark)
        painter.setPen(QColor(t.ink))
        painter.setFont(theme.font(bold=self.isChecked()))
        painter.drawText(QRectF(0, 33, self.width(), 18), Qt.AlignmentFlag.AlignCenter, self.title)
        painter.setPen(QColor(t.faint))
        painter.setFont(theme.font())
        painter.drawText(QRectF(0, 50, self.width(), 18), Qt.AlignmentFlag.AlignCenter, self.state.headline)
        if self.hasFocus() and self._by_keys:
            painter.setPen(QPen(QColor(t.accent), 1, Qt.PenStyle.DotLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self.rect().adjusted(2, 1, -3, -2))


class _Line(QWidget):
    """The buttons' row, with the line drawn behind them."""

    def __init__(self, buttons: list[StageButton]) -> None:
        super().__init__()
        self._buttons = buttons
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        for button in buttons:
            row.addWidget(button)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if not self._buttons:
            return
        t = theme.tokens()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(t.accent), 1.5))
        path = QPainterPath(QPointF(0, 25))
        x, bend = 0.0, 1
        for button in self._buttons:
            centre = float(button.geometry().center().x())
            path.cubicTo(x + (centre - x) / 3, 20 - 7 * bend, centre - (centre - x) / 3, 20 + 6 * bend, centre, 20)
            x, bend = centre, -bend
        path.cubicTo(x + (self.width() - x) / 2, 14, self.width() - 30, 25, self.width(), 18)
        painter.drawPath(path)


class StageBar(QWidget):
    """The whole bar: the craft's name, then the buttons."""

    chosen = pyqtSignal(str)

    def __init__(self, stages: list[tuple[str, str]]) -> None:
        super().__init__()
        self.setObjectName("stage-bar")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(84)
        self.craft, self.about = QLabel(), QLabel()
        self.craft.setProperty("role", "craft")
        self.about.setProperty("role", "faint")
        names = QVBoxLayout()
        names.setSpacing(0)
        names.addWidget(self.craft)
        names.addWidget(self.about)
        names.addStretch()
        self.buttons = {s: StageButton(s, title, i + 1) for i, (s, title) in enumerate(stages)}
        row = QHBoxLayout(self)
        row.setContentsMargins(20, 8, 20, 4)
        row.addLayout(names)
        row.addSpacing(16)
        row.addWidget(_Line(list(self.buttons.values())), 1)
        self.craft.setFixedWidth(220)
        self.about.setFixedWidth(220)
        for button in self.buttons.values():
            button.clicked.connect(lambda _, s=button.stage: self._pick(s))

    def _pick(self, stage: str) -> None:
        self.choose(stage)  # a click on the shown stage must not uncheck its button
        self.chosen.emit(stage)

    def show_craft(self, name: str, about: str) -> None:
        """Show whose craft it is."""
        self.craft.setText(name)
        metrics = self.about.fontMetrics()
        self.about.setText(metrics.elidedText(about, Qt.TextElideMode.ElideRight, 216))
        self.about.setToolTip(about)

    def choose(self, stage: str) -> None:
        """Mark a stage as the shown one."""
        for name, button in self.buttons.items():
            button.setChecked(name == stage)
