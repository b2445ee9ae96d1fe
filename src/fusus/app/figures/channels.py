"""The channels of one quantity over time, with what is missing marked in place; and their spectra and histograms."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import pyqtgraph as pg

from fusus.app import theme
from fusus.app.figures.frame import FigureFrame, Table
from fusus.app.figures.legend import RowLegend
from fusus.app.figures.long import Envelope, add_curve
from fusus.app.text import figure
from fusus.core.arrays import Array

MOST_MARKS = 60
FAINT = 110
AXIS_PX = 64


@dataclass(frozen=True, slots=True)
class Line:
    """One line: its name, its envelope, and whether it stands behind the others."""

    name: str
    envelope: Envelope
    is_faint: bool = False


class ChannelsFigure(FigureFrame):
    """Lines over time. What the crosshair reads is told by the page, for all figures in one line."""

    def __init__(self, name: str) -> None:
        super().__init__("", "", "", name)
        self._lines: Sequence[Line] = ()
        self._unit = ""
        self._legend = RowLegend(self.item)
        self.reading.hide()
        self.item.getAxis("left").setWidth(AXIS_PX)  # figures under one another begin at one place
        self.data = self._table
        self.read = self._read

    def show_lines(self, title: str, unit: str, lines: Sequence[Line], gaps: Sequence[tuple[float, float]]) -> None:
        """Draw lines, those behind first, and shade gaps (start, end) in s."""
        t = theme.tokens()
        self._lines, self._unit = lines, unit
        self._labels = (self._labels[0], unit)
        self.title.setText(title)
        self.plot.setAccessibleName(title)
        self.item.clear()
        self._legend.begin()
        for start, end in gaps[:MOST_MARKS]:
            region = pg.LinearRegionItem(
                (start, end), movable=False, brush=theme.hex_with_alpha(t.brick, 40), pen=pg.mkPen(None)
            )
            region.setZValue(-20)
            self.item.addItem(region, ignoreBounds=True)
        names = list(dict.fromkeys(x.name.partition(",")[0] for x in lines))
        for line in sorted(lines, key=lambda x: not x.is_faint):
            colour, style = t.axis(names.index(line.name.partition(",")[0]))
            pen = self.pen(
                theme.hex_with_alpha(colour, FAINT) if line.is_faint else colour, 1.0 if line.is_faint else 1.6, style
            )
            add_curve(self.item, self._legend, line.envelope, pen, line.name)
        self.item.addItem(self._cross, ignoreBounds=True)
        self._cross.hide()
        self.restyle()
        self.item.enableAutoRange(axis="y")

    def _read(self, x: float) -> str:
        parts = []
        for line in self._lines:
            e = line.envelope
            if len(e.x) and not line.is_faint:
                i = int(np.clip(np.searchsorted(e.x, x), 0, len(e.x) - 1))
                parts.append(figure(float(e.y[i]), 4))
        return f"{', '.join(parts)} {self._unit}" if parts else ""

    def _table(self) -> Table:
        if not self._lines:
            return [], []
        return ["t_s", *(x.name for x in self._lines)], [
            self._lines[0].envelope.x,
            *(x.envelope.y for x in self._lines),
        ]


class DensityFigure(FigureFrame):
    """Spectra, both scales logarithmic, or histograms of a few channels."""

    def __init__(self, name: str, is_spectrum: bool) -> None:
        super().__init__("", "", "", name)
        self._is_spectrum = is_spectrum
        self._lines: Sequence[tuple[str, Array, Array]] = ()
        self._legend = RowLegend(self.item)
        self.item.setLogMode(x=is_spectrum, y=is_spectrum)
        self.data = self._table
        self.read = self._read

    def show_lines(self, title: str, unit: str, lines: Sequence[tuple[str, Array, Array]]) -> None:
        """Draw lines (name, x, y)."""
        t = theme.tokens()
        self._lines = lines
        self._labels = ("", f"{unit}/√Hz") if self._is_spectrum else ("", "samples")
        self.title.setText(
            f"{title}, {'frequency in Hz' if self._is_spectrum else f'values in {unit}' if unit else 'values'}"
        )
        self.item.clear()
        self._legend.begin()
        for i, (name, x, y) in enumerate(lines):
            colour, style = t.axis(i)
            good = (x > 0) & (y > 0) if self._is_spectrum else np.isfinite(y)
            self.item.plot(x[good], y[good], pen=self.pen(colour, 1.6, style), name=name)
        self.item.addItem(self._cross, ignoreBounds=True)
        self._cross.hide()
        self.restyle()
        self.item.autoRange()

    def _read(self, x: float) -> str:
        parts = [f"{figure(x, 3)} Hz" if self._is_spectrum else figure(x, 3)]
        for name, at, y in self._lines[:3]:
            i = int(np.clip(np.searchsorted(at, x), 0, len(at) - 1))
            parts.append(f"{name} {figure(float(y[i]), 3)}")
        return "   ".join(parts)

    def _table(self) -> Table:
        if not self._lines:
            return [], []
        return ["x", *(n for n, _, _ in self._lines)], [self._lines[0][1], *(y for _, _, y in self._lines)]
