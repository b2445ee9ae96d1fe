"""What a flight recording shows of the loops: each axis as it flew beside its design, noise, oscillations, and the loop's period."""

import math
from typing import Any

import numpy as np
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from fusus.app.figures.flight import CoherenceFigure, NoiseFigure, ResponseFigure
from fusus.app.figures.rows import Cell, RowsTable
from fusus.app.session import Session
from fusus.app.stages.inputs import choice_box, input_line, push_button
from fusus.app.stages.loops.margins_page import DEGREES, HZ
from fusus.core.vehicle.airframe import AXES

VIEWS = {
    "spectrum": "Gyro noise in flight",
    "coherence": "Where wanted and flown rates agree, and the answer can be trusted",
}
TITLES = (
    "axis", "full\nauthority\n[rad/s²]>", "motor\nlag\n[ms]>", "delay\n[ms]>", "crosses\nat\n[Hz]>", "phase\nmargin\n[°]>",
    "designed\nmargin\n[°]>", "trusted\nfrom\n[Hz]>",
)  # fmt: skip


class FlownPage(QWidget):
    """Recording and axis above; open loop and spectrum; axes below."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.recording = choice_box("flown-recording", "Recording", {})
        self.recording.setMinimumWidth(180)
        self.axis = choice_box("flown-axis", "Axis", {a: f"The rate loop of {a}" for a in AXES})
        self.axis.activated.connect(lambda _: self.draw(None))
        self.button = push_button(
            "look-into", "Look into it", "Work out what this flight shows", self._look, is_main=True
        )
        self.note = QLabel()
        self.note.setWordWrap(True)
        self.gain, self.phase = ResponseFigure("gain", "dB", "flown-gain"), ResponseFigure("phase", "°", "flown-phase")
        self.noise, self.coherence = NoiseFigure(), CoherenceFigure()
        self.view = choice_box("flown-view", "What to show beside the loop", VIEWS)
        self.view.activated.connect(lambda _: self._choose())
        self.table = RowsTable("flown-axes", "Axes identified from the flight", TITLES, 0)
        left = QVBoxLayout()
        left.addWidget(self.gain)
        left.addWidget(self.phase)
        pair = QHBoxLayout()
        pair.addLayout(left, 1)
        pair.addWidget(self.noise, 1)
        pair.addWidget(self.coherence, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 8, 14, 8)
        column.setSpacing(6)
        column.addWidget(
            input_line(("Recording", self.recording), ("Axis", self.axis), ("Show", self.view), self.button)
        )
        column.addWidget(self.note)
        column.addLayout(pair, 6)
        column.addWidget(self.table, 3)
        self._choose()

    def _choose(self) -> None:
        shows = str(self.view.currentData())
        self.noise.setVisible(shows == "spectrum")
        self.coherence.setVisible(shows == "coherence")

    def _look(self) -> None:
        if self.recording.currentData():
            self.session.ask("loops.identified", str(self.recording.currentData()))

    def _fill(self) -> None:
        names = [r.name for r in self.session.recordings() if r.kind == "flight"]
        if [self.recording.itemText(i) for i in range(self.recording.count())] == names:
            return
        chosen = self.recording.currentText() or (self.session.project.fusion.recording or "")
        self.recording.clear()
        for name in names:
            self.recording.addItem(name, name)
        if chosen in names:
            self.recording.setCurrentText(chosen)

    def draw(self, _study: Any) -> None:
        """Show the newest identification."""
        self._fill()
        found = self.session.answers.result("loops.identified")
        if found is None:
            self.note.setText(
                "A flight shows its loops where wanted and flown rates agree: log the wanted rates (stream “setpoint”), and stir the "
                "sticks, or keep a flight of the scenario “sweep” and look into it. The sample period shows the loop's jitter."
            )
            self.table.show_rows([])
            return
        b = found.period
        changed = (
            "" if self.session.answers.is_current("loops.identified") else " The project has changed since: look again."
        )
        swings = "; ".join(f"{s.axis} at {s.hz:.1f} Hz" for s in found.oscillations) or "none"
        self.note.setText(
            f"“{found.recording}”, {found.air_s:.0f} s in the air: {b.rate_hz:.1f} loops a second ± {b.jitter_s * 1e6:.0f} µs, longest "
            f"wait {b.longest_s * 1e6:.0f} µs, {b.late} late, {b.missing} missing. Swings: {swings}.{changed}"
        )
        self._draw_loop(found)
        hz = found.axes[0].hz
        use = hz > 0
        marks = tuple((s.hz, f"{s.axis} {s.hz:.1f} Hz") for s in found.oscillations)
        self.noise.show_noise(hz[use], {a.name: np.sqrt(a.density[use]) * DEGREES for a in found.axes}, marks)
        self._draw_coherence(found)
        self.table.show_rows(*_rows(found))

    def _draw_coherence(self, found: Any) -> None:
        from fusus.core.control.identification.response import TRUSTED

        known = {a.name: a.response for a in found.axes if a.response is not None}
        if known:
            hz = next(iter(known.values())).hz
            self.coherence.show_coherence(hz, {name: r.coherence for name, r in known.items()}, TRUSTED)

    def _draw_loop(self, found: Any) -> None:
        from fusus.core.control.elements import Delay, Plant, open_loop

        index = AXES.index(str(self.axis.currentData()))
        design, flown = found.design.axes[index], found.axes[index].axis
        w = 2.0 * math.pi * HZ
        loops = {"designed": open_loop((design.controller, *design.rest), w)}
        points = (np.zeros(0), np.zeros(0), np.zeros(0))
        if flown is not None:
            filters = tuple(e for e in design.rest if not isinstance(e, Plant | Delay))
            plant = (Plant("axis", flown.gain, 1.0, flown.lag_s), Delay("delay", flown.delay_s))
            loops = {"in flight": open_loop((design.controller, *plant, *filters), w), **loops}
            size = 20.0 * np.log10(np.abs(flown.open_loop))
            phase = np.degrees(np.unwrap(np.angle(flown.open_loop)))
            # On the branch of the curve that it belongs to.
            near = np.interp(flown.hz, HZ, np.degrees(np.unwrap(np.angle(loops["in flight"]))))
            points = (flown.hz, size, phase + 360.0 * np.round((near - phase) / 360.0))
        gains = {k: 20.0 * np.log10(np.abs(v)) for k, v in loops.items()}
        phases = {k: np.degrees(np.unwrap(np.angle(v))) for k, v in loops.items()}
        self.gain.show_response(HZ, gains, 0.0, "0 dB", (points[0], points[1]))
        self.phase.show_response(HZ, phases, -180.0, "−180°", (points[0], points[2]))
        self.phase.item.setYRange(-360.0, 0.0)

    def restyle(self) -> None:
        """Take on the theme's colours."""
        for shown in (self.gain, self.phase, self.noise, self.coherence):
            shown.restyle()


