"""The control cycle: a timeline, its tasks, and the way from a sample to thrust."""

from typing import Any

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from fusus.app.figures.loops import TimelineFigure, cycle_of
from fusus.app.figures.rows import Cell, RowsTable


class CyclePage(QWidget):
    """Timeline above, tables below."""

    def __init__(self) -> None:
        super().__init__()
        self.timeline = TimelineFigure()
        titles = ("task", "takes µs>", "every µs>", "share>", "done µs>")
        self.tasks = RowsTable("loop-tasks", "Tasks of the control cycle", titles, 0)
        self.tasks.columns_of({1: 74, 2: 74, 3: 68, 4: 78})
        self.latency = RowsTable("loop-latency", "From a sample to thrust", ("on the way", "µs>"), 0)
        below = QHBoxLayout()
        below.addWidget(self.tasks, 5)
        below.addWidget(self.latency, 3)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 8, 14, 8)
        column.addWidget(self.timeline, 5)
        column.addLayout(below, 5)

    def draw(self, study: Any) -> None:
        """Show a study's timing."""
        t = study.timing
        rows, period, latency = cycle_of(study)
        self.timeline.show_cycle(rows, period, latency)
        overrun = "" if t.fits else ", which does not fit"
        self.timeline.title.setText(
            f"The longest cycle: {t.superloop.worst.work_s * 1e6:.0f} of {period:.0f} µs{overrun}"
        )
        response = {r.task.name: r.worst_s for r in t.responses}
        out: list[tuple[Cell, ...]] = []
        for x in t.tasks:
            after = response.get("control cycle" if x.is_loop else x.name)
            told: Cell = ("never", "stop") if after is None else f"{after * 1e6:.0f}"
            out.append(
                (
                    x.name + (" (bus)" if x.place == "bus" else ""),
                    f"{x.duration_s * 1e6:.0f}",
                    f"{x.period_s * 1e6:.0f}",
                    f"{x.share:.1%}",
                    told,
                )
            )
        busy: Cell = (f"{t.utilisation:.0%}", "stop" if t.utilisation > 1 else "fine")
        out.append(("together", "", "", busy, ""))
        tip = (
            "Done: after so long at worst, with fixed priorities, the shortest period first; a cycle counts as one. "
            f"Up to {t.bound:.0%} together they always fit"
        )
        self.tasks.show_rows(out, [tip] * len(out))
        parts: list[tuple[Cell, ...]] = [(what, f"{s * 1e6:.0f}") for what, s in t.latency]
        self.latency.show_rows([*parts, ("from sample to thrust", f"{t.latency_s * 1e6:.0f}")])

    def restyle(self) -> None:
        """Take on the theme's colours."""
        self.timeline.restyle()
