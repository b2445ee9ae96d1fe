"""A recording with one sensor twice as good: half its error taken off, as a known truth shows it."""

from dataclasses import replace

import numpy as np

from fusus.core.analysis.comparison import Track
from fusus.core.arrays import Array
from fusus.core.estimation.navigation_ekf.parameters import Parameters
from fusus.core.estimation.replay import EstimatorInput
from fusus.core.estimation.samples import Samples
from fusus.core.frames import quaternion
from fusus.core.world.site import Site

SENSORS = ("gyro", "accelerometer", "magnetometer", "barometer", "receiver")


def twice_as_good(
    sensor: str, given: EstimatorInput, truth: Track, site: Site, parameters: Parameters
) -> EstimatorInput | None:
    """Return the samples with half of one sensor's error; None where the truth does not hold what that takes."""
    s, a = given.samples, given.aiding
    if sensor == "gyro":
        true = _at(truth.t_s, true_rate(truth), given.t_s)
        return replace(given, samples=Samples(s.dt_s, _half(s.gyro_b, true), s.acc_b, s.mag_b))
    if truth.pos_n is None or truth.vel_n is None:
        return None
    if sensor == "accelerometer":
        true = _at(truth.t_s, true_force(truth, site.gravity_m_s2), given.t_s)
        return replace(given, samples=Samples(s.dt_s, s.gyro_b, _half(s.acc_b, true), s.mag_b))
    if sensor == "magnetometer":
        if site.field is None or not len(a.mag):
            return None
        field = np.asarray(site.field.vector_ut)
        rows = a.mag.copy()
        rows[:, 1:4] = _half(rows[:, 1:4], _field(truth, rows[:, 0], field))
        known = np.isfinite(s.mag_b).all(axis=1)
        at_samples = s.mag_b.copy()
        at_samples[known] = _half(at_samples[known], _field(truth, given.t_s[known], field))
        return replace(given, samples=Samples(s.dt_s, s.gyro_b, s.acc_b, at_samples), aiding=replace(a, mag=rows))
    if sensor == "barometer":
        rows = a.baro.copy()
        height = -np.interp(rows[:, 0], truth.t_s, truth.pos_n[:, 2])
        rows[:, 1] = (
            0.5 * (rows[:, 1] + height - height[: max(1, len(height) // 50)].mean()) if len(rows) else rows[:, 1]
        )
        return replace(given, aiding=replace(a, baro=rows))
    rows = a.gnss.copy()
    sky = rows[:, 0] - parameters.gnss_delay_s
    arm = np.array([parameters.lever_arm_x_m, parameters.lever_arm_y_m, parameters.lever_arm_z_m])
    q = quaternion.interpolate(truth.t_s, truth.q_nb, np.clip(sky, truth.t_s[0], truth.t_s[-1]))
    rows[:, 1:4] = _half(
        rows[:, 1:4], _at(truth.t_s, truth.pos_n, sky) + quaternion.rotate(q, np.tile(arm, (len(q), 1)))
    )
    swing = quaternion.rotate(q, np.cross(_at(truth.t_s, true_rate(truth), sky), arm))
    rows[:, 4:7] = _half(rows[:, 4:7], _at(truth.t_s, truth.vel_n, sky) + swing)
    return replace(given, aiding=replace(a, gnss=rows))


def _half(reading: Array, true: Array) -> Array:
    return np.ascontiguousarray(0.5 * (reading + true))


def _at(t: Array, values: Array, when: Array) -> Array:
    return np.stack([np.interp(when, t, values[:, i]) for i in range(values.shape[1])], axis=1)


def _field(truth: Track, when: Array, field_n: Array) -> Array:
    q = quaternion.interpolate(truth.t_s, truth.q_nb, np.clip(when, truth.t_s[0], truth.t_s[-1]))
    return quaternion.rotate(quaternion.conjugate(q), np.tile(field_n, (len(when), 1)))


def true_rate(truth: Track) -> Array:
    """Return the body rate (N, 3) rad/s of a true attitude, by central differences."""
    step = quaternion.multiply(quaternion.conjugate(truth.q_nb[:-1]), truth.q_nb[1:])
    rate = quaternion.to_rotation_vector(step) / np.diff(truth.t_s)[:, None]
    middle = 0.5 * (truth.t_s[1:] + truth.t_s[:-1])
    return _at(middle, rate, truth.t_s)


def true_force(truth: Track, gravity_m_s2: float) -> Array:
    """Return the specific force (N, 3) m/s^2 in body axes of a true motion."""
    if truth.vel_n is None:
        raise ValueError("a specific force needs a true velocity")
    acceleration = np.gradient(truth.vel_n, truth.t_s, axis=0)
    return quaternion.rotate(quaternion.conjugate(truth.q_nb), acceleration - np.array([0.0, 0.0, gravity_m_s2]))
