"""Whether the evaluated estimate's claims hold: innovations, errors against claimed sigmas."""

import numpy as np
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QSplitter, QVBoxLayout, QWidget

from fusus.app.figures.normalised import NormalisedFigure
from fusus.app.figures.rows import Cell, RowsTable
from fusus.app.session import Session
from fusus.app.stages.base import title_label

TITLES = {
    "gnss_position": "fixes", "gnss_velocity": "speed of the fixes", "barometer": "barometer", "heading": "heading by the field",
    "field": "field, three axes", "range": "rangefinder", "course": "course",
}  # fmt: skip
NAMES = {
    "gnss north": "Fix, north", "gnss east": "Fix, east", "gnss down": "Fix, down", "gnss speed north": "Speed, north",
    "gnss speed east": "Speed, east", "gnss speed down": "Speed, down", "barometer": "Barometer", "heading": "Heading by the field",
    "range": "Rangefinder", "course": "Course", "rest north": "Rest, north", "rest east": "Rest, east", "rest down": "Rest, down",
    "rest rate x": "Rest, rate x", "rest rate y": "Rest, rate y", "rest rate z": "Rest, rate z", "level north": "Level, north",
    "level east": "Level, east", "field x": "Field, x", "field y": "Field, y", "field z": "Field, z",
}  # fmt: skip
MEMBERS: dict[str, tuple[str, ...]] = {
    "position": ("north", "east", "height"), "velocity": ("v north", "v east", "v down"),
    "attitude": ("tilt about north", "tilt about east", "heading"),
}  # fmt: skip
MEMBERS["all"] = tuple(m for part in MEMBERS.values() for m in part)
WHITE = 0.01  # chance below which innovations are not white


class ConsistencyPage(QWidget):
    """A channel's innovations large, the channels and the parts of the state in tables."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.channel = QComboBox()
        self.channel.setObjectName("consistency-channel")
        self.channel.setAccessibleName("Channel")
        self.channel.activated.connect(lambda _: self._show_channel())
        self.figure = NormalisedFigure()
        self.channels = RowsTable("channels", "Innovations by sensor", ("sensor", "NIS>", "95 % bounds>", "white?"), 0)
        self.channels.columns_of({1: 54, 2: 116, 3: 58})
        self.parts = RowsTable(
            "nees", "Errors by part of the state", ("errors of", "NEES>", "95 % band>", "in 1 σ>"), 0
        )
        self.parts.columns_of({1: 72, 2: 116, 3: 60})
        self.note = QLabel()
        self.note.setWordWrap(True)
        self.note.setProperty("role", "faint")
        line = QHBoxLayout()
        line.addWidget(QLabel("Channel:"))
        line.addWidget(self.channel)
        line.addWidget(self.note, 1)
        left, right = QWidget(), QWidget()
        for box, items in (
            (left, (title_label("Innovations: 1 is due"), self.channels)),
            (right, (title_label("Errors over what is claimed: 1 is due"), self.parts)),
        ):
            column = QVBoxLayout(box)
            column.setContentsMargins(0, 0, 0, 0)
            for item in items:
                column.addWidget(item)
        below = QSplitter()
        below.addWidget(left)
        below.addWidget(right)
        below.setSizes([500, 500])
        outer = QVBoxLayout(self)
        outer.setContentsMargins(14, 8, 14, 8)
        outer.addLayout(line)
        outer.addWidget(self.figure, 5)
        outer.addWidget(below, 5)

    def restyle(self) -> None:
        """Take on the theme's colours."""
        self.figure.restyle()

    def draw(self) -> None:
        """Show the evaluated estimate of the study on the session."""
        result = self.session.fusion
        if result is None or not result.normalised:
            self.channel.clear()
            self.figure.show_innovations("No innovations", np.zeros(0), np.zeros(0))
            self.note.setText(
                "The evaluated estimator keeps no innovations. Evaluate the Navigation EKF or a height filter to see them."
                if result is not None else "The estimators have not run yet."
            )  # fmt: skip
            for table in (self.channels, self.parts):
                table.show_rows([])
            return
        self.note.setText(
            "Points beyond the lines: 5 of 100 are due. A slow wave is a sensor that errs in a way the filter "
            "does not know."
        )
        chosen = self.channel.currentData()
        self.channel.clear()
        for name in result.normalised:
            self.channel.addItem(NAMES.get(name, name), name)
        at = self.channel.findData(chosen)
        self.channel.setCurrentIndex(max(at, 0))
        self._show_channel()
        self.channels.show_rows(
            [
                (
                    TITLES.get(c.name, c.name), f"{c.nis:.2f}", f"{c.low:.2f}–{c.high:.2f}",
                    ("yes", "fine") if c.whiteness > WHITE else ("no", "mind"),
                )
                for c in result.channels
            ],
            [
                f"{c.count} innovations, {c.used:.1%} used; neighbours correlate by {c.correlation:+.2f}. White: the chance of "
                "such correlation (Ljung-Box) is above 1 %"
                for c in result.channels
            ],
        )  # fmt: skip
        rows: list[tuple[Cell, ...]] = []
        tips: list[str] = []
        for n in result.nees:
            covers = [c for name, c in result.coverage.items() if name in MEMBERS[n.name]]
            one, two = (sum(getattr(c, k) for c in covers) / max(len(covers), 1) for k in ("one", "two"))
            value: Cell = f"{n.value:.2f}" if n.holds else (f"{n.value:.2f} !", "mind")
            rows.append((n.name, value, f"{n.low:.2f}–{n.high:.2f}", f"{one:.0%}"))
            tips.append(f"{two:.0%} lie within two sigmas; 95 % are due")
        if rows:
            rows.append((("due", "faint"), ("1", "faint"), "", ("68%", "faint")))
        self.parts.show_rows(rows, tips)

    def _show_channel(self) -> None:
        result, name = self.session.fusion, self.channel.currentData()
        if result is not None and name in result.normalised:
            self.figure.show_innovations(
                f"{NAMES.get(name, name)}: innovations over their sigma", *result.normalised[name]
            )
