"""Step and margins: the closed loop's step beside the open loop's gain and phase, and the axes' figures."""

import math
from typing import Any

import numpy as np
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from fusus.app import theme
from fusus.app.figures.loops import BodeFigure, StepFigure
from fusus.app.figures.rows import Cell, RowsTable

HZ = np.geomspace(0.2, 200.0, 600)
DEGREES = math.degrees(1.0)

TABLE_PX = 160  # the head in three lines and three axes


class MarginsPage(QWidget):
    """The pair above, the axes below."""

    def __init__(self) -> None:
        super().__init__()
        self.step = StepFigure()
        self.gain, self.phase = BodeFigure("gain", "dB", "loop-gain"), BodeFigure("phase", "°", "loop-phase")
        titles = (
            "axis", "P>", "I>", "D>", "crosses\nat\n[Hz]>", "phase\nmargin\n[°]>", "gain\nmargin\n[dB]>", "delay\nmargin\n[ms]>",
            "least\n|1 + L|>", "rise\ntime\n[ms]>", "over-\nshoot\n[%]>",
        )  # fmt: skip
        self.axes = RowsTable("loop-axes", "Axes", titles, 0)
        self.axes.setMinimumHeight(theme.px(TABLE_PX))
        right = QVBoxLayout()
        right.addWidget(self.gain)
        right.addWidget(self.phase)
        pair = QHBoxLayout()
        pair.addWidget(self.step, 1)
        pair.addLayout(right, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 8, 14, 8)
        column.addLayout(pair, 7)
        column.addWidget(self.axes, 2)

    def draw(self, study: Any) -> None:
        """Show a study's axes."""
        from fusus.core.control.elements import open_loop

        first = study.axes[0]
        self.step.show_steps(
            first.step.t_s[::10], first.step.wanted * DEGREES, {a.name: a.step.rate[::10] * DEGREES for a in study.axes}
        )
        gains, phases, crossings, turnings = {}, {}, {}, {}
        for a in study.axes:
            values = open_loop((a.controller, *a.rest), 2 * math.pi * HZ)
            gains[a.name] = 20 * np.log10(np.abs(values))
            phases[a.name] = np.degrees(np.unwrap(np.angle(values)))
            crossings[a.name] = (a.margins.crossover_rad_s / 2 / math.pi, 0.0)
            turnings[a.name] = (a.margins.crossover_rad_s / 2 / math.pi, a.margins.phase_rad * DEGREES - 180.0)
        self.gain.show_loop(HZ, gains, 0.0, "0 dB", crossings)
        self.phase.show_loop(HZ, phases, -180.0, "−180°", turnings)
        self.phase.item.setYRange(-360.0, 0.0)
        out: list[tuple[Cell, ...]] = []
        tips = []
        for a in study.axes:
            m, c = a.margins, a.controller
            shown = [f"{v:.2g}" for v in (c.kp, c.ki, c.kd)]
            phase: Cell = (
                f"{m.phase_rad * DEGREES:.0f}",
                "stop" if m.phase_rad <= 0 else "mind" if m.phase_rad < 0.7 else "fine",
            )
            gain = f"{m.gain_db:.1f}" if math.isfinite(m.gain_db) else "–"
            out.append(
                (
                    a.name, *shown, f"{m.crossover_rad_s / 2 / math.pi:.1f}", phase, gain, f"{m.delay_s * 1e3:.0f}",
                    f"{m.modulus:.2f}", f"{a.figures.rise_s * 1e3:.0f}", f"{100 * a.figures.overshoot:.0f}",
                )
            )  # fmt: skip
            tips.append("Phase lost at the crossover: " + ", ".join(f"{what} {deg:.1f}°" for what, deg, _ in a.costs))
        self.axes.show_rows(out, tips)

    def restyle(self) -> None:
        """Take on the theme's colours."""
        for shown in (self.step, self.gain, self.phase):
            shown.restyle()
