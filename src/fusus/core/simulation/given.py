"""A simulated flight as estimators take it, without a file in between; and its truth."""

import numpy as np

from fusus.core.analysis.comparison import Track
from fusus.core.arrays import Array
from fusus.core.estimation.aiding import Aiding, baro_rows, gnss_rows, mag_rows, range_rows, usual_accuracy
from fusus.core.estimation.initial import rest_at_start
from fusus.core.estimation.known import grounded, known_of
from fusus.core.estimation.replay import EstimatorInput, estimator_input
from fusus.core.frames.geodesy import geodetic_to_ned
from fusus.core.simulation.columns import Streams


def given_by(streams: Streams, home: tuple[float, float, float]) -> tuple[EstimatorInput, Track]:
    """Return input and truth of simulated streams, positions from ``home`` (degrees, degrees, m)."""
    imu, gnss = streams["imu"], streams.get("gnss")
    t = _times(imu)
    gyro, acc = _three(imu, "gyro", "rad_s"), _three(imu, "acc", "m_s2")
    field_s, field, baro = np.empty(0), np.empty((0, 3)), np.empty((0, 2))
    if "mag" in streams:
        field_s, field = _times(streams["mag"]), _three(streams["mag"], "mag", "ut")
    rest = rest_at_start(gyro, acc, t)
    if "baro" in streams:
        baro = baro_rows(_times(streams["baro"]), streams["baro"]["pressure_pa"], float(t[max(rest - 1, 0)]))
    ground = None
    if "motor" in streams:
        motors = np.stack([v for k, v in streams["motor"].items() if k.startswith("motor_")], axis=1)
        ground = grounded(t, gyro, acc, _times(streams["motor"]), motors.max(axis=1))
    fixes, accuracy = np.empty((0, 9)), float("nan")
    if gnss is not None:
        pos = geodetic_to_ned(gnss["lat_deg"], gnss["lon_deg"], gnss["height_m"], home)
        fixes = gnss_rows(_times(gnss), pos, _three(gnss, "vel", "m_s", "ned"), gnss["h_acc_m"])
        accuracy = usual_accuracy(gnss["h_acc_m"])
    ranges = (
        range_rows(_times(streams["range"]), streams["range"]["range_m"]) if "range" in streams else np.empty((0, 2))
    )
    aiding = Aiding(
        fixes, baro, mag_rows(field_s, field) if len(field_s) else np.empty((0, 5)), ranges,
        known=known_of(gyro, acc, rest, ground), accuracy=(accuracy, float("nan"), float("nan")),
    )  # fmt: skip
    ref = streams["reference"]
    truth = Track(
        _times(ref),
        np.stack([ref[f"q_{a}"] for a in "wxyz"], axis=1),
        _three(ref, "pos", "m", "ned"),
        _three(ref, "vel", "m_s", "ned"),
    )
    return estimator_input(t, gyro, acc, field_s, field, aiding), truth


def _times(stream: dict[str, Array]) -> Array:
    return np.asarray(stream["t_ns"] * 1e-9)


def _three(stream: dict[str, Array], name: str, unit: str, axes: str = "xyz") -> Array:
    return np.stack([stream[f"{name}_{a}_{unit}"] for a in axes], axis=1)
