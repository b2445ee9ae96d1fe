"""Drift's inputs: how long the bias is averaged, what span is shown, the limit without GNSS; and the mission's surroundings."""

from fusus.app.ledger.panel import Ledger
from fusus.app.ledger.rows import FactRow, FigureRow, FigureSpec, SwitchRow
from fusus.app.session import Session

SURROUNDINGS = (
    FigureSpec("brief.mission.warming_k", "Warming", "temperature difference", "K"),
    FigureSpec("brief.mission.vibration_acc_m_s2", "Vibration, force", "acceleration", "m/s²"),
    FigureSpec("brief.mission.vibration_gyro_rad_s", "Vibration, rate", "rate", "deg/s"),
    FigureSpec("brief.mission.hover_current_a", "Motor current", "current", "A"),
    FigureSpec("brief.mission.steel_ut", "Steel nearby", "field", "µT"),
    FigureSpec("brief.mission.wind_m_s", "Wind", "speed", "m/s"),
    FigureSpec("brief.mission.weather_pa", "Weather", "pressure", "hPa"),
)


def build_ledger(session: Session, ledger: Ledger) -> None:
    """Fill the ledger."""
    ledger.group("Chosen parts")
    parts = session.project.parts
    for title, name in (
        ("IMU", parts.imu),
        ("Barometer", parts.barometer),
        ("Magnetometer", parts.magnetometer),
        ("Receiver", parts.receiver),
        ("Rangefinder", parts.rangefinder),
    ):
        ledger.add(FactRow(title, name or "–"))
    ledger.group("At rest")
    ledger.add(FigureRow(session, FigureSpec("drift.averaging_s", "Bias averaged", "time", "s", False)))
    ledger.add(FigureRow(session, FigureSpec("drift.bias_error_rad_s", "Bias error wanted", "rate", "deg/h", False)))
    ledger.add(FigureRow(session, FigureSpec("drift.span_s", "Span shown", "time", "min", False)))
    ledger.add(FigureRow(session, FigureSpec("drift.limit_m", "Limit, no GNSS", "length", "m", False)))
    ledger.group("Surroundings")
    for spec in SURROUNDINGS:
        ledger.add(FigureRow(session, spec))
    ledger.group("Fitting")
    ledger.add(SwitchRow(session, "parts.fitting.calibrated", "Calibration", "done on the bench"))
    ledger.add(SwitchRow(session, "parts.fitting.foam", "Barometer", "under open-cell foam"))
    ledger.finish()
