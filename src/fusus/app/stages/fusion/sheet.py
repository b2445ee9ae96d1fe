"""Fusion's sheet: errors with the claimed band, tilt rose, innovations, estimators side by side."""

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QStandardItem, QStandardItemModel
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QButtonGroup,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QStackedWidget,
    QTableView,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from fusus.app.desk import Desk
from fusus.app.figures.errors import ErrorCurve, ErrorFigure
from fusus.app.figures.residuals import ResidualFigure
from fusus.app.figures.rose import TiltRose
from fusus.app.stages.base import Sheet
from fusus.app.text import figure
from fusus.core.judgement.requirements import Requirement

COLUMNS = (
    ("estimator", None),
    ("tilt RMSE", "tilt_rmse_deg"),
    ("tilt max", "tilt_max_deg"),
    ("yaw RMSE", "heading_rmse_deg"),
    ("yaw max", "heading_max_deg"),
)


class FusionSheet(Sheet):
    """One large figure with two views of the same question, small ones under it."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self._shown: object = None
        self._due: list[Callable[[], None]] = []
        self._drawn_errors: set[int] = set()
        self.tilt = ErrorFigure("tilt", "Tilt error, with what the filter claims", "tilt")
        self.heading = ErrorFigure("heading", "Heading error, with what the filter claims", "heading")
        self.rose = TiltRose()
        self.gravity = ResidualFigure("nis-gravity", "Gravity")
        self.field = ResidualFigure("nis-field", "Field")
        self.table = self._table_view()
        self.figures = QStackedWidget()
        self.figures.addWidget(self.tilt)
        self.figures.addWidget(self.heading)
        for i, shown in enumerate((self.tilt, self.heading)):
            self._tabs(shown, i)
            shown.moved.connect(self.rose.show_time)
        self.empty = QLabel()
        self.empty.setWordWrap(True)
        self.empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.empty.setProperty("role", "faint")
        below = QHBoxLayout()
        below.setSpacing(12)
        below.addWidget(self.rose, 4)
        below.addWidget(self.gravity, 4)
        below.addWidget(self.field, 4)
        content = QWidget()
        column = QVBoxLayout(content)
        column.setContentsMargins(14, 10, 14, 8)
        column.setSpacing(8)
        column.addWidget(self.figures, 6)
        column.addLayout(below, 4)
        column.addWidget(self.table)
        self.pages = QStackedWidget()
        self.pages.addWidget(content)
        self.pages.addWidget(self.empty)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(self.pages)
        self.refresh()

    def _tabs(self, shown: ErrorFigure, index: int) -> None:
        group = QButtonGroup(shown)
        shown.head.insertSpacing(1, 16)
        for i, words in enumerate(("Tilt", "Heading")):
            button = QToolButton()
            button.setText(words)
            button.setProperty("role", "tab")
            button.setObjectName(f"tab-{words.lower()}-{index}")
            button.setCheckable(True)
            button.setChecked(i == index)
            group.addButton(button, i)
            shown.head.insertWidget(2 + i, button)
        group.idClicked.connect(lambda i: self.show_tab(i, group, index))

    def show_tab(self, wanted: int, group: QButtonGroup | None = None, own: int = 0) -> None:
        """Show tilt (0) or heading (1)."""
        self.figures.setCurrentIndex(wanted)
        self._show_errors()
        if group is not None:
            button = group.button(own)
            if button is not None:
                button.setChecked(True)

    def _table_view(self) -> QTableView:
        view = QTableView()
        view.setObjectName("estimators-table")
        view.setAccessibleName("Estimators side by side")
        view.setProperty("role", "figures")
        view.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        view.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        view.setShowGrid(False)
        header = view.verticalHeader()
        if header is not None:
            header.hide()
            header.setDefaultSectionSize(24)
        view.setFixedHeight(24 * 3 + 10)
        return view

    def restyle(self) -> None:
        """Take on the theme's colours."""
        self._shown = None
        for shown in (self.tilt, self.heading, self.rose, self.gravity, self.field):
            shown.restyle()
        self.refresh()

    def refresh(self) -> None:
        """Show the study that lies on the desk."""
        result = self.desk.study
        if result is None:
            has = self.desk.recording() is not None
            self.empty.setText(
                "The estimators are running …" if has else
                "No recording yet.\nDrop a log on this window, or choose “Import a log” in the menu: any CSV or TSV with a time column,\n"
                "gyro and accelerometer. A reference attitude in it, or beside it, makes errors measurable."
            )  # fmt: skip
            self.pages.setCurrentIndex(1)
            return
        self.pages.setCurrentIndex(0)
        if result is self._shown:
            return  # drawing some ten thousand points again would be felt
        self._shown = result
        self._fill_table()
        self._due = [self._show_rose, self._show_innovations]
        self._drawn_errors = set()
        self._show_errors()
        QTimer.singleShot(0, self._go_on)

    def _go_on(self) -> None:
        """Draw the next of the small figures; the window answers in between."""
        if self._due and self.desk.study is not None:
            self._due.pop(0)()
            QTimer.singleShot(0, self._go_on)

    def _show_errors(self) -> None:
        """Draw the error figure that is in sight, once a result."""
        result, index = self.desk.study, self.figures.currentIndex()
        if result is None or index in self._drawn_errors:
            return
        self._drawn_errors.add(index)
        shown, word = ((self.tilt, "tilt"), (self.heading, "heading"))[index]
        name, reference = result.study.request.recording, result.study.loaded.info.reference_is
        if result.study.judged.comparison is None:
            shown.show_curves([], None, False)
            shown.title.setText(f"No reference in {name}: no errors")
            return
        curves = [
            ErrorCurve(c.title, c.t_s, getattr(c, f"{word}_deg"), getattr(c, f"{word}_sigma_deg"))
            for c in result.curves
        ]
        limit = _limit(result.study.request.project.brief.requirements, word)
        shown.show_curves(curves, limit, both_sides=word == "heading")
        shown.title.setText(f"{word.capitalize()} error over {name} against {reference}")

    def _show_rose(self) -> None:
        first, out = self.desk.study.curves[0], self.desk.study.study.judged.replay
        sigma = None
        if out.outputs.has_sigma:
            sigma = np.degrees(
                np.stack([np.interp(first.t_s, out.t_s, out.outputs.sigma_rad[:, i]) for i in (1, 0)], axis=1)
            )
        self.rose.show_attitudes(first.t_s, first.q_nb, first.reference_q_nb, sigma)

    def _show_innovations(self) -> None:
        result = self.desk.study
        self.gravity.show_nis(result.nis_t_s, result.nis_gravity, result.bound_gravity)
        self.field.show_nis(result.nis_t_s, result.nis_field, result.bound_field)

    def _fill_table(self) -> None:
        model = QStandardItemModel(0, len(COLUMNS) + 2)
        model.setHorizontalHeaderLabels([c[0] for c in COLUMNS] + ["err²/σ²", "× real"])
        for i, curve in enumerate(self.desk.study.curves):
            name = QStandardItem(curve.title + (" (judged)" if i == 0 else ""))
            items = [name]
            for _, key in COLUMNS[1:]:
                value = curve.figures[key or ""]
                items.append(QStandardItem(f"{value:.2f}°" if value is not None else "–"))
            nees = curve.figures["nees"]
            items.append(QStandardItem(f"{nees:.2f}" if nees is not None else "–"))
            items.append(QStandardItem(figure(curve.figures["x_real_time"] or 0.0, 2)))
            for item in items[1:]:
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            model.appendRow(items)
        old = self.table.model()
        self.table.setModel(model)
        if old is not None:
            old.deleteLater()
        model.setParent(self.table)
        header = self.table.horizontalHeader()
        if header is not None:
            header.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
            header.setSectionResizeMode(0, QHeaderView.ResizeMode.ResizeToContents)
            header.setDefaultAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.table.setFixedHeight(34 + 24 * min(4, model.rowCount()))


def _limit(requirements: tuple[Requirement, ...], quantity: str) -> float | None:
    found = next((r for r in requirements if r.quantity == quantity), None)
    return float(np.degrees(found.limit)) if found else None
