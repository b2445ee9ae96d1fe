"""The brief's inputs: craft, place, requirements."""

from datetime import date
from typing import get_args

from PyQt6.QtCore import QDate, QSignalBlocker
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDateEdit,
    QGridLayout,
    QLabel,
    QMenu,
    QPushButton,
    QToolButton,
    QWidget,
)

from fusus.app.ledger.panel import Ledger
from fusus.app.ledger.rows import ChoiceRow, FigureRow, FigureSpec, OptionalRow, Row, TextRow
from fusus.app.ledger.words_row import WordsRow
from fusus.app.session import Session
from fusus.app.stages.drift.ledger import SURROUNDINGS
from fusus.app.text import KIND_OF_UNIT, SHOWN
from fusus.core.derived_requirements.modes import MODES, Mode
from fusus.core.requirements import QUANTITIES, STATISTICS, Requirement
from fusus.core.vehicle.airframe import placed_from
from fusus.project.commands import AddRequirement, RemoveRequirement, SetValue
from fusus.project.records import Layout, Place, PlacedMotor, Project

USUAL = {
    "tilt": Requirement("tilt", 0.0349065850398866),
    "heading": Requirement("heading", 0.13962634015954636),
    "height": Requirement("height", 0.3, "p95"),
    "position": Requirement("position", 1.5, "p95"),
    "velocity": Requirement("velocity", 0.3),
    "outage": Requirement("outage", 3.0, "max", 8.0),
}


class RequirementRow(FigureRow):
    """A limit, its statistic, and a way to take it off."""

    def __init__(self, session: Session, index: int, requirement: Requirement) -> None:
        self._index = index
        name = f"{requirement.outage_s:g} s outage" if requirement.quantity == "outage" else requirement.title
        spec = FigureSpec(
            f"brief.requirements.{index}.limit",
            f"{name} ≤",
            KIND_OF_UNIT[requirement.unit],
            SHOWN[requirement.unit][0],
            False,
        )
        super().__init__(session, spec)
        self.statistic = QComboBox()
        self.statistic.setObjectName(f"statistic-{requirement.key}")
        self.statistic.setAccessibleName(f"Statistic of {name}")
        for value, words in (("rmse", "RMSE"), ("p95", "95 %"), ("max", "max")):
            self.statistic.addItem(words, value)
            self.statistic.setItemData(self.statistic.count() - 1, STATISTICS[value], 3)
        self.statistic.setFixedWidth(66)
        self.statistic.activated.connect(self._set_statistic)
        label = self.line.itemAt(0)
        if label is not None and isinstance(label.widget(), QLabel):
            label.widget().setFixedWidth(96)  # type: ignore[union-attr]
        self.edit.setFixedWidth(52)
        self.units.setFixedWidth(38)
        self.line.insertWidget(1, self.statistic)
        remove = QToolButton()
        remove.setText("✕")
        remove.setToolTip("Take this requirement off")
        remove.setAccessibleName(f"Take {name} off")
        remove.clicked.connect(lambda: session.do(RemoveRequirement(index)))
        self.line.addWidget(remove)
        self.watch(self.statistic)
        self.show_project(session.project)

    def _set_statistic(self, index: int) -> None:
        path = f"brief.requirements.{self._index}.statistic"
        self.tell(self.session.do(SetValue(path, self.statistic.itemData(index), "Set statistic")))

    def show_project(self, project: Project) -> None:
        """Show limit and statistic."""
        if self._index >= len(project.brief.requirements):
            return
        super().show_project(project)
        if hasattr(self, "statistic"):
            with QSignalBlocker(self.statistic):
                self.statistic.setCurrentIndex(
                    self.statistic.findData(project.brief.requirements[self._index].statistic)
                )


