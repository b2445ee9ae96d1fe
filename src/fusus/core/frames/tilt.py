"""Tilt from gravity."""

import numpy as np
from numpy.typing import ArrayLike

from fusus.core.arrays import Array, as_samples


def tilt_from_acc(acc_b: ArrayLike) -> Array:
    """Return the roll and pitch that an accelerometer at rest shows.

    Parameters
    ----------
    acc_b : array_like, (N, 3), m/s^2, b
        Specific force.

    Returns
    -------
    ndarray, (N, 2), rad, n to b
        Roll and pitch.

    Raises
    ------
    ValueError
        If a sample is zero in all axes.

    Notes
    -----
    A bias of 0.1 m/s^2 on a level axis tilts the result by 10 mrad.
    """
    f = as_samples(acc_b, "acc_b", 3)
    if np.any(np.linalg.norm(f, axis=1) == 0.0):
        raise ValueError("acc_b holds a sample that is zero in all axes")
    roll = np.arctan2(-f[:, 1], -f[:, 2])
    pitch = np.arctan2(f[:, 0], np.hypot(f[:, 1], f[:, 2]))
    return np.stack([roll, pitch], axis=-1)
