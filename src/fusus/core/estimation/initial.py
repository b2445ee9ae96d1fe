"""The first attitude: tilt from gravity, heading from the field, gyro bias from rest.

Arrays, where a function does not say otherwise (shape, unit, frame):

    gyro_b : (N, 3) rad/s, b
    acc_b : (N, 3) m/s^2, b
    t_s : (N,) s, any
    values : (N, 3) any, b
"""

from typing import NamedTuple

import numpy as np
from numpy.typing import ArrayLike

from fusus.core.arrays import Array
from fusus.core.estimation.attitude_math import MOST_M_S2, MOST_RAD_S
from fusus.core.estimation.rests import longest_rest
from fusus.core.frames.quaternion import from_matrix, from_rotation_vector, multiply, rotate
from fusus.core.world.site import Site

# What counts as rest: looser than any sensor's noise, tighter than any hand or rotor (common practice).
REST_GYRO_RAD_S = 0.03
REST_ACC_M_S2 = 0.35
REST_RATE_RAD_S = 0.35
REST_DRIFT_RAD_S = 0.01
# Over so long the force is averaged where nothing rests.
LEVEL_S = 3.0


class Start(NamedTuple):
    """Where an estimator begins. Sigmas in rad and rad/s; ``is_still`` says whether the bias was measured at rest;
    ``bias_sigma_rad_s``: where it was measured at a rest further on, its standard error, else 0."""

    q_nb: Array
    gyro_bias_b: Array
    is_still: bool
    rest_s: float
    field_ut: float
    dip_rad: float
    has_heading: bool
    bias_sigma_rad_s: float = 0.0


def attitude_from_vectors(acc_b: ArrayLike, mag_b: ArrayLike | None, declination_rad: float) -> Array:
    """Return ``q_nb`` from one specific force at rest and one field (TRIAD, Black 1964: gravity exact).

    Parameters
    ----------
    acc_b : array_like, (3,), m/s^2, b
        Specific force at rest.
    mag_b : array_like, (3,), any, b
        Field, or None for heading zero.
    declination_rad : float
        From true to magnetic north, east positive.

    Returns
    -------
    ndarray, (4,), 1, n to b
        Attitude.
    """
    down = -np.asarray(acc_b, dtype=float)
    down = down / np.linalg.norm(down)
    ahead = np.array([1.0, 0.0, 0.0]) if mag_b is None else np.asarray(mag_b, dtype=float)
    east = np.cross(down, ahead)
    if np.linalg.norm(east) < 1e-6 * max(float(np.linalg.norm(ahead)), 1e-12):
        east = np.cross(down, np.array([0.0, 0.0, 1.0 if mag_b is None else 0.0]) + np.array([0.0, -1e-3, 0.0]))
    east = east / np.linalg.norm(east)
    rows = np.stack([np.cross(east, down), east, down])
    if mag_b is not None:
        c, s = np.cos(declination_rad), np.sin(declination_rad)
        rows = np.array([[c, -s, 0.0], [s, c, 0.0], [0.0, 0.0, 1.0]]) @ rows
    return from_matrix(rows)


def rest_at_start(gyro_b: Array, acc_b: Array, t_s: Array, longest_s: float = 10.0) -> int:
    """Return how many samples from the first one on the sensors lie still (at most ``longest_s`` of them)."""
    if len(t_s) < 2:
        return len(t_s)
    step = max(1, int(np.searchsorted(t_s, t_s[0] + 0.25)))
    last = int(np.searchsorted(t_s, t_s[0] + longest_s))
    g0, f0 = gyro_b[:step].mean(axis=0), acc_b[:step].mean(axis=0)
    still = 0
    for start in range(0, max(last - step + 1, 1), step):
        g, f = gyro_b[start : start + step], acc_b[start : start + step]
        shakes = g.std(axis=0).max() > REST_GYRO_RAD_S or f.std(axis=0).max() > REST_ACC_M_S2
        turns = np.abs(g.mean(axis=0)).max() > REST_RATE_RAD_S or np.abs(g.mean(axis=0) - g0).max() > REST_DRIFT_RAD_S
        leans = float(np.linalg.norm(f.mean(axis=0) - f0)) > REST_ACC_M_S2
        if shakes or turns or leans:
            # The window before holds the first, slow part of the motion.
            return max(still - step, 0)
        still = start + len(g)
    return still


