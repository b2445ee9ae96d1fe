"""Proof's sheet: requirement by recording, each cell a value, an interval, and a word."""

from typing import Any

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, QRect, QSize, Qt
from PyQt6.QtGui import QColor, QPainter
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QLabel,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
    QVBoxLayout,
)

from fusus.app import theme
from fusus.app.desk import Desk
from fusus.app.figures.rows import Cell, RowsTable
from fusus.app.stages.base import Sheet
from fusus.app.stages.inputs import choice_box, input_line, push_button
from fusus.app.text import limit_text, statistic_text
from fusus.core.judgement.requirements import Requirement
from fusus.study.judgements import Judgement

VERDICT = Qt.ItemDataRole.UserRole + 1


class VerdictModel(QAbstractTableModel):
    """Requirements down, recordings across, over the desk's judgements."""

    def __init__(self) -> None:
        super().__init__()
        self._requirements: tuple[Requirement, ...] = ()
        self._judgements: tuple[Judgement, ...] = ()

    def show(self, requirements: tuple[Requirement, ...], judgements: tuple[Judgement, ...]) -> None:
        """Show other verdicts."""
        self.beginResetModel()
        self._requirements = requirements
        self._judgements = tuple(sorted(judgements, key=lambda j: (j.evidence, j.recording)))
        self.endResetModel()

    @property
    def recordings(self) -> list[str]:
        """The recordings by column."""
        return [j.recording for j in self._judgements]

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self._requirements)

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self._judgements)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if role != Qt.ItemDataRole.DisplayRole:
            return None
        if orientation == Qt.Orientation.Horizontal:
            j = self._judgements[section]
            return f"{j.recording}\n{j.evidence}" + (f" ({j.kind})" if j.kind != j.evidence else "")
        r = self._requirements[section]
        return f"{limit_text(r)}\n{statistic_text(r)}"

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if not index.isValid():
            return None
        judgement, requirement = self._judgements[index.column()], self._requirements[index.row()]
        v = judgement.verdict(requirement.key)
        if role == VERDICT:
            return v
        if role == Qt.ItemDataRole.DisplayRole:
            return judgement.error or "" if v is None else _words(v)
        if role == Qt.ItemDataRole.ToolTipRole and v is not None:
            return v["reason"].capitalize() + "."
        if role == Qt.ItemDataRole.AccessibleTextRole and v is not None:
            return f"{requirement.title} in {judgement.recording}: {_words(v)}"
        return None


def _words(v: dict[str, Any]) -> str:
    if v["value"] is None:
        return f"{theme.SHAPES['not measured']} not measured"
    unit = {"deg": "°"}.get(v["unit"], " " + v["unit"])
    interval = f"\n{v['interval'][0]:.2f} to {v['interval'][1]:.2f}" if v["interval"] else ""
    return f"{v['value']:.2f}{unit}  {theme.SHAPES[v['verdict']]} {v['verdict']}{interval}"


