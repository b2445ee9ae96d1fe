"""What the loops bear, and the motors with their check sheet."""

import math
from typing import Any

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QVBoxLayout, QWidget

from fusus.app.figures.rows import Cell, RowsTable
from fusus.app.session import Session
from fusus.app.stages.base import title_label

DEGREES = math.degrees(1.0)
CHECKS = (
    "Propellers off, craft held down, people away; only then the battery.",
    "Start one motor at a time at idle, by its number: is it the one that this table names?",
    "Does it turn the way the table says, seen from above? If not, swap any two of its three wires, or turn it round in its settings.",
    "Tilt the craft right by hand: the right motors must speed up. Nose up: the rear ones. Turn it clockwise: the clockwise ones.",
    "Stop with the switch that you will use in flight. Then raise the throttle: does arming refuse, and refuse when tilted?",
)


class BearsPage(QWidget):
    """Margins of a craft that is not as drawn."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        titles = ("if the craft is not as drawn", "roll>", "pitch>", "yaw>")
        self.spread = RowsTable("loop-spread", "What the loops bear", titles, 0)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 8, 14, 8)
        column.addWidget(title_label("Phase margin and least distance from swinging, gains as they are"))
        column.addWidget(self.spread, 1)

    def draw(self, _study: Any) -> None:
        """Show what each change leaves."""
        rows: list[tuple[Cell, ...]] = []
        found = self.session.answers.result("loops.study")
        for c in found.spread if found is not None else ():
            cells: list[Cell] = [c.what]
            for m in c.margins:
                words = f"{m.phase_rad * DEGREES:.0f}°, {m.modulus:.2f}"
                cells.append(
                    (words, "stop") if not m.is_stable else (words, "mind") if m.modulus < 0.5 else (words, "fine")
                )
            rows.append(tuple(cells))
        tip = "40° and 0.5 are usually enough; below zero it swings by itself"
        self.spread.show_rows(rows, [tip] * len(rows))


class MotorsPage(QWidget):
    """Motors and mixer above, the check sheet below."""

    def __init__(self) -> None:
        super().__init__()
        titles = ("round", "by diagonals", "place: ahead, right", "turns", "thrust>", "roll>", "pitch>", "yaw>")
        self.motors = RowsTable("loop-motors", "Motors and mixer", titles, 2)
        words = QLabel("\n".join(f"{i}. {check}" for i, check in enumerate(CHECKS, 1)))
        words.setWordWrap(True)
        words.setObjectName("motor-check")
        words.setAlignment(Qt.AlignmentFlag.AlignTop)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 8, 14, 8)
        column.addWidget(
            title_label("Motors seen from above, by both customs of numbering, and what the mixer gives each")
        )
        column.addWidget(self.motors, 3)
        self.authority = QLabel()
        self.authority.setWordWrap(True)
        self.authority.setObjectName("authority")
        column.addWidget(self.authority)
        column.addWidget(title_label("Check sheet, propellers off"))
        column.addWidget(words, 2)

    def draw(self, study: Any) -> None:
        """Show a study's motors, and what they can do."""
        from fusus.study.loops.findings import hover_words

        said = ", ".join(
            f"{a.name} {torque:.2f} N m, {a.plant.gain:.0f} rad/s²"
            for a, torque in zip(study.axes, study.mixer.authority_nm, strict=True)
        )
        hover = study.timing.throttle
        self.authority.setText(
            f"A full command turns: {said}. {hover_words(hover)}, thrust-to-weight {1.0 / hover:.2g}."
        )
        rows: list[tuple[Cell, ...]] = []
        for m, row in sorted(zip(study.mixer.motors, study.mixer.mix, strict=True), key=lambda x: x[0].round_number):
            x, y, z = m.place
            along = "front" if x > 0.01 else "rear" if x < -0.01 else ""
            across = "right" if y > 0.01 else "left" if y < -0.01 else ""
            below = " below" if z > 0.01 else ""
            place = f"{' '.join(w for w in (along, across) if w)}{below}: {x:+.2f}, {y:+.2f} m"
            full = study.mixer.effect[0, 0]
            share = [row[0] * full * len(study.mixer.motors), *(row[1:] * np.array(study.mixer.authority_nm))]
            rows.append(
                (
                    str(m.round_number), str(m.diagonal_number), place, "clockwise" if m.is_clockwise else "counter-clockwise",
                    *(f"{v:+.2f}" for v in share),
                )
            )  # fmt: skip
        self.motors.show_rows(
            rows, ["What a full command of each gives this motor, as a share of its thrust"] * len(rows)
        )
