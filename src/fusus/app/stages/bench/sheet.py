"""Bench's sheet: guided captures, calibrations, Allan deviation, what is due, and the book."""

from typing import Any

import numpy as np
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QPushButton, QWidget

from fusus.app import theme
from fusus.app.figures.bench import ACC_UNITS, GYRO_UNITS, MeasuredAllan
from fusus.app.figures.rows import RowsTable
from fusus.app.session import Session
from fusus.app.stages.base import TabbedSheet, column_page, title_label
from fusus.app.stages.bench.actions import use_noise
from fusus.app.stages.bench.book_page import BookPage
from fusus.app.stages.bench.capture_page import CapturePage
from fusus.app.stages.bench.notes import TITLES
from fusus.app.stages.bench.preflight_page import PreflightPage
from fusus.app.stages.bench.result import ResultView
from fusus.app.text import figure
from fusus.project.commands import WithdrawCalibration
from fusus.study.bench.comparing import MAIN, compared

DEG_H, MICRO_G = 180 / np.pi * 3600, 1e6 / 9.80665


class BenchSheet(TabbedSheet):
    """Five pages."""

    def __init__(self, session: Session) -> None:
        self.capture, self.book, self.preflight = CapturePage(session), BookPage(session), PreflightPage(session)
        self._shown: list[Any] = []
        self._axes: tuple[str, tuple[Any, ...]] | None = None
        super().__init__(
            session,
            (
                ("capture", "Capture", self.capture),
                ("calibrations", "Calibrations", self._calibrations_page()),
                ("allan", "Allan deviation", self._allan_page()),
                ("due", "Calibrations due", self._due_page()),
                ("preflight", "Calendar", self.preflight),
                ("book", "Book", self.book),
            ),
        )
        session.answers.ready.connect(self._on_ready)
        self.refresh()

    # Building

    def _calibrations_page(self) -> QWidget:
        self.table = RowsTable(
            "calibrations", "Calibrations", ("", "kind", "result", "residual>", "from", "change\nsince last"), 5
        )
        self.table.columns_of({0: 72, 1: 110, 2: 146, 3: 134, 4: 118})
        self.table.itemSelectionChanged.connect(self._select)
        self.view = ResultView()
        self.withdraw = QPushButton("Deactivate")
        self.withdraw.setObjectName("withdraw")
        self.withdraw.clicked.connect(lambda _=False: self._withdraw())
        self.over_time = QPushButton("History")
        self.over_time.setObjectName("history")
        self.over_time.setToolTip("The main figure of this kind over all its calibrations")
        self.over_time.clicked.connect(lambda _=False: self._show_history())
        self.again = QComboBox()
        self.again.setObjectName("fit-again")
        self.again.setAccessibleName("Fit a recording")
        self.again.activated.connect(self._fit_again)
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 0, 0, 0)
        line.addWidget(QLabel("Fit a recording:"))
        line.addWidget(self.again, 1)
        line.addWidget(self.over_time)
        line.addWidget(self.withdraw)
        return column_page((self.table, 4), (row, 0), (self.view, 6))

    def _allan_page(self) -> QWidget:
        self.recording = QComboBox()
        self.recording.setObjectName("allan-recording")
        self.recording.setAccessibleName("Recording")
        self.run_allan = QPushButton("Compute")
        self.run_allan.setObjectName("allan-run")
        self.run_allan.clicked.connect(lambda _=False: self._compute_allan())
        self.take = QPushButton("Use in the model")
        self.take.setObjectName("allan-use")
        self.take.setProperty("role", "main")
        self.take.setEnabled(False)
        self.take.clicked.connect(lambda _=False: self._take_allan())
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 0, 0, 0)
        for widget in (QLabel("Recording at rest:"), self.recording, self.run_allan, self.take):
            line.addWidget(widget)
        line.addStretch()
        self.judged = QLabel("A rest of ten minutes shows the noise, two hours bias instability and walk.")
        self.judged.setWordWrap(True)
        self.judged.setObjectName("allan-judged")
        self.allan_gyro = MeasuredAllan("allan-measured-gyro", "Gyro", "°/h", GYRO_UNITS)
        self.allan_acc = MeasuredAllan("allan-measured-acc", "Accelerometer", "µg", ACC_UNITS)
        return column_page((row, 0), (self.judged, 0), self.allan_gyro, self.allan_acc)

    def _due_page(self) -> QWidget:
        self.due = RowsTable(
            "due", "Calibrations due", ("calibration", "", "why", "what it would risk to skip it", "next"), 3
        )
        self.due.columns_of({0: 112, 1: 64, 2: 160, 4: 116})
        return column_page(title_label("When to do it again"), self.due)

    # Drawing

    def draw(self, name: str) -> None:
        """Draw one page."""
        {
            "capture": self.capture.refresh,
            "calibrations": self._draw_calibrations,
            "allan": self._draw_recordings,
            "due": self._draw_due_table,
            "preflight": self.preflight.draw,
            "book": self.book.draw,
        }[name]()

    def _draw_calibrations(self) -> None:
        self._shown = list(self.session.project.bench.calibrations[::-1])
        rows = []
        for i, c in enumerate(self._shown):
            before = next((o for o in self._shown[i + 1 :] if o.kind == c.kind), None)
            told = compared(c, before) if before is not None else None
            mark = (
                ("● active", "pass") if c.is_in_force else ("○ practice", "faint") if c.is_practice else ("○", "faint")
            )
            key = next(iter(c.before), "")
            moved = ("–", "faint") if told is None else (told["statement"], "mind" if told["has_moved"] else "pass")
            residual = _residuals(c.before, c.after, key)
            rows.append(
                [
                    mark,
                    TITLES.get(c.kind, c.kind),
                    (f"{theme.SHAPES[c.verdict]} {_found(c)}", c.verdict),
                    residual,
                    c.recording,
                    moved,
                ]
            )
        self.table.show_rows(rows, [f"{c.when:%d.%m.%Y %H:%M}: {c.reason}" for c in self._shown])
        self.again.clear()
        self.again.addItem("choose …", None)
        for info in self.session.recordings():
            kind = CALIBRATION_OF.get(info.kind)
            if kind is not None:
                self.again.addItem(f"{kind} from {info.name}", (kind, info.name))
        if self._shown and self.table.currentRow() < 0:
            self.table.selectRow(0)
        elif not self._shown:
            self.view.say("No calibration yet: capture one, or fit a recording that is there.")

    def _draw_recordings(self) -> None:
        chosen = self.recording.currentText()
        self.recording.clear()
        for info in self.session.recordings():
            if "imu" in info.streams and info.kind in ("still", "other", "jig", "soak"):
                self.recording.addItem(info.name)
        index = self.recording.findText(chosen)
        self.recording.setCurrentIndex(max(0, index))
        if self._axes is not None:
            self._show_allan()

    def _draw_due_table(self) -> None:
        rows = [
            [
                TITLES.get(d.kind, d.kind),
                ("◆ due", "mind") if d.is_due else ("● fine", "pass"),
                d.why,
                d.risk,
                d.next_step or "–",
            ]
            for d in self.session.due
        ]
        self.due.show_rows(rows)

    # Acting

    def _select(self) -> None:
        row = self.table.currentRow()
        if 0 <= row < len(self._shown):
            entry = self._shown[row]
            self.withdraw.setEnabled(entry.is_in_force)
            self.session.ask("bench.fit", entry.kind, entry.recording)

    def _fit_again(self, index: int) -> None:
        found = self.again.itemData(index)
        if found is not None:
            self.session.ask("bench.fit", *found)

    def _on_ready(self, question: str) -> None:
        found = self.session.answers.result(question)
        if question == "bench.due":
            self._on_due()
        elif question == "bench.fit" and found is not None:
            self._on_fitted(*found)
        elif question == "bench.allan" and found is not None:
            self._on_allan(*found)

    def _on_fitted(self, entry: Any, result: Any) -> None:
        if self.pages.currentIndex() == self.names.index("calibrations"):
            self.view.show_result(self.session.project, entry, result)
            if not any(c.recording == entry.recording and c.kind == entry.kind for c in self._shown):
                self.session.noticed.emit(
                    "fine" if entry.verdict != "fail" else "mind", f"{entry.kind}: {entry.verdict}. {entry.reason}"
                )

    def _show_history(self) -> None:
        row = self.table.currentRow()
        if 0 <= row < len(self._shown) and not self.view.show_history(self.session.project, self._shown[row]):
            self.view.say(self._shown[row].reason)

    def _withdraw(self) -> None:
        row = self.table.currentRow()
        if 0 <= row < len(self._shown):
            wrong = self.session.do(WithdrawCalibration(self._shown[row].kind))
            if wrong:
                self.session.noticed.emit("stop", wrong)
            self.session.ask("bench.due")

    def _compute_allan(self) -> None:
        name = self.recording.currentText()
        if name:
            self.session.ask("bench.allan", name)

    def _on_allan(self, recording: str, axes: tuple[Any, ...]) -> None:
        self._axes = (recording, axes)
        self.take.setEnabled(self.session.project.parts.imu is not None)
        self._show_allan()

    def _show_allan(self) -> None:
        if self._axes is None:
            return
        recording, axes = self._axes
        predicted = self.session.prediction
        model = predicted.allan if predicted is not None else None
        for shown, prefix, scale in ((self.allan_gyro, "gyro", DEG_H), (self.allan_acc, "acc", MICRO_G)):
            line = (model[prefix]["tau"], model[prefix]["total"]) if model else None
            own = [a for a in axes if a.name.startswith(prefix)]
            if own:
                low, high = own[0].curve.tau_s[0], own[0].curve.tau_s[-1]
                if line is not None:
                    inside = (line[0] >= low) & (line[0] <= high)
                    line = (line[0][inside], line[1][inside])
                shown.show_axes(own, scale, line)
        from fusus.study.bench.measured import against_datasheet, from_allan

        if self.session.project.parts.imu is not None and self.session.document is not None:
            from fusus.logs.info import load_info

            found = against_datasheet(
                self.session.project,
                from_allan(self.session.project, load_info(self.session.document.folder, recording), axes),
            )
            worst = sorted(found, key=lambda a: -(a.ratio or 0))[:2]
            self.judged.setText(f"“{recording}”: " + " ".join(a.statement for a in worst))

    def _take_allan(self) -> None:
        if self._axes is None:
            return
        wrong = use_noise(self.session, *self._axes)
        self.session.noticed.emit(
            "stop" if wrong else "fine", wrong or "The prediction uses the measured noise from now on."
        )

    def _on_due(self) -> None:
        self._due |= {self.names.index("due"), self.names.index("capture")}
        self._draw_due()

    def restyle(self) -> None:
        """Take on the theme's colours."""
        for shown in (self.allan_gyro, self.allan_acc, self.view, self.capture.view, self.capture.tilt):
            shown.restyle()
        self.refresh()


