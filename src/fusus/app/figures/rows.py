"""A plain table of words and figures: rules instead of boxes, rows that can be chosen."""

from collections.abc import Iterator, Sequence
from contextlib import contextmanager

from PyQt6.QtCore import QRect, QSignalBlocker, Qt
from PyQt6.QtGui import QColor, QFontMetrics, QResizeEvent
from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QTableWidget, QTableWidgetItem

from fusus.app import theme

Cell = str | tuple[str, str]  # words, or words with a severity, or "faint"
Mode = QHeaderView.ResizeMode
PADDING_PX = 6  # as in the style sheet


class RowsTable(QTableWidget):
    """Titles that end in > stand over figures; the column ``widest`` takes the room that is left."""

    def __init__(self, name: str, title: str, titles: Sequence[str], widest: int = -1) -> None:
        super().__init__(0, len(titles))
        self.setObjectName(name)
        self.setAccessibleName(title)
        self.setProperty("role", "rows")
        self._right = [t.endswith(">") for t in titles]
        self._modes = [Mode.ResizeToContents] * len(titles)
        self._modes[widest] = Mode.Stretch
        self.setHorizontalHeaderLabels([t.removesuffix(">") for t in titles])
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setShowGrid(False)
        self.setWordWrap(True)
        rows, columns = self.verticalHeader(), self.horizontalHeader()
        if rows is not None:
            rows.hide()
        if columns is not None:
            columns.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        for i, right in enumerate(self._right):
            item = self.horizontalHeaderItem(i)
            if right and item is not None:
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self._measure(self._modes)

    def show_rows(self, rows: Sequence[Sequence[Cell]], tips: Sequence[str] = (), editable: int | None = None) -> None:
        """Show rows; a cell with a severity stands in its colour, and its words say the same. One column may be edited."""
        with self._filling():
            self.clearContents()
            self.setRowCount(len(rows))
            for r, row in enumerate(rows):
                for c, cell in enumerate(row):
                    self.setItem(r, c, self._item(cell, c, tips[r] if r < len(tips) else "", c == editable))

    def _item(self, cell: Cell, column: int, tip: str, is_editable: bool) -> QTableWidgetItem:
        words, severity = (cell, "") if isinstance(cell, str) else cell
        item = QTableWidgetItem(words)
        side = Qt.AlignmentFlag.AlignRight if self._right[column] else Qt.AlignmentFlag.AlignLeft
        item.setTextAlignment(side | Qt.AlignmentFlag.AlignVCenter)
        item.setFont(theme.font())
        if severity:
            t = theme.tokens()
            item.setForeground(QColor(t.faint if severity == "faint" else t.severity(severity)))
        item.setToolTip(tip or words)
        if not is_editable:
            item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEditable)
        return item

    @contextmanager
    def _filling(self) -> Iterator[None]:
        """Hold the measuring of rows and columns until all cells are there: it would be done anew for each."""
        self._measure([Mode.Fixed] * len(self._modes))
        with QSignalBlocker(self):
            yield
        self._measure(self._modes)
        self._fit_rows()

    def _measure(self, modes: Sequence[Mode]) -> None:
        columns = self.horizontalHeader()
        if columns is not None:
            for i, mode in enumerate(modes):
                columns.setSectionResizeMode(i, mode)

    def _fit_rows(self) -> None:
        """Make each row as high as its words need; Qt's own measure forgets the style sheet's padding."""
        metrics = QFontMetrics(theme.font())
        room = [max(20, self.columnWidth(c) - 2 * PADDING_PX - 4) for c in range(self.columnCount())]
        for r in range(self.rowCount()):
            height = 0
            for c, width in enumerate(room):
                item = self.item(r, c)
                if item is not None:
                    box = metrics.boundingRect(QRect(0, 0, width, 10_000), int(Qt.TextFlag.TextWordWrap), item.text())
                    height = max(height, box.height())
            self.setRowHeight(r, height + 12)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit_rows()

    def columns_of(self, widths: dict[int, int]) -> None:
        """Give columns a fixed width, px."""
        for column in widths:
            self._modes[column] = Mode.Fixed
        self._measure(self._modes)
        for column, width in widths.items():
            self.setColumnWidth(column, theme.px(width))
