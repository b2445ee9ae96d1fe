"""The frame that all figures share: title, crosshair reading, copy, save as PNG, SVG or CSV."""

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QBuffer, QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QGuiApplication, QPainter, QPixmap
from PyQt6.QtSvg import QSvgGenerator
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QLabel, QMenu, QToolButton, QVBoxLayout, QWidget

from fusus.app import theme
from fusus.app.text import figure
from fusus.core.arrays import Array
from fusus.errors import FususError
from fusus.project.atomic import write_atomically
from fusus.project.table_text import table_text

Table = tuple[list[str], list[Array]]


class FigureFrame(QWidget):
    """A plot with a title line. ``data`` gives the columns behind the picture."""

    moved = pyqtSignal(float)  # the crosshair's x
    failed = pyqtSignal(str)

    def __init__(
        self, title: str, x_label: str = "", y_label: str = "", name: str = "figure", is_small: bool = False
    ) -> None:
        super().__init__()
        self.setObjectName(f"figure-{name}")
        self.name = name
        self.data: Callable[[], Table] = lambda: ([], [])
        self._labels = (x_label, y_label)
        self.title = QLabel(title)
        self.title.setProperty("role", "title")
        self.reading = QLabel()
        self.reading.setObjectName(f"reading-{name}")
        menu_button = QToolButton()
        menu_button.setText("≡")
        menu_button.setAccessibleName(f"Save or copy: {title}")
        menu_button.setToolTip("Copy or save this figure, or its data")
        menu_button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu_button.setMenu(self._menu())
        head = QHBoxLayout()
        head.setContentsMargins(4, 0, 0, 0)
        self.head = head
        head.addWidget(self.title)
        head.addStretch()
        if not is_small:
            head.addWidget(self.reading)
        head.addWidget(menu_button)
        self.plot = pg.PlotWidget(enableMenu=False)  # its own menus would take a tenth of a second to build
        self.plot.setObjectName(f"plot-{name}")
        self.plot.setAccessibleName(title)
        self.item = self.plot.getPlotItem()
        self.item.hideButtons()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        column.addLayout(head)
        if is_small:
            self.reading.setContentsMargins(4, 0, 0, 0)
            column.addWidget(self.reading)
        column.addWidget(self.plot, 1)
        self._cross = pg.InfiniteLine(angle=90, movable=False)
        self._cross.hide()
        self.item.addItem(self._cross, ignoreBounds=True)
        self.plot.scene().sigMouseMoved.connect(self._on_mouse)
        self.read: Callable[[float], str] = lambda x: f"{figure(x)}"
        self.restyle()

    def restyle(self) -> None:
        """Take on the theme's colours."""
        t = theme.tokens()
        self.plot.setBackground(t.sheet)
        for side in ("left", "bottom"):
            axis = self.item.getAxis(side)
            axis.setPen(pg.mkPen(t.faint))
            axis.setTextPen(pg.mkPen(t.ink))
            axis.setStyle(tickFont=theme.font(12), maxTickLevel=1, tickLength=-4)
            axis.enableAutoSIPrefix(False)
        x, y = self._labels
        style = {"color": t.faint, "font-size": f"{theme.px(12)}px"}
        if x:
            self.item.setLabel("bottom", x, **style)
        if y:
            self.item.setLabel("left", y, **style)
        self.item.showGrid(x=True, y=True, alpha=0.15)
        self._cross.setPen(pg.mkPen(theme.hex_with_alpha(t.ink, 120), width=1))

    def _on_mouse(self, place: QPointF) -> None:
        box = self.item.vb
        if not self.item.sceneBoundingRect().contains(place):
            self._cross.hide()
            self.reading.setText("")
            return
        x = float(box.mapSceneToView(place).x())
        if self.item.ctrl.logXCheck.isChecked():
            x = 10**x
        self.point_at(x)
        self.moved.emit(x)

    def point_at(self, x: float) -> None:
        """Put the crosshair at x and read the figure there."""
        self._cross.show()
        self._cross.setPos(np.log10(x) if self.item.ctrl.logXCheck.isChecked() and x > 0 else x)
        self.reading.setText(self.read(x))

    def _menu(self) -> QMenu:
        menu = QMenu(self)
        for words, run in (
            ("Copy picture", self.copy_picture),
            ("Save picture as PNG …", lambda: self._ask("png", self.save_png)),
            ("Save picture as SVG …", lambda: self._ask("svg", self.save_svg)),
            ("Save data as CSV …", lambda: self._ask("csv", self.save_csv)),
            ("Show all", lambda: self.item.autoRange()),
        ):
            action = menu.addAction(words)
            if action is not None:
                action.triggered.connect(lambda _=False, r=run: r())
        return menu

    def _ask(self, ending: str, save: Callable[[Path], None]) -> None:
        chosen, _ = QFileDialog.getSaveFileName(self, "Save", f"{self.name}.{ending}", f"*.{ending}")
        if chosen:
            try:
                save(Path(chosen))
            except FususError as error:
                self.failed.emit(str(error))

    def picture(self) -> QPixmap:
        """Return the figure with its title as a picture."""
        return self.grab()

    def copy_picture(self) -> None:
        """Put the picture on the clipboard."""
        clipboard = QGuiApplication.clipboard()
        if clipboard is not None:
            clipboard.setPixmap(self.picture())

    def save_png(self, path: Path) -> None:
        """Save the picture."""
        buffer = QBuffer()
        buffer.open(QBuffer.OpenModeFlag.WriteOnly)
        self.picture().save(buffer, "PNG")
        write_atomically(path, bytes(buffer.data().data()))

    def save_svg(self, path: Path) -> None:
        """Save the plot as vectors."""
        buffer = QBuffer()
        buffer.open(QBuffer.OpenModeFlag.WriteOnly)
        generator = QSvgGenerator()
        generator.setOutputDevice(buffer)
        generator.setSize(self.plot.size())
        generator.setViewBox(self.plot.rect())
        generator.setTitle(self.title.text())
        painter = QPainter(generator)
        self.plot.render(painter)
        painter.end()
        write_atomically(path, bytes(buffer.data().data()))

    def save_csv(self, path: Path) -> None:
        """Save the columns behind the picture."""
        names, columns = self.data()
        count = max((len(c) for c in columns), default=0)
        rows = ([f"{c[i]:.9g}" if i < len(c) and np.isfinite(c[i]) else "" for c in columns] for i in range(count))
        write_atomically(path, table_text([names, *rows]).encode())

    def pen(self, colour: str | QColor, width: float = 1.6, style: Qt.PenStyle = Qt.PenStyle.SolidLine) -> object:
        """Return a pen for curves."""
        return pg.mkPen(QColor(colour), width=width, style=style)
