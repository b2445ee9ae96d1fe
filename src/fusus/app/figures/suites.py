"""Suite chart: predicted error against price, the front joined, budgets shaded out, the chosen suite ringed."""

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import pyqtSignal

from fusus.app import theme
from fusus.app.figures.frame import FigureFrame, Table
from fusus.app.text import figure
from fusus.core.arrays import Array


class SuiteFigure(FigureFrame):
    """Every combination of parts as a point; a click picks the nearest of the front."""

    picked = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__("Every combination of parts", "price [cr]", "largest error over its limit", "suites")
        self.item.setLogMode(True, True)
        self._price, self._score, self._front = np.zeros(0), np.zeros(0), np.zeros(0, dtype=int)
        self.data = self._table
        self.read = self._read
        self.plot.scene().sigMouseClicked.connect(self._clicked)

    def show_suites(
        self, price: Array, score: Array, front: Array, chosen: tuple[float, float] | None, budget: float | None
    ) -> None:
        """Draw suites (N,), the indices of the front by price, the chosen suite and the price budget."""
        t = theme.tokens()
        self._price, self._score, self._front = price, score, front
        cross = self._cross
        self.item.clear()
        if len(price) == 0:
            return
        x, y = np.log10(np.maximum(price, 0.1)), np.log10(score)
        self.item.addItem(
            pg.ScatterPlotItem(x, y, size=4, pen=None, brush=pg.mkBrush(theme.hex_with_alpha(t.plum, 70)))
        )
        self.item.plot(price[front], score[front], pen=self.pen(t.accent, 1.8), stepMode=None)
        self.item.addItem(
            pg.ScatterPlotItem(x[front], y[front], size=8, pen=pg.mkPen(t.sheet), brush=pg.mkBrush(t.accent))
        )
        self.item.addItem(pg.InfiniteLine(0.0, angle=0, pen=self.pen(t.brick, 2.0)))
        self._word("all limits just met", float(x.min()), 0.0, t.brick, (0, 1))
        if budget:
            top = float(x.max()) + 0.1
            shade = pg.LinearRegionItem(
                (np.log10(budget), max(top, np.log10(budget) + 0.05)), movable=False, pen=pg.mkPen(None),
                brush=pg.mkBrush(theme.hex_with_alpha(t.faint, 40)),
            )  # fmt: skip
            self.item.addItem(shade, ignoreBounds=True)
            self._word("over budget", float(np.log10(budget)), float(y.max()), t.faint, (0, 0))
        if chosen is not None:
            ring = pg.ScatterPlotItem(
                [np.log10(max(chosen[0], 0.1))], [np.log10(chosen[1])], size=18, pen=pg.mkPen(t.ochre, width=2.5), brush=None
            )  # fmt: skip
            self.item.addItem(ring)
            self._word(
                "chosen", float(np.log10(max(chosen[0], 0.1))), float(np.log10(chosen[1])), t.ochre_text, (-0.2, 0.5)
            )
        self.item.addItem(cross, ignoreBounds=True)
        cross.hide()
        self._ticks("bottom", (5, 10, 20, 50, 100, 200, 500, 1000, 2000))
        self._ticks("left", (0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50, 100))
        self.item.autoRange()

    def _ticks(self, side: str, values: tuple[float, ...]) -> None:
        self.item.getAxis(side).setTicks([[(float(np.log10(v)), f"{v:g}") for v in values], []])

    def _word(self, words: str, x: float, y: float, colour: str, anchor: tuple[float, float]) -> None:
        item = pg.TextItem(words, color=colour, anchor=anchor)
        item.setFont(theme.font(12))
        item.setPos(x, y)
        self.item.addItem(item)

    def _read(self, x: float) -> str:
        affordable = self._score[self._price <= x]
        if len(affordable) == 0:
            return f"{figure(x)} cr buys no suite"
        return f"up to {figure(x)} cr: {figure(float(affordable.min()))} of the limits at best"

    def _clicked(self, event: object) -> None:
        place = event.scenePos()  # type: ignore[attr-defined]
        if len(self._front) == 0 or not self.item.sceneBoundingRect().contains(place):
            return
        point = self.item.vb.mapSceneToView(place)
        x, y = np.log10(self._price[self._front]), np.log10(self._score[self._front])
        (x0, x1), (y0, y1) = self.item.vb.viewRange()
        off = ((x - point.x()) / (x1 - x0)) ** 2 + ((y - point.y()) / (y1 - y0)) ** 2
        self.picked.emit(int(self._front[int(np.argmin(off))]))

    def _table(self) -> Table:
        on_front = np.zeros(len(self._price))
        on_front[self._front] = 1
        return ["price_cr", "error_over_limit", "on_front"], [self._price, self._score, on_front]
