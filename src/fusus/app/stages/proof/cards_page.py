"""The ladder of test cards: what to fly next, how, when to break off, and what came of it."""

from html import escape
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QLineEdit, QScrollArea, QSplitter, QVBoxLayout, QWidget

from fusus.app.figures.rows import Cell, RowsTable
from fusus.app.session import Session
from fusus.app.stages.inputs import choice_box, fill_names, input_line, push_button
from fusus.app.stages.proof.actions import note_card

TICKS = {"pass": " ●", "close": " ◆", "fail": " ■"}
STATES = {"passed": "fine", "failed": "stop", "broken off": "mind", "to do": "faint"}


class CardsPage(QWidget):
    """Cards on the left, the chosen one in full on the right, its result below."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.table = RowsTable("cards", "Test cards", ("", "card", "result"), 1)
        self.table.itemSelectionChanged.connect(self._choose)
        self.text = QLabel()
        self.text.setTextFormat(Qt.TextFormat.RichText)
        self.text.setObjectName("card-text")
        self.text.setWordWrap(True)
        self.text.setMargin(10)
        self.text.setAlignment(Qt.AlignmentFlag.AlignTop)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(self.text)
        split = QSplitter()
        split.addWidget(self.table)
        split.addWidget(scroll)
        split.setSizes([330, 420])
        self.recording = choice_box("card-recording", "Recording", {})
        self.recording.setMinimumWidth(150)
        self.words = QLineEdit()
        self.words.setObjectName("card-words")
        self.words.setAccessibleName("What happened")
        self.words.setPlaceholderText("what happened")
        buttons = [
            push_button(f"card-{result}", title, tip, lambda r=result: self._note(r), is_main=result == "pass")  # type: ignore[misc]
            for result, title, tip in (
                ("pass", "Passed", "Write into the book that the card's pass rule held"),
                ("fail", "Failed", "Write into the book that it did not"),
                ("aborted", "Broken off", "Write into the book that its abort rule ended it"),
            )
        ]
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 8, 14, 8)
        column.addWidget(split, 1)
        column.addWidget(input_line(("Recorded in", self.recording), ("Note", self.words), *buttons))

    def draw(self) -> None:
        """Show the ladder; it is read anew where the project has changed."""
        fill_names(self.recording, ["–", *(r.name for r in self.session.recordings())], 0)
        found = self.session.answers.result("proof.cards")
        if not self.session.answers.is_current("proof.cards"):
            self.session.answers.ask("proof.cards")
        if found is None:
            return
        rows: list[tuple[Cell, ...]] = []
        for i, c in enumerate(found["cards"], 1):
            rows.append((str(i), c["card"], (c["state"], STATES.get(c["state"], "mind"))))
        row = self.table.currentRow()
        self.table.show_rows(rows, [c["purpose"] for c in found["cards"]])
        waiting = next((i for i, c in enumerate(found["cards"]) if c["card"] == found["next"]), 0)
        self.table.selectRow(row if row >= 0 else waiting)
        self._choose()

    def _card(self) -> dict[str, Any] | None:
        found = self.session.answers.result("proof.cards")
        row = self.table.currentRow()
        return found["cards"][row] if found is not None and 0 <= row < len(found["cards"]) else None

    def _choose(self) -> None:
        c = self._card()
        if c is None:
            return
        steps = "".join(f"<li>{s}</li>" for s in c["steps"])
        titles = {r.key: r.title for r in self.session.project.brief.requirements}
        shows = ", ".join(titles.get(k, k) + TICKS.get(c["verdicts"].get(k, ""), "") for k in c["requirements"])
        judged = f"<p><b>Shows</b> {shows}</p>" if shows else ""
        last = c["last"] or {}
        words = escape(" ".join(str(last.get(k, "")) for k in ("result", "recording", "note")))
        said = f"<p>{str(last.get('at', ''))[:10]}: {words}</p>" if last else ""
        self.text.setText(
            f"<h3>{c['card'].capitalize()}</h3><p>{c['purpose']}</p><p><b>Conditions</b> {c['conditions']}</p><ol>{steps}</ol>"
            f"<p><b>Record</b> {c['record']}</p><p><b>Passed</b> {c['passes']}</p><p><b>Break off</b> when {c['abort']}</p>{judged}"
            f"<p><b>Cautions</b> {' '.join(c['cautions'])}</p>{said}"
        )

    def _note(self, result: str) -> None:
        c = self._card()
        if c is None:
            return
        name = self.recording.currentText()
        note_card(self.session, c["card"], result, None if name in ("", "–") else name, self.words.text().strip())
        self.words.clear()
