"""What is due on which day, and the list before a flight with the currency of each calibration."""

from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QLabel, QScrollArea, QVBoxLayout, QWidget

from fusus.app import theme
from fusus.app.figures.rows import Cell, RowsTable
from fusus.app.session import Session
from fusus.app.stages.base import title_label
from fusus.app.stages.inputs import push_button
from fusus.project import book

MARKS = {True: ("holds", "pass"), False: ("due", "stop"), None: ("look", "mind")}


class PreflightPage(QWidget):
    """The list on the left, calendar and firmware versions on the right."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._shown: object = None
        self.boxes: list[QCheckBox] = []
        self.list = QVBoxLayout()
        self.list.setSpacing(4)
        body = QWidget()
        body.setLayout(self.list)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidget(body)
        self.note = push_button(
            "preflight-note",
            "All looked at",
            "Write into the book that the list was gone through",
            self._note,
            is_main=True,
        )
        self.calendar = RowsTable("calendar", "Calendar", ("day", "what"), 1)
        self.firmware = RowsTable("firmware", "Firmware", ("version", "since", "flights>", "minutes>"), 0)
        left, right = QVBoxLayout(), QVBoxLayout()
        left.addWidget(title_label("Before the flight"))
        left.addWidget(scroll, 1)
        left.addWidget(self.note, alignment=Qt.AlignmentFlag.AlignRight)
        right.addWidget(title_label("Calibrations due, by day"))
        right.addWidget(self.calendar, 3)
        right.addWidget(title_label("Firmware that flew"))
        right.addWidget(self.firmware, 2)
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 8, 14, 8)
        row.setSpacing(14)
        row.addLayout(left, 1)
        row.addLayout(right, 1)
        session.answers.ready.connect(self._on_ready)

    def _on_ready(self, question: str) -> None:
        if question == "bench.logbook":
            self._fill()

    def draw(self) -> None:
        """Read the book anew, and show what was read last meanwhile."""
        self.session.answers.ask("bench.logbook")
        self._fill()

    def _fill(self) -> None:
        found = self.session.answers.result("bench.logbook")
        if found is None or found is self._shown:
            return
        self._shown = found
        rows: list[tuple[Cell, ...]] = [
            ((item["day"] or "next flight", "stop" if item["overdue"] else "faint"), f"{item['what']} ({item['why']})")
            for item in found["calendar"]
        ]
        self.calendar.show_rows(rows)
        self.firmware.show_rows(
            [
                (f["version"], f["since"], str(f["flights"]["count"]), f"{f['flights']['minutes']:.0f}")
                for f in found["firmware"]
            ]
        )
        while (old := self.list.takeAt(0)) is not None:
            widget = old.widget()
            if widget is not None:
                widget.deleteLater()
        self.boxes = []
        for p in found["preflight"]:
            self.list.addWidget(self._line(p))
        self.list.addStretch()
        self._suit()

    def _line(self, p: dict[str, Any]) -> QWidget:
        word, severity = MARKS[p["holds"]]
        shape = {"pass": theme.SHAPES["pass"], "stop": theme.SHAPES["fail"], "mind": theme.SHAPES["not measured"]}[
            severity
        ]
        line = QWidget()
        column = QVBoxLayout(line)
        column.setContentsMargins(0, 2, 0, 2)
        column.setSpacing(0)
        box = QCheckBox(f"{p['what']}  {shape} {word}")
        box.setChecked(p["holds"] is True)
        box.toggled.connect(lambda _: self._suit())
        self.boxes.append(box)
        why = QLabel(p["why"])
        why.setWordWrap(True)
        why.setProperty("role", "faint")
        why.setContentsMargins(24, 0, 0, 0)
        column.addWidget(box)
        column.addWidget(why)
        return line

    def _suit(self) -> None:
        self.note.setEnabled(bool(self.boxes) and all(b.isChecked() for b in self.boxes))

    def _note(self) -> None:
        document = self.session.document
        if document is None or document.read_only:
            return
        book.note(document.folder, "preflight", holds=True)
        self.session.noticed.emit("fine", "The list stands in the book.")
        self._shown = None
        self.draw()
