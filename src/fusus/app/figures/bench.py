"""Figures of bench results: measured Allan curves, the airflow pair, bias against temperature, scatter, spectrum, history."""

from datetime import datetime
from typing import Any

import numpy as np
import pyqtgraph as pg

from fusus.app import theme
from fusus.app.figures.drift import CurvesFigure
from fusus.app.text import figure
from fusus.core.arrays import Array

Units = dict[str, tuple[float, str]]
DEG = 180 / np.pi
GYRO_UNITS: Units = {"N": (DEG * 60, "°/√h"), "B": (DEG * 3600, "°/h"), "K": (DEG * 3600 * 60, "°/h/√h")}
ACC_UNITS: Units = {"N": (1e6 / 9.80665, "µg/√Hz"), "B": (1e6 / 9.80665, "µg"), "K": (1e6 / 9.80665, "µg/√s")}


class MeasuredAllan(CurvesFigure):
    """The measured deviation of three axes with their bounds, what is read off, and the datasheet's line behind."""

    def __init__(self, name: str, title: str, unit: str, units: Units) -> None:
        super().__init__(
            f"Allan deviation: {title}", "averaging time τ [s]", f"Allan deviation [{unit}]", name, (True, True)
        )
        self._name, self._units = title, units

    def show_axes(self, axes: list[Any], scale: float, datasheet: tuple[Array, Array] | None) -> None:
        """Draw axes (study.allan.AxisAllan), times a scale into the shown unit."""
        t = theme.tokens()
        self.begin()
        if datasheet is not None:
            self.item.plot(
                datasheet[0],
                datasheet[1] * scale,
                pen=self.pen(theme.hex_with_alpha(t.faint, 110), 7.0),
                name="datasheet",
            )
        curves: dict[str, Array] = {}
        for i, a in enumerate(axes):
            colour, style = t.axis(i)
            c = a.curve
            self.item.plot(c.tau_s, c.adev * scale, pen=self.pen(colour, 2.0, style), name=a.name[-1])
            thin = slice(None, None, max(1, len(c.tau_s) // 14))
            x, y = np.log10(c.tau_s[thin]), np.log10(np.maximum(c.adev[thin] * scale, 1e-12))
            up = np.log10(c.upper[thin] * scale) - y
            down = y - np.log10(np.maximum(c.lower[thin] * scale, 1e-12))
            self.item.addItem(pg.ErrorBarItem(x=x, y=y, top=up, bottom=down, beam=0.02, pen=self.pen(colour, 1.2)))
            curves[a.name] = c.adev * scale
        if axes:
            a = axes[0]
            colour, _ = t.axis(0)
            self.item.plot(a.curve.tau_s, a.reading.fitted * scale, pen=self.pen(t.ink, 1.0), name=f"fit {a.name[-1]}")
            self._readings(axes)
            self.finish(a.curve.tau_s, curves)
            every = np.concatenate([a.curve.adev for a in axes]) * scale
            low, high = np.log10(max(every.min(), 1e-12)), np.log10(every.max())
            self.item.setYRange(low - 0.25, high + 0.35, padding=0)
            self.item.setXRange(np.log10(a.curve.tau_s[0]) - 0.1, np.log10(a.curve.tau_s[-1]) + 0.1, padding=0)

    def _readings(self, axes: list[Any]) -> None:
        parts = []
        for letter, pick in (("N", "noise"), ("B", "instability"), ("K", "walk")):
            shown = [k for k in (getattr(a.reading, pick) for a in axes) if k is not None]
            if shown:
                worst = max(shown, key=lambda k: k.value)
                scale, unit = self._units[letter]
                # A bound has no error of its own: it is the upper end of one.
                value = figure(worst.value * scale)
                told = f"≤ {value}" if all(k.is_bound for k in shown) else f"{value} ± {worst.sigma * scale:.2g}"
                parts.append(f"{letter} {told} {unit}")
        self.title.setText(f"{self._name}, worst axis: " + ",  ".join(parts))


class PairFigure(CurvesFigure):
    """Two traces, before and after, side by side: the airflow pair."""

    def __init__(self) -> None:
        super().__init__(
            "Airflow pair: pressure without and with foam", "time [s]", "pressure round its trend [Pa]", "airflow"
        )

    def show_pair(self, off: tuple[Array, Array], on: tuple[Array, Array]) -> None:
        """Draw both with their one-sigma bands."""
        t = theme.tokens()
        self.begin()
        start = 0.0
        for (at, values), name, colour in ((off, "without foam", t.ochre), (on, "with foam", t.accent)):
            x = at - at[0] + start
            sigma = float(np.std(values))
            band = pg.LinearRegionItem((-sigma, sigma), orientation="horizontal", movable=False, pen=pg.mkPen(None))
            band.setBrush(theme.hex_with_alpha(colour, 26))
            self.item.plot(x, values, pen=self.pen(colour, 1.4), name=f"{name}: σ {figure(sigma)} Pa")
            self.item.addItem(band, ignoreBounds=True)
            start = float(x[-1]) + 1.0
        n = min(len(off[1]), len(on[1]))
        self.finish(off[0][:n] - off[0][0], {"without Pa": off[1][:n], "with Pa": on[1][:n]})


class ThermalFigure(CurvesFigure):
    """Bias against temperature with the fitted polynomials."""

    def __init__(self) -> None:
        super().__init__("Gyro bias against temperature", "temperature [°C]", "bias [°/s]", "thermal")

    def show_soak(self, warm: Array, rate: Array, polynomial: Array, reference: float) -> None:
        """Draw block means and fits of three axes."""
        from fusus.core.calibration.thermal import evaluate

        self.begin()
        t = theme.tokens()
        grid = np.linspace(warm.min(), warm.max(), 100)
        fitted = np.degrees(evaluate(polynomial, reference, grid))
        for i, axis in enumerate("xyz"):
            colour, style = t.axis(i)
            self.item.addItem(
                pg.ScatterPlotItem(
                    warm, np.degrees(rate[:, i]), size=4, brush=theme.hex_with_alpha(colour, 110), pen=None
                )
            )
            self.item.plot(grid, fitted[:, i], pen=self.pen(colour, 2.0, style), name=axis)
        self.finish(grid, {f"{a} °/s": fitted[:, i] for i, a in enumerate("xyz")})


class ScatterFigure(CurvesFigure):
    """Fixes of a receiver at rest with the circles that hold half and 95 % of them."""

    def __init__(self) -> None:
        super().__init__("Scatter of the fixes", "east [m]", "north [m]", "scatter")
        self.plot.setAspectLocked(True)

    def show_scatter(self, offsets: Array, cep50: float, cep95: float) -> None:
        """Draw offsets (N, 3) from their mean."""
        self.begin()
        t = theme.tokens()
        self.item.addItem(
            pg.ScatterPlotItem(offsets[:, 1], offsets[:, 0], size=3, brush=theme.hex_with_alpha(t.ink, 90), pen=None)
        )
        ring = np.linspace(0, 2 * np.pi, 181)
        for i, (radius, words) in enumerate(((cep50, "50 %"), (cep95, "95 %"))):
            self.curve(
                radius * np.cos(ring), radius * np.sin(ring), f"{words} within {figure(radius)} m", i, main=i == 0
            )
        self.finish(offsets[:, 1], {"north m": offsets[:, 0]})


class SpectrumFigure(CurvesFigure):
    """Vibration spectrum with the rotors' harmonics."""

    def __init__(self) -> None:
        super().__init__("Vibration spectrum", "frequency [Hz]", "acceleration [m/s²/√Hz]", "spectrum", (False, True))

    def show_spectrum(self, frequency: Array, acc: Array, named: list[tuple[str, float, float, bool]]) -> None:
        """Draw three axes; harmonics are named where they show, those that fold back with their true frequency."""
        self.begin()
        t = theme.tokens()
        floor = max(float(acc[acc > 0].min(initial=1.0)), 1e-5)
        for i, axis in enumerate("xyz"):
            colour, style = t.axis(i)
            self.item.plot(frequency[1:], np.maximum(acc[1:, i], floor), pen=self.pen(colour, 1.5, style), name=axis)
        top = float(np.log10(acc.max()))
        for k, (name, true, shown, _) in enumerate(named):
            words = name if abs(true - shown) < 0.5 else f"{name} ({true:.0f} Hz folds)"
            self.item.addItem(pg.InfiniteLine(shown, angle=90, pen=self.pen(t.brick, 1.0)), ignoreBounds=True)
            label = pg.TextItem(words, color=t.brick, anchor=(0, 0))
            label.setFont(theme.font(12))
            label.setPos(shown, top + 0.35 - 0.16 * k)
            self.item.addItem(label, ignoreBounds=True)
        self.finish(frequency, {f"{a}": acc[:, i] for i, a in enumerate("xyz")})


class HistoryFigure(CurvesFigure):
    """The main figure of one kind of calibration over time, with its errors."""

    def __init__(self) -> None:
        super().__init__("History", "calibration", "", "history")

    def show_history(self, title: str, unit: str, entries: list[tuple[datetime, list[float], list[float]]]) -> None:
        """Draw each axis over the calibrations in the order of time."""
        t = theme.tokens()
        self.title.setText(title)
        self.item.setLabel("left", unit, color=t.faint, **{"font-size": f"{theme.px(12)}px"})
        self.begin()
        x = np.arange(len(entries), dtype=float)
        values = np.array([v for _, v, _ in entries], dtype=float)
        sigmas = np.array([s for *_, s in entries], dtype=float)
        for i in range(values.shape[1]):
            colour, style = t.axis(i)
            self.item.plot(x, values[:, i], pen=self.pen(colour, 1.6, style), symbol="o", symbolSize=7, symbolBrush=colour,
                           symbolPen=None, name="xyz"[i] if values.shape[1] == 3 else ("roll", "pitch")[i])  # fmt: skip
            self.item.addItem(
                pg.ErrorBarItem(x=x, y=values[:, i], height=2 * sigmas[:, i], beam=0.05, pen=self.pen(colour, 1.4))
            )
        ticks = [(k, when.strftime("%d.%m. %H:%M")) for k, (when, *_) in enumerate(entries)]
        self.item.getAxis("bottom").setTicks([ticks, []])
        self.finish(x, {f"{i}": values[:, i] for i in range(values.shape[1])})
        if len(entries) == 1:
            self.item.setXRange(-1, 1)
