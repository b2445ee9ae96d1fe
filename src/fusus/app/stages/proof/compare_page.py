"""Two recordings, or one before and after a change: does a figure really differ?"""

from PyQt6.QtWidgets import QLabel, QVBoxLayout, QWidget

from fusus.app.figures.rows import Cell, RowsTable
from fusus.app.session import Session
from fusus.app.stages.inputs import choice_box, fill_names, input_line, push_button

ABOUT = (
    "Choose two flights, or the same flight with two firmware versions, and see by each requirement whether the later one is really "
    "better or worse: blocks of each recording are resampled on their own, and a difference is real if zero lies outside its 95 % "
    "interval. “fusus verify --before” asks the same, and ends with status 1 where something is worse."
)


class ComparePage(QWidget):
    """Two names above, changes below."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.before, self.after = choice_box("compare-before", "Earlier", {}), choice_box("compare-after", "Later", {})
        for box in (self.before, self.after):
            box.setMinimumWidth(180)
        tip = "Tell by each requirement whether the later one really differs"
        self.button = push_button("compare-recordings", "Is it different?", tip, self._compare, is_main=True)
        self.note = QLabel(ABOUT)
        self.note.setWordWrap(True)
        self.changes = RowsTable(
            "changes", "What changed", ("requirement", "earlier>", "later>", "95 % of the change>", ""), 0
        )
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 8, 14, 8)
        column.addWidget(input_line(("Earlier", self.before), ("Later", self.after), self.button))
        column.addWidget(self.note)
        column.addWidget(self.changes, 1)

    def _compare(self) -> None:
        if self.before.currentText() and self.after.currentText():
            self.session.ask("proof.difference", self.before.currentText(), self.after.currentText())

    def draw(self) -> None:
        """Show the newest comparison."""
        names = [j.recording for j in self.session.judgements]
        fill_names(self.before, names, 0)
        fill_names(self.after, names, 1)
        for widget in (self.before, self.after, self.button):
            widget.setEnabled(len(names) > 1)
        found = self.session.answers.result("proof.difference")
        if found is None:
            return
        rows: list[tuple[Cell, ...]] = []
        weights = {"better": "fine", "worse": "stop"}
        for c in found["changes"]:
            unit = {"deg": "°"}.get(c["unit"], " " + c["unit"])
            low, high = c["interval"]
            span = "–" if low is None else f"{low:+.2g} to {high:+.2g}{unit}"
            word: Cell = (c["word"], weights[c["word"]]) if c["word"] in weights else c["word"]
            name = f"{c['title']} ({c['statistic']})"
            rows.append((name, f"{c['before']:.3g}{unit}", f"{c['after']:.3g}{unit}", span, word))
        self.note.setText(f"{found['after']} against {found['before']}: {len(found['worse'])} worse. " + ABOUT)
        self.changes.show_rows(rows)
