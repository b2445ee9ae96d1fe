"""Figures of a flight: its track from above, and what happened over time."""

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt

from fusus.app import theme
from fusus.app.figures.drift import CurvesFigure
from fusus.app.figures.frame import FigureFrame
from fusus.app.figures.legend import RowLegend
from fusus.core.arrays import Array

Track = tuple[Array, Array]  # north, east, m


class TrackFigure(FigureFrame):
    """Tracks from above, north up, in one scale both ways."""

    def __init__(self, name: str) -> None:
        super().__init__("The track from above", "east [m]", "north [m]", name)
        self._legend = RowLegend(self.item)
        self.item.setAspectLocked(True)
        self._tracks: dict[str, Track] = {}
        self.data = lambda: (
            [f"{axis} {k}" for k in self._tracks for axis in ("north", "east")],
            [a for track in self._tracks.values() for a in track],
        )
        self.read = lambda x: f"east {x:.1f} m"

    def show_tracks(self, tracks: dict[str, Track]) -> None:
        """Draw tracks by name: the first thick, the others dashed; a ring where it began."""
        t = theme.tokens()
        self._tracks = tracks
        self.item.clear()
        self._legend.begin()
        pens = (
            self.pen(t.ink, 2.2), self.pen(t.accent, 1.6, Qt.PenStyle.DashLine), self.pen(t.ochre, 1.5, Qt.PenStyle.DotLine),
        )  # fmt: skip
        for (name, (north, east)), pen in zip(tracks.items(), pens, strict=False):
            self.item.plot(east, north, pen=pen, name=name)
        for north, east in list(tracks.values())[:1]:
            if len(north):
                ring = pg.ScatterPlotItem([east[0]], [north[0]], size=11, brush=None, pen=self.pen(t.brick, 2.0))
                self.item.addItem(ring)
        self.item.addItem(self._cross, ignoreBounds=True)
        self._cross.hide()
        self.item.autoRange()


class HappeningFigure(CurvesFigure):
    """What happened over time, with marks where something begins."""

    def __init__(self, name: str) -> None:
        super().__init__("Over time", "time [s]", "", name)

    def show_curves(
        self, title: str, unit: str, t_s: Array, curves: dict[str, Array], marks: tuple[tuple[float, str], ...]
    ) -> None:
        """Draw curves over time; marks are (s, what begins)."""
        t = theme.tokens()
        self.title.setText(title)
        self.begin()
        for i, (name, y) in enumerate(curves.items()):
            self.curve(t_s, y, name, i - 1, main=i == 0)
        finite = np.concatenate([y[np.isfinite(y)] for y in curves.values()])
        low, high = (float(finite.min()), float(finite.max())) if len(finite) else (0.0, 1.0)
        for at, words in marks:
            line = pg.InfiniteLine(at, angle=90, pen=self.pen(t.faint, 1.0, Qt.PenStyle.DashLine))
            self.item.addItem(line, ignoreBounds=True)
            label = pg.TextItem(words, color=t.faint, anchor=(0, 1), angle=90)
            label.setFont(theme.font(12))
            label.setPos(at, low + 0.04 * (high - low))
            self.item.addItem(label, ignoreBounds=True)
        self.item.setLabel("left", f"[{unit}]", color=t.faint, **{"font-size": f"{theme.px(12)}px"})
        self.finish(t_s, curves)
        # Room for the names over the curves.
        span = max(high - low, 1e-6)
        self.item.setYRange(low - 0.04 * span, high + 0.42 * span, padding=0.0)


class ResponseFigure(CurvesFigure):
    """A measured response over frequency beside the designed one; only what can be trusted is drawn as points."""

    def __init__(self, what: str, unit: str, name: str) -> None:
        super().__init__(
            f"Open loop, {what}: dots measured",
            "frequency [Hz]",
            f"{what} [{unit}]",
            name,
            (True, False),
        )

    def show_response(
        self, hz: Array, curves: dict[str, Array], level: float, words: str, points: tuple[Array, Array]
    ) -> None:
        """Draw curves over frequency, a level that counts, and measured points."""
        t = theme.tokens()
        self.begin()
        for i, (name, y) in enumerate(curves.items()):
            self.curve(hz, y, name, i - 1, main=i == 0)
        self.limit(level, words, float(hz[0]))
        x, y = points
        if len(x):
            spots = pg.ScatterPlotItem(np.log10(x), y, size=6, brush=t.ochre, pen=pg.mkPen(None), name="measured")
            self.item.addItem(spots)
        self.finish(hz, curves)

    def _read(self, x: float) -> str:
        return super()._read(x).replace(" s:", " Hz:")


class CoherenceFigure(CurvesFigure):
    """How far wanted and flown rates agree over frequency, by axis."""

    def __init__(self) -> None:
        super().__init__(
            "Do wanted and flown rates agree?", "frequency [Hz]", "coherence [1]", "coherence", (True, False)
        )

    def show_coherence(self, hz: Array, curves: dict[str, Array], least: float) -> None:
        """Draw coherences with the one from which they are trusted."""
        self.begin()
        for i, (name, y) in enumerate(curves.items()):
            self.curve(hz, y, name, i - 1, main=i == 0)
        self.limit(least, "trusted from here", float(hz[0]))
        self.finish(hz, curves)
        self.item.setYRange(0.0, 1.05, padding=0.0)

    def _read(self, x: float) -> str:
        return super()._read(x).replace(" s:", " Hz:")


class NoiseFigure(CurvesFigure):
    """The gyro's spectrum in the air, by axis."""

    def __init__(self) -> None:
        super().__init__("Gyro noise in flight", "frequency [Hz]", "density [°/s/√Hz]", "gyro-noise", (True, True))

    def show_noise(self, hz: Array, curves: dict[str, Array], marks: tuple[tuple[float, str], ...]) -> None:
        """Draw densities with marked frequencies."""
        t = theme.tokens()
        self.begin()
        for i, (name, y) in enumerate(curves.items()):
            self.curve(hz, y, name, i - 1, main=i == 0)
        top = np.log10(max(float(y.max()) for y in curves.values()))
        for at, words in marks:
            self.item.addItem(
                pg.InfiniteLine(np.log10(at), angle=90, pen=self.pen(t.brick, 1.2, Qt.PenStyle.DashLine)),
                ignoreBounds=True,
            )
            label = pg.TextItem(words, color=t.brick, anchor=(0, 0), angle=-90)
            label.setFont(theme.font(12))
            label.setPos(np.log10(at), top)
            self.item.addItem(label, ignoreBounds=True)
        self.finish(hz, curves)

    def _read(self, x: float) -> str:
        return super()._read(x).replace(" s:", " Hz:")