# Which calibration a kind of recording leads to.
CALIBRATION_OF = {
    "still": "gyro-bias", "six-face": "six-face", "level": "level", "rotate": "magnetometer", "mounting": "mounting", "soak": "thermal",
    "airflow": "airflow", "motor-current": "motor-current", "vibration": "vibration", "gnss-static": "gnss-scatter",
    "lever-arm": "lever-arm", "sticks": "sticks", "two-imu": "two-imu",
}  # fmt: skip


def _found(c: Any) -> str:
    """Return the main figure of a calibration in few words."""
    if c.kind in MAIN and c.parameters.get(MAIN[c.kind][0]):
        name, _, scale, unit = MAIN[c.kind]
        values = [v for v in c.parameters[name] if v is not None]
        sigmas = [v for v in c.standard_errors.get(name) or [] if v is not None]
        spread = f" ± {figure(max(sigmas) * scale)}" if sigmas else ""
        return f"{figure(float(np.linalg.norm(values)) * scale)}{spread} {unit}"
    return str(c.verdict)


_UNITS = {"rad_s": (180 / np.pi, "°/s"), "m_s2": (1e3 / 9.80665, "mg"), "rad": (180 / np.pi, "°"), "ut": (1.0, "µT"), "pa": (1.0, "Pa"),
          "deg": (1.0, "°"), "m": (1.0, "m")}  # fmt: skip


def _residuals(before: dict[str, float], after: dict[str, float], key: str) -> str:
    """Return residuals before and after with their unit, which their name ends in."""
    if key not in before:
        return "–"
    ending = max((e for e in _UNITS if key.endswith(f"_{e}")), key=len, default="")
    scale, unit = _UNITS.get(ending, (1.0, ""))
    left = f" → {figure(after[key] * scale)}" if key in after else ""
    return f"{figure(before[key] * scale)}{left} {unit}".strip()
