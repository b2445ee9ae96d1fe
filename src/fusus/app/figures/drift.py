"""Figures of drift: the fan of a gyro at rest, dead reckoning, the Allan curve of a model, sigma along a mission."""

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt

from fusus.app import theme
from fusus.app.figures.frame import FigureFrame
from fusus.app.figures.legend import RowLegend
from fusus.app.text import figure
from fusus.core.arrays import Array

STYLES = (Qt.PenStyle.DashLine, Qt.PenStyle.DotLine, Qt.PenStyle.DashDotLine, Qt.PenStyle.DashDotDotLine)


class CurvesFigure(FigureFrame):
    """Named curves over one abscissa, with a legend."""

    def __init__(
        self, title: str, x_label: str, y_label: str, name: str, logs: tuple[bool, bool] = (False, False)
    ) -> None:
        super().__init__(title, x_label, y_label, name)
        self._x: Array = np.zeros(0)
        self._curves: dict[str, Array] = {}
        self._legend = RowLegend(self.item)
        if any(logs):
            self.item.setLogMode(*logs)
        for side, is_log in zip(("bottom", "left"), logs, strict=True):
            if is_log:  # one tick a decade: more run into each other
                ticks = [(float(d), f"{10.0**d:g}") for d in range(-6, 7)]
                self.item.getAxis(side).setTicks([ticks, []])
        self._logs = logs
        self.data = lambda: (["x", *self._curves], [self._x, *self._curves.values()])
        self.read = self._read

    def begin(self) -> None:
        """Take all curves off."""
        self.item.clear()
        self._legend.begin()

    def finish(self, x: Array, curves: dict[str, Array]) -> None:
        """Keep what is drawn for the crosshair and for saving."""
        self._x, self._curves = x, curves
        self.item.addItem(self._cross, ignoreBounds=True)
        self._cross.hide()
        self.item.autoRange()

    def curve(self, x: Array, y: Array, name: str, index: int, main: bool = False) -> None:
        """Draw one curve; the main one is thick and solid."""
        t = theme.tokens()
        colour = t.ink if main else (t.accent, t.ochre, t.plum, t.brick, t.faint)[index % 5]
        style = Qt.PenStyle.SolidLine if main else STYLES[index % len(STYLES)]
        self.item.plot(x, y, pen=self.pen(colour, 2.2 if main else 1.5, style), name=name)

    def limit(self, value: float, words: str, x: float, anchor: tuple[int, int] = (0, 1)) -> None:
        """Draw a limit and name it at x; ``anchor``: which corner of the name lies there."""
        t = theme.tokens()
        at = np.log10(value) if self._logs[1] else value
        self.item.addItem(pg.InfiniteLine(at, angle=0, pen=self.pen(t.brick, 2.0)))
        label = pg.TextItem(words, color=t.brick, anchor=anchor)
        label.setFont(theme.font(12))
        label.setPos(np.log10(x) if self._logs[0] else x, at)
        self.item.addItem(label, ignoreBounds=True)

    def _read(self, x: float) -> str:
        if len(self._x) == 0:
            return ""
        i = int(np.clip(np.searchsorted(self._x, x), 0, len(self._x) - 1))
        parts = [f"{name} {figure(float(y[i]))}" for name, y in list(self._curves.items())[:3]]
        return f"{figure(x)} s:  " + "   ".join(parts)


class FanFigure(CurvesFigure):
    """Angle of a gyro at rest: simulated runs as bands, the closed form over them."""

    def __init__(self) -> None:
        super().__init__(
            "Drift of one gyro axis at rest", "time since the bias was taken off [s]", "angle error [°]", "fan"
        )

    def show_fan(self, t_s: Array, bands: Array, sigma: Array, source: str) -> None:
        """Draw the bands (5, N) and one sigma by closed form on both sides."""
        t = theme.tokens()
        self.begin()
        for low, high, alpha, words in ((0, 4, 30, "95 % of runs"), (1, 3, 60, "68 % of runs")):
            a, b = (
                pg.PlotCurveItem(t_s, bands[low], pen=pg.mkPen(None)),
                pg.PlotCurveItem(t_s, bands[high], pen=pg.mkPen(None)),
            )
            fill = pg.FillBetweenItem(a, b, brush=theme.hex_with_alpha(t.accent, alpha))
            for item in (a, b, fill):
                self.item.addItem(item)
            mark = pg.ScatterPlotItem(symbol="s", size=12, brush=theme.hex_with_alpha(t.accent, alpha + 30), pen=None)
            self._legend.addItem(mark, words)
        self.curve(t_s, bands[2], "median", 0)
        self.curve(t_s, sigma, f"±1 σ, closed form ({source})", 1, main=True)
        self.item.plot(t_s, -sigma, pen=self.pen(t.ink, 2.2))
        self.finish(t_s, {"σ °": sigma, "84 % °": bands[3], "97.5 % °": bands[4]})


