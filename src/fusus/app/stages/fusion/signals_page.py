"""Any channel of a recording, as logged and as corrected, with the estimate over it; spectra and histograms of what is in sight."""

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QSignalBlocker, Qt
from PyQt6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from fusus.app.figures.channels import ChannelsFigure, DensityFigure, Line
from fusus.app.figures.long import Envelope
from fusus.app.session import Session
from fusus.app.text import figure
from fusus.core.frames.quaternion import to_euler

if TYPE_CHECKING:
    from fusus.app.answers.signals_result import Densities, SignalsResult
    from fusus.study.recording.signals import Group

PANELS = 3
FIRST = ("imu-gyro", "imu-acc", "mag", "pressure", "gnss-position", "reference-attitude", "gnss-velocity")
VIEWS = (("time", "Over time"), ("spectrum", "Spectrum"), ("histogram", "Histogram"))
ATTITUDES = ("reference-attitude", "board-attitude", "estimate-attitude")
PROBLEMS_PX = 66
CHOICE_PX = 240


class Panel:
    """One of the stacked figures: what it shows is chosen above it."""

    def __init__(self, number: int) -> None:
        self.choice = QComboBox()
        self.choice.setObjectName(f"signals-choice-{number}")
        self.choice.setAccessibleName(f"What figure {number + 1} shows")
        self.choice.setMinimumWidth(CHOICE_PX)
        self.time = ChannelsFigure(f"signals-{number}")
        self.spectrum = DensityFigure(f"spectrum-{number}", is_spectrum=True)
        self.histogram = DensityFigure(f"histogram-{number}", is_spectrum=False)
        self.views = QStackedWidget()
        for view in (self.time, self.spectrum, self.histogram):
            self.views.addWidget(view)


