"""Drift's sheet: error budget, errors along the mission, drift at rest, Allan curves, and facts."""

import math
from typing import Any

import numpy as np
from PyQt6.QtWidgets import QComboBox, QWidget

from fusus.app.figures.budget import BudgetFigure
from fusus.app.figures.drift import AllanFigure, FanFigure, MissionFigure, ReckoningFigure
from fusus.app.figures.rows import Cell, RowsTable
from fusus.app.session import Session
from fusus.app.stages.base import TabbedSheet, column_page, title_label
from fusus.app.text import KIND_OF_UNIT, SHOWN, figure, short, statistic_text
from fusus.core.frames.units import from_si

DEGREES = math.degrees(1.0)
SMALLEST_PIECE = 0.02
# Along the mission: name, unit, scale, columns of the variances that add up, sources to look at.
QUANTITIES = (
    ("Tilt", "°", DEGREES, (6, 7)),
    ("Heading", "°", DEGREES, (8,)),
    ("Position", "m", 1.0, (0, 1)),
    ("Height", "m", 1.0, (2,)),
    ("Climb", "m/s", 1.0, (5,)),
    ("Velocity", "m/s", 1.0, (3, 4, 5)),
)


class DriftSheet(TabbedSheet):
    """Five pages."""

    def __init__(self, session: Session) -> None:
        super().__init__(
            session,
            (
                ("budget", "Error budget", self._budget_page()),
                ("mission", "Along the mission", self._mission_page()),
                ("rest", "At rest", self._rest_page()),
                ("allan", "Allan curves", self._allan_page()),
                ("facts", "What matters", self._facts_page()),
            ),
        )
        self.refresh()

    # Building

    def _budget_page(self) -> QWidget:
        self.budget = BudgetFigure()
        self.budget.bars.piece_clicked.connect(self._follow_piece)
        self.gains = RowsTable("gains-table", "What an improvement gains", ("improvement", "gain>", "on"))
        return column_page((self.budget, 6), title_label("What gains most, one change at a time"), (self.gains, 4))

    def _mission_page(self) -> QWidget:
        self.quantity = QComboBox()
        self.quantity.setObjectName("mission-quantity")
        self.quantity.setAccessibleName("Error along the mission")
        for name, *_ in QUANTITIES:
            self.quantity.addItem(name)
        self.quantity.activated.connect(lambda _: self.draw("mission"))
        self.mission = MissionFigure()
        self.mission.head.insertWidget(1, self.quantity)
        self.values = RowsTable(
            "predicted-table", "Predicted against limits", ("requirement", "limit>", "predicted>", "of the limit>", "")
        )
        return column_page((self.mission, 6), (self.values, 4))

    def _rest_page(self) -> QWidget:
        self.fan, self.reckoning = FanFigure(), ReckoningFigure()
        return column_page(self.fan, self.reckoning)

    def _allan_page(self) -> QWidget:
        self.allan_gyro = AllanFigure("allan-gyro", "Allan deviation of the gyro's model", "°/h")
        self.allan_acc = AllanFigure("allan-acc", "Allan deviation of the accelerometer's model", "µg")
        return column_page(self.allan_gyro, self.allan_acc)

    def _facts_page(self) -> QWidget:
        self.facts = RowsTable(
            "facts-table", "What matters and what may be dropped", ("what", "value>", "what it means")
        )
        return column_page(self.facts)

    # Drawing

    def draw(self, name: str) -> None:
        """Draw one page."""
        predicted = self.session.prediction
        if predicted is None or predicted.study is None:
            self.budget.title.setText("Choose an IMU in Parts: its errors are predicted here")
            return
        {
            "budget": self._draw_budget,
            "mission": self._draw_mission,
            "rest": self._draw_rest,
            "allan": self._draw_allan,
            "facts": self._draw_facts,
        }[name](predicted)

    def _draw_budget(self, predicted: Any) -> None:
        self.budget.title.setText("Where the predicted errors come from")
        bars = []
        for b in predicted.study.prediction.budgets:
            r = b.requirement
            unit, sign = SHOWN[r.unit]
            kind = KIND_OF_UNIT[r.unit]
            value = f"{figure(from_si(b.value, unit, kind))} of {short(from_si(r.limit, unit, kind))}{sign}"
            name = f"{r.outage_s:g} s outage" if r.quantity == "outage" else r.title
            pieces = [(k, v) for k, v in b.shares.items() if v >= SMALLEST_PIECE]
            rest = 1.0 - sum(v for _, v in pieces)
            bars.append((name, value, b.value / r.limit, [*pieces, ("all others", rest)]))
        self.budget.show_bars(bars)
        rows: list[tuple[float, list[str]]] = []
        figures = predicted.study.prediction.figures
        for s in predicted.study.suite_prediction.sensitivities:
            gains = [(g, f.requirement.title) for g, f in zip(s.gains, figures, strict=True) if g is not None]
            if gains:
                best = max(gains)
                others = [f"{t.lower()} {g:.0%}" for g, t in sorted(gains, reverse=True)[1:3] if g >= 0.01]
                rows.append(
                    (best[0], [s.change, f"{best[0]:.0%}", best[1] + (f"; {', '.join(others)}" if others else "")])
                )
        self.gains.show_rows([r for _, r in sorted(rows, key=lambda x: -x[0])])

    def _draw_mission(self, predicted: Any) -> None:
        prediction = predicted.study.prediction
        name, unit, scale, columns = QUANTITIES[self.quantity.currentIndex()]
        true, claimed = prediction.spread.true, prediction.spread.claimed
        total = np.sqrt(true[:, columns].sum(axis=1)) * scale
        curves = {name.lower(): total}
        if len(columns) > 1:
            for c, axis in zip(columns, ("north", "east", "down"), strict=False):
                curves[axis] = np.sqrt(true[:, c]) * scale
        phases = [(p.name, p.start_s, p.end_s) for p in prediction.trajectory.phases]
        self.mission.show_mission(
            prediction.spread.t_s, curves, np.sqrt(claimed[:, columns].sum(axis=1)) * scale, phases, unit
        )
        rows: list[list[Cell]] = []
        for f in prediction.figures:
            r = f.requirement
            shown, sign = SHOWN[r.unit]
            kind = KIND_OF_UNIT[r.unit]
            limit = f"{short(from_si(r.limit, shown, kind))}{sign}"
            title = f"{r.title} ({statistic_text(r)})"
            if f.value is None:
                rows.append([title, limit, "–", "–", (f"○ {f.reason}", "mind")])
                continue
            over = f.value / r.limit
            word = ("■ out of reach", "fail") if over > 1 else ("● in reach", "pass")
            rows.append([title, limit, f"{figure(from_si(f.value, shown, kind))}{sign}", f"{over:.0%}", word])
        self.values.show_rows(rows)

    def _draw_rest(self, predicted: Any) -> None:
        fan, r = predicted.fan, predicted.reckoning
        self.fan.show_fan(fan.t_s, fan.bands_deg, fan.sigma_deg, "datasheet")
        held = f"{figure(r.holds_s)} s" if r.holds_s is not None else "over 5 min"
        self.reckoning.title.setText(f"Dead reckoning: within {figure(r.limit_m)} m for {held}")
        self.reckoning.show_reckoning(r.t_s, r.causes, r.limit_m)

    def _draw_allan(self, predicted: Any) -> None:
        gyro, acc = predicted.allan["gyro"], predicted.allan["acc"]
        self.allan_gyro.show_allan(gyro["tau"], gyro, DEGREES * 3600)
        self.allan_acc.show_allan(acc["tau"], acc, 1e6 / 9.80665)

    def _draw_facts(self, predicted: Any) -> None:
        self.facts.show_rows([[f.name, f.value, f.meaning] for f in predicted.facts])

    def _follow_piece(self, group: str) -> None:
        """Go where a source can be changed."""
        words = group.split(" ")[0]
        path = {
            "gyro": "parts.imu", "accelerometer": "parts.imu", "vibration": "brief.mission.vibration_acc_m_s2",
            "magnetometer": "parts.magnetometer", "motor": "parts.fitting.motor_ut_a", "steel": "brief.mission.steel_ut",
            "GNSS": "parts.receiver", "lever": "parts.fitting.lever_arm_b_m.0", "barometer": "parts.barometer",
            "airflow": "parts.fitting.foam", "weather": "brief.mission.weather_pa",
        }.get(words)  # fmt: skip
        follow = getattr(self.window(), "follow", None)
        if path and follow is not None:
            follow(path)

    def restyle(self) -> None:
        """Take on the theme's colours."""
        for shown in (self.budget, self.mission, self.fan, self.reckoning, self.allan_gyro, self.allan_acc):
            shown.restyle()
        self.refresh()
