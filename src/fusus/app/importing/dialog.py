"""The look at a log before it is imported: each column with what it becomes, and all of it correctable."""

from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from fusus.app import theme
from fusus.app.panels.notes_panel import rule
from fusus.core.frames.units import KINDS
from fusus.errors import FususError
from fusus.logs.answering import answered, takes_number
from fusus.logs.conclusions import Question
from fusus.logs.info import check_name
from fusus.logs.mapping import ColumnMapping, Mapping, RawCounts
from fusus.logs.plan import Plan
from fusus.logs.streams import KINDS as RECORDING_KINDS
from fusus.logs.streams import STREAMS
from fusus.logs.times.units import WORDS
from fusus.project.atomic import write_atomically

PREVIEW_ROWS = 4
PREVIEW_COLUMNS = 60
REMARKS = {"values": "unit by its values", "motion": "unit by the motion", "assumed": "◆ unit assumed", "open": "■ unit asked below",
           "unknown": "■ counts: give the range"}  # fmt: skip
OFFERED = ("imu", "imu2", "mag", "baro", "gnss", "range", "battery", "reference", "board")
BODY = {"frd": "forward, right, down", "flu": "forward, left, up", "rfu": "right, forward, up"}
TIME_WORDS = WORDS | {"iso8601": "date and time", "counter": "a counter"}


class ColumnStrip(QWidget):
    """One source column: its name, first values, and what it becomes."""

    def __init__(self, column: ColumnMapping, values: list[str]) -> None:
        super().__init__()
        self.column = column
        self.setFixedWidth(172)
        grid = QVBoxLayout(self)
        grid.setContentsMargins(6, 4, 6, 4)
        grid.setSpacing(3)
        name = QLabel(column.source)
        name.setToolTip(column.source)
        name.setStyleSheet("font-weight: bold;")
        name.setText(name.fontMetrics().elidedText(column.source, Qt.TextElideMode.ElideMiddle, 156))
        grid.addWidget(name)
        for value in values:
            shown = QLabel(value)
            shown.setAlignment(Qt.AlignmentFlag.AlignRight)
            grid.addWidget(shown)
        grid.addWidget(rule())
        self.target = QComboBox()
        self.target.setAccessibleName(f"What {column.source} becomes")
        self.target.addItem("left out", None)
        for stream in OFFERED:
            for target in STREAMS[stream]:
                self.target.addItem(f"{stream}: {_short(target)}", f"{stream}.{target}")
        if column.target is not None and self.target.findData(column.target) < 0:
            self.target.addItem(column.target.replace(".", ": "), column.target)
        self.target.setCurrentIndex(max(0, self.target.findData(column.target)))
        self.unit = QComboBox()
        self.unit.setAccessibleName(f"Unit of {column.source}")
        grid.addWidget(self.target)
        grid.addWidget(self.unit)
        self.scale = QLineEdit()
        self.scale.setPlaceholderText("range, if counts")
        self.scale.setToolTip(
            "Full scale ± of raw counts in this unit, and the bits: “500/16”. Empty for plain numbers."
        )
        self.scale.setAccessibleName(f"Range of {column.source}")
        if column.raw is not None:
            self.scale.setText(f"{column.raw.full_scale:g}/{column.raw.bits}")
        grid.addWidget(self.scale)
        self.target.currentIndexChanged.connect(lambda _: self._offer_units())
        self._offer_units()
        if column.unit_from in REMARKS and column.target:
            told = QLabel(REMARKS[column.unit_from])
            told.setProperty("role", "faint")
            if column.unit_from not in ("values", "motion"):
                told.setStyleSheet(f"color: {theme.tokens().ochre_text};")
            grid.addWidget(told)
        grid.addStretch()

    def _offer_units(self) -> None:
        self.unit.clear()
        target = self.target.currentData()
        if target is None:
            self.unit.setEnabled(False)
            self.scale.setEnabled(False)
            return
        stream, column = target.split(".")
        kind = STREAMS[stream][column].kind
        if self.column.unit_from in ("open", "unknown") and self.column.unit is None:
            self.unit.addItem("asked", None)
        for unit in KINDS[kind]:
            self.unit.addItem("no unit" if unit == "1" else unit, unit)
        if self.column.unit in KINDS[kind]:
            self.unit.setCurrentIndex(self.unit.findData(self.column.unit))
        self.unit.setEnabled(self.unit.count() > 1)
        self.scale.setEnabled(kind in ("rate", "acceleration", "field"))

    def corrected(self) -> ColumnMapping:
        """Return the column as it is now wanted; raises ValueError for an unreadable range."""
        target = self.target.currentData()
        raw = None
        text = self.scale.text().strip()
        if target is not None and text:
            full, _, bits = text.replace(",", ".").partition("/")
            raw = RawCounts(full_scale=float(full), bits=int(bits or 16))
        unit = self.unit.currentData()
        changed = (target, unit, raw) != (self.column.target, self.column.unit, self.column.raw)
        return self.column.model_copy(
            update={"target": target, "unit": unit if target else None, "raw": raw}
            | ({"unit_from": "mapping"} if changed else {})
        )


