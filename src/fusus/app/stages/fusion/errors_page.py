"""Errors over time with the claimed band, tilt rose, innovations, estimators side by side."""

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QLabel, QStackedWidget, QToolButton, QVBoxLayout, QWidget

from fusus.app.figures.errors import ErrorCurve, ErrorFigure
from fusus.app.figures.quantities import QUANTITIES
from fusus.app.figures.residuals import ResidualFigure
from fusus.app.figures.rose import TiltRose
from fusus.app.figures.rows import RowsTable
from fusus.app.session import Session
from fusus.app.text import figure
from fusus.core.requirements import Requirement

ROW_PX, HEADER_PX = 28, 38
EMPTY = (
    "No recording yet.\nDrop a log on this window, or choose “Import a log” in the menu: any CSV or TSV with a time column,\n"
    "gyro and accelerometer. A reference attitude in it, or beside it, makes errors measurable."
)


class ErrorsPage(QWidget):
    """One large figure with a view a quantity, small ones under it."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._shown: object = None
        self._due: list[Callable[[], None]] = []
        self._drawn: set[int] = set()
        self.shown = {
            q.name: ErrorFigure(q.name, f"{q.title} error, with what the filter claims", q.title.lower(), q.unit)
            for q in QUANTITIES
        }
        self.tilt, self.heading = self.shown["tilt"], self.shown["heading"]
        self.rose = TiltRose()
        self.first, self.second = (
            ResidualFigure("nis-first", "Innovations"),
            ResidualFigure("nis-second", "Innovations"),
        )
        self.table = RowsTable(
            "estimators-table", "Estimators side by side",
            ("estimator", "tilt>", "heading>", "height>", "position>", "velocity>", "NEES>", "speed ×>"), 0,
        )  # fmt: skip
        self.table.setToolTip("NEES per state: one is due. Speed: how many times as fast as real time it runs.")
        self.figures = QStackedWidget()
        for i, each in enumerate(self.shown.values()):
            self.figures.addWidget(each)
            self._tabs(each, i)
            each.moved.connect(self.rose.show_time)
        self.empty = QLabel()
        self.empty.setWordWrap(True)
        self.empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.empty.setProperty("role", "faint")
        below = QHBoxLayout()
        below.setSpacing(12)
        for small in (self.rose, self.first, self.second):
            below.addWidget(small, 4)
        content = QWidget()
        column = QVBoxLayout(content)
        column.setContentsMargins(14, 6, 14, 8)
        column.setSpacing(6)
        column.addWidget(self.figures, 6)
        column.addLayout(below, 5)
        column.addWidget(self.table)
        self.pages = QStackedWidget()
        self.pages.addWidget(content)
        self.pages.addWidget(self.empty)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(self.pages)

    def _tabs(self, shown: ErrorFigure, index: int) -> None:
        group = QButtonGroup(shown)
        shown.head.insertSpacing(1, 16)
        for i, q in enumerate(QUANTITIES):
            button = QToolButton()
            button.setText(q.title)
            button.setProperty("role", "tab")
            button.setObjectName(f"tab-{q.name}-{index}")
            button.setCheckable(True)
            button.setChecked(i == index)
            group.addButton(button, i)
            shown.head.insertWidget(2 + i, button)
        group.idClicked.connect(lambda i: self.show_tab(i, group, index))

    def show_tab(self, wanted: int, group: QButtonGroup | None = None, own: int = 0) -> None:
        """Show a quantity by its place: tilt, heading, height, position, velocity."""
        self.figures.setCurrentIndex(wanted)
        self._show_errors()
        if group is not None:
            button = group.button(own)
            if button is not None:
                button.setChecked(True)

    def restyle(self) -> None:
        """Take on the theme's colours."""
        self._shown = None
        for each in (*self.shown.values(), self.rose, self.first, self.second):
            each.restyle()

    def draw(self) -> None:
        """Show the study that lies on the session."""
        result = self.session.fusion
        if result is None:
            self.empty.setText("The estimators are running …" if self.session.recording() is not None else EMPTY)
            self.pages.setCurrentIndex(1)
            return
        self.pages.setCurrentIndex(0)
        if result is self._shown:
            return  # drawing some ten thousand points again would be felt
        self._shown = result
        self._fill_table()
        self._due = [self._show_rose, self._show_innovations]
        self._drawn = set()
        self._show_errors()
        QTimer.singleShot(0, self._go_on)

    def _go_on(self) -> None:
        """Draw the next of the small figures; the window answers in between."""
        if self._due and self.session.fusion is not None:
            self._due.pop(0)()
            QTimer.singleShot(0, self._go_on)

    def _show_errors(self) -> None:
        """Draw the error figure that is in sight, once a result."""
        result, index = self.session.fusion, self.figures.currentIndex()
        if result is None or index in self._drawn:
            return
        self._drawn.add(index)
        q = QUANTITIES[index]
        shown = self.shown[q.name]
        recording, reference = result.study.request.recording, result.study.loaded.reference_is
        curves = [
            ErrorCurve(c.title, c.t_s, c.errors[q.name], c.sigmas.get(q.name))
            for c in result.curves
            if q.name in c.errors
        ]
        if not curves:
            shown.show_curves([], None, False)
            has_measure = result.study.judged.comparison is not None
            missing = "neither estimate nor reference holds it" if has_measure else "no reference"
            shown.title.setText(f"{missing.capitalize()}: no {q.title.lower()} errors")
            return
        limit = _limit(result.study.request.project.brief.requirements, q.requirement, q.unit)
        shown.show_curves(curves, limit, both_sides=q.has_sign)
        begins = float(result.study.loaded.given.t_s[0])
        shown.shade([(begins + s, begins + s + d) for s, d in result.study.request.outages], "GNSS hidden")
        if result.study.judged.comparison is None:
            shown.title.setText(f"Off the smoother over {recording}")
            shown.title.setToolTip(
                "There is no reference: the smoother, which knows what came after, stands in. It is no truth."
            )
            return
        shown.title.setText(f"Errors over {recording}")
        shown.title.setToolTip(f"By {reference}; the band is twice the sigma that the evaluated estimator claims")

    def _show_rose(self) -> None:
        first, out = self.session.fusion.curves[0], self.session.fusion.study.judged.replay
        sigma = None
        if out.outputs.has_sigma:
            sigma = np.degrees(
                np.stack([np.interp(first.t_s, out.t_s, out.outputs.sigma_rad[:, i]) for i in (1, 0)], axis=1)
            )
        self.rose.show_attitudes(first.t_s, first.q_nb, first.reference_q_nb, sigma)

    def _show_innovations(self) -> None:
        for shown, residuals in zip((self.first, self.second), self.session.fusion.residuals, strict=True):
            shown.title.setText(residuals.title)
            shown.show_nis(residuals.t_s, residuals.nis, residuals.bound)

    def _fill_table(self) -> None:
        rows = []
        for i, curve in enumerate(self.session.fusion.curves):
            cells = [curve.title + (" (evaluated)" if i == 0 else "")]
            for q in QUANTITIES:
                value = curve.figures[q.key]
                cells.append("–" if value is None else f"{value:.2f}°" if q.unit == "°" else f"{value:.2f} {q.unit}")
            nees = curve.figures["nees"]
            cells.append(f"{nees:.2f}" if nees is not None else "–")
            cells.append(figure(curve.figures["x_real_time"] or 0.0, 2))
            rows.append(cells)
        by = (
            "the reference"
            if self.session.fusion.study.judged.comparison is not None
            else "the smoother, which is no truth"
        )
        self.table.show_rows(rows, [f"RMS errors against {by}"] * len(rows))
        for r in range(self.table.rowCount()):
            self.table.setRowHeight(r, ROW_PX)
        self.table.setFixedHeight(ROW_PX * min(4, self.table.rowCount()) + HEADER_PX)


def _limit(requirements: tuple[Requirement, ...], quantity: str, unit: str) -> float | None:
    found = next((r for r in requirements if r.quantity == quantity), None)
    if found is None:
        return None
    return float(np.degrees(found.limit)) if unit == "°" else found.limit
