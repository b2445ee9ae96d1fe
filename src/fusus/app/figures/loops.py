"""Figures of loops: one control cycle in microseconds, the step of each axis, and the open loop's gain and phase."""

import math
from typing import Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QBrush, QColor
from PyQt6.QtWidgets import QGraphicsRectItem

from fusus.app import theme
from fusus.app.figures.drift import CurvesFigure
from fusus.app.figures.frame import FigureFrame, Table
from fusus.core.arrays import Array

BAR = 0.62  # of a row
Row = tuple[str, float, float, str]  # task, start µs, end µs, place


def cycle_of(study: Any) -> tuple[list[Row], float, tuple[float, float]]:
    """Return the pieces of a study's longest cycle with the motors' pulse, its period, and when a sample becomes thrust, µs."""
    from fusus.core.vehicle.motor_command import command_for

    t = study.timing
    rows = [(p.task, p.start_s * 1e6, p.end_s * 1e6, p.place) for p in t.superloop.worst.pieces]
    done = max((r[2] for r in rows), default=0.0)
    pulse = t.signal.length_s(command_for(t.throttle)) * 1e6
    begins = (
        0.0 if study.project.loops.pulse_by_software else next((r[2] for r in rows if r[0] == "motor output"), done)
    )
    rows.append(("motor pulse", begins, begins + pulse, "pulse"))
    return rows, t.period_s * 1e6, (0.0, (t.latency_s - 0.5 * t.period_s) * 1e6)


class TimelineFigure(FigureFrame):
    """A row a task; what is left of the cycle is hatched, and an arrow leads from the sample to the end of the pulse."""

    def __init__(self) -> None:
        super().__init__("The longest cycle", "time in the cycle [µs]", "", "timeline")
        self._rows: list[Row] = []
        self.data = self._table
        self.read = self._read

    def show_cycle(self, rows: list[Row], period_us: float, latency: tuple[float, float] | None) -> None:
        """Draw pieces in their order; ``latency`` from when to when a sample becomes thrust, µs."""
        t = theme.tokens()
        self._rows = rows
        self.item.clear()
        names = list(dict.fromkeys(r[0] for r in rows))
        for name, start, end, place in rows:
            y = len(names) - 1 - names.index(name)
            late = end > period_us + 1e-6 and place != "pulse"
            colour = t.brick if late else t.plum if place == "bus" else t.ochre if place == "pulse" else t.accent
            style = Qt.BrushStyle.BDiagPattern if place == "pulse" else Qt.BrushStyle.SolidPattern
            self._box(start, end, y, colour, style)
            label = pg.TextItem(f"{end - start:.0f}", color=t.ink, anchor=(0, 0.5))
            label.setFont(theme.font(12))
            label.setPos(end, y)
            self.item.addItem(label)
        over = max((r[2] for r in rows if r[3] != "pulse"), default=0.0)
        if over < period_us:
            box = QGraphicsRectItem(QRectF(over, -0.5, period_us - over, len(names)))
            box.setBrush(QBrush(QColor(t.rule), Qt.BrushStyle.FDiagPattern))
            box.setPen(pg.mkPen(None))
            box.setZValue(-5)
            self.item.addItem(box)
        edge = pg.InfiniteLine(period_us, angle=90, pen=self.pen(t.brick, 2.0))
        self.item.addItem(edge)
        if latency is not None:
            self._arrow(latency[0], latency[1], float(len(names)) - 0.3)
        self.item.getAxis("left").setTicks([[(len(names) - 1 - i, n) for i, n in enumerate(names)], []])
        self.item.addItem(self._cross, ignoreBounds=True)
        self._cross.hide()
        right = max(period_us, latency[1] if latency else 0.0, *(r[2] for r in rows))
        self.item.setXRange(0.0, right * 1.08, padding=0.0)
        self.item.setYRange(-0.7, len(names) + 0.5, padding=0.0)

    def _box(self, start: float, end: float, y: float, colour: str, style: Qt.BrushStyle) -> None:
        box = QGraphicsRectItem(QRectF(start, y - BAR / 2, end - start, BAR))
        box.setBrush(QBrush(QColor(colour), style))
        box.setPen(pg.mkPen(colour, width=1))
        self.item.addItem(box)

    def _arrow(self, start: float, end: float, y: float) -> None:
        t = theme.tokens()
        self.item.plot([start, end], [y, y], pen=self.pen(t.ink, 1.4))
        head = pg.ArrowItem(angle=180, headLen=10, tipAngle=40, brush=t.ink, pen=pg.mkPen(None))
        head.setPos(end, y)
        self.item.addItem(head)
        label = pg.TextItem(
            f"from the sample to the end of its pulse: {end - start:.0f} µs", color=t.ink, anchor=(0, 1)
        )
        label.setFont(theme.font(12))
        label.setPos(start, y)
        self.item.addItem(label)

    def _read(self, x: float) -> str:
        now = [name for name, start, end, _ in self._rows if start <= x <= end]
        return f"{x:.0f} µs:  {', '.join(now) or 'free'}"

    def _table(self) -> Table:
        starts, ends = (np.array([r[i] for r in self._rows], dtype=float) for i in (1, 2))
        return ["start_us", "end_us"], [starts, ends]


class StepFigure(CurvesFigure):
    """How each axis follows a step of its setpoint."""

    def __init__(self, name: str = "loop-step", title: str = "A step of the setpoint") -> None:
        super().__init__(title, "time [s]", "rate [°/s]", name)

    def show_steps(self, t_s: Array, wanted: float, curves: dict[str, Array]) -> None:
        """Draw rates, °/s."""
        self.begin()
        for i, (name, y) in enumerate(curves.items()):
            self.curve(t_s, y, name, i - 1, main=i == 0)
        self.limit(wanted, "setpoint", float(t_s[-1]), (1, 0))
        self.finish(t_s, curves)


class BodeFigure(CurvesFigure):
    """The open loop's gain or phase over frequency, with where it crosses."""

    def __init__(self, what: str, unit: str, name: str) -> None:
        super().__init__(f"Open loop: {what}", "frequency [Hz]", f"{what} [{unit}]", name, (True, False))

    def show_loop(
        self, hz: Array, curves: dict[str, Array], level: float, words: str, marks: dict[str, tuple[float, float]]
    ) -> None:
        """Draw curves with the level that counts; ``marks``: where each axis meets it or what is left there."""
        t = theme.tokens()
        self.begin()
        for i, (name, y) in enumerate(curves.items()):
            self.curve(hz, y, name, i - 1, main=i == 0)
        self.limit(level, words, float(hz[-1]), (1, 1))  # by then loops are below it
        for at_hz, value in marks.values():
            if math.isfinite(at_hz) and math.isfinite(value):
                spot = pg.ScatterPlotItem([np.log10(at_hz)], [value], size=9, brush=t.brick, pen=pg.mkPen(t.sheet))
                self.item.addItem(spot)
        self.finish(hz, curves)

    def _read(self, x: float) -> str:
        return super()._read(x).replace(" s:", " Hz:")
