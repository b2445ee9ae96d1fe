"""The figure and the words of one fitted calibration; also what a guide shows while it goes on."""

from typing import Any

import numpy as np
from PyQt6.QtWidgets import QLabel, QStackedWidget, QVBoxLayout, QWidget

from fusus.app.figures.bench import HistoryFigure, PairFigure, ScatterFigure, SpectrumFigure, ThermalFigure
from fusus.app.figures.facenet import FaceNet
from fusus.app.figures.mounting import MountingFigure
from fusus.app.figures.turnmap import TurnMap
from fusus.project.records import Project
from fusus.study.bench.comparing import MAIN

MG = 1e3 / 9.80665


class ResultView(QWidget):
    """One figure at a time, by kind."""

    def __init__(self) -> None:
        super().__init__()
        self.net, self.turns, self.mounting = FaceNet(), TurnMap(), MountingFigure()
        self.pair, self.thermal, self.scatter = PairFigure(), ThermalFigure(), ScatterFigure()
        self.spectrum, self.history = SpectrumFigure(), HistoryFigure()
        self.empty = QLabel("")
        self.empty.setWordWrap(True)
        self.empty.setProperty("role", "faint")
        self.stack = QStackedWidget()
        self._figures = (self.turns, self.mounting, self.pair, self.thermal, self.scatter, self.spectrum, self.history)
        for widget in (self.empty, self.net, *self._figures):
            self.stack.addWidget(widget)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.stack, 1)

    def restyle(self) -> None:
        """Take on the theme's colours."""
        for figure in self._figures:
            figure.restyle()
        self.net.update()

    def say(self, words: str) -> None:
        """Show words instead of a figure."""
        self.empty.setText(words)
        self.stack.setCurrentWidget(self.empty)

    def show_status(self, guide: str, picture: dict[str, Any]) -> None:
        """Show what a guide has to show while it goes on."""
        if guide == "six-face" and "held" in picture:
            self.net.show_held(picture["held"], picture["missing"])
            self.stack.setCurrentWidget(self.net)
        elif guide == "rotate" and "coverage" in picture:
            cover = picture["coverage"]
            self.turns.show_turns(cover.centres[cover.seen], cover)
            self.stack.setCurrentWidget(self.turns)

    def show_result(self, project: Project, entry: Any, result: Any) -> None:
        """Show a fitted calibration."""
        d = result.details
        if entry.kind == "six-face" and "residuals_m_s2" in d:
            before, after = (np.asarray(d[k]) * MG for k in ("before_m_s2", "residuals_m_s2"))
            self.net.show_residuals([p.face for p in d["poses"]], before.tolist(), after.tolist())
            self.stack.setCurrentWidget(self.net)
        elif entry.kind == "magnetometer" and "coverage" in d:
            self.turns.show_turns(np.asarray(d["directions"]), d["coverage"])
            self.stack.setCurrentWidget(self.turns)
        elif entry.kind == "mounting" and "scores" in d:
            self.mounting.show_mounting(np.array(entry.parameters["rotation"]), d["scores"], d["words"])
            self.stack.setCurrentWidget(self.mounting)
        elif entry.kind == "airflow" and "off" in d:
            self.pair.show_pair(d["off"], d["on"])
            self.stack.setCurrentWidget(self.pair)
        elif entry.kind == "thermal" and "fits" in d:
            p = entry.parameters
            self.thermal.show_soak(
                d["temperature_degc"], d["rate_rad_s"], np.array(p["gyro_polynomial"]), p["reference_degc"]
            )
            self.stack.setCurrentWidget(self.thermal)
        elif entry.kind == "gnss-scatter" and "offsets_n" in d:
            self.scatter.show_scatter(d["offsets_n"], entry.parameters["cep50_m"], entry.parameters["cep95_m"])
            self.stack.setCurrentWidget(self.scatter)
        elif entry.kind == "vibration" and "frequency_hz" in d:
            self.spectrum.show_spectrum(d["frequency_hz"], d["acc"], d["named"])
            self.stack.setCurrentWidget(self.spectrum)
        elif not self.show_history(project, entry):
            self.say(entry.reason)

    def show_history(self, project: Project, entry: Any) -> bool:
        """Show how the main figure of a kind went over its calibrations; return whether it has one."""
        if entry.kind not in MAIN:
            return False
        name, words, scale, unit = MAIN[entry.kind]
        stored = [c for c in project.bench.calibrations if c.kind == entry.kind and c.parameters.get(name)]
        if not any(c.recording == entry.recording for c in stored) and entry.parameters.get(name):
            stored.append(entry)
        if not stored:
            return False
        rows = []
        for c in stored:
            values = [float("nan") if v is None else v * scale for v in c.parameters[name]]
            sigmas = [0.0 if v is None else v * scale for v in c.standard_errors.get(name) or [0.0] * len(values)]
            rows.append((c.when, values, sigmas))
        title = f"{words.removeprefix('the ').capitalize()} over {len(rows)} calibration{'s' if len(rows) > 1 else ''}"
        self.history.show_history(title, f"{words.removeprefix('the ')} [{unit}]", rows)
        self.stack.setCurrentWidget(self.history)
        return True
