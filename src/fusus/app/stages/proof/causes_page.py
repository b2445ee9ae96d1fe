"""Why a hover drifts: causes with their probability, the sign of each in the log, and the test that parts the first two."""

import math
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QLineEdit, QVBoxLayout, QWidget

from fusus.app import theme
from fusus.app.figures.rows import Cell, RowsTable
from fusus.app.figures.series import SeriesFigure
from fusus.app.session import Session
from fusus.app.stages.inputs import choice_box, fill_names, input_line, push_button

ABOUT = (
    "A craft that drifts away without being asked: level, sticks, gyro, magnetometer, wind, airflow, centre of gravity, saturation, "
    "vibration or reflected fixes? Choose a flight with a hover, or a straight leg, and look."
)


class CausesPage(QWidget):
    """Flight and stretch above; causes, the sign of the chosen one, and what to do."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.recording = choice_box("causes-recording", "Recording", {})
        self.recording.setMinimumWidth(180)
        self.span = QLineEdit()
        self.span.setObjectName("causes-span")
        self.span.setAccessibleName("Stretch, from:to in seconds; empty: the longest hover is found")
        self.span.setPlaceholderText("from:to s, or found")
        self.span.setFixedWidth(theme.px(150))
        self.span.returnPressed.connect(self._look)
        self.button = push_button(
            "find-causes", "Look for causes", "Weigh ten causes by what the log shows", self._look, is_main=True
        )
        self.note = QLabel(ABOUT)
        self.note.setWordWrap(True)
        self.table = RowsTable("causes", "Causes", ("cause", "probability>", "what the log shows"))
        self.table.itemSelectionChanged.connect(self._choose)
        self.sign = SeriesFigure("cause-sign", "Its sign in the log")
        self.advice = QLabel()
        self.advice.setTextFormat(Qt.TextFormat.RichText)
        self.advice.setObjectName("causes-advice")
        self.advice.setWordWrap(True)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 8, 14, 8)
        column.setSpacing(6)
        column.addWidget(input_line(("Recording", self.recording), ("Stretch", self.span), self.button))
        column.addWidget(self.note)
        column.addWidget(self.table, 5)
        column.addWidget(self.sign, 4)
        column.addWidget(self.advice)

    def _look(self) -> None:
        name, text = self.recording.currentData(), self.span.text().strip()
        if not name:
            return
        span: tuple[float, float] | None = None
        if text:
            try:
                start, end = (float(x) for x in text.replace(",", ".").split(":"))
                span = (start, end)
            except ValueError:
                self.session.noticed.emit(
                    "stop", f"Stretch “{text}”: write from:to in seconds, such as 8:38, or leave it empty."
                )
                return
        self.session.ask("proof.causes", str(name), span)

    def draw(self) -> None:
        """Show the newest answer."""
        fill_names(self.recording, [r.name for r in self.session.recordings() if r.kind in ("flight", "other")], 0)
        found = self.session.answers.result("proof.causes")
        if found is None:
            return
        name, drift = found
        first = float(drift.hover.given.t_s[0])
        ways = ((drift.sideways_m, "sideways"), (drift.vertical_m, "up and down"))
        far = ", ".join(f"{value:.1f} m {words}" for value, words in ways if math.isfinite(value))
        changed = (
            "" if self.session.answers.is_current("proof.causes") else " The project has changed since: look again."
        )
        self.note.setText(
            f"“{name}”, {drift.hover.start_s - first:.0f} to {drift.hover.end_s - first:.0f} s: it goes {far or 'nobody knows how far'}"
            f"{'' if drift.is_drifting else ', which is hardly a drift'}.{changed}"
        )
        rows: list[tuple[Cell, ...]] = []
        for s in drift.scored:
            share: Cell = _percent(s.probability)
            rows.append((s.cause.title, share if s.probability < 0.5 else (str(share), "mind"), s.sign.statement))
        rows.append(("something else", _percent(drift.other), ""))
        self.table.show_rows(rows)
        self.table.selectRow(0)
        self._choose()

    def _choose(self) -> None:
        found = self.session.answers.result("proof.causes")
        if found is None:
            return
        drift = found[1]
        row = max(self.table.currentRow(), 0)
        if row >= len(drift.scored):
            return
        s = drift.scored[row]
        if s.sign.series is not None:
            self.sign.title.setText(f"{s.cause.title}: {s.sign.series.y_label}")
            self.sign.show_lines(s.sign.series.x, s.sign.series.lines, s.sign.series.y_label)
        else:
            self.sign.title.setText(f"{s.cause.title}: the log does not show it")
            self.sign.show_lines(*_nothing())
        self.advice.setText(_advice(drift, s))

    def restyle(self) -> None:
        """Take on the theme's colours."""
        self.sign.restyle()
        self._choose()


def _percent(share: float) -> str:
    from fusus.study.proof.drift_causes import percent

    return percent(share)


def _nothing() -> tuple[Any, tuple[()], str]:
    import numpy as np

    return np.zeros(0), (), ""


def _advice(drift: Any, s: Any) -> str:
    from fusus.study.proof.drift_causes import CAUTION

    test = ""
    if drift.test is not None:
        a, b = (x.cause.title.lower() for x in drift.scored[:2])
        test = f" <b>To tell {a} from {b}</b> ({drift.test.minutes:.0f} min): {drift.test.words}"
    return f"<b>{s.cause.title}</b>: {s.cause.shows} {s.cause.cure}{test}<br>{CAUTION}"
