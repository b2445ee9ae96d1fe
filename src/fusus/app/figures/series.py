"""Lines over one axis: what a log shows of something."""

import numpy as np

from fusus.app import theme
from fusus.app.figures.frame import FigureFrame, Table
from fusus.app.figures.legend import RowLegend
from fusus.app.figures.long import Envelope, add_curve
from fusus.app.text import figure
from fusus.core.arrays import Array


class SeriesFigure(FigureFrame):
    """A few named lines, told apart by colour and stroke."""

    def __init__(self, name: str, title: str, x_label: str = "time [s]") -> None:
        super().__init__(title, x_label, "", name)
        self._x: Array = np.zeros(0)
        self._lines: tuple[tuple[str, Array], ...] = ()
        self._legend = RowLegend(self.item)
        self.data = self._table
        self.read = self._read

    def show_lines(self, x: Array, lines: tuple[tuple[str, Array], ...], y_label: str) -> None:
        """Draw lines (name, y) over x (N,)."""
        t = theme.tokens()
        self._x, self._lines = x, lines
        self._labels = (self._labels[0], y_label)
        self.item.clear()
        self._legend.begin()
        for i, (name, y) in enumerate(lines):
            colour, style = t.axis(i)
            add_curve(self.item, self._legend, Envelope(x, y), self.pen(colour, 1.6, style), name)
        self.item.addItem(self._cross, ignoreBounds=True)
        self._cross.hide()
        self.restyle()
        self.item.autoRange()

    def _read(self, x: float) -> str:
        i = int(np.clip(np.searchsorted(self._x, x), 0, max(len(self._x) - 1, 0)))
        return "   ".join([f"t {x:.1f} s", *(f"{n} {figure(float(y[i]))}" for n, y in self._lines[:3] if len(y) > i)])

    def _table(self) -> Table:
        return ["x", *(n for n, _ in self._lines)], [self._x, *(y for _, y in self._lines)]
