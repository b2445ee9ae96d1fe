"""What the craft does by itself when something fails, and how that ends in simulated flights."""

import math
from typing import Any

from PyQt6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from fusus.app.figures.rows import Cell, RowsTable
from fusus.app.session import Session
from fusus.app.stages.base import title_label
from fusus.app.stages.inputs import number_box, push_button

MOST, USUAL = 1000, 20
RULE_WIDTHS = {0: 96, 1: 122, 2: 46, 4: 104, 5: 112}
FLOWN_TITLES = (
    "flown in simulation",
    "safe>",
    "acts\n[s]>",
    "motors off\n[s]>",
    "at most\n[s]>",
    "away\n[m]>",
    "ground\n[m/s]>",
)
FLOWN_WIDTHS = {1: 84, 2: 56, 3: 82, 4: 62, 5: 56, 6: 66}
CAUTION = (
    "A simulation is no proof of a craft. Try each failsafe with propellers off before the first hover; then low, over soft ground, "
    "away from people, with a switch that stops the motors."
)
ABOUT = "Each is flown with gusts and parts that differ as parts do; some ten seconds for twenty flights of each."


class FailsafePage(QWidget):
    """The rules above, flights below."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        titles = ("what fails", "told by", "after\n[s]>", "what is done", "until", "never")
        self.rules = RowsTable("failsafe-rules", "What is done when something fails", titles, 3)
        self.rules.columns_of(RULE_WIDTHS)
        self.flown = RowsTable("failsafe-flights", "How failsafes end in simulated flights", FLOWN_TITLES, 0)
        self.flown.columns_of(FLOWN_WIDTHS)
        self.flights = number_box(
            "failsafe-count", "How many flights of each; the seeds follow one another", 1, MOST, USUAL
        )
        self.button = push_button(
            "fly-failsafes", "Fly", "Fly each failsafe on the project's own estimate",
            lambda: session.ask("loops.failsafes", self.flights.value()), is_main=True,
        )  # fmt: skip
        self.note, caution = QLabel(), QLabel(CAUTION)
        for label, name in ((self.note, "failsafe-note"), (caution, "failsafe-caution")):
            label.setWordWrap(True)
            label.setObjectName(name)
        head = QHBoxLayout()
        head.addWidget(self.note, 1)
        head.addWidget(QLabel("Flights of each"))
        head.addWidget(self.flights)
        head.addWidget(self.button)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 8, 14, 8)
        column.setSpacing(6)
        column.addWidget(title_label("What the craft does by itself"))
        column.addWidget(self.rules, 5)
        column.addLayout(head)
        column.addWidget(self.flown, 4)
        column.addWidget(caution)

    def draw(self, _study: Any) -> None:
        """Show the rules of the project, and the newest flights."""
        from fusus.study.flying.failsafes import failsafe_table

        rows = [
            (r.cause, r.told_by, "–" if r.after_s is None else f"{r.after_s:g}", r.does, r.ends, r.never)
            for r in failsafe_table(self.session.project)
        ]
        self.rules.show_rows(rows)
        found = self.session.answers.result("loops.failsafes")
        if found is None:
            self.note.setText(ABOUT)
            self.flown.show_rows([])
            return
        changed = (
            "" if self.session.answers.is_current("loops.failsafes") else " The project has changed since: fly again."
        )
        self.note.setText(
            f"Seconds are counted from the failure, of the battery from the hover; the worst flight's distance.{changed}"
        )
        self.flown.show_rows(*_flown_rows(found))


def _flown_rows(found: Any) -> tuple[list[tuple[Cell, ...]], list[str]]:
    from fusus.core.control.failsafe import words
    from fusus.core.simulation.kinds import FLIGHTS

    rows: list[tuple[Cell, ...]] = []
    tips = []
    for f in found:
        count = f"{f.safe} of {len(f.found)}"
        safe: Cell = (count, "fine" if f.safe == len(f.found) else "stop")
        acts, _ = f.spread("acts_s")
        stopped, latest = f.spread("stopped_s")
        figures = (acts, stopped, latest, f.spread("distance_m")[1], f.spread("ground_m_s")[1])
        falls = " (falls)" if f.falls else ""
        rows.append((f"{f.scenario}{falls}", safe, *(_one(v) for v in figures)))
        why = ", ".join(sorted({w for s in f.found for w in words(s.why)})) or "nothing acted"
        tips.append(f"{FLIGHTS[f.scenario]}; acted because: {why}")
    return rows, tips


def _one(value: float) -> str:
    return f"{value:.1f}" if math.isfinite(value) else "–"
