"""What comes to an estimator beside gyro, accelerometer and field: fixes, pressure, distance, and what is known of samples.

Arrays, where a function does not say otherwise (shape, unit, frame):

    t_s : (N,) s, any
    pressure_pa : (N,) Pa, any
    mag_b : (N, 3) µT, b
    range_m : (N,) m, b
    said : (M,) m or m/s, any
"""

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import ArrayLike

from fusus.core.arrays import Array, ByteArray
from fusus.core.world.atmosphere import pressure_altitude_m

# Horizontal and vertical, m, and of the speed, m/s.
Accuracy = tuple[float, float, float]
NO_ACCURACY: Accuracy = (float("nan"),) * 3


def _none(columns: int) -> Array:
    return np.empty((0, columns))


@dataclass(frozen=True, slots=True)
class Aiding:
    """Measurements by the time at which they come, s.

    ``gnss`` (M, 9): time, position and velocity north-east-down from home (m, m/s, NaN for none), factors of their
    variances. ``baro`` (B, 2): time, height above the first samples' level, m. ``mag`` (F, 5): time, field µT in body axes,
    interval to the next. ``ranges`` (R, 2): time, m. ``known`` (N,) bits per inertial sample, see ``navigation_ekf.states``.
    ``accuracy``: what the receiver usually says of its own accuracy, horizontal and vertical, m, and of its speed, m/s; NaN for none.
    ``starts_at_home``: whether home is where the craft stood at the start, for want of another.
    """

    gnss: Array = field(default_factory=lambda: _none(9))
    baro: Array = field(default_factory=lambda: _none(2))
    mag: Array = field(default_factory=lambda: _none(5))
    ranges: Array = field(default_factory=lambda: _none(2))
    known: ByteArray = field(default_factory=lambda: np.empty(0, dtype=np.uint8))
    starts_at_home: bool = False
    accuracy: Accuracy = NO_ACCURACY


def gnss_rows(
    t_s: ArrayLike, pos_n: ArrayLike | None, vel_n: ArrayLike | None, accuracy_m: ArrayLike | None = None,
    has_fix: ArrayLike | None = None,
) -> Array:  # fmt: skip
    """Return fixes as rows.

    Parameters
    ----------
    t_s : array_like, (M,), s, any
        When they came.
    pos_n : array_like, (M, 3), m, n
        Position of the antenna from home, or None.
    vel_n : array_like, (M, 3), m/s, n
        Velocity of the antenna, or None.
    accuracy_m : array_like, (M,), m, any
        What the receiver says of its horizontal accuracy: where it says that it is worse than usual, variances grow.
    has_fix : array_like, (M,), 1, any
        Rows without a fix are left out.

    Returns
    -------
    ndarray, (K, 9), any, n
        Rows with any finite figure, in the order of time.
    """
    t = np.asarray(t_s, dtype=float)
    out = np.full((len(t), 9), np.nan)
    out[:, 0], out[:, 7:] = t, 1.0
    if pos_n is not None:
        out[:, 1:4] = pos_n
    if vel_n is not None:
        out[:, 4:7] = vel_n
    out[:, 1:7][~np.isfinite(out[:, 1:7])] = np.nan
    if accuracy_m is not None:
        said = np.asarray(accuracy_m, dtype=float)
        good = said[np.isfinite(said) & (said > 0)]
        if len(good):
            factor = np.clip(np.where(np.isfinite(said), said, 1e3) / np.median(good), 1.0, 1e3) ** 2
            out[:, 7:] = factor[:, None]
    keep = np.isfinite(out[:, 1:7]).any(axis=1) & np.isfinite(t)
    if has_fix is not None:
        keep &= np.asarray(has_fix, dtype=bool)
    out = out[keep]
    return np.ascontiguousarray(out[np.argsort(out[:, 0], kind="stable")])


def usual_accuracy(said: ArrayLike | None) -> float:
    """Return the middle of what a receiver says of its accuracy (M,), NaN where it says nothing usable."""
    values = np.asarray(said, dtype=float) if said is not None else np.empty(0)
    good = values[np.isfinite(values) & (values > 0)]
    return float(np.median(good)) if len(good) else float("nan")


def baro_rows(t_s: ArrayLike, pressure_pa: ArrayLike, until_s: float) -> Array:
    """Return barometric heights as rows, (K, 2): in the standard atmosphere above the mean level of samples till ``until_s``."""
    t, p = np.asarray(t_s, dtype=float), np.asarray(pressure_pa, dtype=float)
    good = np.isfinite(t) & np.isfinite(p) & (p > 1000.0)
    t, p = _in_order(t[good], p[good])
    if len(t) == 0:
        return _none(2)
    altitude = pressure_altitude_m(p)
    first = altitude[: max(1, int(np.searchsorted(t, until_s)))]
    return np.ascontiguousarray(np.stack([t, altitude - first.mean()], axis=1))


def mag_rows(t_s: ArrayLike, mag_b: ArrayLike) -> Array:
    """Return field samples as rows, (K, 5), with the usual interval between them."""
    t, m = np.asarray(t_s, dtype=float), np.asarray(mag_b, dtype=float)
    good = np.isfinite(m).all(axis=1) & np.isfinite(t)
    t, m = _in_order(t[good], m[good])
    if len(t) == 0:
        return _none(5)
    interval = float(np.median(np.diff(t))) if len(t) > 1 else 0.02
    return np.ascontiguousarray(np.column_stack([t, m, np.full(len(t), max(interval, 1e-3))]))


def range_rows(t_s: ArrayLike, range_m: ArrayLike) -> Array:
    """Return distances as rows, (K, 2); those that are no number or not above zero are left out."""
    t, r = np.asarray(t_s, dtype=float), np.asarray(range_m, dtype=float)
    good = np.isfinite(t) & np.isfinite(r) & (r > 0)
    return np.ascontiguousarray(np.stack(_in_order(t[good], r[good]), axis=1))


def _in_order(t: Array, values: Array) -> tuple[Array, Array]:
    order = np.argsort(t, kind="stable")
    return t[order], values[order]
