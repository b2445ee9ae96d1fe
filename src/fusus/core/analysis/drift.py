"""How errors grow while nothing corrects them: closed forms.

Arrays, where a function does not say otherwise (shape, unit, frame):

    t_s : (N,) s, any
    angle_from_bias() : (N,) rad, any
    angle_from_noise() : (N,) rad, any
    angle_from_walk() : (N,) rad, any
    position_from_acc_bias() : (N,) m, any
    position_from_acc_noise() : (N,) m, any
    position_from_tilt() : (N,) m, any
    position_from_gyro_bias() : (N,) m, any
"""

import numpy as np
from numpy.typing import ArrayLike

from fusus.core.arrays import Array


def angle_from_bias(bias_rad_s: float, t_s: ArrayLike) -> Array:
    """Return the angle error of a gyro bias: b t, rad."""
    return np.asarray(bias_rad_s * np.asarray(t_s, dtype=float))


def angle_from_noise(n_rad_s_rthz: float, t_s: ArrayLike) -> Array:
    """Return one sigma of the angle from gyro noise: N sqrt(t), rad."""
    return np.asarray(n_rad_s_rthz * np.sqrt(np.asarray(t_s, dtype=float)))


def angle_from_walk(k_rad_s2_rthz: float, t_s: ArrayLike) -> Array:
    """Return one sigma of the angle from a rate random walk: K t^1.5 / sqrt(3), rad."""
    return np.asarray(k_rad_s2_rthz * np.asarray(t_s, dtype=float) ** 1.5 / np.sqrt(3.0))


def position_from_acc_bias(bias_m_s2: float, t_s: ArrayLike) -> Array:
    """Return the position error of an accelerometer bias: b t² / 2, m."""
    return np.asarray(0.5 * bias_m_s2 * np.asarray(t_s, dtype=float) ** 2)


def position_from_acc_noise(n_m_s2_rthz: float, t_s: ArrayLike) -> Array:
    """Return one sigma of the position from accelerometer noise: N t^1.5 / sqrt(3), m."""
    return np.asarray(n_m_s2_rthz * np.asarray(t_s, dtype=float) ** 1.5 / np.sqrt(3.0))


def position_from_tilt(tilt_rad: float, t_s: ArrayLike, gravity_m_s2: float) -> Array:
    """Return the position error of a tilt error read as acceleration: g sin(tilt) t² / 2, m."""
    return np.asarray(0.5 * gravity_m_s2 * np.sin(tilt_rad) * np.asarray(t_s, dtype=float) ** 2)


def position_from_gyro_bias(bias_rad_s: float, t_s: ArrayLike, gravity_m_s2: float) -> Array:
    """Return the position error of a gyro bias through tilt: g b t³ / 6, m (small angles)."""
    return np.asarray(gravity_m_s2 * bias_rad_s * np.asarray(t_s, dtype=float) ** 3 / 6.0)
