"""The craft in closed loop: a scenario is flown on the project's own estimate, once or many times."""

import math
from typing import Any

import numpy as np
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from fusus.app.figures.flight import HappeningFigure, TrackFigure
from fusus.app.figures.rows import Cell, RowsTable
from fusus.app.session import Session
from fusus.app.stages.fusion.actions import keep_closed_flight
from fusus.app.stages.inputs import choice_box, input_line, number_box, push_button
from fusus.core.simulation.kinds import FLIGHTS, TROUBLES

MOST = 1000
VIEWS = {
    "height": "Wanted, flown and estimated height",
    "tilt": "True and estimated tilt",
    "roll rate": "Wanted and flown rate of roll",
    "motors": "What each motor is told, as a share of its thrust",
    "battery": "Voltage under load",
}
TITLES = (
    "", "time\nin air\n[s]>", "tilt\n[°]>", "off its\npath\n[m]>", "height\noff\n[m]>", "position\nerror\n[m]>",
    "heading\nerror\n[°]>", "motors\nfull\n[%]>", "lowest\n[V]>", "mean\n[A]>",
)  # fmt: skip
WIDTHS = (52, 52, 54, 54, 66, 66, 60, 58, 50)
NAMES = (
    "air_s",
    "tilt_rad",
    "held_max_m",
    "height_max_m",
    "horizontal_error",
    "heading_error",
    "saturated",
    "low_v",
    "mean_a",
)
SCALES = {"tilt_rad": math.degrees(1.0), "heading_error": math.degrees(1.0), "saturated": 100.0}
POINTS = 1500  # a curve


class FlightPage(QWidget):
    """Scenario above; track and time; what all flights come to below."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.scenario = choice_box("flight-scenario", "Scenario", FLIGHTS)
        self.trouble = choice_box(
            "flight-trouble", "What is wrong on purpose", {"nothing": "The craft is sound"} | TROUBLES
        )
        self.seed = number_box("flight-seed", "Seed of the first flight; each further one takes the next", 0, 10**6, 1)
        self.flights = number_box(
            "flight-count", "How many flights: the first is the craft as drawn, others differ", 1, MOST, 20
        )
        self.view = choice_box("flight-view", "What to show over time", VIEWS)
        self.view.activated.connect(lambda _: self.draw(None))
        self.keep = push_button(
            "flight-keep", "Keep as recording", "Fly the first one, and keep it as a recording like any other",
            lambda: keep_closed_flight(session, self._scenario(), self.seed.value(), self._trouble()),
        )  # fmt: skip
        self.button = push_button("fly", "Fly", "Fly them on the project's own estimate", self._fly, is_main=True)
        self.note = QLabel()
        self.note.setWordWrap(True)
        self.track, self.happening = TrackFigure("flight-track"), HappeningFigure("flight-time")
        self.table = RowsTable("flights", "Closed-loop flights", TITLES, 0)
        self.table.columns_of(dict(enumerate(WIDTHS, 1)))
        self.table.setToolTip(
            "Time in the air, largest tilt, largest distance from the wanted place and height, RMS error of the estimate in place and "
            "heading, share of time with a full motor, lowest voltage, mean current"
        )
        pair = QHBoxLayout()
        pair.addWidget(self.track, 2)
        pair.addWidget(self.happening, 3)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 8, 14, 8)
        column.setSpacing(6)
        column.addWidget(
            input_line(
                ("Scenario", self.scenario),
                ("Trouble", self.trouble),
                ("Seed", self.seed),
                ("Flights", self.flights),
                ("", self.view),
            )
        )
        head = QHBoxLayout()
        head.addWidget(self.note, 1)
        head.addWidget(self.keep)
        head.addWidget(self.button)
        column.addLayout(head)
        column.addLayout(pair, 5)
        column.addWidget(self.table, 3)

    def _scenario(self) -> str:
        return str(self.scenario.currentData())

    def _trouble(self) -> str | None:
        chosen = str(self.trouble.currentData())
        return None if chosen == "nothing" else chosen

    def _fly(self) -> None:
        self.session.ask("loops.flights", self._scenario(), self.seed.value(), self.flights.value(), self._trouble())

    def draw(self, _study: Any) -> None:
        """Show the newest flights."""
        found = self.session.answers.result("loops.flights")
        if found is None:
            self.note.setText(
                "The craft flies by its own loops, on what its own estimator makes of its own sensors: 4000 steps of the body a second, "
                "the loop's delays, gusts, a battery that sags. Choose a scenario, and fly. Nothing spins here."
            )
            self.table.show_rows([])
            return
        first = found.first
        changed = (
            "" if self.session.answers.is_current("loops.flights") else " The project has changed since: fly again."
        )
        ends = ", ".join(f"{n} {end}" for end, n in found.summary.ends.items())
        rate, many = first.controller.rate_hz, len(found.found)
        self.note.setText(
            f"“{found.scenario}” on {found.estimator} at {rate:.0f} Hz, {many} from seed {found.seed}: {ends}. "
            f"Shown is the first, the craft as drawn; simulated at {found.x_real_time:.0f} × real time.{changed}"
        )
        every = max(1, len(first.t_s) // POINTS)
        truth, estimate = first.log.truth[::every], first.log.estimate[::every]
        tracks = {"flown": (truth[:, 0], truth[:, 1])}
        begun = first.t_s[::every] >= first.t_s[first.first]
        if np.isfinite(estimate[begun, 0]).any():
            tracks["estimated"] = (estimate[begun, 0], estimate[begun, 1])
        self.track.show_tracks(tracks)
        title, unit, curves = _curves(first, str(self.view.currentData()), every)
        self.happening.show_curves(title, unit, first.t_s[::every], curves, first.plan.marks)
        self.table.show_rows(*_rows(found))

    def restyle(self) -> None:
        """Take on the theme's colours."""
        self.track.restyle()
        self.happening.restyle()