def _short(column: str) -> str:
    return (
        column.replace("_rad_s", "")
        .replace("_m_s2", "")
        .replace("_ut", "")
        .replace("_degc", "")
        .replace("_pa", "")
        .replace("_", " ")
    )


class QuestionRow(QWidget):
    """One question that the data do not decide: what is asked, and a place for the answer."""

    def __init__(self, question: Question) -> None:
        super().__init__()
        self.question = question
        words = QLabel(
            f"■ {question.file}" + (f", “{question.column}”" if question.column else "") + f": {question.asks}"
        )
        words.setWordWrap(True)
        words.setStyleSheet(f"color: {theme.tokens().brick};")
        self.number = QLineEdit()
        self.choice = QComboBox()
        for widget in (self.number, self.choice):
            widget.setAccessibleName(question.asks)
            widget.setMinimumWidth(260)
        self.number.setPlaceholderText("a number")
        self.choice.addItem("not answered", "")
        for c in question.candidates:
            self.choice.addItem(f"{c.value}: {c.meaning}", c.value)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(words, 1)
        if takes_number(question):
            row.addWidget(QLabel(question.candidates[0].meaning))
            row.addWidget(self.number)
        else:
            row.addWidget(self.choice)

    def answer(self) -> str:
        """Return the answer, empty where there is none yet."""
        return self.number.text().strip() if takes_number(self.question) else str(self.choice.currentData() or "")


