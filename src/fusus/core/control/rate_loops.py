"""The innermost loops: from wanted and measured rates of the body to torques.

Arrays, where a function does not say otherwise (shape, unit, frame):

    k : (29,) by the places of cascade, any
    sections : (S, 6) 1, any
    memory : (3, S, 2) rad/s, b
"""

from fusus.core._jit import kernel
from fusus.core.arrays import Array
from fusus.core.control.cascade import INTEGRAL, INTERVAL, LAST, SLOPE, WANTED, Cascade
from fusus.core.control.pid import pid_step
from fusus.core.control.sections import filtered
from fusus.core.control.soundness import MOST_RAD_S, sound_interval


@kernel
def measured_rate(sections: Array, memory: Array, k: Array, axis: int, gyro: float, bias: float) -> float:
    """Return a rate of the body behind the gyro's filter and without its estimated bias, rad/s.

    A reading that is none goes into no filter: the last rate stands for it. A bias that is none counts as none.
    """
    if not abs(gyro) <= MOST_RAD_S:
        return float(k[LAST + axis])
    rate = filtered(sections, memory, axis, gyro)
    return rate - bias if abs(bias) <= MOST_RAD_S else rate


@kernel
def rate_loops(
    c: Cascade, k: Array, p: float, q: float, r: float, wx: float, wy: float, wz: float, dt: float, holds: bool
) -> tuple[float, float, float]:
    """Return torques N m for wanted rates p, q, r and measured ones; on the ground (``holds``) integrals stay at zero."""
    dt = sound_interval(k, INTERVAL, dt)
    if holds:
        k[INTEGRAL] = k[INTEGRAL + 1] = k[INTEGRAL + 2] = 0.0
    a, k[INTEGRAL], k[SLOPE] = pid_step(
        c.roll, p, c.roll_ahead * (p - k[WANTED]) / dt, wx, k[LAST], k[INTEGRAL], k[SLOPE], dt
    )
    b, k[INTEGRAL + 1], k[SLOPE + 1] = pid_step(
        c.pitch, q, c.pitch_ahead * (q - k[WANTED + 1]) / dt, wy, k[LAST + 1], k[INTEGRAL + 1], k[SLOPE + 1], dt
    )
    d, k[INTEGRAL + 2], k[SLOPE + 2] = pid_step(
        c.yaw, r, c.yaw_ahead * (r - k[WANTED + 2]) / dt, wz, k[LAST + 2], k[INTEGRAL + 2], k[SLOPE + 2], dt
    )
    k[LAST], k[LAST + 1], k[LAST + 2] = wx, wy, wz
    k[WANTED], k[WANTED + 1], k[WANTED + 2] = p, q, r
    return a * c.roll_nm, b * c.pitch_nm, d * c.yaw_nm