class DateRow(Row):
    """A day."""

    def __init__(self, session: Session, path: str, label: str) -> None:
        super().__init__(session, path, label)
        self.edit = QDateEdit()
        self.edit.setObjectName(f"edit-{path}")
        self.edit.setDisplayFormat("yyyy-MM-dd")
        self.edit.setButtonSymbols(QDateEdit.ButtonSymbols.NoButtons)
        self.edit.editingFinished.connect(self._edited)
        self.line.addWidget(self.edit, 1)
        self.watch(self.edit)
        inner = self.edit.lineEdit()
        if inner is not None:
            inner.setAccessibleName(label)
        self.show_project(session.project)

    def show_project(self, project: Project) -> None:
        """Show the day; today where none is set."""
        day = project.brief.day or date.today()
        with QSignalBlocker(self.edit):
            self.edit.setDate(QDate(day.year, day.month, day.day))

    def _edited(self) -> None:
        day = self.edit.date()
        self.set_value(date(day.year(), day.month(), day.day()))


CRAFT = (
    FigureSpec("brief.craft.prop_diameter_m", "Propeller", "length", "cm"),
    FigureSpec("brief.craft.motor_thrust_n", "Motor thrust", "force", "N"),
    FigureSpec("brief.craft.cells", "Battery cells", "share", "1", False, "in series"),
    FigureSpec("brief.craft.capacity_as", "Capacity", "charge", "mAh"),
    FigureSpec("brief.craft.stop_cell_v", "Land at, per cell", "voltage", "V"),
    FigureSpec("brief.craft.cell_ohm", "Resistance, a cell", "resistance", "mΩ"),
    FigureSpec("brief.craft.idle_share", "Idle speed", "share", "%"),
    FigureSpec("brief.craft.drag_per_s", "Drag", "gain", "1/s"),
)
MEASURED = (
    (FigureSpec("brief.craft.mean_current_a", "Mean current", "current", "A", False), "by model"),
    (FigureSpec("brief.craft.full_rpm", "Full speed, rpm", "share", "1", False), "by model"),
    (FigureSpec("brief.craft.torque_per_thrust_m", "Torque over thrust", "length", "mm", False), "by size"),
)
MISSION = (
    FigureSpec("brief.mission.hover_s", "Hover", "time", "s", False),
    FigureSpec("brief.mission.height_m", "Height", "length", "m", False),
    FigureSpec("brief.mission.speed_m_s", "Speed", "speed", "m/s", False),
    FigureSpec("brief.mission.outage_s", "GNSS outage", "time", "s", False),
    *SURROUNDINGS,
)
BUDGETS = (
    FigureSpec("brief.budgets.price", "Money", "money", "cr", False),
    FigureSpec("brief.budgets.mass_kg", "Mass", "mass", "g", False),
    FigureSpec("brief.budgets.current_a", "Current", "current", "mA", False),
    FigureSpec("brief.budgets.bus_share", "Bus time", "share", "%", False),
)


