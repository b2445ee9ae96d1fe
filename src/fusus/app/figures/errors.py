"""Error over time with the band that the filter claims, and the limits."""

import numpy as np
import pyqtgraph as pg

from fusus.app import theme
from fusus.app.figures.frame import FigureFrame, Table
from fusus.app.figures.legend import RowLegend
from fusus.app.figures.long import Envelope, add_curve
from fusus.app.text import figure
from fusus.core.arrays import Array


class ErrorCurve:
    """One estimator's error at times in s, in the figure's unit, and its claimed sigma where it claims one; ``envelope`` where a job
    made it."""

    def __init__(
        self, title: str, t_s: Array, error: Array, sigma: Array | None, envelope: Envelope | None = None
    ) -> None:
        self.title, self.t_s, self.error, self.sigma = title, t_s, error, sigma
        self.envelope = envelope if envelope is not None else Envelope(t_s, error)


class ErrorFigure(FigureFrame):
    """Curves of several estimators; the first one's sigma band is shaded."""

    def __init__(self, name: str, title: str, quantity: str, unit: str = "°") -> None:
        super().__init__(title, "time [s]", f"{quantity} error [{unit}]", name)
        self._unit, self._space = unit, "" if unit == "°" else " "
        self._curves: list[ErrorCurve] = []
        self._legend = RowLegend(self.item)
        self.data = self._table
        self.read = self._read

    def show_curves(self, curves: list[ErrorCurve], limit: float | None, both_sides: bool) -> None:
        """Draw curves; the limit as a line, on both sides for errors with a sign."""
        t = theme.tokens()
        self._curves = curves
        cross = self._cross
        self.item.clear()
        self._legend.begin()
        for i, curve in reversed(list(enumerate(curves))):
            colour, style = t.axis(i)
            if i == 0 and curve.sigma is not None:
                self._band(curve, both_sides)
            add_curve(self.item, self._legend, curve.envelope, self.pen(colour, 1.6, style), curve.title)
        if limit is not None:
            for side in (1, -1) if both_sides else (1,):
                line = pg.InfiniteLine(side * limit, angle=0, pen=self.pen(t.brick, 2.0))
                self.item.addItem(line)
            label = pg.TextItem("limit", color=t.brick, anchor=(0, 0))
            label.setFont(theme.font(12))
            label.setPos(float(curves[0].t_s[0]) if curves else 0.0, limit)
            self.item.addItem(label)
        self.item.addItem(cross, ignoreBounds=True)
        cross.hide()
        top = self._top(curves, limit)
        self.item.setYRange(-top if both_sides else 0.0, top, padding=0.02)
        if curves:
            self.item.setXRange(float(curves[0].t_s[0]), float(curves[0].t_s[-1]), padding=0.01)

    def shade(self, spans: list[tuple[float, float]], words: str) -> None:
        """Shade stretches of time, s, and name them."""
        t = theme.tokens()
        for i, (start, end) in enumerate(spans):
            region = pg.LinearRegionItem(
                (start, end), movable=False, brush=theme.hex_with_alpha(t.plum, 28), pen=pg.mkPen(None)
            )
            region.setZValue(-20)
            if i == 0:
                label = pg.InfLineLabel(
                    region.lines[0], words, position=0.93, color=t.plum, anchors=((0, 0.5), (0, 0.5))
                )
                label.setFont(theme.font(12))
            self.item.addItem(region, ignoreBounds=True)

    def _top(self, curves: list[ErrorCurve], limit: float | None) -> float:
        # The judged curve and the limit set the scale: one poor estimator must not flatten the rest.
        tops = [1.15 * limit] if limit else []
        for i, c in enumerate(curves):
            size = np.abs(c.error)
            if not np.isfinite(size).any():
                continue
            tops.append(float(np.nanmax(size)) * 1.08 if i == 0 else float(np.nanpercentile(size, 95)))
        return max([t for t in tops if np.isfinite(t)], default=1.0)

    def _band(self, curve: ErrorCurve, both_sides: bool) -> None:
        t = theme.tokens()
        sigma = curve.sigma if curve.sigma is not None else np.zeros(0)
        step = max(1, len(sigma) // 3000)
        x = curve.t_s[::step]
        high = 2 * sigma[::step]
        low = -high if both_sides else np.zeros_like(high)
        nothing = pg.mkPen(None)
        upper, lower = pg.PlotCurveItem(x, high, pen=nothing), pg.PlotCurveItem(x, low, pen=nothing)
        band = pg.FillBetweenItem(lower, upper, brush=theme.hex_with_alpha(t.accent, 40))
        for item in (upper, lower, band):
            self.item.addItem(item, ignoreBounds=True)
        point = pg.ScatterPlotItem(symbol="s", size=12, brush=theme.hex_with_alpha(t.accent, 80), pen=nothing)
        self._legend.addItem(point, f"{curve.title}: claimed 2 σ")

    def _read(self, x: float) -> str:
        parts = [f"t {x:.1f} s"]
        for c in self._curves[:2]:
            if len(c.t_s):
                i = int(np.clip(np.searchsorted(c.t_s, x), 0, len(c.t_s) - 1))
                parts.append(f"{c.title} {figure(float(c.error[i]))}{self._space}{self._unit}")
        return "   ".join(parts)

    def _table(self) -> Table:
        names, columns, unit = [], [], {"°": "deg", "m/s": "m_s"}.get(self._unit, self._unit)
        for c in self._curves:
            names += [f"t_s ({c.title})", f"error_{unit} ({c.title})"]
            columns += [c.t_s, c.error]
            if c.sigma is not None:
                names.append(f"sigma_{unit} ({c.title})")
                columns.append(c.sigma)
        return names, columns
