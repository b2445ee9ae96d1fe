"""The gyro's bias from wherever a recording lies still, where it does not do so at its beginning: in hindsight.

Arrays, where a function does not say otherwise (shape, unit, frame):

    t_s : (N,) s, any
    gyro_b : (N, 3) rad/s, b
    acc_b : (N, 3) m/s^2, b
"""

from typing import NamedTuple

import numpy as np

from fusus.core.arrays import Array

WINDOW_S, LEAST_S = 0.5, 1.0
# Within a window of rest: how much rate and force scatter at most, by how much windows of one rest differ, and what a bias can be.
GYRO_RAD_S, ACC_M_S2, DRIFT_RAD_S, MOST_RAD_S = 0.02, 0.15, 0.004, 0.15
# One force of a rest: it points one way, and is gravity to within a sensor's own error.
TURN_M_S2, GRAVITY, GRAVITY_OFF = 0.1, 9.81, 0.6

# One sigma of what a short rest leaves of the bias beside noise: hands, warming, a slow start. And how far from the start a rest may be,
# which is how long the bias may have drifted since.
REST_BIAS_RAD_S, LATER_S = 3e-4, 60.0


class Rest(NamedTuple):
    """A stretch of rest, s, and the gyro's mean over it, (3,) rad/s, with its standard error."""

    begins_s: float
    lasts_s: float
    bias_b: Array
    sigma_b: Array


def longest_rest(t_s: Array, gyro_b: Array, acc_b: Array) -> Rest | None:
    """Return the longest rest anywhere, of a second at least; None where nothing lies still.

    A steady turn about the vertical looks like a rest to an accelerometer: a mean rate beyond any bias, or one that differs from window to
    window, is none.
    """
    if len(t_s) < 8:
        return None
    step = max(4, round(WINDOW_S / max(float(np.median(np.diff(t_s))), 1e-4)))
    count = len(t_s) // step
    if count < 2:
        return None
    g = gyro_b[: count * step].reshape(count, step, 3)
    f = acc_b[: count * step].reshape(count, step, 3)
    rate, force = g.mean(axis=1), f.mean(axis=1)
    still = (g.std(axis=1).max(axis=1) < GYRO_RAD_S) & (f.std(axis=1).max(axis=1) < ACC_M_S2)
    still &= (np.abs(rate).max(axis=1) < MOST_RAD_S) & (np.abs(np.linalg.norm(force, axis=1) - GRAVITY) < GRAVITY_OFF)
    begins = t_s[: count * step : step]
    ends = t_s[step - 1 : count * step : step]
    still &= ends - begins < 2.0 * WINDOW_S  # no hole within
    best: tuple[float, int, int] = (0.0, 0, 0)
    first = -1
    for k in range(count + 1):
        goes_on = k < count and bool(still[k])
        if goes_on and first >= 0:
            same = (
                np.abs(rate[k] - rate[first]).max() < DRIFT_RAD_S and np.abs(force[k] - force[first]).max() < TURN_M_S2
            )
            goes_on = bool(same) and begins[k] - ends[k - 1] < WINDOW_S
        if first >= 0 and not goes_on:
            best = max(best, (float(ends[k - 1] - begins[first]), first, k))
            first = -1
        if k < count and bool(still[k]) and first < 0:
            first = k
    lasts, first, last = best
    if lasts < LEAST_S:
        return None
    means = rate[first:last]
    sigma = means.std(axis=0, ddof=1) / np.sqrt(len(means)) if len(means) > 1 else np.full(3, GYRO_RAD_S)
    return Rest(float(begins[first]), lasts, means.mean(axis=0), np.maximum(sigma, 1e-5))
