"""Error budget: one bar a requirement, cut by source, with the limit as a tick; a piece leads to what causes it."""

import numpy as np
from PyQt6.QtCore import QEvent, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QColor, QFontMetricsF, QHelpEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QToolTip, QWidget

from fusus.app import theme
from fusus.app.figures.frame import FigureFrame, Table

Bar = tuple[str, str, float, list[tuple[str, float]]]  # title, value in words, value over limit, pieces as shares
PATTERNS = (
    Qt.BrushStyle.SolidPattern,
    Qt.BrushStyle.BDiagPattern,
    Qt.BrushStyle.Dense5Pattern,
    Qt.BrushStyle.FDiagPattern,
    Qt.BrushStyle.Dense6Pattern,
    Qt.BrushStyle.HorPattern,
)
LABEL_PX, ROW_PX, LEGEND_PX, LEGEND_COLUMNS = 178, 40, 18, 3


class BudgetBars(QWidget):
    """The drawing itself. Colour and pattern go with the source; its name stands in its piece where there is room."""

    piece_clicked = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.bars: list[Bar] = []
        self._boxes: list[tuple[QRectF, str, str]] = []
        self._styles: dict[str, int] = {}
        self.setMouseTracking(True)
        self.setObjectName("budget-bars")

    def show_bars(self, bars: list[Bar]) -> None:
        """Draw bars."""
        self.bars = bars
        weight: dict[str, float] = {}
        for _, _, size, pieces in bars:
            for name, share in pieces:
                weight[name] = weight.get(name, 0.0) + share * min(size, 2.0)
        self._styles = {name: i for i, name in enumerate(sorted(weight, key=lambda n: -weight[n]))}
        self.setMinimumHeight(self._height())
        self.setAccessibleDescription(
            "; ".join(f"{t}: {v}, mostly {p[0][0]} {p[0][1]:.0%}" for t, v, _, p in bars if p)
        )
        self.update()

    def _height(self) -> int:
        rows = -(-len(self._styles) // LEGEND_COLUMNS)
        return theme.px(ROW_PX) * max(1, len(self.bars)) + 26 + theme.px(LEGEND_PX) * rows

    def sizeHint(self) -> QSize:
        return QSize(600, self._height())

    def brush(self, name: str) -> QBrush:
        """Return the fill of a source."""
        t = theme.tokens()
        i = self._styles.get(name, 0)
        colours = (t.accent, t.ochre, t.plum, t.brick)
        colour = QColor(colours[i % 4])
        colour.setAlpha(210 if i < 4 else 150)
        return QBrush(colour, PATTERNS[(i // 4 + i) % len(PATTERNS)] if i >= 4 else Qt.BrushStyle.SolidPattern)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = theme.tokens()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._boxes = []
        left, right = theme.px(LABEL_PX), self.width() - 18
        full = max([1.25, *(min(b[2], 3.0) * 1.08 for b in self.bars)])
        scale = (right - left) / full
        row = theme.px(ROW_PX)
        for i, (title, value, size, pieces) in enumerate(self.bars):
            top = i * row + 8
            painter.setPen(QColor(t.ink))
            painter.setFont(theme.font())
            painter.drawText(
                QRectF(4, top - 2, left - 12, 20), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, title
            )
            painter.setFont(theme.font(12))
            painter.setPen(QColor(t.severity("fail" if size > 1 else "pass")))
            painter.drawText(
                QRectF(4, top + 15, left - 12, 18), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, value
            )
            self._draw_pieces(painter, QRectF(left, top, min(size, 3.0) * scale, row - 18), pieces, size)
            tick = left + scale
            painter.setPen(QPen(QColor(t.brick), 2))
            painter.drawLine(int(tick), top - 3, int(tick), top + row - 15)
        painter.setFont(theme.font(12))
        painter.setPen(QColor(t.brick))
        painter.drawText(
            QRectF(left + scale - 40, row * len(self.bars) + 2, 80, 18), Qt.AlignmentFlag.AlignCenter, "limit"
        )
        self._draw_legend(painter, row * len(self.bars) + 22)
        painter.end()

    def _draw_legend(self, painter: QPainter, top: float) -> None:
        """Name each source beside its fill, the largest first."""
        t = theme.tokens()
        width, step = self.width() / LEGEND_COLUMNS, theme.px(LEGEND_PX)
        metrics = QFontMetricsF(theme.font(12))
        for i, name in enumerate(self._styles):
            x, y = (i % LEGEND_COLUMNS) * width + 4, top + (i // LEGEND_COLUMNS) * step
            painter.fillRect(QRectF(x, y + 3, 14, 12), self.brush(name))
            painter.setPen(QColor(t.ink))
            painter.setFont(theme.font(12))
            words = metrics.elidedText(name, Qt.TextElideMode.ElideRight, width - 24)
            painter.drawText(
                QRectF(x + 20, y, width - 22, 18), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, words
            )

    def _draw_pieces(self, painter: QPainter, bar: QRectF, pieces: list[tuple[str, float]], size: float) -> None:
        t = theme.tokens()
        metrics = QFontMetricsF(theme.font(12))
        x = bar.left()
        for name, share in pieces:
            box = QRectF(x, bar.top(), bar.width() * share, bar.height())
            x += box.width()
            painter.fillRect(box, QColor(t.sheet))
            painter.fillRect(box, self.brush(name))
            painter.setPen(QPen(QColor(t.sheet), 1))
            painter.drawRect(box)
            self._boxes.append((box, name, f"{name}: {share:.1%} of the variance"))
            words = f"{name} {share:.0%}"
            if metrics.horizontalAdvance(words) > box.width() - 10:
                words = f"{share:.0%}" if box.width() > 36 else ""
            if words:
                pad = QRectF(box.left() + 4, box.center().y() - 9, metrics.horizontalAdvance(words) + 6, 18)
                painter.fillRect(pad, QColor(t.sheet))
                painter.setPen(QColor(t.ink))
                painter.setFont(theme.font(12))
                painter.drawText(pad, Qt.AlignmentFlag.AlignCenter, words)
        if size > 3.0:
            painter.setPen(QColor(t.ink))
            painter.drawText(QRectF(bar.right() - 60, bar.top(), 56, bar.height()), Qt.AlignmentFlag.AlignRight, "…")

    def piece_at(self, x: float, y: float) -> tuple[str, str] | None:
        """Return the source under a point, and words on it."""
        for box, name, words in self._boxes:
            if box.contains(x, y):
                return name, words
        return None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            found = self.piece_at(event.position().x(), event.position().y())
            if found is not None:
                self.piece_clicked.emit(found[0])

    def event(self, event: QEvent | None) -> bool:
        if isinstance(event, QHelpEvent):
            found = self.piece_at(event.pos().x(), event.pos().y())
            QToolTip.showText(event.globalPos(), found[1] if found else "", self)
            return True
        return super().event(event)


class BudgetFigure(FigureFrame):
    """The bars in the frame that all figures share."""

    def __init__(self) -> None:
        super().__init__("Where the predicted errors come from", name="budget")
        self.bars = BudgetBars()
        layout = self.layout()
        self.plot.hide()
        if layout is not None:
            layout.addWidget(self.bars)
        self.data = self._table

    def show_bars(self, bars: list[Bar]) -> None:
        """Draw bars."""
        self.bars.show_bars(bars)

    def restyle(self) -> None:
        """Take on the theme's colours."""
        super().restyle()
        if hasattr(self, "bars"):
            self.bars.update()

    def _table(self) -> Table:
        names = sorted({n for _, _, _, pieces in self.bars.bars for n, _ in pieces})
        columns = [np.array([dict(pieces).get(n, 0.0) for _, _, _, pieces in self.bars.bars]) for n in names]
        sizes = np.array([size for _, _, size, _ in self.bars.bars])
        return ["error_over_limit", *names], [sizes, *columns]
