"""Barometer and rangefinder.

Arrays, where a function does not say otherwise (shape, unit, frame):

    p : (1088,) factors of the covariance, n
    rows : (R, 5) channel, s, innovation, variance, used, any
"""

import math

from fusus.core._jit import kernel
from fusus.core.arrays import Array
from fusus.core.estimation.navigation_ekf.measure import entry, first, inject, rotation, update_scalar
from fusus.core.estimation.navigation_ekf.states import (
    CH_BARO,
    CH_RANGE,
    E_BARO,
    E_POS,
    E_VEL,
    Coefficients,
    Memory,
)

# A standard atmosphere that is warmer or colder than the real one stretches heights by some percent.
STRETCH = 0.02
# Beyond it a height or a distance is none.
MOST_HEIGHT_M = 1e5
# A rangefinder's own noise floor, its share of the distance, and the tilt beyond which it looks aside: common practice.
RANGE_SIGMA_M, RANGE_SHARE, LEAST_COS = 0.05, 0.01, 0.82


@kernel
def fuse_baro(c: Coefficients, m: Memory, p: Array, n: int, rows: Array, t: float, height: float) -> int:
    """Take a barometric height (m, zero at the start) in; return 1 used, 0 refused.

    z = -p_D(t - d) + b: its own filter shows the height of a moment ago.
    """
    if not abs(height) <= MOST_HEIGHT_M:
        return 0
    first(m, E_POS + 2, -1.0)
    entry(m, E_VEL + 2, c.baro_delay_s)
    entry(m, E_BARO, 1.0)
    y = height - (-(m.position[2] - c.baro_delay_s * m.velocity[2]) + m.baro_offset)
    risen = STRETCH * (m.position[2] - c.ground_down_m)
    m.shown_var = c.baro_shown_var + risen * risen
    used = update_scalar(m, p, n, rows, CH_BARO, t, y, c.baro_var + risen * risen, E_BARO, 0.0)
    inject(m, t)
    return used


@kernel
def fuse_range(c: Coefficients, m: Memory, p: Array, n: int, rows: Array, t: float, distance: float) -> int:
    """Take a distance to level ground in (the ground where the craft stood at the start); return 1 used, 0 refused."""
    r = rotation(m.attitude[0], m.attitude[1], m.attitude[2], m.attitude[3])
    if r[8] < LEAST_COS or not 0.0 < distance <= MOST_HEIGHT_M:
        return 0
    first(m, E_POS + 2, -1.0)
    y = distance * r[8] - (c.ground_down_m - m.position[2])
    sigma = math.hypot(RANGE_SIGMA_M, RANGE_SHARE * distance)
    used = update_scalar(m, p, n, rows, CH_RANGE, t, y, sigma * sigma, E_POS + 2, 0.0)
    inject(m, t)
    return used
