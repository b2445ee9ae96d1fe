"""How far two attitudes are apart, tilt and heading taken separately.

Arrays, where a function does not say otherwise (shape, unit, frame):

    q_nb : (N, 4) 1, b to n
    angles_rad : (N,) rad, any
    turn_heading() : (N, 4) 1, b to n
"""

from typing import NamedTuple

import numpy as np
from numpy.typing import ArrayLike

from fusus.core.arrays import Array
from fusus.core.frames.quaternion import conjugate, multiply, normalise, rotate, to_euler


class AttitudeError(NamedTuple):
    """Errors per sample in rad: ``tilt`` (N,) >= 0, ``heading`` (N,) in ±π, ``tilt_ne`` (N, 2) about north and east."""

    tilt: Array
    heading: Array
    tilt_ne: Array


def attitude_error(estimate_q_nb: ArrayLike, reference_q_nb: ArrayLike) -> AttitudeError:
    """Return how far an estimate is from a reference.

    Parameters
    ----------
    estimate_q_nb : array_like, (N, 4), 1, n to b
        Estimated attitude.
    reference_q_nb : array_like, (N, 4), 1, n to b
        Reference attitude.

    Returns
    -------
    AttitudeError
        Tilt is the angle between the two down directions; heading the rest of the rotation, about down
        (swing-twist split, Dobrowolski 2015).

    Notes
    -----
    The split holds for any tilt error below 180 degrees and at any attitude: no Euler angle is compared.
    """
    d = normalise(multiply(estimate_q_nb, conjugate(reference_q_nb)))
    w, x, y, z = np.moveaxis(d, -1, 0)
    tilt = 2.0 * np.arctan2(np.hypot(x, y), np.hypot(w, z))
    heading = 2.0 * np.arctan2(z, w)
    heading = np.mod(heading + np.pi, 2 * np.pi) - np.pi
    return AttitudeError(tilt, heading, 2.0 * np.stack([x, y], axis=-1))


def turn_heading(q_nb: ArrayLike, angle_rad: float) -> Array:
    """Return the attitudes turned about down by ``angle_rad``."""
    half = 0.5 * angle_rad
    return multiply(np.array([np.cos(half), 0.0, 0.0, np.sin(half)]), q_nb)


def circular_mean(angles_rad: ArrayLike) -> float:
    """Return the mean direction of angles, rad; NaN for none."""
    a = np.asarray(angles_rad, dtype=float)
    a = a[np.isfinite(a)]
    return float(np.arctan2(np.sin(a).mean(), np.cos(a).mean())) if len(a) else float("nan")


def circular_spread(angles_rad: ArrayLike) -> float:
    """Return the RMS of angles about their mean direction, rad."""
    a = np.asarray(angles_rad, dtype=float)
    a = a[np.isfinite(a)]
    off = np.mod(a - circular_mean(a) + np.pi, 2 * np.pi) - np.pi
    return float(np.sqrt(np.mean(off**2))) if len(a) else float("nan")


def compass_heading(q_nb: ArrayLike, mag_b: ArrayLike, declination_rad: float) -> Array:
    """Return the true heading, rad, that a field shows when its tilt is taken from ``q_nb``.

    Parameters
    ----------
    q_nb : array_like, (N, 4), 1, n to b
        Attitude; only its tilt counts.
    mag_b : array_like, (N, 3), any, b
        Field.
    declination_rad : float
        From true to magnetic north, east positive.

    Returns
    -------
    ndarray, (N,), rad, n
        Heading from 0 to 2π.
    """
    yaw = to_euler(q_nb)[..., 0]
    field = rotate(q_nb, mag_b)
    return np.asarray(np.mod(yaw + declination_rad - np.arctan2(field[..., 1], field[..., 0]), 2 * np.pi))
