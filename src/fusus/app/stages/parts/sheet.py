"""The parts' sheet: catalogue with checks, chart of combinations, ranges and counts, schools."""

from typing import Any

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QPushButton, QSplitter, QVBoxLayout, QWidget

from fusus.app.figures.rows import Cell, RowsTable
from fusus.app.figures.suites import SuiteFigure
from fusus.app.session import Session
from fusus.app.stages.base import TabbedSheet, column_page, title_label
from fusus.app.stages.parts.datasheet import Datasheet
from fusus.app.text import figure
from fusus.core.parts.fields import KIND_TITLES
from fusus.project.commands import SetValue


class PartsSheet(TabbedSheet):
    """Four pages: which parts there are, what combinations of them do, ranges and counts, and where the schools differ."""

    def __init__(self, session: Session) -> None:
        self._rows: list[Any] = []
        self._suites: list[Any] = []
        super().__init__(
            session,
            (
                ("catalogue", "Catalogue", self._catalogue(session)),
                ("suites", "Combinations", self._suite_page(session)),
                ("registers", "Ranges and counts", self._registers()),
                ("schools", "Schools", self._school_page()),
            ),
        )
        session.answers.ready.connect(self._on_ready)
        self.refresh()

    # Building

    def _catalogue(self, session: Session) -> QWidget:
        self.kind = QComboBox()
        self.kind.setObjectName("parts-kind")
        self.kind.setAccessibleName("Kind of part")
        for kind, title in KIND_TITLES.items():
            self.kind.addItem(f"{title}s", kind)
        self.kind.activated.connect(lambda _: self.draw("catalogue"))
        self.table = RowsTable(
            "parts-table",
            "Parts with their checks",
            ("part", "grade", "price>", "mass>", "current>", "limits", "advice"),
            1,
        )
        self.table.itemSelectionChanged.connect(self._show_selected)
        choose = QPushButton("Choose this part")
        choose.setObjectName("choose-part")
        choose.clicked.connect(lambda: self._choose(session))
        head = QHBoxLayout()
        head.addWidget(self.kind)
        head.addStretch()
        head.addWidget(choose)
        self.datasheet = Datasheet(session)
        upper = QWidget()
        column = QVBoxLayout(upper)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addLayout(head)
        column.addWidget(self.table, 1)
        split = QSplitter(Qt.Orientation.Vertical)
        split.addWidget(upper)
        split.addWidget(self.datasheet)
        split.setSizes([330, 300])
        split.setChildrenCollapsible(False)
        return column_page(split)

    def _suite_page(self, session: Session) -> QWidget:
        self.chart = SuiteFigure()
        self.chart.picked.connect(self._picked)
        self.front = RowsTable(
            "front-table", "Combinations not dominated by another",
            ("error/limit>", "price>", "mass>", "current>", "IMU, barometer, magnetometer, receiver"),
        )  # fmt: skip
        run = QPushButton("Rank every combination")
        run.setObjectName("rank")
        run.clicked.connect(session.rank)
        take = QPushButton("Choose this combination")
        take.setObjectName("take-suite")
        take.clicked.connect(lambda: self._take(session))
        self.rank_words = QLabel()
        self.rank_words.setProperty("role", "faint")
        head = QHBoxLayout()
        head.addWidget(run)
        head.addWidget(self.rank_words, 1)
        head.addWidget(take)
        bar = QWidget()
        bar.setLayout(head)
        head.setContentsMargins(0, 0, 0, 0)
        return column_page((bar, 0), (self.chart, 6), (self.front, 4))

    def _registers(self) -> QWidget:
        self.register_table = RowsTable(
            "register-table", "Scale factors of the chosen parts",
            ("sensor", "range", "LSB per unit>", "a step>", "noise/step>", "what it means"),
        )  # fmt: skip
        self.raw = RowsTable("raw-table", "Raw counts", ("sensor", "raw word", "counts>", "value>", "reading"))
        return column_page(
            title_label("Scale factors by range"), (self.register_table, 3),
            title_label("Raw counts: high byte first, two's complement"), (self.raw, 2),
        )  # fmt: skip

    def _school_page(self) -> QWidget:
        self.school_table = RowsTable(
            "school-table", "Where the schools differ", ("question", "one school", "the other school", "here")
        )
        self.school_table.columns_of({0: 120, 1: 190, 2: 190})
        return column_page(self.school_table)

    # Drawing

    def _on_ready(self, question: str) -> None:
        if question == "parts.ranking":
            self.refresh()

    def draw(self, name: str) -> None:
        """Draw one page."""
        {
            "catalogue": self._draw_catalogue,
            "suites": self._draw_suites,
            "registers": self._draw_registers,
            "schools": self._draw_schools,
        }[name]()

    def _draw_catalogue(self) -> None:
        predicted, kind = self.session.prediction, self.kind.currentData()
        if predicted is None:
            return
        keep = self.datasheet.name
        self._rows = [r for r in predicted.rows if r.part.part.kind == kind]
        chosen = getattr(self.session.project.parts, kind)
        cells: list[list[Cell]] = []
        for r in self._rows:
            part, figures = r.part.part, r.part.part.figures
            limits, advice = r.count("limit"), r.count("advice")
            cells.append(
                [
                    ("● " if part.name == chosen else "") + part.name + (" (own)" if r.own else ""), part.word("grade"),
                    _number(figures.get("price"), 1, ""), _number(figures.get("mass"), 1e3, " g"),
                    _number(figures.get("current"), 1e3, " mA"), _kept(limits, "fail"), _kept(advice, "mind"),
                ]
            )  # fmt: skip
        self.table.show_rows(cells)
        wanted = keep or chosen
        index = next((i for i, r in enumerate(self._rows) if r.part.part.name == wanted), 0)
        if self._rows:
            self.table.selectRow(index)
            self._show_selected()

    def show_part(self, kind: str, name: str) -> None:
        """Show one part of the catalogue."""
        self.show_page("catalogue")
        self.kind.setCurrentIndex(self.kind.findData(kind))
        self._draw_catalogue()
        index = next((i for i, r in enumerate(self._rows) if r.part.part.name == name), None)
        if index is not None:
            self.table.selectRow(index)

    def _selected(self) -> Any:
        row = self.table.currentRow()
        return self._rows[row] if 0 <= row < len(self._rows) else None

    def _show_selected(self) -> None:
        row = self._selected()
        if row is not None:
            self.datasheet.show_part(row)

    def _choose(self, session: Session) -> None:
        row = self._selected()
        if row is not None:
            part = row.part.part
            session.do(SetValue(f"parts.{part.kind}", part.name, f"Choose {part.name}"))

    def _draw_suites(self) -> None:
        ranking = self.session.ranking
        if ranking is None:
            self.rank_words.setText(
                "Some 3000 combinations, a few seconds: what each does on your mission, and which are not dominated."
            )
            return
        suites = ranking.suites
        stale = "" if self.session.answers.is_current("parts.ranking") else " The brief changed since: rank again."
        self.rank_words.setText(f"{len(suites)} combinations, {len(ranking.front)} not dominated.{stale}")
        price = np.array([s.price for s in suites])
        score = np.array([s.score for s in suites])
        order = np.lexsort((score, price))
        best, front = np.inf, []
        for i in order.tolist():
            if score[i] < best:
                best = float(score[i])
                front.append(i)
        names = self._chosen_names()
        chosen = next(((s.price, s.score) for s in suites if s.choice.names() == names), None)
        self.chart.show_suites(price, score, np.array(front), chosen, self.session.project.brief.budgets.price)
        self._suites = sorted((suites[i] for i in front), key=lambda s: s.price)
        self._fill_front()

    def _chosen_names(self) -> dict[str, str]:
        study = self.session.prediction.study if self.session.prediction is not None else None
        return study.choice.names() if study is not None else {}

    def _fill_front(self) -> None:
        cells: list[list[Cell]] = []
        for s in self._suites:
            names = s.choice.names()
            word = f"{s.score:.2f}"
            cells.append(
                [
                    (word, "fail" if s.score > 1 else "pass"), f"{s.price:.1f}", f"{s.mass_kg * 1e3:.1f} g",
                    f"{s.current_a * 1e3:.0f} mA", ", ".join(names.values()),
                ]
            )  # fmt: skip
        self.front.show_rows(cells)
        just = next((i for i, s in enumerate(self._suites) if s.score <= 1), 0)
        self.front.selectRow(just)
        item = self.front.item(just, 0)
        if item is not None:
            self.front.scrollToItem(item, self.front.ScrollHint.PositionAtCenter)

    def _picked(self, index: int) -> None:
        suite = self.session.ranking.suites[index]
        if suite in self._suites:
            self.front.selectRow(self._suites.index(suite))

    def _take(self, session: Session) -> None:
        row = self.front.currentRow()
        if not 0 <= row < len(self._suites):
            return
        names = self._suites[row].choice.names()
        parts = session.project.parts
        update = {k: names.get(k) for k in ("imu", "barometer", "magnetometer", "receiver")}
        session.do(SetValue("parts", parts.model_copy(update=update), "Take a suite"))

    def _draw_registers(self) -> None:
        predicted = self.session.prediction
        if predicted is None or predicted.study is None:
            self.register_table.show_rows([["Choose an IMU first.", "", "", "", "", ""]])
            return
        self.register_table.show_rows(
            [[r.sensor, r.range, r.per_unit, r.step, r.noise, r.meaning] for r in predicted.registers]
        )
        self.raw.show_rows([list(r) for r in predicted.raw])

    def _draw_schools(self) -> None:
        predicted = self.session.prediction
        if predicted is None:
            return
        self.school_table.show_rows(
            [
                [s.question, f"{s.first}\n{s.first_says}", f"{s.second}\n{s.second_says}", s.here]
                for s in predicted.schools
            ]
        )

    def restyle(self) -> None:
        """Take on the theme's colours."""
        self.chart.restyle()
        self.refresh()


def _number(value: float | None, scale: float, unit: str) -> str:
    return "–" if value is None else f"{figure(value * scale)}{unit}"


def _kept(count: tuple[int, int], severity: str) -> Cell:
    kept, total = count
    return (
        f"{'●' if kept == total else '■' if severity == 'fail' else '◆'} {kept} of {total}",
        "pass" if kept == total else severity,
    )
