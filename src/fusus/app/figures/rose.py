"""The tilt rose: tilt as a polar plot seen from above, trail, 1-sigma ellipse, heading on the rim."""

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt

from fusus.app import theme
from fusus.app.figures.frame import FigureFrame, Table
from fusus.core.arrays import Array
from fusus.core.frames.quaternion import to_euler


def lean(q_nb: Array) -> Array:
    """Return how far the craft leans (N, 2), degrees: forward (nose down) and to the right.

    The radius is the tilt, the direction the one in which the craft leans, seen from above with the nose up.
    """
    w, x, y, z = np.moveaxis(q_nb, -1, 0)
    down_x, down_y, down_z = 2 * (x * z - w * y), 2 * (y * z + w * x), 1 - 2 * (x * x + y * y)
    tilt = np.degrees(np.arctan2(np.hypot(down_x, down_y), down_z))
    # Down seen in the body lies towards the lower side.
    size = np.hypot(down_x, down_y)
    size = np.where(size > 0, size, 1.0)
    return np.stack([tilt * down_x / size, tilt * down_y / size], axis=-1)


class TiltRose(FigureFrame):
    """One attitude at a time, with the trail that led to it."""

    def __init__(self) -> None:
        super().__init__("Tilt rose", name="rose", is_small=True)
        self.plot.setAspectLocked(True)
        self.item.hideAxis("left")
        self.item.hideAxis("bottom")
        self.item.showGrid(x=False, y=False)
        self.item.setMouseEnabled(False, False)
        self._t, self._lean, self._yaw = np.zeros(0), np.zeros((0, 2)), np.zeros(0)
        self._reference = np.zeros((0, 2))
        self._sigma = np.zeros((0, 2))
        self._radius = 10.0
        self.data = self._table
        self.read = lambda _x: ""

    def show_attitudes(self, t_s: Array, q_nb: Array, reference_q_nb: Array | None, sigma_deg: Array | None) -> None:
        """Take attitudes in; ``sigma_deg`` (N, 2) is one sigma of pitch and roll."""
        self._t, self._lean, self._yaw = t_s, lean(q_nb), to_euler(q_nb)[:, 0]
        self._reference = lean(reference_q_nb) if reference_q_nb is not None else np.zeros((0, 2))
        self._sigma = sigma_deg if sigma_deg is not None else np.zeros((0, 2))
        most = float(np.percentile(np.hypot(*self._lean.T), 99.5)) if len(t_s) else 10.0
        self._radius = next((r for r in (5.0, 10.0, 15.0, 30.0, 45.0, 60.0, 90.0) if r >= most), 180.0)
        self.show_time(float(t_s[len(t_s) // 2]) if len(t_s) else 0.0)

    def show_time(self, t_s: float) -> None:
        """Draw the attitude at a time."""
        c = theme.tokens()
        self.item.clear()
        r = self._radius
        angle = np.linspace(0, 2 * np.pi, 121)
        for share in (1 / 3, 2 / 3, 1.0):
            self.item.plot(r * share * np.cos(angle), r * share * np.sin(angle), pen=self.pen(c.rule, 1.0))
        for x, y in ((1, 0), (0, 1)):
            self.item.plot([-r * x, r * x], [-r * y, r * y], pen=self.pen(c.rule, 1.0))
        self._word("fore", 0, r, (0.5, 1.0))
        self._word("right", r, 0, (1.0, 1.0))
        self._word(f"{r:.0f}°", r * 0.71, -r * 0.71, (0, 0))
        if len(self._t) == 0:
            return
        i = int(np.clip(np.searchsorted(self._t, t_s), 0, len(self._t) - 1))
        first = int(np.searchsorted(self._t, t_s - 8.0))
        if len(self._reference):
            trail = self._reference[first : i + 1]
            self.item.plot(trail[:, 1], trail[:, 0], pen=self.pen(c.faint, 1.2, Qt.PenStyle.DotLine))
        trail = self._lean[first : i + 1]
        self.item.plot(trail[:, 1], trail[:, 0], pen=self.pen(c.accent, 1.6))
        fore, right = self._lean[i]
        if len(self._sigma):
            pitch, roll = self._sigma[i]
            ring = pg.PlotCurveItem(right + roll * np.cos(angle), fore + pitch * np.sin(angle), pen=self.pen(c.accent, 1.0),
                                    fillLevel=None)  # fmt: skip
            ring.setBrush(theme.hex_with_alpha(c.accent, 50))
            self.item.addItem(ring)
        self.item.addItem(
            pg.ScatterPlotItem([right], [fore], size=9, brush=pg.mkBrush(c.accent), pen=pg.mkPen(c.sheet))
        )
        yaw = self._yaw[i]
        # North on the rim, seen by somebody who looks forward with the craft.
        self._word("N", 1.16 * r * np.sin(-yaw), 1.16 * r * np.cos(-yaw), (0.5, 0.5), c.ochre_text)
        self.item.plot(
            [r * np.sin(-yaw), 1.05 * r * np.sin(-yaw)],
            [r * np.cos(-yaw), 1.05 * r * np.cos(-yaw)],
            pen=self.pen(c.ochre, 3.0),
        )
        self.item.setXRange(-1.35 * r, 1.35 * r, padding=0)
        self.item.setYRange(-1.3 * r, 1.3 * r, padding=0)
        tilt = float(np.hypot(fore, right))
        self.reading.setText(f"{tilt:.1f}° at {self._t[i]:.0f} s")
        self.reading.setToolTip(f"Heading {np.degrees(yaw) % 360:.0f}°")

    def _word(self, words: str, x: float, y: float, anchor: tuple[float, float], colour: str | None = None) -> None:
        item = pg.TextItem(words, color=colour or theme.tokens().faint, anchor=anchor)
        item.setFont(theme.font(12))
        item.setPos(x, y)
        self.item.addItem(item)

    def _on_mouse(self, place: object) -> None:
        return

    def _table(self) -> Table:
        return ["t_s", "lean_fore_deg", "lean_right_deg", "yaw_rad"], [
            self._t,
            self._lean[:, 0],
            self._lean[:, 1],
            self._yaw,
        ]
