"""One part's datasheet: every field with its unit, editable; what is assumed, what is wrong, and its checks."""

from typing import Any

from PyQt6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from fusus.app import theme
from fusus.app.figures.rows import Cell, RowsTable
from fusus.app.session import Session
from fusus.core.parts.fields import FIELDS, WORDS
from fusus.core.parts.part import Part, read_figure, shown
from fusus.errors import FususError
from fusus.project.commands import AddParts, RemovePart, SetValue


class Datasheet(QWidget):
    """Fields left, checks right. Editing a catalogue part makes it the maker's own."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._row: Any = None
        self._filling = False
        self.title = QLabel("")
        self.title.setProperty("role", "title")
        self.fault = QLabel()
        self.fault.setProperty("role", "fault")
        self.fault.setWordWrap(True)
        self.rename = QLineEdit()
        self.rename.setObjectName("part-copy-name")
        self.rename.setPlaceholderText("name of a copy")
        self.rename.setAccessibleName("Name of a copy")
        self.rename.setFixedWidth(theme.px(140))
        copy = QPushButton("Copy as own part")
        copy.setObjectName("copy-part")
        copy.clicked.connect(self.copy_part)
        self.remove = QPushButton("Remove own part")
        self.remove.setObjectName("remove-part")
        self.remove.clicked.connect(self._remove)
        head = QHBoxLayout()
        head.addWidget(self.title)
        head.addStretch()
        head.addWidget(self.rename)
        head.addWidget(copy)
        head.addWidget(self.remove)
        self.fields = RowsTable("part-fields", "Datasheet of the part", ("field", "value", "origin"), 0)
        self.fields.columns_of({1: 114, 2: 80})
        self.fields.setEditTriggers(
            QTableWidget.EditTrigger.DoubleClicked
            | QTableWidget.EditTrigger.EditKeyPressed
            | QTableWidget.EditTrigger.AnyKeyPressed
        )
        self.fields.cellChanged.connect(self._edited)
        self.checks = RowsTable("part-checks", "Checks against the brief", ("check", "", "against the brief"))
        self.checks.columns_of({0: 112, 1: 74})
        both = QHBoxLayout()
        both.addWidget(self.fields, 1)
        both.addWidget(self.checks, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 4, 0, 0)
        column.setSpacing(4)
        column.addLayout(head)
        column.addWidget(self.fault)
        column.addLayout(both, 1)
        self.fault.hide()

    @property
    def name(self) -> str:
        """The name of the part that is shown."""
        return str(self._row.part.part.name) if self._row is not None else ""

    def show_part(self, row: Any) -> None:
        """Show a part with its checks."""
        self._row = row
        done = row.part
        part: Part = row.original
        self.title.setText(part.title + (" (own)" if row.own else ""))
        self.remove.setVisible(row.own)
        wrong = {p.field: p for p in done.problems}
        self._filling = True
        cells: list[list[Cell]] = []
        self._names: list[str] = []
        for f in FIELDS[part.kind]:
            value = part.figures.get(f.name)
            if value is None and f.assumed is None and f.name.startswith("mag_"):
                continue  # a six-axis board has none of these
            told: Cell = "datasheet"
            words = ""
            if value is not None:
                number, unit = shown(f, value)
                words = f"{number:.5g} {unit}"
            elif f.name in done.assumed:
                number, unit = shown(f, done.value(f.name))
                words, told = f"({number:.4g} {unit})", ("assumed", "faint")
            else:
                told = ("not given", "faint")
            problem = wrong.get(f.name)
            if problem is not None and problem.severity == "stop":
                told = (f"{problem.message}; {problem.action}", "stop")
            cells.append([f.title, words, told])
            self._names.append(f.name)
        for name in WORDS:
            cells.append(
                [name.replace("_", " "), part.word(name), "" if name not in wrong else (wrong[name].message, "stop")]
            )
            self._names.append(f"word:{name}")
        self.fields.show_rows(cells, editable=1)
        self._filling = False
        self.checks.show_rows(
            [
                [c.subject, (f"{'●' if c.kept else '■' if c.kind == 'limit' else '◆'} {c.kind}",
                             "pass" if c.kept else "fail" if c.kind == "limit" else "mind"), c.message]
                for c in row.checks
            ],
            [f"{c.message}: {c.reason}" for c in row.checks],
        )  # fmt: skip

    def _edited(self, row: int, column: int) -> None:
        if self._filling or column != 1 or self._row is None:
            return
        item: QTableWidgetItem | None = self.fields.item(row, 1)
        text = item.text().strip() if item is not None else ""
        part, name = self._row.original, self._names[row]
        try:
            changed = _with_text(part, name, text)
        except FususError as error:
            self.fault.setText(str(error))
            self.fault.show()
            self.show_part(self._row)
            return
        self.fault.hide()
        if changed != part:
            self._session.do(AddParts((changed,), f"Edit {part.name}"))

    def copy_part(self) -> None:
        """Make an own part of the shown one, under another name."""
        name = self.rename.text().strip()
        if self._row is None or not name:
            self.fault.setText("Write a name for the copy first.")
            self.fault.show()
            return
        self.fault.hide()
        part = self._row.original
        self._session.do(AddParts((Part(part.kind, name, part.figures, part.words),), f"Copy {part.name}"))
        self.rename.clear()

    def _remove(self) -> None:
        part = self._row.part.part
        if getattr(self._session.project.parts, part.kind) == part.name:
            self._session.do(SetValue(f"parts.{part.kind}", None, f"Take {part.name} off"))
        self._session.do(RemovePart(part.kind, part.name))


def _with_text(part: Part, name: str, text: str) -> Part:
    """Return the part with one field from its text; an empty text takes the field off."""
    if name.startswith("word:"):
        words = {k: v for k, v in part.words.items() if k != name[5:]}
        return Part(part.kind, part.name, part.figures, words | ({name[5:]: text} if text else {}))
    if not text or text.startswith("("):
        return part.with_figure(name, None) if not text else part
    f = next(f for f in FIELDS[part.kind] if f.name == name)
    return part.with_figure(name, read_figure(part, f, text))
