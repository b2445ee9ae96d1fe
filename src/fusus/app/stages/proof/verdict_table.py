"""The verdict table: requirements down; prediction, recordings, the board's own estimate and all flights across."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, QRect, QSize, Qt
from PyQt6.QtGui import QColor, QPainter
from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QStyledItemDelegate, QStyleOptionViewItem, QTableView

from fusus.app import theme
from fusus.app.text import limit_text, statistic_text
from fusus.core.requirements import Requirement

VERDICT = Qt.ItemDataRole.UserRole + 1
ROW_PX, COLUMN_PX = 50, 164  # as wide as a value with its interval


@dataclass(frozen=True, slots=True)
class Column:
    """One column: two lines of heading, the verdict on each requirement, what stands where there is none; ``recording`` and
    ``source`` lead to the figure, "" where there is none."""

    title: str
    subtitle: str
    verdict: Callable[[Requirement], dict[str, Any] | None]
    empty: str = ""
    recording: str = ""
    source: str = ""


def value_text(v: dict[str, Any]) -> str:
    """Return a verdict's value with its unit."""
    unit = {"deg": "°"}.get(v["unit"], " " + v["unit"])
    return f"{v['value']:.2f}{unit}"


class VerdictModel(QAbstractTableModel):
    """Requirements down, columns across."""

    def __init__(self) -> None:
        super().__init__()
        self._requirements: tuple[Requirement, ...] = ()
        self.columns: tuple[Column, ...] = ()

    def show(self, requirements: tuple[Requirement, ...], columns: tuple[Column, ...]) -> None:
        """Show other verdicts."""
        self.beginResetModel()
        self._requirements, self.columns = requirements, columns
        self.endResetModel()

    def place(self, index: QModelIndex) -> tuple[Requirement, Column] | None:
        """Return what a cell is about."""
        return (self._requirements[index.row()], self.columns[index.column()]) if index.isValid() else None

    def column_of(self, recording: str, source: str = "fusus") -> int:
        """Return the place of a recording's column, -1 for none."""
        return next((i for i, c in enumerate(self.columns) if (c.recording, c.source) == (recording, source)), -1)

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self._requirements)

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.columns)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if role != Qt.ItemDataRole.DisplayRole:
            return None
        if orientation == Qt.Orientation.Horizontal:
            c = self.columns[section]
            return f"{c.title}\n{c.subtitle}"
        r = self._requirements[section]
        return f"{limit_text(r)}\n{statistic_text(r)}"

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        found = self.place(index)
        if found is None:
            return None
        requirement, column = found
        v = column.verdict(requirement)
        if role == VERDICT:
            return v
        if role == Qt.ItemDataRole.DisplayRole:
            return column.empty if v is None else _words(v)
        if role == Qt.ItemDataRole.ToolTipRole and v is not None:
            return v["reason"].capitalize() + "."
        if role == Qt.ItemDataRole.AccessibleTextRole and v is not None:
            return f"{requirement.title} in {column.title}: {_words(v)}"
        return None


def _words(v: dict[str, Any]) -> str:
    if v["value"] is None:
        return f"{theme.SHAPES['not measured']} not measured"
    interval = f"\n{v['interval'][0]:.2f} to {v['interval'][1]:.2f}" if v.get("interval") else ""
    return f"{value_text(v)}  {theme.SHAPES[v['verdict']]} {v['verdict']}{interval}"


class VerdictDelegate(QStyledItemDelegate):
    """Draws value, word and interval; the words tell, colour only helps."""

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(180, ROW_PX)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        if painter is None:
            return
        super().paint(painter, QStyleOptionViewItem(), QModelIndex())
        t = theme.tokens()
        v = index.data(VERDICT)
        box = option.rect.adjusted(10, 3, -8, -4)
        left, right = (
            side | Qt.AlignmentFlag.AlignVCenter for side in (Qt.AlignmentFlag.AlignLeft, Qt.AlignmentFlag.AlignRight)
        )
        painter.save()
        if option.state & option.state.State_Selected:
            painter.fillRect(option.rect, QColor(t.band))
        if v is None or v["value"] is None:
            painter.setPen(QColor(t.faint))
            painter.setFont(theme.font())
            painter.drawText(box, left, str(index.data()))
        else:
            painter.setPen(QColor(t.ink))
            painter.setFont(theme.font(17))
            top = QRect(box.left(), box.top(), box.width(), box.height() // 2)
            painter.drawText(top, left, value_text(v))
            painter.setPen(QColor(t.severity(v["verdict"])))
            painter.setFont(theme.font(bold=True))
            painter.drawText(top, right, f"{theme.SHAPES[v['verdict']]} {v['verdict']}")
            if v.get("interval"):
                painter.setPen(QColor(t.faint))
                painter.setFont(theme.font())
                low = QRect(box.left(), box.center().y(), box.width(), box.height() // 2 + 2)
                painter.drawText(low, left, f"95 %: {v['interval'][0]:.2f} to {v['interval'][1]:.2f}")
        painter.restore()


def verdict_view(model: VerdictModel) -> QTableView:
    """Return the table over a model."""
    table = QTableView()
    table.setObjectName("verdicts")
    table.setAccessibleName("Verdict table")
    table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
    table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
    model.setParent(table)
    table.setModel(model)
    table.setItemDelegate(VerdictDelegate(table))
    for header in (table.horizontalHeader(), table.verticalHeader()):
        if header is not None:
            header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
    rows, columns = table.verticalHeader(), table.horizontalHeader()
    if rows is not None:
        rows.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        rows.setDefaultSectionSize(ROW_PX)
    if columns is not None:
        columns.setDefaultSectionSize(theme.px(COLUMN_PX))
    return table
