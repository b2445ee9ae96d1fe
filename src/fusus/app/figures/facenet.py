"""The face net: the unfolded cube of a six-face capture. A square fills while its face is held, and then shows what is left."""

import numpy as np
from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from fusus.app import theme
from fusus.core.arrays import Array
from fusus.core.calibration.poses import FACES

# Column and row of each face in the net, in the order of FACES.
PLACES = {
    "nose up": (1, 0),
    "left side up": (0, 1),
    "level": (1, 1),
    "right side up": (2, 1),
    "upside down": (3, 1),
    "nose down": (1, 2),
}


class FaceNet(QWidget):
    """Six squares; each with its name, how long it was held, and its residual in mg once fitted."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("face-net")
        self.setAccessibleName("Face net")
        self.held = np.zeros(6)
        self.residuals_mg: dict[int, tuple[float, float]] = {}  # before, after: the worst of a face
        self.now: int | None = None

    def sizeHint(self) -> QSize:
        return QSize(460, 340)

    def show_held(self, held: Array, missing: list[str]) -> None:
        """Show how far each face is; the first missing one is outlined as the next."""
        self.held, self.residuals_mg = np.asarray(held, dtype=float), {}
        self.now = FACES.index(missing[0]) if missing else None
        self.update()

    def show_residuals(self, faces: list[int | None], before_mg: list[float], after_mg: list[float]) -> None:
        """Show gravity's error on each face before and after the fit."""
        self.residuals_mg, self.now = {}, None
        for face, before, after in zip(faces, before_mg, after_mg, strict=True):
            if face is not None and abs(after) >= abs(self.residuals_mg.get(face, (0.0, 0.0))[1]):
                self.residuals_mg[face] = (before, after)
        self.held = np.array([1.0 if i in self.residuals_mg else 0.0 for i in range(6)])
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = theme.tokens()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        side = min(self.width() / 4.3, self.height() / 3.2)
        left, top = (self.width() - 4 * side) / 2, (self.height() - 3 * side) / 2
        for i, name in enumerate(FACES):
            column, row = PLACES[name]
            box = QRectF(left + column * side, top + row * side, side, side).adjusted(3, 3, -3, -3)
            painter.fillRect(box, QColor(t.band))
            share = float(np.clip(self.held[i], 0, 1))
            full = QRectF(box.left(), box.bottom() - box.height() * share, box.width(), box.height() * share)
            painter.fillRect(full, theme.hex_with_alpha(t.accent, 70 if share < 1 else 110))
            is_next = self.now == i
            painter.setPen(QPen(QColor(t.ochre if is_next else t.rule), 3 if is_next else 1))
            painter.drawRect(box)
            painter.setPen(QColor(t.ink))
            painter.setFont(theme.font(12 if side > 90 else 11, bold=True))
            text = box.adjusted(4, 8, -4, -6)
            painter.drawText(
                text, int(Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop | Qt.TextFlag.TextWordWrap), name
            )
            painter.setFont(theme.font(12))
            if side > 84 or i in self.residuals_mg:  # in a small net the fill says it
                painter.drawText(
                    text, int(Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignBottom), self._words(i)
                )
        painter.end()

    def _words(self, face: int) -> str:
        if face in self.residuals_mg:
            before, after = self.residuals_mg[face]
            return f"{before:+.1f} mg\n→ {abs(after):.2f}"
        share = float(self.held[face])
        return "held" if share >= 1 else f"{share:.0%}" if share > 0 else "next" if self.now == face else "–"
