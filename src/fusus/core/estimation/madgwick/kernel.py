"""Coefficients, state and the compiled filter.

Arrays, where a function does not say otherwise (shape, unit, frame):

    dt : (N,) s, any
    gyro : (N, 3) rad/s, b
    acc : (N, 3) m/s^2, b
    mag : (N, 3) µT, b
    q_nb : (N, 4) 1, b to n
    bias : (N, 3) rad/s, b
    flags : (N,) 1, any
"""

import math
from typing import NamedTuple

from fusus.core._jit import kernel
from fusus.core.arrays import Array, ByteArray
from fusus.core.estimation.attitude_math import (
    ACC_GATED,
    ACC_USED,
    GAP,
    GAP_S,
    MAG_USED,
    MOST_M_S2,
    MOST_RAD_S,
    MOST_UT,
    State,
    down_in_body,
    heading_error,
    is_reading,
    sound_step,
    tilt_error,
    to_nav,
    turn,
)


class Coefficients(NamedTuple):
    """Constant during a run."""

    beta: float
    zeta: float
    sin_dec: float
    cos_dec: float


@kernel
def advance(
    c: Coefficients,
    s: State,
    dt: float,
    gx: float,
    gy: float,
    gz: float,
    ax: float,
    ay: float,
    az: float,
    mx: float,
    my: float,
    mz: float,
) -> State:
    """Take one sample in: the gyro, and a gradient step of fixed length (Madgwick 2010, eq. 33-34).

    The gradient is taken in the tangent space, as the sum of cross products measured x expected: the part of the
    paper's gradient along q itself only changes the norm. A step is never longer than the error that it removes.
    """
    dx, dy, dz = down_in_body(s.w, s.x, s.y, s.z)
    h = sound_step(dt)
    has_rate = is_reading(gx, gy, gz, MOST_RAD_S)
    flags = GAP if h > GAP_S or not has_rate else 0
    norm = math.sqrt(ax * ax + ay * ay + az * az) if is_reading(ax, ay, az, MOST_M_S2) else 0.0
    ex, ey, ez = 0.0, 0.0, 0.0
    if norm > 0.0:
        ex, ey, ez = tilt_error(dx, dy, dz, ax, ay, az, norm)
        flags |= ACC_USED
    else:
        flags |= ACC_GATED
    mag_age = s.kept + h
    if is_reading(mx, my, mz, MOST_UT):
        mn, me, _ = to_nav(s.w, s.x, s.y, s.z, mx, my, mz)
        # The paper's magnetic distortion compensation leaves the heading error alone. A field that comes every
        # mag_age seconds weighs as many gyro steps as have passed.
        k = math.sin(heading_error(mn, me, c.sin_dec, c.cos_dec))
        turn_by = min(2.0 * c.beta * mag_age, abs(k)) * (1.0 if k > 0.0 else -1.0)
        mag_age = 0.0
        flags |= MAG_USED
    else:
        turn_by = 0.0
    size2 = ex * ex + ey * ey + ez * ez
    inverse = 1.0 / math.sqrt(size2 + 1e-30)
    f = min(2.0 * c.beta * h * inverse, 1.0)
    u = 2.0 * c.zeta * h * inverse
    bx, by, bz = s.bx - u * ex, s.by - u * ey, s.bz - u * ez
    rate_x, rate_y, rate_z = 0.0, 0.0, 0.0
    if has_rate:
        rate_x, rate_y, rate_z = gx - bx, gy - by, gz - bz
    rx = rate_x * h + f * ex + turn_by * dx
    ry = rate_y * h + f * ey + turn_by * dy
    rz = rate_z * h + f * ez + turn_by * dz
    w, x, y, z = turn(s.w, s.x, s.y, s.z, rx, ry, rz)
    return State(w, x, y, z, bx, by, bz, mag_age, flags)


@kernel
def advance_all(
    c: Coefficients,
    s: State,
    dt: Array,
    gyro: Array,
    acc: Array,
    mag: Array,
    q_nb: Array,
    bias: Array,
    flags: ByteArray,
) -> State:
    """Take all samples in and write what each left."""
    for i in range(gyro.shape[0]):
        s = advance(
            c, s, dt[i], gyro[i, 0], gyro[i, 1], gyro[i, 2], acc[i, 0], acc[i, 1], acc[i, 2],
            mag[i, 0], mag[i, 1], mag[i, 2],
        )  # fmt: skip
        q_nb[i, 0], q_nb[i, 1], q_nb[i, 2], q_nb[i, 3] = s.w, s.x, s.y, s.z
        bias[i, 0], bias[i, 1], bias[i, 2] = s.bx, s.by, s.bz
        flags[i] = s.flags
    return s
