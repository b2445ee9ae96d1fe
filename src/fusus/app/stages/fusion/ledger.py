"""Fusion's inputs: recording, estimators, comparison, tuning of the evaluated estimator."""

from dataclasses import fields

from PyQt6.QtCore import QSignalBlocker
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QPushButton, QRadioButton, QVBoxLayout, QWidget

from fusus.app.ledger.help import help_for
from fusus.app.ledger.panel import Ledger
from fusus.app.ledger.rows import ChoiceRow, FactRow, FigureRow, FigureSpec, Row, SwitchRow
from fusus.app.ledger.words_row import WordsRow
from fusus.app.session import Session
from fusus.app.stages.fusion.actions import tune_by_parts
from fusus.core.estimation.catalogue import ESTIMATORS, info_for
from fusus.project.records import Project

# How the end of a parameter's name gives its kind of unit and the unit that people read.
ENDINGS = (
    ("_rad_s2_rthz", "rate walk", "deg/s²/√Hz"),
    ("_m_s3_rthz", "acceleration walk", "µg/s/√Hz"),
    ("_ut_rthz", "field walk", "µT/√s"),
    ("_m_rthz", "length walk", "m/√s"),
    ("_m_s2_rthz", "acceleration noise", "µg/√Hz"),
    ("_rad_s_rthz", "rate noise", "deg/s/√Hz"),
    ("_rad_s2", "angular acceleration", "deg/s²"),
    ("_rad_s", "rate", "deg/s"),
    ("_m_s2", "acceleration", "m/s²"),
    ("_rad", "angle", "deg"),
    ("_ut", "field", "µT"),
    ("_m_s", "speed", "m/s"),
    ("_m", "length", "m"),
    ("_s", "time", "s"),
    ("kp_acc", "gain", "1/s"),
    ("kp_mag", "gain", "1/s"),
    ("ki", "gain squared", "1/s²"),
)
SHARES = {
    "mag_gate": "%", "gyro_scale_sigma": "%", "acc_scale_sigma": "%", "mag_soft_sigma": "%", "gate_sigma": "1", "baro_airflow": "%",
    "covariance_every": "1",
}  # fmt: skip


def spec_for(estimator: str, name: str) -> FigureSpec:
    """Return how a parameter is shown."""
    path = f"fusion.{estimator.replace('-', '_')}.{name}"
    found = help_for(path)
    label = found.title if found else name
    if name in SHARES:
        return FigureSpec(path, label, "share", SHARES[name])
    for ending, kind, unit in ENDINGS:
        if name.endswith(ending):
            return FigureSpec(path, label, kind, unit)
    return FigureSpec(path, label, "share", "1")


