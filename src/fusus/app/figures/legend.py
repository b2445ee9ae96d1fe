"""The legend of a plot, in a row of its own above it: never over the data."""

import math

import pyqtgraph as pg
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QWidget

from fusus.app import theme

LINE_PX, SAMPLE_PX, GAP_PX = 18, 24, 8


class RowLegend(pg.LegendItem):  # type: ignore[misc]
    """Names of lines beside one another, in as many rows as the plot's width asks for."""

    def __init__(self, item: pg.PlotItem) -> None:
        super().__init__(offset=None, horSpacing=GAP_PX, verSpacing=0, labelTextSize=f"{theme.px(12)}px")
        self._item, self._is_arranging = item, False
        # The row of the plot's title is free: frames have a title of their own.
        item.layout.removeItem(item.titleLabel)
        item.titleLabel.hide()
        item.layout.addItem(self, 0, 1)
        item.layout.setAlignment(self, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        self.layout.setContentsMargins(0, 0, 0, 0)
        item.legend = self
        item.vb.sigResized.connect(lambda _=None: self.updateSize())

    def begin(self) -> None:
        """Take all names off and take on the theme's colours."""
        self.clear()
        self.setLabelTextColor(theme.tokens().ink)
        self.updateSize()

    def updateSize(self) -> None:
        """Arrange the names for the plot's width, and give the row its height."""
        if self._is_arranging or not hasattr(self, "_item"):
            return
        self._is_arranging = True
        widest = max((label.itemRect().width() for _, label in self.items), default=0.0) + SAMPLE_PX + GAP_PX
        columns = max(1, min(len(self.items), int(self._item.vb.width() // max(widest, 1.0))))
        if columns != self.columnCount:
            self.setColumnCount(columns)
        # One name alone says what the figure's title says.
        rows = math.ceil(len(self.items) / columns) if len(self.items) > 1 else 0
        self.setVisible(rows > 0)
        self._item.layout.setRowFixedHeight(0, rows * theme.px(LINE_PX))
        self._is_arranging = False

    def paint(self, _painter: object, _option: object, _widget: QWidget | None = None) -> None:
        """Draw no box: nothing lies beneath."""

    def hoverEvent(self, _event: object) -> None:
        """Do nothing: the row stays where it is."""

    def mouseDragEvent(self, _event: object) -> None:
        """Do nothing: the row stays where it is."""