class VerdictDelegate(QStyledItemDelegate):
    """Draws value, word and interval; the words tell, colour only helps."""

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(180, 58)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        if painter is None:
            return
        super().paint(painter, QStyleOptionViewItem(), QModelIndex())
        t = theme.tokens()
        v = index.data(VERDICT)
        box = option.rect.adjusted(10, 6, -8, -6)
        painter.save()
        if option.state & option.state.State_Selected:
            painter.fillRect(option.rect, QColor(t.band))
        if v is None or v["value"] is None:
            painter.setPen(QColor(t.faint))
            painter.setFont(theme.font())
            painter.drawText(box, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, str(index.data()))
        else:
            unit = {"deg": "°"}.get(v["unit"], " " + v["unit"])
            painter.setPen(QColor(t.ink))
            painter.setFont(theme.font(17, mono=True))
            top = QRect(box.left(), box.top(), box.width(), box.height() // 2)
            value = f"{v['value']:.2f}{unit}"
            painter.drawText(top, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, value)
            painter.setPen(QColor(t.severity(v["verdict"])))
            painter.setFont(theme.font(bold=True))
            painter.drawText(
                top,
                Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                f"{theme.SHAPES[v['verdict']]} {v['verdict']}",
            )
            if v["interval"]:
                painter.setPen(QColor(t.faint))
                painter.setFont(theme.font(mono=True))
                low = QRect(box.left(), box.center().y(), box.width(), box.height() // 2 + 2)
                words = f"95 %: {v['interval'][0]:.2f} to {v['interval'][1]:.2f}"
                painter.drawText(low, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, words)
        painter.restore()


class ProofSheet(Sheet):
    """The verdict table, and under it why the chosen cell says what it says."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.title = QLabel("Requirements against recordings")
        self.title.setProperty("role", "title")
        self.table = QTableView()
        self.table.setObjectName("verdicts")
        self.table.setAccessibleName("Verdict table")
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.model = VerdictModel()
        self.model.setParent(self.table)
        self.table.setModel(self.model)
        self.table.setItemDelegate(VerdictDelegate(self.table))
        for header in (self.table.horizontalHeader(), self.table.verticalHeader()):
            if header is not None:
                header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        rows = self.table.verticalHeader()
        if rows is not None:
            rows.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
            rows.setDefaultSectionSize(58)
        columns = self.table.horizontalHeader()
        if columns is not None:
            columns.setDefaultSectionSize(theme.px(176))  # as wide as a value with its interval
        selection = self.table.selectionModel()
        if selection is not None:
            selection.currentChanged.connect(lambda index, _old: self._explain(index))
        self.table.doubleClicked.connect(self._open)
        self.reason = QLabel()
        self.reason.setWordWrap(True)
        self.reason.setObjectName("verdict-reason")
        self.reason.setMinimumHeight(64)
        self.reason.setAlignment(Qt.AlignmentFlag.AlignTop)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 10, 14, 10)
        column.setSpacing(8)
        column.addWidget(self.title)
        column.addWidget(self.table, 1)
        column.addWidget(self.reason)
        self.before, self.after = choice_box("compare-before", "Earlier", {}), choice_box("compare-after", "Later", {})
        for box in (self.before, self.after):
            box.setMinimumWidth(150)
        self.button = push_button(
            "compare-recordings",
            "Is it different?",
            "Tell by each requirement whether the later one really differs",
            self._compare,
        )
        column.addWidget(input_line(("Earlier", self.before), ("Later", self.after), self.button))
        self.changes = RowsTable(
            "changes", "What changed", ("requirement", "earlier>", "later>", "95 % of the change>", ""), 0
        )
        self.changes.setMaximumHeight(theme.px(190))
        self.changes.hide()
        column.addWidget(self.changes)
        desk.fusing.ready.connect(self._on_ready)
        self.refresh()

    def _compare(self) -> None:
        if self.before.currentText() and self.after.currentText():
            self.desk.fusing.compare(self.before.currentText(), self.after.currentText())

    def _on_ready(self, question: str) -> None:
        if question != "difference":
            return
        found = self.desk.fusing.result("difference")
        rows: list[tuple[Cell, ...]] = []
        weights = {"better": "fine", "worse": "stop"}
        for c in found["changes"]:
            unit = {"deg": "°"}.get(c["unit"], " " + c["unit"])
            low, high = c["interval"]
            span = "–" if low is None else f"{low:+.2g} to {high:+.2g}{unit}"
            word: Cell = (c["word"], weights[c["word"]]) if c["word"] in weights else c["word"]
            name = f"{c['title']} ({c['statistic']})"
            rows.append((name, f"{c['before']:.3g}{unit}", f"{c['after']:.3g}{unit}", span, word))
        self.changes.show_rows(
            rows, [f"{found['after']} against {found['before']}: blocks of each resampled on their own"] * len(rows)
        )
        self.changes.show()

    def _fill(self) -> None:
        names = self.model.recordings
        for box, place in ((self.before, 0), (self.after, 1)):
            if [box.itemText(i) for i in range(box.count())] != names:
                chosen = box.currentText()
                box.clear()
                for name in names:
                    box.addItem(name, name)
                box.setCurrentIndex(names.index(chosen) if chosen in names else min(place, len(names) - 1))
        for widget in (self.before, self.after, self.button):
            widget.setEnabled(len(names) > 1)

    def restyle(self) -> None:
        """Take on the theme's colours."""
        self.refresh()

    def refresh(self) -> None:
        """Show the judgements that lie on the desk."""
        self.model.show(self.desk.project.brief.requirements, self.desk.judgements)
        self._fill()
        header = self.table.horizontalHeader()
        if header is not None:
            header.setSectionResizeMode(
                QHeaderView.ResizeMode.Stretch if self.model.columnCount() <= 3 else QHeaderView.ResizeMode.Interactive
            )
        if not self.desk.recordings():
            self.reason.setText("No recording yet. Import a log with a reference attitude; its verdicts appear here.")
        elif not self.desk.judgements:
            self.reason.setText("The recordings are being judged …")
        else:
            self.reason.setText("Choose a cell to see why. A double click opens its recording in Fusion.")

    def _explain(self, index: QModelIndex) -> None:
        v = index.data(VERDICT) if index.isValid() else None
        if v is None:
            return
        name = self.model.recordings[index.column()]
        self.reason.setText(
            f"{v['title']} in {name}: {v['verdict']}, because {v['reason']}. pass: the whole 95 % interval lies within the limit; close: "
            "the value does, its interval does not; fail: the value lies above. Intervals by block bootstrap."
        )

    def _open(self, index: QModelIndex) -> None:
        window = self.window()
        follow = getattr(window, "follow", None)
        if follow is not None:
            follow(f"recording.{self.model.recordings[index.column()]}")