class EstimatorsRow(Row):
    """Which estimators run, and which one is evaluated: that one stands first in the project."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "fusion.estimators", "Run")
        label = self.line.itemAt(0)
        if label is not None and label.widget() is not None:
            label.widget().hide()  # type: ignore[union-attr]
        self.boxes: dict[str, QCheckBox] = {}
        self.judged: dict[str, QRadioButton] = {}
        for info in ESTIMATORS:
            line = QHBoxLayout()
            box, judged = QCheckBox(info.title), QRadioButton("evaluated")
            box.setObjectName(f"run-{info.name}")
            judged.setObjectName(f"judged-{info.name}")
            box.setToolTip(info.school)
            judged.setToolTip("The requirements are held against this estimator")
            judged.setAccessibleName(f"Evaluate {info.title}")
            box.toggled.connect(lambda on, n=info.name: self._pick(n, on))
            judged.toggled.connect(lambda on, n=info.name: self._judge(n) if on else None)
            line.addWidget(box, 1)
            line.addWidget(judged)
            self._column.insertLayout(self._column.count() - 1, line)
            self.boxes[info.name], self.judged[info.name] = box, judged
            self.watch(box)
        self.show_project(session.project)

    def show_project(self, project: Project) -> None:
        """Show which run and which is evaluated."""
        chosen = project.fusion.estimators
        for name, box in self.boxes.items():
            with QSignalBlocker(box), QSignalBlocker(self.judged[name]):
                box.setChecked(name in chosen)
                self.judged[name].setAutoExclusive(False)
                self.judged[name].setChecked(name == chosen[0])
                self.judged[name].setAutoExclusive(True)
                self.judged[name].setEnabled(name in chosen)

    def _pick(self, name: str, on: bool) -> None:
        chosen: tuple[str, ...] = tuple(n for n in self.session.project.fusion.estimators if n != name)
        if on:
            chosen = (*chosen, name)
        if not chosen:
            self.tell("At least one estimator has to run.")
        else:
            self.set_value(chosen)
        if not self._retired:
            self.show_project(self.session.project)

    def _judge(self, name: str) -> None:
        rest = tuple(n for n in self.session.project.fusion.estimators if n != name)
        self.set_value((name, *rest))


def _outages_row(session: Session) -> WordsRow:
    """Return the row of stretches whose fixes are hidden: START:DURATION in s, several apart by blanks or commas."""
    from fusus.core.analysis.outage import outage_from

    return WordsRow(
        session, "fusion.outages", "Hide fixes", "none", "Start and duration in s, such as 120:8 200:15; empty hides none",
        lambda project: " ".join(f"{start:g}:{length:g}" for start, length in project.fusion.outages),
        lambda text: tuple(outage_from(w) for w in text.replace(",", " ").split()),
    )  # fmt: skip


def _parameter_row(session: Session, estimator: str, name: str, kind: object) -> Row:
    """Return the row of a parameter: a switch for yes and no, else a figure."""
    if kind in (bool, "bool"):
        path = f"fusion.{estimator.replace('-', '_')}.{name}"
        found = help_for(path)
        return SwitchRow(session, path, found.title if found else name, "on")
    return FigureRow(session, spec_for(estimator, name))


def _tuning_buttons(session: Session, has_innovations: bool) -> QWidget:
    """Return the ways to a tuning other than by hand."""
    box = QWidget()
    line = QVBoxLayout(box)
    line.setContentsMargins(0, 0, 0, 4)
    parts = QPushButton("Noise from the parts")
    parts.setObjectName("tune-parts")
    parts.setToolTip("Take noises and spreads from the chosen parts: datasheet, and bench where it measured")
    parts.clicked.connect(lambda _=False: tune_by_parts(session))
    line.addWidget(parts)
    if has_innovations:
        flight = QPushButton("Noise from this recording")
        flight.setObjectName("tune-likelihood")
        flight.setToolTip(
            "Maximum likelihood of the innovations: the noises under which the innovations are most likely"
        )
        flight.clicked.connect(lambda _=False: session.ask_of_recording("fusion.likelihood"))
        survey = QPushButton("Lever arm, delay, mounting")
        survey.setObjectName("survey")
        survey.setToolTip("Lever arm, delay and mounting from this recording, with standard errors")
        survey.clicked.connect(lambda _=False: session.ask_of_recording("fusion.survey"))
        line.addWidget(flight)
        line.addWidget(survey)
    return box


def build_ledger(session: Session, ledger: Ledger) -> None:
    """Fill the ledger."""
    project = session.project
    recordings = session.recordings()
    ledger.group("Recording")
    if recordings:
        ledger.add(ChoiceRow(session, "fusion.recording", "Recording", [(r.name, r.name) for r in recordings]))
        info = session.recording()
        if info is not None:
            imu = info.streams.get("imu")
            if imu is not None and imu.rate_hz and imu.start_s is not None and imu.end_s is not None:
                ledger.add(FactRow("Length", f"{imu.end_s - imu.start_s:.1f} s, {imu.rate_hz:.0f} Hz"))
            ledger.add(FactRow("Kind", info.kind, tip=info.conditions))
            ledger.add(FactRow("Reference", info.reference_is or "none"))
            if info.problems:
                tip = "\n".join(
                    f"{p.file}{f', line {p.line}' if p.line else ''}: {p.message}; {p.action}" for p in info.problems
                )
                ledger.add(FactRow("At import", f"{len(info.problems)} remarks", tip=tip))
    else:
        ledger.add(FactRow("Recording", "none yet: drop a log here"))
    ledger.group("Estimators")
    ledger.add(EstimatorsRow(session))
    ledger.group("Sensors")
    ledger.add(SwitchRow(session, "fusion.use_accelerometer", "Accelerometer", "used"))
    ledger.add(SwitchRow(session, "fusion.use_magnetometer", "Magnetometer", "used"))
    ledger.add(SwitchRow(session, "fusion.use_barometer", "Barometer", "used"))
    ledger.add(SwitchRow(session, "fusion.use_gnss", "GNSS", "used"))
    ledger.add(_outages_row(session))
    ledger.group("Comparison")
    ledger.add(SwitchRow(session, "fusion.align_time", "Clocks", "aligned"))
    ledger.add(SwitchRow(session, "fusion.align_yaw", "Headings", "aligned"))
    judged = info_for(project.fusion.estimators[0])
    ledger.group(f"Tuning: {judged.title}")
    ledger.add(_tuning_buttons(session, judged.gives == "motion"))
    for field in fields(judged.parameters):
        ledger.add(_parameter_row(session, judged.name, field.name, field.type))
    run = QPushButton("Run now")
    run.setObjectName("run-now")
    run.setProperty("role", "main")
    run.setToolTip("Run the estimators again (Ctrl+Return)")
    run.clicked.connect(lambda: session.run_fusion(force=True))
    run.setEnabled(bool(recordings))
    box = QWidget()
    line = QHBoxLayout(box)
    line.setContentsMargins(0, 10, 0, 0)
    line.addWidget(run)
    line.addStretch()
    ledger.add(box)
    ledger.finish()
