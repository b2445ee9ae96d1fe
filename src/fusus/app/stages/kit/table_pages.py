"""Constants with what they rest on, equality with the core, and cost on the board."""

import re
from html import escape
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QVBoxLayout, QWidget

from fusus.app.figures.loops import TimelineFigure, cycle_of
from fusus.app.figures.rows import Cell, RowsTable
from fusus.app.session import Session
from fusus.app.stages.inputs import input_line, push_button
from fusus.app.stages.kit.actions import prove, put_into_loops

PROVE = (
    "“Prove it” compiles the kit with this computer's C compiler, hands it whole recordings, and compares it with the filters that were "
    "tuned: sample by sample, state by state. Double precision has to agree to 1e-9; single as far as rounding explains, worked out from "
    "the filter's own time constants."
)
COUNT = "“Count” compiles the kit, counts the instructions of its functions here, and tells what they take at the clock in the ledger."
SHORT = 30  # characters of a value


def short_value(value: str) -> str:
    """Return a value of C as people read it: five digits, no marks of its type, the first figures of a table."""
    plain = (
        re.sub(r"(\d[\d.]*(?:e[-+]?\d+)?)f?\b", lambda m: f"{float(m[1]):.5g}", value)
        .replace("{ ", "(")
        .replace(" }", ")")
    )
    return plain if len(plain) <= SHORT else f"{plain[: SHORT - 1]}…"


def _page(widget: QWidget, *parts: tuple[QWidget, int]) -> None:
    column = QVBoxLayout(widget)
    column.setContentsMargins(14, 8, 14, 8)
    column.setSpacing(6)
    for part, stretch in parts:
        column.addWidget(part, stretch)


class ConstantsPage(QWidget):
    """Every figure of the kit with its evidence."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.table = RowsTable("kit-constants", "Constants of the kit", ("constant", "value>", "rests on"))
        self.table.columns_of({0: 205, 1: 190})
        _page(self, (self.table, 1))
        self._shown: Any = None

    def draw(self) -> None:
        """List them."""
        self.session.answers.ask("kit.contents")
        found = self.session.answers.result("kit.contents")
        if found is None or found is self._shown:
            return
        self._shown = found
        rows: list[tuple[Cell, ...]] = []
        tips = []
        for _, constant in found[2]:
            for name, value, said in constant.rows:
                short = short_value(value)
                rows.append((name.removeprefix("KIT_"), short, said))
                tips.append(f"{name} = {value}")
        self.table.show_rows(rows, tips)


class EqualityPage(QWidget):
    """Whether the C computes what the core computes."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        tip = "Compile the kit here and replay all recordings through it"
        self.button = push_button("prove-kit", "Prove it", tip, lambda: prove(session), is_main=True)
        self.note = QLabel(PROVE)
        self.note.setTextFormat(Qt.TextFormat.RichText)
        self.note.setWordWrap(True)
        titles = ("recording", "precision", "figure", "at most off>", "allowed>", "at s>", "")
        self.table = RowsTable("kit-equality", "Equality with the core", titles, 0)
        _page(self, (input_line(self.button), 0), (self.note, 0), (self.table, 1))

    def draw(self) -> None:
        """Show the newest proof."""
        proved = self.session.answers.result("kit.equality")
        if proved is None:
            return
        if proved.why_not:
            self.note.setText(escape(proved.why_not))
            self.table.show_rows(())
            return
        changed = (
            "" if self.session.answers.is_current("kit.equality") else " The project has changed since: prove it again."
        )
        word = (
            "The C computes what the core computes."
            if proved.is_equal
            else "The C does not compute what the core computes."
        )
        samples = sum(e.samples for _, e in proved.found)
        self.note.setText(f"<b>{word}</b> {samples:,} samples were compared.{changed}".replace(",", " "))
        rows: list[tuple[Cell, ...]] = []
        for name, e in proved.found:
            if e.why_not:
                rows.append((name, e.precision, e.why_not, "", "", "", ("not equal", "stop")))
            for h in e.held:
                unit = "" if h.unit in ("1", "relative") else f" {h.unit}"
                word_cell: Cell = ("equal", "fine") if h.is_within else ("not equal", "stop")
                rows.append(
                    (
                        name,
                        e.precision,
                        h.name,
                        f"{h.worst:.1e}{unit}",
                        f"{h.limit:.1e}{unit}",
                        f"{h.at_s:.1f}",
                        word_cell,
                    )
                )
        self.table.show_rows(rows)


class CostPage(QWidget):
    """Instructions, stack, bytes and microseconds."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.count = push_button(
            "count-kit",
            "Count",
            "Count instructions, stack and constants here",
            lambda: session.ask("kit.cost"),
            is_main=True,
        )
        self.put = push_button(
            "kit-into-loops",
            "Put into Loops",
            "Take these durations for the control cycle",
            lambda: put_into_loops(session),
        )
        self.note = QLabel(COUNT)
        self.note.setWordWrap(True)
        titles = ("a call of", "instructions>", "on figures>", "stack>", "with a unit>", "without>", "of the loop>")
        self.table = RowsTable("kit-cost", "Cost of the kit", titles, 0)
        self.words = QLabel()
        self.words.setWordWrap(True)
        self.words.setObjectName("kit-cost-words")
        self.timeline = TimelineFigure()
        self.timeline.title.setText("The longest cycle with these durations")
        _page(
            self,
            (input_line(self.put, self.count), 0),
            (self.note, 0),
            (self.table, 3),
            (self.timeline, 4),
            (self.words, 0),
        )

    def draw(self) -> None:
        """Show the newest count."""
        found = self.session.answers.result("kit.cost")
        self.put.setEnabled(found is not None)
        if found is None:
            return
        cost, study = found
        self.timeline.show_cycle(*cycle_of(study))
        from fusus.study.kit.costing import TITLES, assumptions

        kit, rate = self.session.project.kit, self.session.project.loops.rate_hz
        rows: list[tuple[Cell, ...]] = []
        for p in cost.parts:
            both = [p.seconds(kit.clock_hz, unit, cost.precision) for unit in (True, False)]
            share = both[0 if kit.has_fpu else 1] * rate
            stack = "–" if p.stack_bytes is None else f"{p.stack_bytes} B"
            cell: Cell = f"{share:.1%}" if share < 0.5 else (f"{share:.0%}", "stop" if share > 0.9 else "mind")
            times = (f"{both[0] * 1e6:.1f} µs", f"{both[1] * 1e6:.1f} µs")
            rows.append((TITLES[p.name], f"{p.instructions:.0f}", f"{p.figures_share:.0%}", stack, *times, cell))
        self.table.show_rows(rows)
        changed = "" if self.session.answers.is_current("kit.cost") else " The project has changed since: count again."
        self.note.setText(
            f"State {cost.state_bytes / 1024:.1f} KiB, code {cost.code_bytes / 1024:.0f} KiB, constants "
            f"{cost.constant_bytes / 1024:.1f} KiB; times at {kit.clock_hz / 1e6:g} MHz.{changed}"
        )
        self.words.setText(assumptions(cost))

    def restyle(self) -> None:
        """Take on the theme's colours."""
        self.timeline.restyle()
