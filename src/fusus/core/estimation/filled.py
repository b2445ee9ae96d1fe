"""Stretches that were not measured: a logger filled a hole with a straight line, or with its last reading again and again.

Arrays, where a function does not say otherwise (shape, unit, frame):

    t_s : (N,) s, any
    gyro_b : (N, 3) rad/s, b
    acc_b : (N, 3) m/s^2, b
"""

import numpy as np

from fusus.core.arrays import Array, BoolArray

# A line of fewer samples, or shorter, is chance: neighbours of a slow sensor, or the same reading twice.
LEAST_SAMPLES, LEAST_S = 8, 0.15
# Of the usual bend between three neighbours: what a line has by rounding, and what a moving sensor has about it.
STRAIGHT, MOVES = 0.03, 0.3
LEAST_CHANNELS = 4
AROUND_S = 0.5


def filled(t_s: Array, gyro_b: Array, acc_b: Array) -> BoolArray:
    """Return which samples lie on a straight line with their neighbours in every channel, though the sensor moves about it, (N,).

    A sensor that lies still writes the same reading often if its digits are coarse; then its neighbours do so too.
    """
    out = np.zeros(len(t_s), dtype=bool)
    if len(t_s) < 4 * LEAST_SAMPLES:
        return out
    values = np.hstack([gyro_b, acc_b])
    bend = np.abs(values[2:] - 2.0 * values[1:-1] + values[:-2])
    usual = np.median(bend, axis=0)
    tells = usual > 0.0
    if tells.sum() < LEAST_CHANNELS:
        return out
    share = (bend[:, tells] / usual[tells]).max(axis=1)
    straight = np.zeros(len(t_s), dtype=bool)
    straight[1:-1] = share < STRAIGHT
    edges = np.flatnonzero(np.diff(np.r_[False, straight, False].astype(np.int8)))
    for first, last in edges.reshape(-1, 2):
        begin, end = t_s[max(first - 1, 0)], t_s[min(last, len(t_s) - 1)]
        if last - first < LEAST_SAMPLES or end - begin < LEAST_S:
            continue
        before = share[max(int(np.searchsorted(t_s, begin - AROUND_S)) - 1, 0) : max(first - 2, 0)]
        after = share[min(last, len(share)) : int(np.searchsorted(t_s, end + AROUND_S)) - 1]
        if all(len(s) == 0 or float(np.median(s)) > MOVES for s in (before, after)):
            out[first:last] = True
    return out


def begins_at(t_s: Array, hole_s: float = 0.3) -> int:
    """Return the first sample after a hole at the very beginning, where fewer than half a second were logged before it; else 0."""
    early = t_s[: int(np.searchsorted(t_s, t_s[0] + 0.5)) + 1] if len(t_s) else t_s
    holes = np.flatnonzero(np.diff(early) > hole_s)
    at = int(holes[-1]) + 1 if len(holes) else 0
    return at if len(t_s) - at > 2 else 0
