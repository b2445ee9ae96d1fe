"""When a board lies still: a generalised likelihood ratio on short windows of gyro and accelerometer.

After I. Skog et al., "Zero-velocity detection", IEEE Trans. Biomed. Eng. 57 (2010): a window is at rest if what remains of
gyro and accelerometer round their own means is no more than the sensors' noise. The noise is taken from the quietest windows.

Arrays, where a function does not say otherwise (shape, unit, frame):

    t_s : (N,) s, any
    gyro : (N, 3) rad/s, b
    acc : (N, 3) m/s^2, b
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from fusus.core.arrays import Array, BoolArray, IntArray, as_samples, as_series

WINDOW_S = 0.25
LEAST_SAMPLES = 12  # the noise of fewer is itself too noisy to compare
RATIO = 3.0  # of the quietest windows' noise
# Above these no window is at rest, whatever the others are like: a hand shakes by more, a fan on the bench by less.
MOST_ACC_M_S2, MOST_GYRO_RAD_S = 0.5, 0.05
MOST_TURN_RAD_S = 0.03  # of the window's mean rate against the typical one
MOST_LEAN_RAD = 0.006  # between neighbouring windows


@dataclass(frozen=True, slots=True)
class Span:
    """A stretch at rest: rows ``first`` to ``last`` (past the end), times in s."""

    first: int
    last: int
    start_s: float
    end_s: float

    @property
    def rows(self) -> slice:
        """The rows as a slice."""
        return slice(self.first, self.last)

    @property
    def length_s(self) -> float:
        """How long it lasts."""
        return self.end_s - self.start_s


@dataclass(frozen=True, slots=True)
class Windows:
    """Means and noise of short windows: ``edges`` (K + 1,) rows, ``start_s`` (K,), the others (K, 3) or (K,)."""

    edges: IntArray
    start_s: Array
    acc_mean: Array
    gyro_mean: Array
    acc_noise: Array
    gyro_noise: Array


def cut_windows(t_s: ArrayLike, gyro: ArrayLike, acc: ArrayLike, window_s: float = WINDOW_S) -> Windows:
    """Return windows of evenly sampled readings (N, 3) in rad/s and m/s²; ValueError if there are too few samples."""
    t, w, f = as_series(t_s, "t_s"), as_samples(gyro, "gyro", 3), as_samples(acc, "acc", 3)
    n = len(t)
    step = float(np.median(np.diff(t))) if n > 1 else 0.0
    each = max(LEAST_SAMPLES, round(window_s / step)) if step > 0 else LEAST_SAMPLES
    count = n // each
    if count < 1:
        raise ValueError(f"{n} samples are too few for one window of {each}")
    cut = count * each
    fw, ww = f[:cut].reshape(count, each, 3), w[:cut].reshape(count, each, 3)
    return Windows(
        np.arange(count + 1, dtype=np.int64) * each,
        t[:cut:each].copy(),
        fw.mean(axis=1),
        ww.mean(axis=1),
        np.sqrt(fw.var(axis=1, ddof=1).sum(axis=1)),
        np.sqrt(ww.var(axis=1, ddof=1).sum(axis=1)),
    )


def still_windows(w: Windows) -> BoolArray:
    """Return which windows are at rest, shape (K,)."""
    quiet_acc = max(float(np.quantile(w.acc_noise, 0.1)), 1e-9)
    quiet_gyro = max(float(np.quantile(w.gyro_noise, 0.1)), 1e-9)
    still = (w.acc_noise < min(RATIO * quiet_acc, MOST_ACC_M_S2)) & (
        w.gyro_noise < min(RATIO * quiet_gyro, MOST_GYRO_RAD_S)
    )
    if still.any():
        # A constant gyro bias may be large, but it is the same in all windows at rest: the quietest of them show it.
        quietest = np.argsort(w.gyro_noise / quiet_gyro + w.acc_noise / quiet_acc)[: max(3, len(still) // 20)]
        usual = np.median(w.gyro_mean[quietest], axis=0)
        still &= np.abs(w.gyro_mean - usual).max(axis=1) < MOST_TURN_RAD_S
    size = np.linalg.norm(w.acc_mean, axis=1, keepdims=True)
    direction = w.acc_mean / np.maximum(size, 1e-9)
    lean = np.linalg.norm(np.diff(direction, axis=0), axis=1)
    noise = 4.0 * quiet_acc / np.sqrt(np.diff(w.edges)[0]) / max(float(np.median(size)), 1e-9)
    moved = lean > max(MOST_LEAN_RAD, noise)
    still[1:] &= ~moved
    still[:-1] &= ~moved
    return np.asarray(still)


def still_spans(t_s: ArrayLike, gyro: ArrayLike, acc: ArrayLike, least_s: float = 1.0) -> tuple[Span, ...]:
    """Return the stretches at rest that last at least ``least_s``.

    Parameters
    ----------
    t_s : array_like, (N,), s, any
        Times.
    gyro : array_like, (N, 3), rad/s, s
        Angular rate.
    acc : array_like, (N, 3), m/s^2, s
        Readings.
    least_s : float
        Shortest stretch.

    Returns
    -------
    tuple of Span
        In the order of time; the windows next to a motion are left out.
    """
    t = as_series(t_s, "t_s")
    w = cut_windows(t, gyro, acc)
    still = still_windows(w)
    padded = np.concatenate([[False], still, [False]])
    starts, ends = np.flatnonzero(~padded[:-1] & padded[1:]), np.flatnonzero(padded[:-1] & ~padded[1:])
    out = []
    for a, b in zip(starts, ends, strict=True):
        first, last = int(w.edges[a]), int(w.edges[b])
        if a > 0 and b - a > 4:
            first = int(w.edges[a + 1])  # the hand is only just off it
        if b == len(still):
            last = len(t)
        if t[last - 1] - t[first] >= least_s:
            out.append(Span(first, last, float(t[first]), float(t[last - 1])))
    return tuple(out)
