"""Loops' inputs: schedule and signal, buses, durations, filters and what the rate loops are wanted to do."""

from dataclasses import dataclass
from functools import partial

from fusus.app.ledger.panel import Ledger
from fusus.app.ledger.rows import ChoiceRow, FigureRow, FigureSpec, OptionalRow, SwitchRow
from fusus.app.ledger.words_row import WordsRow
from fusus.app.session import Session
from fusus.core.control.customs import gains_from
from fusus.core.vehicle.airframe import AXES
from fusus.project.records import Project

SIGNALS = ("standard pulse", "eighth pulse", "slow frame", "fast frame")


@dataclass(frozen=True, slots=True)
class _Group:
    title: str
    rows: tuple[tuple[str, str, str, str], ...]  # name, label, kind, unit


GROUPS = (
    _Group(
        "Durations",
        (
            ("filter_s", "Filter", "time", "µs"), ("estimator_s", "Estimator", "time", "µs"), ("pid_s", "PID", "time", "µs"),
            ("mixer_s", "Mixer", "time", "µs"), ("receiver_s", "Receiver", "time", "µs"), ("receiver_hz", "Receiver at", "frequency", "Hz"),
            ("telemetry_s", "Telemetry", "time", "µs"), ("telemetry_hz", "Telemetry at", "frequency", "Hz"),
            ("logging_s", "Logging", "time", "µs"), ("logging_hz", "Logging at", "frequency", "Hz"),
        ),
    ),
    _Group(
        "Filters and motors",
        (
            ("gyro_lowpass_hz", "Gyro low-pass", "frequency", "Hz"), ("derivative_hz", "D low-pass", "frequency", "Hz"),
            ("motor_tau_s", "Motor lag", "time", "ms"),
        ),
    ),
    _Group(
        "Wanted",
        (
            ("crossover_hz", "Roll, pitch cross at", "frequency", "Hz"), ("yaw_crossover_hz", "Yaw crosses at", "frequency", "Hz"),
            ("phase_margin_rad", "Phase margin", "angle", "deg"),
        ),
    ),
)  # fmt: skip


CASCADE = (
    (
        "Sticks",
        (
            ("rate_rad_s", "Roll, pitch at most", "rate", "deg/s"), ("yaw_rate_rad_s", "Yaw at most", "rate", "deg/s"),
            ("shaping_s", "Smoothed over", "time", "ms"), ("stick_curve", "Curve", "share", "1"), ("dead_band", "Dead band", "share", "1"),
            ("feed_forward", "Feed-forward", "share", "1"),
        ),
    ),
    (
        "Allowed",
        (
            ("tilt_rad", "Tilt", "angle", "deg"), ("speed_m_s", "Speed", "speed", "m/s"), ("up_m_s", "Climb", "speed", "m/s"),
            ("down_m_s", "Sink", "speed", "m/s"), ("home_height_m", "Comes home at", "length", "m"),
        ),
    ),
)  # fmt: skip
OUTER = (
    ("tilt_p", "Tilt"), ("heading_p", "Heading"), ("climb_p", "Climb"), ("speed_p", "Speed"), ("place_p", "Place"),
)  # fmt: skip


def _gains_text(axis: str, project: Project) -> str:
    return " ".join(f"{g:g}" for g in getattr(project.loops, axis) or ())


def build_ledger(session: Session, ledger: Ledger) -> None:
    """Fill the ledger."""

    def choice(name: str, label: str, values: tuple[str, ...]) -> None:
        ledger.add(ChoiceRow(session, f"loops.{name}", label, [(v, v) for v in values]))

    def figure(name: str, label: str, kind: str, unit: str) -> None:
        ledger.add(FigureRow(session, FigureSpec(f"loops.{name}", label, kind, unit)))

    ledger.group("Control cycle")
    choice("schedule", "Schedule", ("superloop", "fixed priorities"))
    figure("rate_hz", "Loop rate", "frequency", "Hz")
    figure("processor", "Processor speed", "share", "1")
    choice("signal", "Motor signal", SIGNALS)
    ledger.add(SwitchRow(session, "loops.pulse_by_software", "Pulse", "timed by software"))
    ledger.group("Reading the IMU")
    choice("bus", "Bus", ("I2C", "SPI"))
    figure("bus_hz", "Clock", "frequency", "kHz")
    ledger.add(SwitchRow(session, "loops.single_reads", "Reads", "byte by byte"))
    ledger.add(SwitchRow(session, "loops.reads_block", "Processor", "waits for the bus"))
    ledger.add(SwitchRow(session, "loops.with_accelerometer", "Accelerometer", "read too"))
    for group in GROUPS:
        ledger.group(group.title)
        for row in group.rows:
            figure(*row)
        if group.title.startswith("Filters"):
            ledger.add(
                OptionalRow(session, FigureSpec("loops.acc_lowpass_hz", "Accel. low-pass", "frequency", "Hz"), "none")
            )
            ledger.add(OptionalRow(session, FigureSpec("loops.notch_hz", "Notch", "frequency", "Hz"), "none"))
            figure("notch_quality", "Notch quality", "share", "1")
    ledger.group("Gains by hand")
    for axis in AXES:
        ledger.add(
            WordsRow(
                session, f"loops.{axis}", axis.capitalize(), "designed", "P, I and D in full commands per rad/s; empty: by the margin",
                partial(_gains_text, axis), gains_from,
            )
        )  # fmt: skip
    for title, rows in CASCADE:
        ledger.group(title)
        for name, label, kind, unit in rows:
            figure(name, label, kind, unit)
    ledger.group("Outer loops")
    for name, label in OUTER:
        ledger.add(OptionalRow(session, FigureSpec(f"loops.{name}", label, "gain", "1/s"), "by the rate loops"))
    ledger.group("Arming")
    figure("arm_tilt_rad", "Tilt limit", "angle", "deg")
    ledger.add(SwitchRow(session, "loops.arm_when_due", "Calibration due", "starts all the same"))
    figure("lost_m", "Position lost beyond", "length", "m")
    ledger.group("Failsafes")
    choice("failsafe.radio", "Radio silent", ("land", "return", "stop"))
    figure("failsafe.radio_s", "Silent after", "time", "s")
    figure("failsafe.hold_s", "Holds for", "time", "s")
    figure("failsafe.sink_m_s", "Sinks at", "speed", "m/s")
    figure("failsafe.empty_cell_v", "Battery empty", "voltage", "V")
    figure("failsafe.blind_s", "Without a height", "time", "s")
    ledger.finish()