class ModesRow(Row):
    """Flight modes that are wanted, in two columns."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "brief.modes", "Modes")
        label = self.line.itemAt(0)
        if label is not None and label.widget() is not None:
            label.widget().hide()  # type: ignore[union-attr]
        grid = QGridLayout()
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(3)
        self.boxes: dict[Mode, QCheckBox] = {}
        for i, (mode, words) in enumerate(MODES.items()):
            box = QCheckBox(words)
            box.setObjectName(f"mode-{mode}")
            box.toggled.connect(lambda _: self._toggled())
            self.watch(box)
            box.setAccessibleName(f"Flight mode {words}")
            self.boxes[mode] = box
            grid.addWidget(box, i // 2, i % 2)
        self.line.addLayout(grid, 1)
        self.show_project(session.project)

    def _toggled(self) -> None:
        self.set_value(tuple(mode for mode, box in self.boxes.items() if box.isChecked()))

    def show_project(self, project: Project) -> None:
        """Show which modes are wanted."""
        for mode, box in self.boxes.items():
            with QSignalBlocker(box):
                box.setChecked(mode in project.brief.modes)


def _inertia(session: Session, ledger: Ledger) -> None:
    """Moments of inertia: estimated from geometry unless entered."""
    for axis, where in (("x", "roll"), ("y", "pitch"), ("z", "yaw")):
        spec = FigureSpec(f"brief.craft.inertia_{axis}_kg_m2", f"Inertia, {where}", "inertia", "g m²", False)
        ledger.add(OptionalRow(session, spec, "by size"))


def build_ledger(session: Session, ledger: Ledger) -> None:
    """Fill the ledger."""
    project = session.project
    ledger.group("Craft")
    ledger.add(TextRow(session, "name", "Name"))
    ledger.add(TextRow(session, "brief.about", "About", "what it is for"))
    ledger.add(ChoiceRow(session, "brief.craft.layout", "Layout", [(v, v) for v in get_args(Layout)]))
    ledger.add(FigureRow(session, FigureSpec("brief.craft.mass_kg", "Mass", "mass", "kg")))
    ledger.add(FigureRow(session, FigureSpec("brief.craft.arm_m", "Arm", "length", "m")))
    for spec in CRAFT:
        ledger.add(FigureRow(session, spec))
    _inertia(session, ledger)
    for spec, empty in MEASURED:
        ledger.add(OptionalRow(session, spec, empty))
    ledger.add(
        WordsRow(
            session, "brief.craft.motors", "Own geometry", "as the layout",
            "For the layout “other”: metres forward, metres right, cw or ccw from above; motors apart by ;",
            lambda p: "; ".join(f"{m.forward_m:g} {m.right_m:g} {'cw' if m.is_clockwise else 'ccw'}" for m in p.brief.craft.motors),
            lambda text: tuple(PlacedMotor(forward_m=f, right_m=r, is_clockwise=c) for f, r, c in placed_from(text)),
        )
    )  # fmt: skip
    ledger.group("Place and date")
    if project.brief.place is None:
        ledger.add(_add_place(session))
    else:
        ledger.add(FigureRow(session, FigureSpec("brief.place.lat_deg", "Latitude", "share", "1", False, "°")))
        ledger.add(FigureRow(session, FigureSpec("brief.place.lon_deg", "Longitude", "share", "1", False, "°")))
        ledger.add(FigureRow(session, FigureSpec("brief.place.height_m", "Height above sea", "length", "m", False)))
    ledger.add(DateRow(session, "brief.day", "Date"))
    ledger.group("Flight modes")
    ledger.add(ModesRow(session))
    ledger.group("Mission and surroundings")
    for spec in MISSION:
        ledger.add(FigureRow(session, spec))
    ledger.group("Climate")
    ledger.add(FigureRow(session, FigureSpec("brief.climate.low_degc", "Coldest", "temperature", "°C", False)))
    ledger.add(FigureRow(session, FigureSpec("brief.climate.high_degc", "Warmest", "temperature", "°C", False)))
    ledger.group("Budgets for the sensors")
    for spec in BUDGETS:
        ledger.add(OptionalRow(session, spec))
    ledger.group("Requirements")
    for i, requirement in enumerate(project.brief.requirements):
        ledger.add(RequirementRow(session, i, requirement))
    ledger.add(_add_requirement(session))
    ledger.finish()


def _add_place(session: Session) -> QWidget:
    button = QPushButton("Say where you fly …")
    button.setProperty("role", "link")
    button.setObjectName("add-place")
    button.clicked.connect(lambda: session.do(SetValue("brief.place", Place(lat_deg=50.0, lon_deg=0.0), "Set place")))
    return button


def _add_requirement(session: Session) -> QWidget:
    button = QPushButton("Add a requirement …")
    button.setProperty("role", "link")
    button.setObjectName("add-requirement")
    menu = QMenu(button)
    for key, requirement in USUAL.items():
        action = menu.addAction(QUANTITIES[key][0])
        if action is not None:
            action.triggered.connect(lambda _=False, r=requirement: session.do(AddRequirement(r)))
    button.setMenu(menu)
    return button
