"""Gravity as a level, where no fix shows what is acceleration and what is tilt.

Arrays, where a function does not say otherwise (shape, unit, frame):

    p : (1088,) factors of the covariance, n
    rows : (R, 5) channel, s, innovation, variance, used, any
"""

import math

from fusus.core._jit import kernel
from fusus.core.arrays import Array
from fusus.core.estimation.elapsed import reached
from fusus.core.estimation.navigation_ekf.measure import entry, first, inject, rotation, update_scalar
from fusus.core.estimation.navigation_ekf.states import (
    CH_LEVEL,
    CH_POS,
    CH_VEL,
    E_ACC,
    E_ATT,
    LONG_AGO_S,
    Coefficients,
    Memory,
)

EVERY_S, SILENT_S = 0.5, 5.0
# Acceleration expected before its own wavering has shown it, the least that is believed, and how long one lasts.
MOTION_M_S2, LEAST_M_S2, MOTION_TAU_S = 1.0, 0.15, 0.5
LOOKS_BACK = 20.0  # windows
# How many windows tell how a motion pushes, over how many it is remembered, and between which correlations of neighbours.
ENOUGH, REMEMBERS, LEAST_ALIKE, MOST_ALIKE = 20.0, 120.0, 0.05, 0.98


@kernel
def note_pushes(m: Memory, fn: float, fe: float) -> None:
    """Follow how hard the carrier pushes, and whether it goes on to do so: while fixes come, what is felt level is acceleration."""
    share = 1.0 / min(m.push_windows + 1.0, REMEMBERS)
    m.push2 += share * (0.5 * (fn * fn + fe * fe) - m.push2)
    if m.push_windows >= 1.0:
        m.push_alike += share * (0.5 * (fn * m.push_last[0] + fe * m.push_last[1]) - m.push_alike)
    m.push_last[0], m.push_last[1] = fn, fe
    m.push_windows += 1.0


@kernel
def fuse_level(c: Coefficients, m: Memory, p: Array, n: int, rows: Array, t: float) -> int:
    """Take half a second of specific force for level, if neither place nor speed came for some seconds; empty the sums. Return 1 if used.

    A craft cannot accelerate one way for long: the mean horizontal force is zero but for what motion wavers, and for how long it was seen
    to last while fixes came.
    """
    seconds = m.level_s
    fn, fe = m.level_force[0] / seconds, m.level_force[1] / seconds
    m.level_force[0] = m.level_force[1] = m.level_s = 0.0
    for channel in (CH_VEL, CH_POS):
        if not reached(t - m.channel_used_s[channel], SILENT_S) and m.channel_s[channel] > LONG_AGO_S:
            note_pushes(m, fn, fe)
            return 0
    lasts = MOTION_TAU_S
    pushes = 0.0
    if m.push_windows >= ENOUGH:
        # Of this motion is known how hard it pushes, and for how long one way.
        pushes = m.push2
        rho = min(max(m.push_alike / max(m.push2, 1e-9), LEAST_ALIKE), MOST_ALIKE)
        lasts = max(MOTION_TAU_S, -EVERY_S / math.log(rho))
    r = rotation(m.attitude[0], m.attitude[1], m.attitude[2], m.attitude[3])
    used = 0
    for axis in range(2):
        at = CH_LEVEL + axis
        y = -fn if axis == 0 else -fe
        wavers = m.channel_var[at] if m.channel_var[at] > 0.0 else MOTION_M_S2 * MOTION_M_S2
        if t - m.channel_s[at] < 1.9 * EVERY_S:
            step = y - m.channel_innovation[at]
            wavers += (min(0.5 * step * step, 10.0 * wavers) - wavers) / LOOKS_BACK
        wavers = max(wavers, pushes, LEAST_M_S2 * LEAST_M_S2)
        # δf = φ × f - R δb_a, with f next to straight up.
        first(m, E_ATT + 1 if axis == 0 else E_ATT, -c.gravity_m_s2 if axis == 0 else c.gravity_m_s2)
        entry(m, E_ATT + 2, -fe if axis == 0 else fn)
        for j in range(3):
            entry(m, E_ACC + j, -r[3 * axis + j])
        noise = wavers * (1.0 + 2.0 * lasts / seconds)
        used = max(used, update_scalar(m, p, n, rows, at, t, y, noise, E_ATT + (1 if axis == 0 else 0), 0.0))
        m.channel_var[at] = wavers
    inject(m, t)
    return used
