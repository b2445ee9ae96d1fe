"""The turn map: both halves of the sphere in equal area, with the directions that the field has been seen from."""

import numpy as np
import pyqtgraph as pg

from fusus.app import theme
from fusus.app.figures.frame import FigureFrame
from fusus.core.arrays import Array
from fusus.core.calibration.coverage import Coverage

GAP = 2.4  # between the centres of the two discs


def flat(directions: Array) -> Array:
    """Return Lambert's equal-area projection (N, 2): the lower half left, the upper right; discs of radius one."""
    u = directions / np.maximum(np.linalg.norm(directions, axis=1, keepdims=True), 1e-12)
    z = np.abs(u[:, 2])
    k = np.sqrt(1.0 / (1.0 + z))
    # Forward is up and right is right, seen from above in both discs.
    xy = np.stack([k * u[:, 1], k * u[:, 0]], axis=1)
    xy[:, 0] += np.where(u[:, 2] >= 0, -GAP / 2, GAP / 2)
    return xy


class TurnMap(FigureFrame):
    """Where the field has pointed in the craft's axes."""

    def __init__(self) -> None:
        super().__init__("Turn map: where the field pointed", name="turns", is_small=True)
        self.plot.setAspectLocked(True)
        for side in ("left", "bottom"):
            self.item.hideAxis(side)
        self.item.showGrid(x=False, y=False)
        self.item.setMouseEnabled(False, False)
        self._directions = np.zeros((0, 3))
        self.data = lambda: (["x", "y", "z"], list(self._directions.T))

    def show_turns(self, directions: Array, cover: Coverage) -> None:
        """Draw samples, seen and unseen cells, and the gaps in words."""
        t = theme.tokens()
        self.item.clear()
        self._directions = directions[:: max(1, len(directions) // 4000)]
        ring = np.linspace(0, 2 * np.pi, 181)
        for centre, words in ((-GAP / 2, "field enters from below"), (GAP / 2, "field enters from above")):
            self.item.plot(centre + np.cos(ring), np.sin(ring), pen=self.pen(t.faint, 1.2))
            for text, (x, y), anchor in (
                (words, (centre, -1.06), (0.5, 0)), ("nose", (centre, 1.0), (0.5, 1)), ("right", (centre + 1.02, 0), (0, 0.5)),
            ):  # fmt: skip
                label = pg.TextItem(text, color=t.faint, anchor=anchor)
                label.setFont(theme.font(12))
                label.setPos(x, y)
                self.item.addItem(label)
        cells = flat(cover.centres)
        for seen, symbol, colour, size in ((True, "o", theme.hex_with_alpha(t.accent, 60), 24), (False, "o", None, 22)):
            at = cells[cover.seen == seen]
            pen = pg.mkPen(None) if seen else pg.mkPen(t.ochre, width=1.6)
            self.item.addItem(pg.ScatterPlotItem(at[:, 0], at[:, 1], symbol=symbol, size=size, brush=colour, pen=pen))
        points = flat(self._directions)
        self.item.addItem(pg.ScatterPlotItem(points[:, 0], points[:, 1], size=3, brush=t.ink, pen=pg.mkPen(None)))
        gaps = f"missing: {cover.gaps[0]}" if cover.gaps else "no gaps"
        self.reading.setText(f"{cover.share:.0%} of all directions seen; {gaps}")
        self.item.setRange(xRange=(-GAP / 2 - 1.5, GAP / 2 + 1.5), yRange=(-1.35, 1.25), padding=0)
