"""Normalised innovations against the bound that an honest filter keeps."""

import numpy as np
import pyqtgraph as pg

from fusus.app import theme
from fusus.app.figures.frame import FigureFrame, Table
from fusus.core.arrays import Array


class ResidualFigure(FigureFrame):
    """Points of NIS over time; the line holds 95 of 100 points of an honest filter."""

    def __init__(self, name: str, title: str) -> None:
        super().__init__(title, "time [s]", "NIS", name, is_small=True)
        self._t, self._nis = np.zeros(0), np.zeros(0)
        self.data = self._table
        self.read = lambda x: f"t {x:.1f} s"

    def show_nis(self, t_s: Array, nis: Array, bound: float) -> None:
        """Draw normalised innovations squared; those far off the figure stand at its upper end."""
        t = theme.tokens()
        known = np.isfinite(nis)
        self._t, self._nis = t_s[known], nis[known]
        self.item.clear()
        top = 3.0 * bound
        shown = np.minimum(self._nis, top)
        over = self._nis > bound
        for mask, colour, symbol in ((~over, t.plum, "o"), (over, t.brick, "t")):
            if mask.any():
                points = pg.ScatterPlotItem(
                    self._t[mask],
                    shown[mask],
                    size=5,
                    symbol=symbol,
                    brush=pg.mkBrush(theme.hex_with_alpha(colour, 170)),
                    pen=None,
                )
                self.item.addItem(points)
        self.item.addItem(pg.InfiniteLine(bound, angle=0, pen=self.pen(t.brick, 2.0)))
        self.item.addItem(self._cross, ignoreBounds=True)
        self.item.setYRange(0, top * 1.02, padding=0.02)
        share = float((self._nis <= bound).mean()) if len(self._nis) else float("nan")
        self.reading.setText(f"{share:.0%} in bound" if len(self._nis) else "not claimed")
        self.reading.setToolTip(
            "Innovations squared over what the filter expects; 95 % are due in the bound if its noise is right"
        )

    def _on_mouse(self, place: object) -> None:
        return

    def _table(self) -> Table:
        return ["t_s", "nis"], [self._t, self._nis]
