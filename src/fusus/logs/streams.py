"""The canonical recording: which streams there are, which columns they may have, and of what kind."""

from typing import NamedTuple


class Column(NamedTuple):
    """A canonical column: the kind of its unit (see ``frames.units``) and what a sensor can give at most, SI."""

    kind: str
    limit: float = float("inf")


def _axes(name: str, unit: str, kind: str, limit: float, axes: str = "xyz") -> dict[str, Column]:
    return {f"{name}_{axis}_{unit}": Column(kind, limit) for axis in axes}


# Limits lie above every range that a small sensor has; what exceeds them is no reading.
_IMU = (
    _axes("gyro", "rad_s", "rate", 90.0)
    | _axes("acc", "m_s2", "acceleration", 500.0)
    | {"temperature_degc": Column("temperature", 200.0)}
)
_TRACK = (
    {f"q_{axis}": Column("share", 1e6) for axis in "wxyz"}
    | {f"{angle}_rad": Column("angle", 1e3) for angle in ("roll", "pitch", "yaw")}
    | _axes("pos", "m", "length", 1e7, "ned")
    | _axes("vel", "m_s", "speed", 1e4, "ned")
    | _axes("gyro_bias", "rad_s", "rate", 90.0)
)

STREAMS: dict[str, dict[str, Column]] = {
    "imu": _IMU,
    "imu2": _IMU,
    "imu3": _IMU,
    "mag": _axes("mag", "ut", "field", 10000.0),
    "baro": {"pressure_pa": Column("pressure", 120000.0), "temperature_degc": Column("temperature", 200.0)},
    "gnss": {
        "lat_deg": Column("angle", 90.0),
        "lon_deg": Column("angle", 360.0),
        "height_m": Column("length", 1e6),
    }
    | _axes("pos", "m", "length", 1e7, "ned")
    | _axes("vel", "m_s", "speed", 1e4, "ned")
    | {
        "h_acc_m": Column("length"),
        "v_acc_m": Column("length"),
        "speed_acc_m_s": Column("speed"),
        "satellites": Column("share"),
        "fix": Column("share"),
        "hdop": Column("share"),
        "course_deg": Column("angle", 720.0),
        "speed_m_s": Column("speed", 1e4),
    },
    "range": {"range_m": Column("length", 1e5)},
    "motor": {f"motor_{i}": Column("share") for i in range(1, 13)}
    | {f"rpm_{i}": Column("share") for i in range(1, 13)},
    "battery": {"voltage_v": Column("voltage", 1000.0), "current_a": Column("current", 5000.0)},
    "stick": {name: Column("share") for name in ("roll", "pitch", "yaw", "throttle", "mode")},
    "setpoint": _axes("rate", "rad_s", "rate", 200.0)
    | {f"{angle}_rad": Column("angle", 1e3) for angle in ("roll", "pitch", "yaw")},
    "reference": _TRACK,
    "board": _TRACK
    | {f"sigma_{angle}_rad": Column("angle", 1e3) for angle in ("roll", "pitch", "yaw")}
    | _axes("sigma_pos", "m", "length", 1e6, "ned")
    | _axes("sigma_vel", "m_s", "speed", 1e4, "ned"),
}
# Canonical columns in degrees: positions on the globe and course keep the unit that everybody reads.
IN_DEGREES = {"lat_deg", "lon_deg", "course_deg"}
KINDS = (
    "still", "six-face", "level", "rotate", "mounting", "soak", "airflow", "motor-current", "flight", "jig", "vibration",
    "gnss-static", "lever-arm", "sticks", "two-imu", "check", "other",
)  # fmt: skip
