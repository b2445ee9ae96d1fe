"""Pages for questions that take a while: asked by a button, answered in a table."""

import math
from collections.abc import Callable
from typing import Any

from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from fusus.app.answers.fusion import TITLES
from fusus.app.figures.rows import Cell, RowsTable
from fusus.app.session import Session

Rows = tuple[list[tuple[Cell, ...]], list[str]]
DEGREES = ("tilt", "heading")


class QuestionPage(QWidget):
    """A button, a sentence, and the table of the answer."""

    def __init__(
        self, session: Session, question: str, words: str, button: str, table: RowsTable, rows: Callable[[Any], Rows]
    ) -> None:
        super().__init__()
        self.session, self.question, self.table = session, question, table
        self._words, self._rows = words, rows
        self.button = QPushButton(button)
        self.button.setObjectName(f"ask-{question}")
        self.button.setProperty("role", "main")
        self.button.setToolTip(TITLES[question])
        self.button.clicked.connect(lambda _=False: session.ask_of_recording(f"fusion.{question}"))
        self.note = QLabel(words)
        self.note.setWordWrap(True)
        line = QHBoxLayout()
        line.addWidget(self.note, 1)
        line.addWidget(self.button)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 8, 14, 8)
        column.addLayout(line)
        column.addWidget(table, 1)

    def draw(self) -> None:
        """Show the newest answer, and say where it is of other inputs."""
        found = self.session.answers.result(f"fusion.{self.question}")
        self.button.setEnabled(self.session.recording() is not None)
        self.note.setText(self._words)
        if found is None:
            self.table.show_rows([])
            return
        info = self.session.recording()
        if info is None or not self.session.answers.is_current(f"fusion.{self.question}", info.name):
            self.note.setText(f"{self._words} The inputs have changed since: ask again.")
        study = self.session.fusion.study if self.session.fusion is not None else None
        if study is not None and study.loaded.reference is None:
            self.note.setText(f"{self.note.text()} Measured against the smoother, for want of a reference.")
        rows, tips = self._rows(found)
        self.table.show_rows(rows, tips)


def error_text(quantity: str, value: float | None) -> str:
    """Return an SI error as people read it."""
    if value is None or not math.isfinite(value):
        return "–"
    if quantity in DEGREES:
        return f"{math.degrees(value):.2f}°"
    size = f"{value:.0f}" if value >= 100 else f"{value:.2f}"
    return f"{size} m/s" if quantity == "velocity" else f"{size} m"


def ablation_page(session: Session) -> QuestionPage:
    """Return the page of sensors taken out or made twice as good."""
    titles = ("", "tilt>", "heading>", "height>", "position>", "velocity>", "after outage>")
    table = RowsTable("ablation", "Sensors taken out or made better", titles, 0)
    order = ("tilt", "heading", "height", "position", "velocity", "outage")

    def rows(found: Any) -> Rows:
        out: list[tuple[Cell, ...]] = []
        first = found.rows[0].values
        for v in found.rows:
            cells: list[Cell] = [v.title]
            for quantity in order:
                at = next((i for i, r in enumerate(found.requirements) if r.quantity == quantity), None)
                if at is None:
                    cells.append("–")
                    continue
                text = error_text(quantity, v.values[at])
                limit, base, value = found.requirements[at].limit, first[at], v.values[at]
                broken = value is not None and value > limit
                better = value is not None and base is not None and value < 0.85 * base
                cells.append((text, "stop") if broken else (f"{text} ↓", "fine") if better else text)
            out.append(tuple(cells))
        tips = [
            "The statistic of each requirement; a limit that is broken stands in the colour of “stop”, ↓ is clearly "
            "better"
        ] * len(out)
        return out, tips

    words = "Which sensor carries which requirement? Each is taken out in turn, then made twice as good by taking half of its error off."
    return QuestionPage(session, "ablation", words, "Run the ablation", table, rows)


def faults_page(session: Session) -> QuestionPage:
    """Return the page of faults."""
    titles = (
        "fault", "estimator", "tilt\n[°]>", "heading\n[°]>", "position\n[m]>", "height\n[m]>", "what tells", "recovery\ntime [s]>",
    )  # fmt: skip
    table = RowsTable("faults", "Faults", titles, 6)
    table.columns_of({0: 98, 1: 118, 2: 54, 3: 68, 4: 68, 5: 60, 7: 78})

    def rows(found: Any) -> Rows:
        out: list[tuple[Cell, ...]] = []
        tips: list[str] = []
        order = list(dict.fromkeys(r.fault.name for r in found))
        for r in sorted(found, key=lambda x: order.index(x.fault.name)):
            cells: list[Cell] = [r.fault.title, r.title]
            for quantity in ("tilt", "heading", "horizontal", "height"):
                cells.append(error_text(quantity, r.worst.get(quantity)).rstrip("° m/s"))
            if not r.hurts:
                told: Cell = (r.told[0] if r.told else "does no harm", "faint")
            elif not r.noticed:
                told = ("nothing: silent", "stop")
            else:
                told = (r.told[0] if r.told else f"claimed σ grows {r.sigma_grew:.1f} times", "fine")
            cells += [told, "none" if r.recovers_s is None else f"{r.recovers_s:.0f}"]
            out.append(tuple(cells))
            without = ", ".join(f"{k} {error_text(k, v)}" for k, v in r.without.items())
            tips.append(
                f"{r.fault.about} From {r.start_s:.0f} to {r.end_s:.0f} s. Without it at most: {without}. Told: "
                f"{', '.join(r.told) or 'nothing'}."
            )
        return out, tips

    words = "How far does each estimator go wrong, does anything tell, and how long until it has recovered?"
    return QuestionPage(session, "faults", words, "Try faults", table, rows)


def schools_page(session: Session) -> QuestionPage:
    """Return the page of schools."""
    table = RowsTable("fusion-schools", "Schools", ("question", "one school", "the other", "on your recording"), 3)
    table.columns_of({0: 92, 1: 186, 2: 186})

    def rows(found: Any) -> Rows:
        out: list[tuple[Cell, ...]] = [
            (s.question, f"{s.first}:\n{s.first_says}", f"{s.second}:\n{s.second_says}", s.here) for s in found
        ]
        return out, [""] * len(out)

    return QuestionPage(
        session,
        "schools",
        "Where practitioners differ: both schools on your own recording.",
        "Compare schools",
        table,
        rows,
    )