class ImportDialog(QDialog):
    """Shows a plan; gives back name, kind and the mapping as corrected. ``earlier``: mappings that fitted files of the same header."""

    def __init__(
        self,
        plan: Plan,
        suggested: str,
        taken: set[str],
        parent: QWidget | None = None,
        earlier: dict[str, Mapping] | None = None,
    ) -> None:
        super().__init__(parent)
        self._earlier = earlier or {}
        self.setWindowTitle("Look before import")
        self.setObjectName("import-dialog")
        self.resize(1120, 700)
        self.plan, self._taken = plan, taken
        self.strips: list[list[ColumnStrip]] = []
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 14)
        column.setSpacing(10)
        column.addLayout(self._head(suggested))
        column.addWidget(rule())
        tables = QVBoxLayout()
        tables.setSpacing(8)
        for table in plan.tables:
            self._add_table(tables, table)
        tables.addStretch()
        body = QWidget()
        body.setLayout(tables)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setWidget(body)
        column.addWidget(area, 1)
        self.questions = [QuestionRow(q) for q in plan.questions]
        for row in self.questions:
            column.addWidget(row)
        column.addWidget(rule())
        column.addLayout(self._foot())

    def _head(self, suggested: str) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        self.name = QLineEdit(suggested)
        self.name.setObjectName("import-name")
        self.name.setAccessibleName("Name of the recording")
        self.kind = QComboBox()
        self.kind.addItems(RECORDING_KINDS)
        self.kind.setCurrentText("flight")
        self.kind.setAccessibleName("Kind of recording")
        self.body = QComboBox()
        for key, words in BODY.items():
            self.body.addItem(words, key)
        self.body.setCurrentIndex(self.body.findData(self.plan.mapping.body_axes))
        self.body.setAccessibleName("Axes of the sensors")
        for i, (words, widget) in enumerate((("Name", self.name), ("Kind", self.kind), ("Sensor axes", self.body))):
            grid.addWidget(QLabel(words), 0, 2 * i)
            grid.addWidget(widget, 0, 2 * i + 1)
        self.read_as = QComboBox()
        self.read_as.setObjectName("import-read-as")
        self.read_as.setAccessibleName("Read as")
        self.read_as.setToolTip(
            "Files of the same header were read with a corrected mapping before: read this one in the same way"
        )
        self.read_as.addItem("what is found below", "")
        for name in self._earlier:
            self.read_as.addItem(f"“{name}” was read", name)
        grid.addWidget(QLabel("Read as"), 0, 6)
        grid.addWidget(self.read_as, 0, 7)
        self.read_as.setEnabled(bool(self._earlier))
        grid.setColumnStretch(1, 1)
        return grid

    def _add_table(self, column: QVBoxLayout, table) -> None:  # type: ignore[no-untyped-def]
        mapping = table.mapping
        title = QLabel(table.path.name)
        title.setProperty("role", "title")
        column.addWidget(title)
        cut = {",": "commas", ";": "semicolons", "\t": "tabs", " ": "blanks", "|": "bars"}.get(
            mapping.delimiter, mapping.delimiter
        )
        time = mapping.time
        clock = (
            f"rows counted at {time.rate_hz:g} Hz"
            if time.index is None
            else f"time in “{_time_name(table)}” as {TIME_WORDS[time.unit]}"
        )
        if time.unit == "counter" and time.rate_hz and time.index is not None:
            clock += f" of {time.rate_hz:.4g} a second"
        facts = QLabel(
            f"{mapping.encoding} text, cut at {cut}, decimal {'comma' if mapping.decimal == ',' else 'point'}, data from line "
            f"{mapping.first_data_line}; {clock}."
        )
        facts.setProperty("role", "faint")
        facts.setWordWrap(True)
        column.addWidget(facts)
        row = QHBoxLayout()
        row.setSpacing(0)
        strips = []
        shown = sorted(mapping.columns, key=lambda c: c.target is None)[:PREVIEW_COLUMNS]
        for c in sorted(shown, key=lambda c: c.index):
            values = [r[c.index] if c.index < len(r) else "" for r in table.dialect.rows[:PREVIEW_ROWS]]
            strip = ColumnStrip(c, [v[:18] for v in values])
            strips.append(strip)
            row.addWidget(strip)
        row.addStretch()
        self.strips.append(strips)
        body = QWidget()
        body.setLayout(row)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setWidget(body)
        area.setFixedHeight(body.sizeHint().height() + 14)
        column.addWidget(area)

    def _foot(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.problems = QListWidget()
        self.problems.setObjectName("import-problems")
        self.problems.setAccessibleName("Remarks")
        self.problems.setWordWrap(True)
        for p in self.plan.problems:
            self.problems.addItem(p.sentence())
        for c in self.plan.conclusions:
            self.problems.addItem(
                f"{c.certainty}: {c.file}" + (f", “{c.column}”" if c.column else "") + f": {c.conclusion}; {c.reason}."
            )
        if not self.problems.count():
            self.problems.addItem("Nothing to remark so far. Every row is checked during the import.")
        self.problems.setFixedHeight(96)
        self.fault = QLabel()
        self.fault.setProperty("role", "fault")
        self.fault.setWordWrap(True)
        self.fault.hide()
        left = QVBoxLayout()
        left.addWidget(self.problems)
        left.addWidget(self.fault)
        row.addLayout(left, 1)
        save, cancel, accept = QPushButton("Save mapping …"), QPushButton("Leave"), QPushButton("Import")
        accept.setDefault(True)
        accept.setObjectName("import-accept")
        save.clicked.connect(self._save_mapping)
        cancel.clicked.connect(self.reject)
        accept.clicked.connect(self._accept)
        buttons = QVBoxLayout()
        for button in (accept, cancel, save):
            button.setMinimumWidth(140)
            buttons.addWidget(button)
        row.addSpacing(12)
        row.addLayout(buttons)
        return row

    def mapping(self) -> Mapping:
        """Return the mapping as corrected and answered; MappingError for an answer that cannot be one."""
        chosen = self.read_as.currentData()
        if chosen:
            return self._earlier[chosen]
        files = []
        for table, strips in zip(self.plan.tables, self.strips, strict=True):
            changed = {s.column.index: s.corrected() for s in strips}
            columns = tuple(changed.get(c.index, c) for c in table.mapping.columns)
            files.append(table.mapping.model_copy(update={"columns": columns}))
        mapping = self.plan.mapping.model_copy(update={"files": tuple(files), "body_axes": self.body.currentData()})
        for row in self.questions:
            if row.answer():
                mapping = answered(mapping, row.question, row.answer())
        return mapping

    def _problem(self) -> str | None:
        try:
            check_name(self.name.text().strip())
            mapping = self.mapping()
        except FususError as error:
            return str(error)
        except ValueError:
            return "A range is written as full scale and bits, for example 500/16."
        if self.name.text().strip() in self._taken:
            return "There is a recording of this name already. Choose another name."
        targets = [c.target for f in mapping.files for c in f.columns if c.target]
        if not self.read_as.currentData():
            for row in self.questions:
                if not row.answer() and not self._is_left_out(row.question, mapping):
                    place = row.question.column or row.question.file
                    return f"“{place}” has to be answered first: {row.question.asks}"
        unknown = [c.source for f in mapping.files for c in f.columns if c.target and c.unit_from == "unknown"]
        if unknown:
            return f"Raw counts need their range, for example 500/16: {', '.join(unknown)}."
        twice = sorted({t for t in targets if targets.count(t) > 1})
        if twice:
            return f"Two columns become the same: {', '.join(twice)}."
        return None if targets else "At least one column has to become something."

    @staticmethod
    def _is_left_out(question: Question, mapping: Mapping) -> bool:
        """Return whether what is asked about was left out, or was said in its own column."""
        asked = [c for f in mapping.files for c in f.columns if f.file == question.file and c.source == question.column]
        return bool(asked) and all(c.target is None or c.unit_from == "mapping" for c in asked)

    def _accept(self) -> None:
        problem = self._problem()
        self.fault.setVisible(problem is not None)
        self.fault.setText(problem or "")
        if problem is None:
            self.accept()

    def _save_mapping(self) -> None:
        chosen, _ = QFileDialog.getSaveFileName(self, "Save mapping", "mapping.json", "*.json")
        if not chosen:
            return
        try:
            write_atomically(Path(chosen), self.mapping().model_dump_json(indent=2).encode())
        except (FususError, ValueError) as error:
            self.fault.setText(str(error))
            self.fault.show()


def _time_name(table) -> str:  # type: ignore[no-untyped-def]
    index = table.mapping.time.index
    return table.dialect.header[index] if table.dialect.header else f"column {index + 1}"