def start_from(t_s: ArrayLike, gyro_b: ArrayLike, acc_b: ArrayLike, mag_b: ArrayLike, site: Site) -> Start:
    """Return the start from a recording's first seconds: all of the rest, or the first 0.2 s where nothing rests.

    Parameters
    ----------
    t_s : array_like, (N,), s, any
        Times.
    gyro_b : array_like, (N, 3), rad/s, b
        Angular rate.
    acc_b : array_like, (N, 3), m/s^2, b
        Specific force.
    mag_b : array_like, (N, 3), uT, b
        Field; rows of NaN where there is no sample.
    site : Site
        Gravity and field.

    Returns
    -------
    Start
        Attitude at the end of the rest, with the gyro bias that the rest shows, or else the longest one further on (zero: nothing rests).
    """
    t, mag = np.asarray(t_s), np.asarray(mag_b)
    gyro, acc = readings(gyro_b, MOST_RAD_S), readings(acc_b, MOST_M_S2)
    rest = rest_at_start(gyro, acc, t)
    rest_s = float(t[rest - 1] - t[0]) if rest > 1 else 0.0
    is_still = rest_s >= 0.4
    count = max(1, rest if is_still else int(np.searchsorted(t, t[0] + 0.2)))
    f = _mean(acc[:count]) if is_still else _mean_force(t, gyro, acc)
    if not np.linalg.norm(f) > 0:
        f = np.array([0.0, 0.0, -site.gravity_m_s2])
    seen = mag[: max(count, 1)]
    seen = seen[np.isfinite(seen).all(axis=1)]
    if len(seen) == 0:
        later = np.flatnonzero(np.isfinite(mag).all(axis=1))[:1]
        seen = mag[later]
    m = seen.mean(axis=0) if len(seen) else None
    if m is not None and not np.linalg.norm(m) > 0:
        m = None
    q = attitude_from_vectors(f, m, site.declination_rad)
    bias = np.nan_to_num(_mean(gyro[:count])) if is_still else np.zeros(3)
    found = longest_rest(t, gyro, acc) if not is_still else None
    if found is not None:
        bias = found.bias_b
    field, dip = _reference_field(f, m, site)
    return Start(
        q, bias, is_still, rest_s, field, dip, m is not None, 0.0 if found is None else float(found.sigma_b.max())
    )


def readings(values: ArrayLike, most: float) -> Array:
    """Return samples (N, 3) with NaN in all of those that are none: no number, or beyond ``most``."""
    v = np.asarray(values, dtype=float)
    good = (np.abs(v) <= most).all(axis=1)
    return v if good.all() else np.where(good[:, None], v, np.nan)


def _mean(values: Array) -> Array:
    good = values[np.isfinite(values).all(axis=1)]
    return good.mean(axis=0) if len(good) else np.full(values.shape[1], np.nan)


def _mean_force(t: Array, gyro: Array, acc: Array) -> Array:
    """Return the mean specific force of the first seconds in the body axes of the first sample, (3,).

    A carrier cannot speed up for long: of some seconds' force most is gravity, if the turns between are taken out by the gyro.
    """
    count = max(1, int(np.searchsorted(t, t[0] + LEVEL_S)))
    steps = np.diff(t[:count], prepend=t[0])
    q = np.array([1.0, 0.0, 0.0, 0.0])
    total = np.zeros(3)
    for turn, force in zip(np.nan_to_num(gyro[:count]) * steps[:, None], acc[:count], strict=True):
        q = multiply(q, from_rotation_vector(turn))
        if np.isfinite(force).all():
            total += rotate(q, force)
    return total / count


def _reference_field(acc: Array, mag: Array | None, site: Site) -> tuple[float, float]:
    """Return strength (µT) and dip (rad) to gate by: the site's, or the first reading's where the site is unknown."""
    if site.field is not None:
        return site.field.strength_ut, site.field.inclination_rad
    if mag is None:
        return float("nan"), float("nan")
    strength = float(np.linalg.norm(mag))
    return strength, float(np.arcsin(np.clip(-acc @ mag / (np.linalg.norm(acc) * strength), -1, 1)))
