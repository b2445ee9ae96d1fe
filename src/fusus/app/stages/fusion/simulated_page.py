"""Simulated flights of the craft with its own parts: what the estimators make of them, and one kept as a recording."""

import math
from typing import Any

from PyQt6.QtWidgets import QLabel, QVBoxLayout, QWidget

from fusus.app.figures.rows import Cell, RowsTable
from fusus.app.session import Session
from fusus.app.stages.fusion.actions import keep_flight
from fusus.app.stages.fusion.question_page import error_text
from fusus.app.stages.inputs import choice_box, input_line, number_box, push_button
from fusus.core.estimation.catalogue import info_for
from fusus.core.simulation.kinds import KINDS

QUANTITIES = ("tilt", "heading", "horizontal", "height", "velocity")
TITLES = ("estimator", "tilt>", "heading>", "position>", "height>", "velocity>", "after outage>", "within 1 σ>")
CLAIMED = ("north>", "east>", "height>", "v n>", "v e>", "v d>", "tilt n>", "tilt e>", "head.>")
MOST = 1000


class SimulatedPage(QWidget):
    """Scenario, seed and number of flights above; estimators and prediction below."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.scenario = choice_box("simulate-scenario", "Scenario", KINDS)
        self.seed = number_box(
            "simulate-seed", "Seed of the first flight; each further one takes the next", 0, 10**6, 1
        )
        self.flights = number_box("simulate-flights", "How many flights", 1, MOST, 20)
        self.button = push_button("ask-simulate", "Simulate", "Fly them", self._ask, is_main=True)
        self.keep = push_button(
            "simulate-keep", "Keep as recording", "Fly the one of this seed, and keep it as a recording like any other",
            lambda: keep_flight(session, *self.wanted()[:2]),
        )  # fmt: skip
        line = input_line(
            ("Scenario", self.scenario), ("Seed", self.seed), ("Flights", self.flights), self.keep, self.button
        )
        self.note = QLabel()
        self.note.setWordWrap(True)
        self.table = RowsTable("simulated", "Simulated flights", TITLES, 0)
        self.claims = RowsTable("simulated-claims", "Within one sigma, by component", ("within one σ", *CLAIMED), 0)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 8, 14, 8)
        column.addWidget(line)
        column.addWidget(self.note)
        column.addWidget(self.table, 3)
        column.addWidget(self.claims, 2)

    def wanted(self) -> tuple[str, int, int]:
        """Return scenario, seed and number of flights."""
        return str(self.scenario.currentData()), self.seed.value(), self.flights.value()

    def _ask(self) -> None:
        scenario, seed, flights = self.wanted()
        self.session.ask("fusion.simulated", scenario, seed, flights)

    def draw(self) -> None:
        """Show the newest answer."""
        found = self.session.answers.result("fusion.simulated")
        if found is None:
            self.note.setText(
                "The craft of the brief flies with the errors of its chosen parts, and with other ones each time. "
                "Does the error that is claimed and predicted come true?"
            )
            self.table.show_rows([])
            self.claims.show_rows([])
            return
        from fusus.study.flying.open_loop import sensors_words

        many = len({o.seed for o in found.outcomes})
        changed = (
            ""
            if self.session.answers.is_current("fusion.simulated")
            else " The project has changed since: simulate again."
        )
        self.note.setText(
            f"{many} flight{'s' if many > 1 else ''} of “{found.scenario}” from seed {found.seed}: RMS errors in the air. "
            f"Of honest claims 68 % lie within one σ. Flown: {sensors_words(found.sensors)}.{changed}"
        )
        self.table.show_rows(*_rows(found))
        self.claims.show_rows(*_claims(found))


def _rows(found: Any) -> tuple[list[tuple[Cell, ...]], list[str]]:
    out: list[tuple[Cell, ...]] = []
    tips: list[str] = []
    for s in found.summaries:
        cells: list[Cell] = [info_for(s.estimator).title]
        cells += [error_text(q, s.rmse[q]) for q in QUANTITIES]
        share = sum(s.coverage.values()) / len(s.coverage) if s.coverage else math.nan
        cells += [error_text("horizontal", s.outage), f"{share:.0%}" if math.isfinite(share) else "–"]
        out.append(tuple(cells))
        tips.append(", ".join(f"{k} {v:.0%}" for k, v in s.coverage.items()) or "Claims no sigma of its own")
    if found.predicted:
        cells = ["predicted for these parts"]
        cells += [error_text(q, found.predicted.get(q)) for q in (*QUANTITIES, "outage")]
        out.append((*cells, "68%"))
        tips.append("From the parts alone, without flying: see Drift")
    return out, tips


def _claims(found: Any) -> tuple[list[tuple[Cell, ...]], list[str]]:
    """Return, by estimator that claims them all, the share of errors within one sigma: 68 % of honest ones."""
    out: list[tuple[Cell, ...]] = []
    for s in found.summaries:
        if s.coverage:
            shares: list[Cell] = [
                (f"{v:.0%}", "stop") if v < 0.5 else (f"{v:.0%}", "fine") if 0.6 <= v <= 0.78 else f"{v:.0%}"
                for v in s.coverage.values()
            ]
            out.append((info_for(s.estimator).title, *shares))
    words = "Below 50 % it claims too much, above 78 % it could claim more; " + "NEES, one is due: "
    tips = [words + ", ".join(f"{k} {v:.2f}" for k, v in s.nees.items()) for s in found.summaries if s.coverage]
    return out, tips
