"""Innovations over their own sigma in time, with the lines that hold 95 of 100."""

import numpy as np
import pyqtgraph as pg

from fusus.app import theme
from fusus.app.figures.frame import FigureFrame, Table
from fusus.core.arrays import Array

SHOWN_SIGMAS = 5.0


class NormalisedFigure(FigureFrame):
    """Points of one channel; those beyond the figure stand at its edge."""

    def __init__(self) -> None:
        super().__init__("Innovations over their sigma", "time [s]", "innovation / σ", "normalised")
        self._t, self._z = np.zeros(0), np.zeros(0)
        self.data = self._table
        self.read = self._read

    def show_innovations(self, title: str, t_s: Array, z: Array) -> None:
        """Draw a channel's innovations (K,) at times (K,) s."""
        t = theme.tokens()
        self._t, self._z = t_s, z
        self.title.setText(title)
        self.item.clear()
        over = np.abs(z) > 1.96
        for mask, colour, symbol in ((~over, t.plum, "o"), (over, t.brick, "t")):
            if mask.any():
                shown = np.clip(z[mask], -SHOWN_SIGMAS, SHOWN_SIGMAS)
                brush = pg.mkBrush(theme.hex_with_alpha(colour, 150))
                self.item.addItem(pg.ScatterPlotItem(t_s[mask], shown, size=4, symbol=symbol, brush=brush, pen=None))
        for side in (-1.96, 1.96):
            self.item.addItem(pg.InfiniteLine(side, angle=0, pen=self.pen(t.brick, 1.6)))
        self.item.addItem(self._cross, ignoreBounds=True)
        self.item.setYRange(-SHOWN_SIGMAS, SHOWN_SIGMAS, padding=0.02)
        if len(t_s):
            self.item.setXRange(float(t_s[0]), float(t_s[-1]), padding=0.01)

    def _read(self, x: float) -> str:
        if not len(self._t):
            return ""
        i = int(np.clip(np.searchsorted(self._t, x), 0, len(self._t) - 1))
        return f"t {x:.1f} s   {self._z[i]:+.1f} σ"

    def _table(self) -> Table:
        return ["t_s", "normalised"], [self._t, self._z]