class ReckoningFigure(CurvesFigure):
    """Position without GNSS: one sigma by cause."""

    def __init__(self) -> None:
        super().__init__(
            "Dead reckoning: position without GNSS",
            "time since the last fix [s]",
            "one σ [m]",
            "reckoning",
            (True, True),
        )

    def show_reckoning(self, t_s: Array, causes: dict[str, Array], limit_m: float) -> None:
        """Draw causes and total with the limit."""
        self.begin()
        total = np.sqrt(sum(c**2 for c in causes.values()))
        for i, (name, y) in enumerate(sorted(causes.items(), key=lambda kv: -kv[1][len(kv[1]) // 2])[:5]):
            self.curve(t_s, np.maximum(y, 1e-6), name, i)
        self.curve(t_s, total, "total", 0, main=True)
        self.limit(limit_m, f"{limit_m:g} m", float(t_s[0]))
        self.finish(t_s, {"total m": total, **causes})
        self.item.setYRange(-3, 3, padding=0)


class AllanFigure(CurvesFigure):
    """The Allan deviation that a model has, by its parts."""

    def __init__(self, name: str, title: str, unit: str) -> None:
        super().__init__(title, "averaging time τ [s]", f"Allan deviation [{unit}]", name, (True, True))

    def show_allan(self, tau: Array, parts: dict[str, Array], scale: float) -> None:
        """Draw parts and total, times a scale into the shown unit."""
        self.begin()
        for i, (name, y) in enumerate((k, v) for k, v in parts.items() if k not in ("total", "tau")):
            self.curve(tau, y * scale, name, i)
        total = parts["total"] * scale
        self.curve(tau, total, "total", 0, main=True)
        best = int(np.argmin(total))
        t = theme.tokens()
        self.item.addItem(
            pg.ScatterPlotItem(
                [np.log10(tau[best])], [np.log10(total[best])], size=11, pen=pg.mkPen(t.ochre, width=2), brush=None
            )
        )
        label = pg.TextItem(
            f"floor {figure(float(total[best]))} at {tau[best]:.0f} s", color=t.ochre_text, anchor=(0.5, 1.2)
        )
        label.setFont(theme.font(12))
        label.setPos(np.log10(tau[best]), np.log10(total[best]))
        self.item.addItem(label, ignoreBounds=True)
        self.finish(tau, {k: v * scale for k, v in parts.items() if k != "tau"})
        low = np.log10(total.min()) - 1.2
        self.item.setYRange(low, np.log10(total.max()) + 0.2, padding=0)


class MissionFigure(CurvesFigure):
    """One sigma along the mission: true and claimed, with its phases."""

    def __init__(self) -> None:
        super().__init__("Predicted errors along the mission", "time [s]", "one σ", "mission")

    def show_mission(
        self,
        t_s: Array,
        curves: dict[str, Array],
        claimed: Array | None,
        phases: list[tuple[str, float, float]],
        unit: str,
    ) -> None:
        """Draw curves in a unit, the first one's claim dashed, and shade outage and steel."""
        t = theme.tokens()
        self.item.setLabel("left", f"one σ [{unit}]", color=t.faint, **{"font-size": f"{theme.px(12)}px"})
        self.begin()
        top = max(float(c.max()) for c in curves.values())
        for name, start, end in phases:
            shaded = name in ("outage", "steel")
            if shaded:
                colour = t.brick if name == "outage" else t.ochre
                band = pg.LinearRegionItem(
                    (start, end), movable=False, pen=pg.mkPen(None), brush=pg.mkBrush(theme.hex_with_alpha(colour, 36))
                )
                self.item.addItem(band, ignoreBounds=True)
            if shaded or end - start > 0.07 * float(t_s[-1]):
                label = pg.TextItem(name, color=t.faint, anchor=(0, 0))
                label.setFont(theme.font(12))
                label.setPos(start, top * (1.14 if not shaded else 1.04 if name == "outage" else 0.94))
                self.item.addItem(label, ignoreBounds=True)
            if not shaded:
                self.item.addItem(pg.InfiniteLine(start, angle=90, pen=self.pen(t.rule, 1.0)), ignoreBounds=True)
        for i, (name, y) in enumerate(curves.items()):
            self.curve(t_s, y, name, i, main=i == 0)
        if claimed is not None:
            self.curve(t_s, claimed, "what the filter claims", 3)
        self.finish(t_s, curves | ({"claimed": claimed} if claimed is not None else {}))
        self.item.setYRange(0, top * 1.15, padding=0)
