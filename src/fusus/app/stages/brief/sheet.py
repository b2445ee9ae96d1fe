"""The brief's sheet: what it asks of parts and loops, which sensors the modes need, and what the place means."""

from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from fusus.app.figures.rows import Cell, RowsTable
from fusus.app.jobs import Job
from fusus.app.session import Session
from fusus.app.stages.base import TabbedSheet, column_page, title_label
from fusus.app.stages.brief.figures import DriftFigure, HeadingFigure
from fusus.core.derived_requirements.derive import DerivedRequirement
from fusus.core.derived_requirements.modes import MATRIX, MODES, SENSORS, sensors_for
from fusus.core.requirements import Requirement
from fusus.core.world.site import Site


@dataclass(frozen=True, slots=True)
class BriefFound:
    """What follows from a brief."""

    site: Site
    needs: tuple[DerivedRequirement, ...]
    body: tuple[tuple[str, str, str], ...]


class BriefSheet(TabbedSheet):
    """Derived requirements, mode by sensor, and what the place means."""

    def __init__(self, session: Session) -> None:
        self._shown: object = None
        self._found: BriefFound | None = None
        super().__init__(
            session,
            (
                ("needs", "Derived requirements", self._needs_page()),
                ("modes", "Modes and sensors", self._modes_page()),
                ("place", "Drift and place", self._place_page()),
            ),
        )
        self.refresh()

    # Building

    def _needs_page(self) -> QWidget:
        self.needs = RowsTable(
            "needs-table", "Derived requirements of parts and loops", ("quantity", "", "value>", "reason")
        )
        self.needs.columns_of({0: 160, 1: 76, 2: 116})
        self.body = RowsTable("body-table", "The craft as a body", ("quantity", "value>", "reason"))
        self.body.columns_of({0: 178, 1: 210})
        return column_page(
            title_label("Derived requirements of parts and loops"),
            self.needs,
            title_label("The craft as a body"),
            self.body,
        )

    def _modes_page(self) -> QWidget:
        self.matrix = RowsTable("modes-table", "Flight modes by sensor", ("mode", *SENSORS.values()))
        self.reasons = RowsTable("reasons-table", "Why each sensor", ("sensor", "", "reason"))
        self.reasons.columns_of({0: 120, 1: 80})
        return column_page(
            title_label("Which sensors each mode needs; wanted modes are marked ●"), self.matrix,
            title_label("Which sensors the wanted modes ask for, and why"), self.reasons,
        )  # fmt: skip

    def _place_page(self) -> QWidget:
        self.drift, self.heading = DriftFigure(), HeadingFigure()
        self.place = QWidget()
        self._grid = QGridLayout(self.place)
        self._grid.setContentsMargins(4, 4, 4, 4)
        self._grid.setHorizontalSpacing(16)
        self._grid.setVerticalSpacing(5)
        below = QHBoxLayout()
        below.addWidget(self.place, 5)
        below.addWidget(self.heading, 6)
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(14, 8, 14, 10)
        column.setSpacing(10)
        column.addWidget(self.drift, 5)
        column.addLayout(below, 4)
        return page

    # Drawing

    def restyle(self) -> None:
        """Take on the theme's colours."""
        self._shown = None
        self.drift.restyle()
        self.heading.restyle()
        self.refresh()

    def refresh(self) -> None:
        """Show the project's brief; what follows from it is looked up off the interface thread."""
        brief = self.session.project.brief
        if brief == self._shown:
            return
        self._shown = brief
        project = self.session.project

        def work(_progress: object) -> BriefFound:
            from fusus.study.brief.brief import body_of, derived_requirements_of
            from fusus.study.brief.site import site_of

            return BriefFound(site_of(project), derived_requirements_of(project), body_of(project))

        job = Job("Looking up the place", work)
        job.succeeded.connect(self._take)
        job.failed.connect(lambda text: self.session.noticed.emit("stop", text))
        self.session.jobs.start(job, "site")

    def _take(self, found: BriefFound) -> None:
        if self.session.document is not None:
            self._found = found
            super().refresh()

    def draw(self, name: str) -> None:
        """Draw one page."""
        if self._found is None or self.session.document is None:
            return
        if name == "needs":
            self._draw_needs(self._found)
        elif name == "modes":
            self._draw_modes()
        else:
            self.drift.show_limit(_degrees(self.session.project.brief.requirements, "tilt"))
            self._show_site(self._found.site)

    def _draw_needs(self, found: BriefFound) -> None:
        self.needs.show_rows([[n.title, n.sense, n.shown.replace("deg", "°"), n.reason] for n in found.needs])
        self.body.show_rows([list(row) for row in found.body])

    def _draw_modes(self) -> None:
        wanted = self.session.project.brief.modes
        words: dict[str, Cell] = {
            "needed": ("■ needed", "pass"), "either": ("◆ either", "mind"), "helps": "helps", "not used": "–",
        }  # fmt: skip
        rows: list[list[Cell]] = []
        for mode, title in MODES.items():
            marked = ("● " if mode in wanted else "") + title
            rows.append([marked, *(words[MATRIX[mode][s].need] for s in SENSORS)])
        self.matrix.show_rows(rows)
        self.reasons.show_rows(
            [
                [SENSORS[sensor], words[entry.need], f"{MODES[mode]}: {entry.reason}."]
                for sensor, (mode, entry) in sensors_for(wanted).items()
            ]
        )

    def _show_site(self, site: Site) -> None:
        brief = self.session.project.brief
        field = site.field
        limit = _degrees(brief.requirements, "heading")
        self.heading.show_field(site.horizontal_ut, limit)
        self.heading.title.setText("Steel against heading" + ("" if field else f" ({site.horizontal_ut:g} µT assumed)"))
        height = brief.place.height_m if brief.place else 0.0
        rows = _air(height)
        gravity = [("Gravity", f"{site.gravity_m_s2:.5f}", "m/s²", "WGS 84 normal gravity with the free-air term")]
        if field is not None:
            magnetic = [
                ("Field strength", f"{field.strength_ut:.2f}", "µT", "World Magnetic Model 2025"),
                ("Horizontal part", f"{field.horizontal_ut:.2f}", "µT", "what a compass turns by"),
                ("Declination", f"{np.degrees(field.declination_rad):+.2f}", "°", "magnetic north east of true north"),
                ("Dip", f"{np.degrees(field.inclination_rad):.2f}", "°", "below the horizon"),
            ]
        else:
            magnetic = [("Magnetic field", "–", "", "say where you fly")]
        self._fill([*gravity, *magnetic, *rows])

    def _fill(self, rows: list[tuple[str, str, str, str]]) -> None:
        while self._grid.count():
            item = self._grid.takeAt(0)
            widget = item.widget() if item else None
            if widget is not None:
                widget.deleteLater()
        title = QLabel("What the place means")
        title.setProperty("role", "title")
        self._grid.addWidget(title, 0, 0, 1, 3)
        for i, (name, value, unit, tip) in enumerate(rows, start=1):
            label, number, sign = QLabel(name), QLabel(value), QLabel(unit)
            number.setAlignment(Qt.AlignmentFlag.AlignRight)
            sign.setProperty("role", "faint")
            for widget in (label, number, sign):
                widget.setToolTip(tip)
                widget.ensurePolished()
                widget.setMinimumWidth(widget.sizeHint().width())
            self._grid.addWidget(label, i, 0)
            self._grid.addWidget(number, i, 1)
            self._grid.addWidget(sign, i, 2)
        self._grid.setColumnStretch(3, 1)
        self._grid.setRowStretch(len(rows) + 1, 1)


def _air(height_m: float) -> list[tuple[str, str, str, str]]:
    from fusus.core.world.atmosphere import density_kg_m3, geopotential_m, metres_per_pascal, pressure_pa

    h = float(geopotential_m(height_m))
    return [
        ("Air pressure", f"{float(pressure_pa(h)) / 100:.1f}", "hPa", "ISO 2533 standard atmosphere"),
        ("Air density", f"{float(density_kg_m3(h)):.3f}", "kg/m³", "ISO 2533 standard atmosphere"),
        ("One pascal is", f"{100 * metres_per_pascal(h):.1f}", "cm of height", "1/(ρ g)"),
    ]


def _degrees(requirements: tuple[Requirement, ...], quantity: str) -> float | None:
    found = next((r for r in requirements if r.quantity == quantity), None)
    return float(np.degrees(found.limit)) if found else None
