"""The tuning ladders, played tuning_step by tuning_step on the model."""

from typing import Any

from PyQt6.QtWidgets import QLabel, QVBoxLayout, QWidget

from fusus.app.figures.loops import StepFigure
from fusus.app.figures.rows import Cell, RowsTable
from fusus.app.session import Session
from fusus.app.stages.inputs import choice_box, input_line
from fusus.app.stages.loops.margins_page import DEGREES
from fusus.core.control.customs import LADDERS
from fusus.core.vehicle.airframe import AXES


class LadderPage(QWidget):
    """Which ladder on which axis above, the step of a tuning_step, the steps below."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.ladder = choice_box("ladder-name", "Ladder", LADDERS)
        self.axis = choice_box("ladder-axis", "Axis", {a: f"The rate loop of {a}" for a in AXES})
        for box in (self.ladder, self.axis):
            box.activated.connect(lambda _: self.draw(session.loop_study))
        self.about = QLabel()
        self.about.setWordWrap(True)
        self.rung_step = StepFigure("rung-step", "The step of this rung")
        self.steps = RowsTable("ladder-rungs", "Tuning steps", ("step", "P>", "I>", "D>", "what one notices"), 4)
        self.steps.columns_of({0: 164, 1: 62, 2: 58, 3: 92})
        self.steps.itemSelectionChanged.connect(self._show_rung)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 8, 14, 8)
        column.setSpacing(6)
        column.addWidget(input_line(("Ladder", self.ladder), ("Axis", self.axis)))
        column.addWidget(self.about)
        column.addWidget(self.rung_step, 4)
        column.addWidget(self.steps, 6)

    def draw(self, study: Any) -> None:
        """Show the ladder that is chosen; it is played first where that is due."""
        if study is None:
            return
        ladder, axis = self.ladder.currentText(), self.axis.currentText()
        self.about.setText(f"{LADDERS[ladder]} On the model: nothing spins here.")
        if not self.session.answers.is_current("loops.steps", axis, ladder):
            self.steps.show_rows([])
            self.session.answers.ask("loops.steps", axis, ladder)
            return
        played = self._played()
        rows: list[tuple[Cell, ...]] = []
        for r in played:
            c = r.controller
            seen: Cell = (r.seen, "stop") if r.is_wild else (r.seen, "fine") if r.is_kept else r.seen
            rows.append((r.done, *(f"{v:.2g}" for v in (c.kp, c.ki, c.kd)), seen))
        self.steps.show_rows(
            rows, [f"|1+L| {r.margins.modulus:.2f}, noise {r.noise:.1%} of the command" for r in played]
        )
        self.steps.selectRow(len(rows) - 1)

    def _played(self) -> tuple[Any, ...]:
        found: tuple[Any, ...] | None = self.session.answers.result("loops.steps")
        return found or ()

    def _show_rung(self) -> None:
        row, steps = self.steps.currentRow(), self._played()
        if 0 <= row < len(steps) and self.steps.rowCount() == len(steps):
            step = steps[row].step
            seen = {"as the loop sees it": step.seen[::10] * DEGREES, "true": step.rate[::10] * DEGREES}
            self.rung_step.show_steps(step.t_s[::10], step.wanted * DEGREES, seen)
            self.rung_step.title.setText(f"Step: {steps[row].done}")

    def restyle(self) -> None:
        """Take on the theme's colours."""
        self.rung_step.restyle()
