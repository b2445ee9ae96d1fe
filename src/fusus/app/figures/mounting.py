"""How the board sits: its axes drawn in the craft, seen from above, and how well each rotation fits the three motions."""

import numpy as np
import pyqtgraph as pg

from fusus.app import theme
from fusus.app.figures.frame import FigureFrame
from fusus.core.arrays import Array


class MountingFigure(FigureFrame):
    """Three arrows in a craft seen from above; one that points at the reader or away is a dot or a cross."""

    def __init__(self) -> None:
        super().__init__("Mounting: the board's axes in the craft, seen from above", name="mounting", is_small=True)
        self.plot.setAspectLocked(True)
        for side in ("left", "bottom"):
            self.item.hideAxis(side)
        self.item.showGrid(x=False, y=False)
        self.item.setMouseEnabled(False, False)

    def show_mounting(self, rotation: Array, scores: Array, words: str) -> None:
        """Draw body = rotation · sensor, and the scores of the rotations, best first."""
        t = theme.tokens()
        self.item.clear()
        self.data = lambda: (["score"], [np.asarray(scores)])
        for x, y in ((-1, 1), (1, 1), (1, -1), (-1, -1)):
            self.item.plot([0, x], [0, y], pen=self.pen(t.rule, 5.0))
            ring = np.linspace(0, 2 * np.pi, 41)
            self.item.plot(x + 0.45 * np.cos(ring), y + 0.45 * np.sin(ring), pen=self.pen(t.rule, 1.5))
        self._words("nose", 0.0, 1.62, t.faint)
        square = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1], [-1, -1]]) * 0.42
        # From above: right is to the right, forward is up.
        plane = rotation[[1, 0], :]
        turned = square @ plane[:, :2].T
        self.item.plot(turned[:, 0], turned[:, 1], pen=self.pen(t.ink, 1.5))
        for i, name in enumerate("xyz"):
            colour, style = t.axis(i)
            right, ahead, down = rotation[1, i], rotation[0, i], rotation[2, i]
            if abs(down) > 0.8:
                self.item.addItem(
                    pg.ScatterPlotItem(
                        [0], [0], symbol="x" if down > 0 else "o", size=16, pen=pg.mkPen(colour, width=2.5), brush=None
                    )
                )
                self._words(f"{name} {'down' if down > 0 else 'up'}", 0.12, -0.12, colour, (0, 0))
                continue
            self.item.plot([0, 1.15 * right], [0, 1.15 * ahead], pen=self.pen(colour, 2.6, style))
            angle = float(np.degrees(np.arctan2(ahead, right)))
            arrow = pg.ArrowItem(angle=180 - angle, headLen=13, tipAngle=34, brush=colour, pen=pg.mkPen(None))
            arrow.setPos(1.2 * right, 1.2 * ahead)
            self.item.addItem(arrow)
            self._words(name, 1.36 * right, 1.36 * ahead, colour)
        # The fit of each of the 24 rotations as bars: how far the best stands off.
        bars = np.asarray(scores[:8])
        self.item.addItem(pg.BarGraphItem(x0=2.3, y=1.2 - 0.3 * np.arange(len(bars)), height=0.2, width=1.6 * np.maximum(bars, 0.02),
                                          brush=theme.hex_with_alpha(t.accent, 120), pen=pg.mkPen(None)))  # fmt: skip
        for k, score in enumerate(bars):
            title = "best" if k == 0 else "next" if k == 1 else ""
            self._words(f"{score:.2f} {title}", 2.35 + 1.6 * max(score, 0.02), 1.2 - 0.3 * k, t.ink, (0, 0.5))
        self._words("fit of the 24 right-angle rotations", 2.3, 1.55, t.faint, (0, 0.5))
        self.reading.setText(words)
        self.item.setRange(xRange=(-1.8, 5.0), yRange=(-1.6, 1.8), padding=0)

    def _words(self, text: str, x: float, y: float, colour: str, anchor: tuple[float, float] = (0.5, 0.5)) -> None:
        label = pg.TextItem(text, color=colour, anchor=anchor)
        label.setFont(theme.font(13))
        label.setPos(x, y)
        self.item.addItem(label)
