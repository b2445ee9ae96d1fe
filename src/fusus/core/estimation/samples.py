"""The samples an attitude estimator eats, checked once at the border."""

from typing import NamedTuple

import numpy as np
from numpy.typing import ArrayLike

from fusus.core.arrays import Array, as_samples, as_series


class Samples(NamedTuple):
    """Steps (N,) in s, then rate, specific force and field (N, 3) in body axes; field rows are NaN where none came."""

    dt_s: Array
    gyro_b: Array
    acc_b: Array
    mag_b: Array

    def part(self, start: int, stop: int) -> "Samples":
        """Return the rows from ``start`` to ``stop``."""
        return Samples(*(a[start:stop] for a in self))


def sealed(samples: Samples) -> Samples:
    """Return the samples in the one form that kernels are compiled for: contiguous and read-only."""
    out = []
    for values in samples:
        view = np.ascontiguousarray(values, dtype=np.float64).view()
        view.flags.writeable = False
        out.append(view)
    return Samples(*out)


def as_attitude_samples(
    dt_s: ArrayLike, gyro_b: ArrayLike, acc_b: ArrayLike, mag_b: ArrayLike | None = None
) -> Samples:
    """Return checked samples.

    Parameters
    ----------
    dt_s : array_like, (N,), s, any
        Time since the sample before; one number stands for all.
    gyro_b : array_like, (N, 3), rad/s, b
        Angular rate; what is no number did not come.
    acc_b : array_like, (N, 3), m/s^2, b
        Specific force; likewise.
    mag_b : array_like, (N, 3), uT, b
        Field, rows of NaN where no sample came; None for none at all.

    Returns
    -------
    Samples
        Read-only arrays of one length.

    Raises
    ------
    ValueError
        If the lengths differ, or a time step is no finite number.
    """
    gyro, acc = as_samples(gyro_b, "gyro_b", 3), as_samples(acc_b, "acc_b", 3)
    n = len(gyro)
    dt = as_series(np.broadcast_to(np.asarray(dt_s, dtype=float), (n,)), "dt_s")
    mag = as_samples(np.full((n, 3), np.nan) if mag_b is None else mag_b, "mag_b", 3)
    if not len(acc) == len(mag) == n:
        raise ValueError(f"gyro_b, acc_b and mag_b must be equally long, not {n}, {len(acc)}, {len(mag)}")
    if not np.isfinite(dt).all():
        raise ValueError("dt_s must be finite")
    return Samples(dt, gyro, acc, mag)
