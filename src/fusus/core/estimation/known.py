"""What can be said of inertial samples before any filter runs: at rest, or a sensor at its stop.

Arrays, where a function does not say otherwise (shape, unit, frame):

    gyro_b : (N, 3) rad/s, b
    acc_b : (N, 3) m/s^2, b
    grounded : (N,) bool, any
    not_measured : (N,) bool, any
    values : (N, 3) any, b
    t_s : (N,) s, any
    motor_t_s : (M,) s, any
    throttle : (M,) 1, any
"""

import numpy as np

from fusus.core.arrays import Array, BoolArray, ByteArray
from fusus.core.estimation.navigation_ekf.states import ACC_CLIPPED, AT_REST, GYRO_CLIPPED, NOT_MEASURED

# The same extreme this often in a row is a stop, not a peak.
RUN = 3
IDLE = 0.05  # of full throttle: below it propellers stand or idle


def known_of(
    gyro_b: Array,
    acc_b: Array,
    rest_samples: int,
    grounded: BoolArray | None = None,
    not_measured: BoolArray | None = None,
) -> ByteArray:
    """Return bits per sample (N,): the rest at the start, rest with idle motors, stops of either sensor, holes that a logger filled.

    Without motors in the log only the start counts as rest: a calm hover looks just like a table.
    """
    out = np.zeros(len(gyro_b), dtype=np.uint8)
    out[:rest_samples] |= AT_REST
    if grounded is not None:
        out[grounded] |= AT_REST
    if not_measured is not None:
        out[not_measured] |= NOT_MEASURED
    out[at_stop(acc_b, 15.0)] |= ACC_CLIPPED
    out[at_stop(gyro_b, 2.0)] |= GYRO_CLIPPED
    return out


def at_stop(values: Array, least: float) -> BoolArray:
    """Return where any axis stands at its own extreme, beyond ``least``, for ``RUN`` samples or more, (N,)."""
    out = np.zeros(len(values), dtype=bool)
    for axis in range(values.shape[1]):
        v = np.abs(values[:, axis])
        peak = float(v.max(initial=0.0))
        if peak < least:
            continue
        at = v >= peak * (1 - 1e-6)
        runs = at.copy()
        for k in range(1, RUN):
            runs[k:] &= at[:-k]
        for k in range(1, RUN):
            runs[:-k] |= runs[k:]
        if runs.any():
            out |= at & runs
    return out


def grounded(t_s: Array, gyro_b: Array, acc_b: Array, motor_t_s: Array, throttle: Array) -> BoolArray:
    """Return where motors idle (N,) and nothing shakes or turns: on the ground again."""
    idle = np.interp(t_s, motor_t_s, throttle, left=1.0, right=float(throttle[-1])) < IDLE
    if not idle.any():
        return idle
    step = max(1, round(0.2 / max(float(np.median(np.diff(t_s))), 1e-4)))
    quiet = np.zeros(len(t_s), dtype=bool)
    for first in range(0, len(t_s) - step + 1, step):
        part = slice(first, first + step)
        if not idle[part].all():
            continue
        g, f = gyro_b[part], acc_b[part]
        quiet[part] = g.std(axis=0).max() < 0.03 and f.std(axis=0).max() < 0.35 and np.abs(g.mean(axis=0)).max() < 0.1
    return quiet
