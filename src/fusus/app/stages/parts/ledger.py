"""The parts' inputs: which are chosen, how they are fitted, and files of parts in and out."""

from PyQt6.QtCore import QSignalBlocker
from PyQt6.QtWidgets import QComboBox, QPushButton

from fusus.app.ledger.panel import Ledger
from fusus.app.ledger.rows import ChoiceRow, FactRow, FigureRow, FigureSpec, Row, SwitchRow
from fusus.app.session import Session
from fusus.app.stages.parts.files import FILE_ACTIONS
from fusus.core.parts.fields import KIND_TITLES, PartKind
from fusus.project.records import Project
from fusus.study.brief.brief import available, totals

NONE = "–"


class PartRowChoice(Row):
    """One of the available parts, or none; of magnetometers also the IMU's own."""

    def __init__(self, session: Session, kind: PartKind, label: str) -> None:
        super().__init__(session, f"parts.{kind}", label)
        self._kind = kind
        self.box = QComboBox()
        self.box.setObjectName(f"edit-parts.{kind}")
        self.box.activated.connect(lambda i: self.set_value(self.box.itemData(i)))
        self.line.addWidget(self.box, 1)
        self.watch(self.box)
        self.show_project(session.project)

    def show_project(self, project: Project) -> None:
        """Show the parts there are, and the chosen one."""
        chosen = getattr(project.parts, self._kind)
        with QSignalBlocker(self.box):
            self.box.clear()
            self.box.addItem(NONE, None)
            for part in available(project):
                own = part in project.parts.own
                price = part.figures.get("price")
                words = f"{part.name}{' (own)' if own else ''}" + (f", {price:g} cr" if price is not None else "")
                if part.kind == self._kind:
                    self.box.addItem(words, part.name)
                elif self._kind == "magnetometer" and part.name == project.parts.imu and part.has_magnetometer:
                    self.box.addItem(f"on board {part.name}", part.name)
            self.box.setCurrentIndex(max(0, self.box.findData(chosen)))


def build_ledger(session: Session, ledger: Ledger) -> None:
    """Fill the ledger."""
    ledger.group("Chosen parts")
    for kind, title in KIND_TITLES.items():
        ledger.add(PartRowChoice(session, kind, "Receiver" if kind == "receiver" else title))
    for name, value in totals(session.project):
        ledger.add(FactRow(name, value))
    ledger.group("Fitting")
    ledger.add(
        ChoiceRow(
            session, "parts.heading", "Heading from", [("magnetometer", "magnetometer"), ("GNSS course", "GNSS course")]
        )
    )
    ledger.add(SwitchRow(session, "parts.fitting.calibrated", "Calibration", "done on the bench"))
    ledger.add(SwitchRow(session, "parts.fitting.foam", "Barometer", "under open-cell foam"))
    ledger.add(FigureRow(session, FigureSpec("parts.fitting.motor_ut_a", "Motor field", "field per current", "µT/A")))
    for i, where in enumerate(("ahead", "right", "below")):
        spec = FigureSpec(f"parts.fitting.lever_arm_b_m.{i}", f"Antenna {where}", "length", "cm")
        ledger.add(FigureRow(session, spec))
    ledger.group("Files")
    for name, words, run in FILE_ACTIONS:
        button = QPushButton(words)
        button.setProperty("role", "link")
        button.setObjectName(f"parts-{name}")
        button.clicked.connect(lambda _=False, r=run, b=button: r(session, b))
        ledger.add(button)
    ledger.finish()
