"""Curves of millions of samples that stay quick: what is drawn is the envelope at the figure's own resolution."""

from typing import Any

import numpy as np
import pyqtgraph as pg

from fusus.core.arrays import Array

FACTOR = 4
SHORT = 4096  # so few samples are drawn as they are
SPARE = 2.0  # points a pixel


class Envelope:
    """Least and greatest of blocks of 4, 16, 64 … samples: any view of the whole needs few points, and misses no peak."""

    def __init__(self, x: Array, y: Array) -> None:
        self.x, self.y = np.asarray(x, dtype=float), np.asarray(y, dtype=float)
        self._levels: list[tuple[Array, Array, Array]] = []
        at, low, high = self.x, self.y, self.y
        while len(low) > SHORT:
            cut = len(low) // FACTOR * FACTOR
            rest = slice(cut, None)
            # The last, incomplete block is kept as one.
            lows, highs = (
                [np.fmin.reduce(low[:cut].reshape(-1, FACTOR), axis=1)],
                [np.fmax.reduce(high[:cut].reshape(-1, FACTOR), axis=1)],
            )
            ats = [at[:cut:FACTOR]]
            if cut < len(low):
                lows.append(np.atleast_1d(np.fmin.reduce(low[rest])))
                highs.append(np.atleast_1d(np.fmax.reduce(high[rest])))
                ats.append(at[cut : cut + 1])
            at, low, high = np.concatenate(ats), np.concatenate(lows), np.concatenate(highs)
            self._levels.append((at, low, high))

    def bounds(self, axis: int) -> tuple[float, float] | tuple[None, None]:
        """Return least and greatest x (0) or y (1), (None, None) where there is none."""
        if not len(self.x):
            return (None, None)
        if axis == 0:
            return float(self.x[0]), float(self.x[-1])
        _, low, high = self._levels[-1] if self._levels else (self.x, self.y, self.y)
        if not np.isfinite(low).any():
            return (None, None)
        return float(np.nanmin(low)), float(np.nanmax(high))

    def cut(self, start: float, end: float, most: int) -> tuple[Array, Array, bool]:
        """Return some ``most`` points from ``start`` to ``end`` and the next ones beyond, and whether they are an envelope."""
        first = max(int(np.searchsorted(self.x, start)) - 1, 0)
        last = min(int(np.searchsorted(self.x, end)) + 1, len(self.x))
        count, level = last - first, -1
        while count > most and level + 1 < len(self._levels):
            level += 1
            count = 2 * (last - first) // FACTOR ** (level + 1)
        if level < 0:
            return self.x[first:last], self.y[first:last], False
        size = FACTOR ** (level + 1)
        at, low, high = (v[first // size : -(-last // size) + 1] for v in self._levels[level])
        return np.repeat(at, 2), np.stack([low, high], axis=1).ravel(), True


class LongCurve(pg.PlotCurveItem):
    """A curve that draws what its view can show. An envelope is drawn with a thin whole line: dashes would not be seen in it, and
    take Qt seconds."""

    def __init__(self, envelope: Envelope, pen: Any) -> None:
        self.envelope, self._whole = envelope, pen
        self._thin_pen = pg.mkPen(pen.color(), width=1)
        super().__init__(pen=pen, connect="finite")
        self._thin()

    def viewRangeChanged(self) -> None:
        super().viewRangeChanged()
        self._thin()

    def dataBounds(self, ax: int, frac: float = 1.0, orthoRange: Any = None) -> Any:
        return self.envelope.bounds(ax)

    def _thin(self) -> None:
        box = self.getViewBox()
        start, end, most = -np.inf, np.inf, SHORT
        if box is not None:
            (start, end), _ = box.viewRange()
            most = max(int(SPARE * box.width()), 400)
        x, y, is_envelope = self.envelope.cut(start, end, most)
        self.setData(x, y, pen=self._thin_pen if is_envelope else self._whole)


def add_curve(item: pg.PlotItem, legend: pg.LegendItem | None, envelope: Envelope, pen: Any, name: str) -> None:
    """Add a curve of any length to a figure, and its line to the legend. Of millions of samples the envelope is made in a job."""
    item.addItem(LongCurve(envelope, pen))
    if legend is not None:
        legend.addItem(pg.PlotCurveItem(pen=pen), name)