def _curves(flown: Any, view: str, every: int) -> tuple[str, str, dict[str, Any]]:
    """Return title, unit and curves of a view."""
    log, t = flown.log, flown.t_s
    truth, estimate = log.truth[::every], log.estimate[::every].copy()
    estimate[t[::every] < t[flown.first]] = np.nan
    if view == "height":
        from fusus.core.control.cascade import PATH
        from fusus.core.simulation.flight.plan import MODE, PATH_AT, PLAN_HZ

        rows = flown.plan.rows[np.minimum((t[::every] * PLAN_HZ).astype(int), len(flown.plan.rows) - 1)]
        wanted = np.where((rows[:, MODE] == PATH) & (rows[:, PATH_AT + 2] <= 0), -rows[:, PATH_AT + 2], np.nan)
        return VIEWS[view], "m", {"flown": -truth[:, 2], "estimated": -estimate[:, 2], "wanted": wanted}
    if view == "tilt":
        return VIEWS[view], "°", {"flown": _tilt(truth[:, 6:10]), "estimated": _tilt(estimate[:, 6:10])}
    if view == "roll rate":
        scale = math.degrees(1.0)
        return VIEWS[view], "°/s", {"flown": truth[:, 10] * scale, "wanted": log.wanted[::every, 0] * scale}
    if view == "motors":
        motors = sorted(
            zip(flown.craft.mixer.motors, log.motors[::every].T, strict=True), key=lambda m: m[0].round_number
        )
        return VIEWS[view], "1", {f"motor {m.round_number}": y for m, y in motors}
    return VIEWS[view], "V", {"voltage": log.power[::every, 0]}


def _tilt(q: Any) -> Any:
    return np.degrees(np.arccos(np.clip(1.0 - 2.0 * (q[:, 1] ** 2 + q[:, 2] ** 2), -1.0, 1.0)))


def _rows(found: Any) -> tuple[list[tuple[Cell, ...]], list[str]]:
    """Return median and 95 % of all flights, then each that did not end as the others did, and the first ones."""
    spreads = found.summary.spreads
    many = len(found.found) > 1
    out: list[tuple[Cell, ...]] = []
    tips: list[str] = []
    if many:
        for words, pick in (("median of all", "median"), ("95 % stay within", "p95")):
            cells = [_figure(n, getattr(spreads[n], pick) if n in spreads else math.nan) for n in NAMES]
            out.append((words, *cells))
            tips.append("Of voltages 95 % stay above" if pick == "p95" else "Half are below, half above")
    usual = max(found.summary.ends, key=lambda e: found.summary.ends[e])
    odd = [f for f in found.found if f.end != usual]
    for f in [*odd, *(f for f in found.found if f.end == usual)][:40]:
        values = {n: getattr(f, n) if not n.endswith("_error") else f.rmse[n.removesuffix("_error")] for n in NAMES}
        name: Cell = (f"seed {f.seed}: {f.end}", "stop") if f.end == "crashed" else f"seed {f.seed}: {f.end}"
        out.append((name, *(_figure(n, values[n]) for n in NAMES)))
        tips.append(", ".join(f.refused) or f"{f.charge_as / 3.6:.0f} mAh")
    return out, tips


def _figure(name: str, value: float) -> str:
    if not math.isfinite(value):
        return "–"
    shown = value * SCALES.get(name, 1.0)
    digits = 2 if name in ("held_max_m", "height_max_m", "horizontal_error") and shown < 10.0 else 1
    return f"{shown:.{digits}f}"