def _rows(found: Any) -> tuple[list[tuple[Cell, ...]], list[str]]:
    out: list[tuple[Cell, ...]] = []
    for a, d in zip(found.axes, found.design.axes, strict=True):
        f, designed = a.axis, f"{math.degrees(d.margins.phase_rad):.0f}"
        trusted = a.response.hz[a.response.trusted] if a.response is not None else []
        span = f"{trusted[0]:.1f} – {trusted[-1]:.0f}" if len(trusted) else "–"
        if f is None:
            out.append((a.name, "–", "–", "–", "–", "–", designed, span))
            continue
        left = math.degrees(f.margins.phase_rad)
        phase: Cell = (f"{left:.0f} ± {math.degrees(f.phase_sigma_rad):.1f}", "stop" if left < 35 else "fine")
        out.append(
            (
                a.name, f"{f.gain:.0f} ± {f.gain_sigma:.0f}", f"{f.lag_s * 1e3:.0f} ± {f.lag_sigma_s * 1e3:.0f}",
                f"{f.delay_s * 1e3:.1f} ± {f.delay_sigma_s * 1e3:.1f}", f"{f.margins.crossover_rad_s / 2 / math.pi:.1f}",
                phase, designed, span,
            )
        )  # fmt: skip
    tip = (
        "What a full command turns it at, lag of the motors, delay besides, where the loop crosses over, phase left there in flight and by "
        "design, frequencies at which wanted and flown rates agree to 60 % and more; ± is one standard error"
    )
    return out, [tip] * len(out)
