"""Loops' sheet: the control cycle, step and margins, what the loops bear, the tuning ladders, and the motors with their check sheet."""

import math
from typing import Any

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from fusus.app.desk import Desk
from fusus.app.figures.loops import BodeFigure, StepFigure, TimelineFigure
from fusus.app.figures.rows import Cell, RowsTable
from fusus.app.stages.base import TabbedSheet, column_page, title_label
from fusus.core.control.customs import LADDERS
from fusus.core.vehicle.mixer import AXES

HZ = np.geomspace(0.2, 200.0, 600)
DEGREES = math.degrees(1.0)
CHECKS = (
    "Propellers off, craft held down, people away; only then the battery.",
    "Start one motor at a time at idle, by its number: is it the one that this table names?",
    "Does it turn the way the table says, seen from above? If not, swap any two of its three wires, or turn it round in its settings.",
    "Tilt the craft right by hand: the right motors must speed up. Nose up: the rear ones. Turn it clockwise: the clockwise ones.",
    "Stop with the switch that you will use in flight. Then raise the throttle: does arming refuse, and refuse when tilted?",
)


class LoopsSheet(TabbedSheet):
    """Five pages."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(
            desk,
            (
                ("timing", "Control cycle", self._timing_page()),
                ("margins", "Step and margins", self._margins_page()),
                ("spread", "What it bears", self._spread_page()),
                ("ladder", "Ladder", self._ladder_page()),
                ("motors", "Motors", self._motors_page()),
            ),
        )
        desk.looping.changed.connect(self.refresh)
        desk.looping.played.connect(self.refresh)
        self.refresh()

    # Building

    def _timing_page(self) -> QWidget:
        self.timeline = TimelineFigure()
        titles = ("task", "takes µs>", "every µs>", "share>", "done µs>")
        self.tasks = RowsTable("loop-tasks", "Tasks of the control cycle", titles, 0)
        self.tasks.columns_of({1: 74, 2: 74, 3: 68, 4: 78})
        self.latency = RowsTable("loop-latency", "From a sample to thrust", ("on the way", "µs>"), 0)
        below = QWidget()
        line = QHBoxLayout(below)
        line.setContentsMargins(0, 0, 0, 0)
        line.addWidget(self.tasks, 5)
        line.addWidget(self.latency, 3)
        return column_page((self.timeline, 5), (below, 5))

    def _margins_page(self) -> QWidget:
        self.step = StepFigure()
        self.gain, self.phase = BodeFigure("gain", "dB", "loop-gain"), BodeFigure("phase", "°", "loop-phase")
        right = QWidget()
        column = QVBoxLayout(right)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.gain)
        column.addWidget(self.phase)
        pair = QWidget()
        line = QHBoxLayout(pair)
        line.setContentsMargins(0, 0, 0, 0)
        line.addWidget(self.step, 1)
        line.addWidget(right, 1)
        titles = ("axis", "P>", "I>", "D>", "Hz>", "phase °>", "gain dB>", "delay ms>", "|1+L|>", "rise ms>", "over %>")
        self.axes = RowsTable("loop-axes", "Axes", titles, 0)
        return column_page((pair, 7), (self.axes, 2))

    def _spread_page(self) -> QWidget:
        titles = ("if the craft is not as drawn", "roll>", "pitch>", "yaw>")
        self.spread = RowsTable("loop-spread", "What the loops bear", titles, 0)
        return column_page(title_label("Phase margin and least distance from swinging, gains as they are"), self.spread)

    def _ladder_page(self) -> QWidget:
        self.ladder, self.axis = QComboBox(), QComboBox()
        for box, name, label, values in (
            (self.ladder, "ladder-name", "Ladder", tuple(LADDERS)), (self.axis, "ladder-axis", "Axis", AXES),
        ):  # fmt: skip
            box.setObjectName(name)
            box.setAccessibleName(label)
            box.addItems(values)
            box.activated.connect(lambda _: self.draw("ladder"))
        self.about = QLabel()
        self.about.setWordWrap(True)
        head = QWidget()
        line = QHBoxLayout(head)
        line.setContentsMargins(0, 0, 0, 0)
        for label, box in (("Ladder", self.ladder), ("Axis", self.axis)):
            line.addWidget(QLabel(label))
            line.addWidget(box)
        line.addWidget(self.about, 1)
        self.rung_step = StepFigure("rung-step", "The step of this rung")
        self.rungs = RowsTable("ladder-rungs", "Rungs", ("rung", "P>", "I>", "D>", "one sees and hears"), 4)
        self.rungs.columns_of({0: 164, 1: 62, 2: 58, 3: 92})
        self.rungs.itemSelectionChanged.connect(self._show_rung)
        return column_page((head, 0), (self.rung_step, 4), (self.rungs, 6))

    def _motors_page(self) -> QWidget:
        titles = ("round", "by diagonals", "place: ahead, right", "turns", "thrust>", "roll>", "pitch>", "yaw>")
        self.motors = RowsTable("loop-motors", "Motors and mixer", titles, 2)
        words = QLabel("\n".join(f"{i}. {check}" for i, check in enumerate(CHECKS, 1)))
        words.setWordWrap(True)
        words.setObjectName("motor-check")
        words.setAlignment(Qt.AlignmentFlag.AlignTop)
        return column_page(
            title_label("Motors seen from above, by both customs of numbering, and what the mixer gives each"), (self.motors, 3),
            title_label("Check sheet, propellers off"), (words, 2),
        )  # fmt: skip

    # Drawing

    def draw(self, name: str) -> None:
        """Draw one page."""
        study = self.desk.looping.study
        if study is None:
            self.timeline.title.setText(self.desk.looping.refusal or "The loops are being worked out …")
            return
        {
            "timing": self._draw_timing,
            "margins": self._draw_margins,
            "spread": self._draw_spread,
            "ladder": self._draw_ladder,
            "motors": self._draw_motors,
        }[name](study)

    def _draw_timing(self, study: Any) -> None:
        t = study.timing
        loops = study.project.loops
        period = t.period_s * 1e6
        rows = [(p.task, p.start_s * 1e6, p.end_s * 1e6, p.place) for p in t.superloop.worst.pieces]
        done = max((r[2] for r in rows), default=0.0)
        pulse = t.signal.length_s(t.throttle) * 1e6
        begins = 0.0 if loops.pulse_by_software else next((r[2] for r in rows if r[0] == "motor output"), done)
        rows.append(("motor pulse", begins, begins + pulse, "pulse"))
        self.timeline.show_cycle(rows, period, (0.0, (t.latency_s - 0.5 * t.period_s) * 1e6))
        overrun = "" if t.fits else ", which does not fit"
        self.timeline.title.setText(
            f"The longest cycle: {t.superloop.worst.work_s * 1e6:.0f} of {period:.0f} µs{overrun}"
        )
        response = {r.task.name: r.worst_s for r in t.responses}
        out: list[tuple[Cell, ...]] = []
        for x in t.tasks:
            after = response.get("control cycle" if x.is_loop else x.name)
            told: Cell = ("never", "stop") if after is None else f"{after * 1e6:.0f}"
            out.append(
                (
                    x.name + (" (bus)" if x.place == "bus" else ""),
                    f"{x.duration_s * 1e6:.0f}",
                    f"{x.period_s * 1e6:.0f}",
                    f"{x.share:.1%}",
                    told,
                )
            )
        busy: Cell = (f"{t.utilisation:.0%}", "stop" if t.utilisation > 1 else "fine")
        out.append(("together", "", "", busy, ""))
        tip = (
            "Done: after so long at worst, with fixed priorities, the shortest period first; a cycle counts as one. "
            f"Up to {t.bound:.0%} together they always fit"
        )
        self.tasks.show_rows(out, [tip] * len(out))
        parts: list[tuple[Cell, ...]] = [(what, f"{s * 1e6:.0f}") for what, s in t.latency]
        self.latency.show_rows([*parts, ("from sample to thrust", f"{t.latency_s * 1e6:.0f}")])

    def _draw_margins(self, study: Any) -> None:
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
        self.gain.show_loop(HZ, gains, 0.0, "gain one", crossings)
        self.phase.show_loop(HZ, phases, -180.0, "half a turn", turnings)
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

    def _draw_spread(self, _study: Any) -> None:
        rows: list[tuple[Cell, ...]] = []
        for c in self.desk.looping.spread:
            cells: list[Cell] = [c.what]
            for m in c.margins:
                words = f"{m.phase_rad * DEGREES:.0f}°, {m.modulus:.2f}"
                cells.append(
                    (words, "stop") if not m.is_stable else (words, "mind") if m.modulus < 0.5 else (words, "fine")
                )
            rows.append(tuple(cells))
        tip = "40° and 0.5 are usually enough; below zero it swings by itself"
        self.spread.show_rows(rows, [tip] * len(rows))

    def _draw_ladder(self, _study: Any) -> None:
        ladder, axis = self.ladder.currentText(), self.axis.currentText()
        self.about.setText(f"{LADDERS[ladder]} On the model: nothing spins here.")
        looping = self.desk.looping
        if not looping.played_is_current(axis, ladder):
            self.rungs.show_rows([])
            looping.play(axis, ladder)
            return
        rows: list[tuple[Cell, ...]] = []
        for r in looping.rungs:
            c = r.controller
            seen: Cell = (r.seen, "stop") if r.is_wild else (r.seen, "fine") if r.is_kept else r.seen
            rows.append((r.done, *(f"{v:.2g}" for v in (c.kp, c.ki, c.kd)), seen))
        self.rungs.show_rows(
            rows, [f"|1+L| {r.margins.modulus:.2f}, noise {r.noise:.1%} of the command" for r in looping.rungs]
        )
        self.rungs.selectRow(len(rows) - 1)

    def _show_rung(self) -> None:
        row, rungs = self.rungs.currentRow(), self.desk.looping.rungs
        if 0 <= row < len(rungs) and self.rungs.rowCount() == len(rungs):
            step = rungs[row].step
            seen = {"as the loop sees it": step.seen[::10] * DEGREES, "true": step.rate[::10] * DEGREES}
            self.rung_step.show_steps(step.t_s[::10], step.wanted * DEGREES, seen)
            self.rung_step.title.setText(f"Step: {rungs[row].done}")

    def _draw_motors(self, study: Any) -> None:
        rows: list[tuple[Cell, ...]] = []
        for m, row in sorted(zip(study.mixer.motors, study.mixer.mix, strict=True), key=lambda x: x[0].round_number):
            x, y, z = m.place
            along = "front" if x > 0.01 else "rear" if x < -0.01 else ""
            across = "right" if y > 0.01 else "left" if y < -0.01 else ""
            below = " below" if z > 0.01 else ""
            place = f"{' '.join(w for w in (along, across) if w)}{below}: {x:+.2f}, {y:+.2f} m"
            full = study.mixer.effect[0, 0]
            share = [row[0] * full * len(study.mixer.motors), *(row[1:] * np.array(study.mixer.authority_nm))]
            rows.append(
                (
                    str(m.round_number), str(m.diagonal_number), place, "clockwise" if m.is_clockwise else "counter-clockwise",
                    *(f"{v:+.2f}" for v in share),
                )
            )  # fmt: skip
        self.motors.show_rows(
            rows, ["What a full command of each gives this motor, as a share of its thrust"] * len(rows)
        )

    def restyle(self) -> None:
        """Take on the theme's colours."""
        for shown in (self.timeline, self.step, self.gain, self.phase, self.rung_step):
            shown.restyle()
        self.refresh()