class SignalsPage(QWidget):
    """Three figures under one another with one time axis, and a line that reads them all."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._shown: object = None
        self._densities: Densities | None = None
        self._groups: dict[str, Group] = {}
        self._extra: dict[str, dict[str, Envelope]] = {}
        self.panels = tuple(Panel(i) for i in range(PANELS))
        self.view = QButtonGroup(self)
        bar = QHBoxLayout()
        for i, (name, words) in enumerate(VIEWS):
            button = QToolButton()
            button.setText(words)
            button.setProperty("role", "tab")
            button.setObjectName(f"signals-{name}")
            button.setCheckable(True)
            button.setChecked(i == 0)
            self.view.addButton(button, i)
            bar.addWidget(button)
        self.view.idClicked.connect(self.show_view)
        self.logged = QCheckBox("as logged too")
        self.logged.setObjectName("signals-logged")
        self.logged.setToolTip("Where a calibration corrects a channel, also draw what was logged, paler.")
        self.logged.setChecked(True)
        self.logged.toggled.connect(lambda _: self._draw_panels())
        bar.addSpacing(16)
        bar.addWidget(self.logged)
        bar.addStretch()
        self.facts = QLabel()
        self.facts.setProperty("role", "faint")
        bar.addWidget(self.facts)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 6, 14, 8)
        column.setSpacing(4)
        column.addLayout(bar)
        for panel in self.panels:
            panel.choice.currentIndexChanged.connect(lambda _, p=panel: self._choose(p))
            panel.time.head.insertWidget(0, panel.choice)
            panel.time.moved.connect(self.point_at)
            if panel is not self.panels[0]:
                panel.time.item.setXLink(self.panels[0].time.item)
            column.addWidget(panel.views, 1)
        self.reading = QLabel(" ")
        self.reading.setObjectName("signals-reading")
        self.reading.setWordWrap(True)
        self.reading.setMinimumHeight(2 * self.reading.sizeHint().height())
        column.addWidget(self.reading)
        self.problems = QListWidget()
        self.problems.setObjectName("signals-problems")
        self.problems.setAccessibleName("What the import found")
        self.problems.setFixedHeight(PROBLEMS_PX)
        self.problems.setWordWrap(True)
        self.problems.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        column.addWidget(self.problems)

    def restyle(self) -> None:
        """Take on the theme's colours."""
        for panel in self.panels:
            for figure_ in (panel.time, panel.spectrum, panel.histogram):
                figure_.restyle()
        self._shown = None
        self.draw()

    def draw(self) -> None:
        """Show the channels of the chosen recording; ask for them where they are not known yet."""
        info = self.session.recording()
        if info is None:
            self.facts.setText("No recording yet: import a log.")
            return
        self.session.answers.ask("fusion.signals", info.name)
        found: SignalsResult | None = self.session.answers.result("fusion.signals")
        if found is None or found.signals.info.name != info.name:
            self.facts.setText(f"Loading the channels of {info.name} …")
            return
        if (found, self.session.fusion) == self._shown:
            self._draw_densities()
            return
        fresh = not isinstance(self._shown, tuple) or self._shown[0] is not found
        self._shown = (found, self.session.fusion)
        self._groups = {g.name: g for g in found.signals.groups}
        self._add_estimate(info.name)
        if fresh:
            self._offer()
            self._tell(found)
        self._draw_panels()
        if fresh:
            self.panels[0].time.item.enableAutoRange(axis="x")

    def _add_estimate(self, recording: str) -> None:
        """Add the judged estimator's attitude, where it ran over this recording."""
        study = self.session.fusion
        self._extra = {}
        if study is None or study.study.request.recording != recording or not study.curves:
            return
        curve = study.curves[0]
        angles = np.degrees(to_euler(curve.q_nb))
        self._extra["estimate-attitude"] = {
            name: Envelope(curve.t_s, angles[:, i]) for name, i in (("roll", 2), ("pitch", 1), ("yaw", 0))
        }

    def _offer(self) -> None:
        names = [*self._groups]
        if self._extra:
            names.append("estimate-attitude")
        wanted = [n for n in FIRST if n in names] + [n for n in names if n not in FIRST]
        for i, panel in enumerate(self.panels):
            kept = panel.choice.currentData()
            with QSignalBlocker(panel.choice):
                panel.choice.clear()
                for name in names:
                    panel.choice.addItem(
                        self._groups[name].title if name in self._groups else "Estimate: attitude", name
                    )
                panel.choice.addItem("nothing", "")
                chosen = kept if kept in names else wanted[i] if i < len(wanted) else ""
                panel.choice.setCurrentIndex(panel.choice.findData(chosen))

    def _tell(self, found: "SignalsResult") -> None:
        signals = found.signals
        applied = signals.corrected_by
        self.logged.setEnabled(bool(applied))
        corrected = f"{len(applied)} calibrations applied" if applied else "no calibration applies"
        self.facts.setText(f"{signals.info.length_s:.1f} s, {corrected}")
        self.facts.setToolTip(", ".join(applied))
        self.problems.clear()
        for p in signals.problems:
            self.problems.addItem(p.sentence())
        if not signals.problems:
            self.problems.addItem("The import found nothing to remark.")

    def _choose(self, panel: Panel) -> None:
        self._draw_panel(panel)
        self._draw_densities()

    def _draw_panels(self) -> None:
        for panel in self.panels:
            self._draw_panel(panel)
        self._draw_densities()

    def _draw_panel(self, panel: Panel) -> None:
        found: SignalsResult | None = self.session.answers.result("fusion.signals")
        name = panel.choice.currentData()
        panel.views.setVisible(bool(name))
        if found is None or not name:
            return
        lines: list[Line] = []
        group = self._groups.get(name)
        if group is not None:
            for c in group.channels:
                corrected = found.envelopes.get((name, c.name, True))
                logged = found.envelopes[name, c.name, False]
                if corrected is None or self.logged.isChecked():
                    lines.append(
                        Line(c.name if corrected is None else f"{c.name}, logged", logged, corrected is not None)
                    )
                if corrected is not None:
                    lines.append(Line(c.name, corrected))
        if name in ATTITUDES:
            estimate = self._extra.get("estimate-attitude", {})
            lines += [
                Line(f"{n}, estimate" if group is not None else n, e, group is not None) for n, e in estimate.items()
            ]
        unit = group.unit if group is not None else "°"
        rate = f"{figure(group.rate_hz, 4)} Hz" if group is not None and group.rate_hz else ""
        gaps = group.gaps if group is not None else ()
        missing = f"{len(gaps)} gaps (shaded)" if gaps else ""
        panel.time.show_lines("   ".join(x for x in (rate, missing) if x), unit, lines, gaps)

    def point_at(self, t_s: float) -> None:
        """Put the crosshairs of all figures at a time, s, and read them in the line below."""
        parts = []
        for panel in self.panels:
            if panel.choice.currentData():
                panel.time.point_at(t_s)
                parts.append(f"{panel.choice.currentText()}: {panel.time.read(t_s)}")
        self.reading.setText(f"t {t_s:.3f} s   " + "   ".join(parts))

    def show_view(self, index: int) -> None:
        """Show the figures over time (0), their spectra (1) or histograms (2), of the stretch that is in sight."""
        button = self.view.button(index)
        if button is not None:
            button.setChecked(True)
        for panel in self.panels:
            panel.views.setCurrentIndex(index)
            figure_ = (panel.time, panel.spectrum, panel.histogram)[index]
            figure_.head.insertWidget(0, panel.choice)
        self.reading.setText(" ")
        self._draw_densities()

    def _draw_densities(self) -> None:
        index = self.view.checkedId()
        if index == 0 or not self._groups:
            return
        seen = self.panels[0].time.item.viewRange()[0]
        whole = [g.t_s for g in self._groups.values()]
        span = (
            max(float(seen[0]), min(float(t[0]) for t in whole)),
            min(float(seen[1]), max(float(t[-1]) for t in whole)),
        )
        chosen = dict.fromkeys(p.choice.currentData() for p in self.panels)
        groups = tuple(self._groups[n] for n in chosen if n in self._groups)
        done = self._densities
        if done is None or done.span != span or done.groups != tuple(g.name for g in groups):

            def work(_progress: object) -> "Densities":
                from fusus.app.answers.signals_result import densities

                return densities(groups, span)

            self.session.start_job("Spectra", "signals", work, self._take_densities)
            return
        for panel in self.panels:
            group = self._groups.get(panel.choice.currentData())
            if group is None:
                continue
            title = f"{span[0]:.1f} to {span[1]:.1f} s"
            for figure_, of in ((panel.spectrum, done.spectra), (panel.histogram, done.histograms)):
                lines = [(c.name, *of[group.name, c.name]) for c in group.channels if (group.name, c.name) in of]
                figure_.show_lines(title, group.unit, lines)

    def _take_densities(self, found: "Densities") -> None:
        self._densities = found
        self._draw_densities()
