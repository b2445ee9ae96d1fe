"""One input of a stage: label, value, unit, evidence mark. Rows show the document and hand commands to the session."""

from collections.abc import Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QEvent, QSignalBlocker, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QMenu,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from fusus.app import theme
from fusus.app.ledger.mark import EvidenceMark
from fusus.app.session import Session
from fusus.app.text import short
from fusus.core.frames.units import KINDS, from_si, parse
from fusus.errors import FususError
from fusus.project.commands import SetValue
from fusus.project.evidence import Evidence
from fusus.project.paths import value_at
from fusus.project.records import Project

LABEL_PX, VALUE_PX, UNIT_PX = 116, 82, 66


@dataclass(frozen=True, slots=True)
class FigureSpec:
    """A number in the project: where it is, what it is called, its kind of unit, the unit shown at first."""

    path: str
    label: str
    kind: str
    unit: str
    has_evidence: bool = True
    sign: str | None = None


class Row(QWidget):
    """The base of all rows: a label, something to edit, and a place for what is wrong with it."""

    focused = pyqtSignal(str)

    def __init__(self, session: Session, path: str, label: str) -> None:
        super().__init__()
        self.session, self.path, self.label_text = session, path, label
        self.setObjectName(f"row-{path}")
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(0)
        self.line = QHBoxLayout()
        self.line.setContentsMargins(0, 0, 0, 0)
        self.line.setSpacing(2)
        self._column.addLayout(self.line)
        name = QLabel(label)
        name.setFixedWidth(LABEL_PX)
        self.line.addWidget(name)
        self.fault = QLabel()
        self.fault.setProperty("role", "fault")
        self.fault.setWordWrap(True)
        self.fault.hide()
        self._column.addWidget(self.fault)
        self._retired = False
        session.project_changed.connect(self._on_project)

    def retire(self) -> None:
        """Stop following the document: the ledger has other rows now."""
        self._retired = True

    def _on_project(self, project: Project) -> None:
        if not self._retired:
            self.show_project(project)

    def show_project(self, project: Project) -> None:
        """Show the document; showing is not editing."""
        raise NotImplementedError

    def set_value(self, value: object, evidence: Evidence | None = None) -> bool:
        """Hand the edit to the document; show what is wrong with it in place."""
        command = SetValue(self.path, value, f"Set {self.label_text.lower()}", evidence or Evidence())
        return self.tell(self.session.do(command))

    def tell(self, problem: str | None) -> bool:
        """Show a problem under the row, or none."""
        if self._retired:
            return problem is None
        self.fault.setVisible(bool(problem))
        self.fault.setText(problem or "")
        return problem is None

    def watch(self, widget: QWidget) -> None:
        """Notice when the row is entered, for F1."""
        widget.installEventFilter(self)
        widget.setAccessibleName(self.label_text)

    def eventFilter(self, watched: object, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.FocusIn:
            self.focused.emit(self.path)
        return False


class FigureEdit(QLineEdit):
    """A figure; Escape brings the document's value back."""

    escaped = pyqtSignal()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self.escaped.emit()
            return
        super().keyPressEvent(event)


class FigureRow(Row):
    """A number with a unit. Takes "500 deg/s" or "0,5 mg"; the unit is a click away."""

    def __init__(self, session: Session, spec: FigureSpec) -> None:
        super().__init__(session, spec.path, spec.label)
        self.spec = spec
        self.unit = session.settings.unit_of(spec.path, spec.unit)
        if self.unit not in KINDS[spec.kind]:
            self.unit = spec.unit
        self.edit = FigureEdit()
        self.edit.setProperty("role", "figure")
        self.edit.setObjectName(f"edit-{spec.path}")
        self.edit.setFixedWidth(VALUE_PX)
        self.edit.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.edit.editingFinished.connect(self._edited)
        self.edit.escaped.connect(lambda: self.show_project(session.project))
        self.line.addWidget(self.edit)
        self.units = QToolButton()
        self.units.setProperty("role", "unit")
        self.units.setObjectName(f"unit-{spec.path}")
        self.units.setToolTip("Change the unit")
        self.units.clicked.connect(self._offer_units)
        self.units.setFixedWidth(UNIT_PX)
        self.units.setEnabled(len(KINDS[spec.kind]) > 1 and spec.sign is None)
        self.line.addWidget(self.units)
        self.line.addStretch()
        self.mark = EvidenceMark(self)
        self.mark.setHidden(not spec.has_evidence)
        self.mark.chosen.connect(self._say_origin)
        if spec.has_evidence:
            self.line.addWidget(self.mark)
        self.watch(self.edit)
        self.show_project(session.project)

    def _offer_units(self) -> None:
        """Offer the units of the quantity; the menu is made when it is asked for, since a ledger has many rows."""
        menu = QMenu(self.units)
        menu.setObjectName(f"units-{self.path}")
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for unit in KINDS[self.spec.kind]:
            action = menu.addAction(unit)
            if action is not None:
                action.triggered.connect(lambda _=False, u=unit: self.show_unit(u))
        menu.popup(self.units.mapToGlobal(self.units.rect().bottomLeft()))

    def show_unit(self, unit: str) -> None:
        """Show the figure in another unit; the figure stays."""
        self.unit = unit
        self.session.settings.put_unit(self.path, unit)
        self.show_project(self.session.project)

    def show_project(self, project: Project) -> None:
        """Show value, unit and evidence."""
        value = float(value_at(project, self.path))
        with QSignalBlocker(self.edit):
            self.edit.setText(short(from_si(value, self.unit, self.spec.kind)))
            self.edit.setCursorPosition(0)
        self.edit.setModified(False)
        sign = self.spec.sign or ("" if self.unit == "1" else self.unit.replace("deg", "°"))
        self.units.setText(sign)
        self.edit.setToolTip(f"{from_si(value, self.unit, self.spec.kind):.9g} {sign}")
        earlier = sum(e.path == self.path for e in project.earlier)
        self.mark.show_evidence(project.evidence(self.path), earlier)
        self.edit.setReadOnly(self.session.document is not None and self.session.document.read_only)

    def _edited(self) -> None:
        if not self.edit.isModified():
            return
        self.edit.setModified(False)
        try:
            value, unit = parse(self.edit.text(), self.spec.kind, self.unit)
        except FususError as error:
            self.tell(str(error))
            self.show_project(self.session.project)
            return
        if self.set_value(value):
            self.unit = unit
            self.session.settings.put_unit(self.path, unit)
        self._on_project(self.session.project)

    def _say_origin(self, evidence: Evidence) -> None:
        self.set_value(value_at(self.session.project, self.path), evidence)


class OptionalRow(FigureRow):
    """A figure that may be left empty: none is set then."""

    def __init__(self, session: Session, spec: FigureSpec, empty: str = "no limit") -> None:
        self._empty = empty
        super().__init__(session, spec)

    def show_project(self, project: Project) -> None:
        """Show the figure, or that there is none."""
        if value_at(project, self.path) is not None:
            super().show_project(project)
            return
        with QSignalBlocker(self.edit):
            self.edit.clear()
        self.edit.setModified(False)
        self.edit.setPlaceholderText(self._empty)
        self.edit.setToolTip(f"Empty: {self._empty}")
        self.units.setText(self.unit.replace("deg", "°"))
        self.mark.show_evidence(project.evidence(self.path), 0)

    def _edited(self) -> None:
        if self.edit.isModified() and not self.edit.text().strip():
            self.edit.setModified(False)
            self.set_value(None)
            return
        super()._edited()


class TextRow(Row):
    """Words."""

    def __init__(self, session: Session, path: str, label: str, placeholder: str = "") -> None:
        super().__init__(session, path, label)
        self.edit = FigureEdit()
        self.edit.setObjectName(f"edit-{path}")
        self.edit.setPlaceholderText(placeholder)
        self.edit.editingFinished.connect(self._edited)
        self.edit.escaped.connect(lambda: self.show_project(session.project))
        self.line.addWidget(self.edit, 1)
        self.watch(self.edit)
        self.show_project(session.project)

    def show_project(self, project: Project) -> None:
        """Show the words."""
        with QSignalBlocker(self.edit):
            self.edit.setText(str(value_at(project, self.path)))
            self.edit.setCursorPosition(0)
        self.edit.setModified(False)
        self.edit.setToolTip(self.edit.text())

    def _edited(self) -> None:
        if self.edit.isModified():
            self.edit.setModified(False)
            self.set_value(self.edit.text().strip())
            self._on_project(self.session.project)


class ChoiceRow(Row):
    """One of several: choices are (value, words)."""

    def __init__(self, session: Session, path: str, label: str, choices: Sequence[tuple[str | None, str]]) -> None:
        super().__init__(session, path, label)
        self.box = QComboBox()
        self.box.setObjectName(f"edit-{path}")
        for value, words in choices:
            self.box.addItem(words, value)
        self.box.activated.connect(lambda i: self.set_value(self.box.itemData(i)))
        self.line.addWidget(self.box, 1)
        self.watch(self.box)
        self.show_project(session.project)

    def show_project(self, project: Project) -> None:
        """Show the choice."""
        index = self.box.findData(value_at(project, self.path))
        with QSignalBlocker(self.box):
            self.box.setCurrentIndex(index)


class SwitchRow(Row):
    """Yes or no."""

    def __init__(self, session: Session, path: str, label: str, words: str) -> None:
        super().__init__(session, path, label)
        self.box = QCheckBox(words)
        self.box.setObjectName(f"edit-{path}")
        self.box.toggled.connect(lambda on: self.set_value(bool(on)))
        self.line.addWidget(self.box, 1)
        self.watch(self.box)
        self.show_project(session.project)

    def show_project(self, project: Project) -> None:
        """Show the state."""
        with QSignalBlocker(self.box):
            self.box.setChecked(bool(value_at(project, self.path)))


class FactRow(QWidget):
    """Something that is only shown: label and words."""

    def __init__(self, label: str, words: str, tip: str = "") -> None:
        super().__init__()
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 1, 0, 1)
        line.setSpacing(8)
        name = QLabel(label)
        name.setMinimumWidth(LABEL_PX)
        value = QLabel(words)
        value.setWordWrap(True)
        value.setToolTip(tip or words)
        line.addWidget(name, 0, Qt.AlignmentFlag.AlignTop)
        line.addWidget(value, 1)
        self.setMinimumHeight(theme.px(20))
