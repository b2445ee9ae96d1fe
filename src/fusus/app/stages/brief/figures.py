"""The brief's figures: how long the gyro alone holds the tilt, and how steel turns the heading."""

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt

from fusus.app import theme
from fusus.app.figures.frame import FigureFrame, Table
from fusus.app.text import figure
from fusus.core.analysis.drift import angle_from_bias

BIASES_DEG_S = (0.01, 0.05, 0.2, 1.0)


class DriftFigure(FigureFrame):
    """How long the gyro alone holds the tilt, for residual biases."""

    def __init__(self) -> None:
        super().__init__(
            "How long the gyro alone holds the tilt",
            "time without gravity to correct it [s]",
            "tilt error [°]",
            "drift",
        )
        self._t = np.geomspace(1.0, 600.0, 120)
        self.data = self._table
        self.item.setLogMode(True, True)
        self._ticks("bottom", (1, 2, 5, 10, 20, 50, 100, 200, 500))
        self._ticks("left", (0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50, 100))
        self._limit: float | None = None
        self.read = self._read

    def _ticks(self, side: str, values: tuple[float, ...]) -> None:
        self.item.getAxis(side).setTicks([[(float(np.log10(v)), f"{v:g}") for v in values], []])

    def show_limit(self, limit_deg: float | None) -> None:
        """Draw growth for several biases, and the limit."""
        t = theme.tokens()
        self._limit = limit_deg
        cross = self._cross
        self.item.clear()
        colours = (t.accent, t.plum, t.ochre, t.brick)
        styles = (Qt.PenStyle.SolidLine, Qt.PenStyle.DotLine, Qt.PenStyle.DashLine, Qt.PenStyle.DashDotLine)
        for bias, colour, style in zip(BIASES_DEG_S, colours, styles, strict=True):
            y = angle_from_bias(bias, self._t)
            self.item.plot(self._t, y, pen=self.pen(colour, 1.8, style))
            at = min(470.0, 60.0 / bias)
            label = pg.TextItem(f"{bias:g} °/s", color=colour, anchor=(1, 1))
            label.setFont(theme.font(12))
            label.setPos(np.log10(at), np.log10(bias * at))
            self.item.addItem(label)
        if limit_deg:
            self.item.addItem(pg.InfiniteLine(np.log10(limit_deg), angle=0, pen=self.pen(t.brick, 2.0)))
            label = pg.TextItem(f"limit {limit_deg:.3g}°", color=t.brick, anchor=(0, 1))
            label.setFont(theme.font(12))
            label.setPos(0.02, np.log10(limit_deg))
            self.item.addItem(label)
        self.item.addItem(cross, ignoreBounds=True)
        cross.hide()
        self.item.setXRange(0, np.log10(600), padding=0.01)
        self.item.setYRange(-1.3, 2, padding=0.01)

    def _read(self, x: float) -> str:
        if not self._limit:
            return f"{figure(x)} s"
        return f"{figure(x)} s: bias at most {figure(self._limit / x)} °/s"

    def _table(self) -> Table:
        return ["t_s", *(f"tilt_deg_at_{b}_deg_s" for b in BIASES_DEG_S)], [
            self._t,
            *(angle_from_bias(b, self._t) for b in BIASES_DEG_S),
        ]


class HeadingFigure(FigureFrame):
    """How a field disturbance turns the heading."""

    def __init__(self) -> None:
        super().__init__("Steel against heading", "horizontal disturbance [µT]", "heading error [°]", "disturbance")
        self._x = np.linspace(0.0, 8.0, 80)
        self._y = np.zeros(80)
        self.data = lambda: (["disturbance_ut", "heading_error_deg"], [self._x, self._y])
        self.read = lambda x: f"{figure(x)} µT: {figure(float(np.interp(x, self._x, self._y)))}°"

    def show_field(self, horizontal_ut: float, limit_deg: float | None) -> None:
        """Draw the worst heading error for the place's horizontal field."""
        from fusus.core.sensors.magnetometer import heading_error_rad

        t = theme.tokens()
        self._y = np.degrees([heading_error_rad(d, horizontal_ut) for d in self._x])
        cross = self._cross
        self.item.clear()
        self.item.plot(self._x, self._y, pen=self.pen(t.accent, 1.8))
        if limit_deg:
            self.item.addItem(pg.InfiniteLine(limit_deg, angle=0, pen=self.pen(t.brick, 2.0)))
        self.item.addItem(cross, ignoreBounds=True)
        cross.hide()
