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
    MAG_GATED,
    MAG_USED,
    MOST_M_S2,
    MOST_RAD_S,
    MOST_UT,
    State,
    down_in_body,
    heading_error,
    is_reading,
    nudge,
    sound_step,
    tilt_error,
    to_nav,
    turn,
)


class Coefficients(NamedTuple):
    """Constant during a run."""

    tau_acc_s: float
    tau_mag_s: float
    gravity_m_s2: float
    acc_gate_m_s2: float
    field_ut: float
    mag_gate: float
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
    """Take one sample in: turn by the gyro, then lean a little towards gravity and field."""
    h = sound_step(dt)
    has_rate = is_reading(gx, gy, gz, MOST_RAD_S)
    rate_x, rate_y, rate_z = 0.0, 0.0, 0.0
    if has_rate:
        rate_x, rate_y, rate_z = gx - s.bx, gy - s.by, gz - s.bz
    w, x, y, z = turn(s.w, s.x, s.y, s.z, rate_x * h, rate_y * h, rate_z * h)
    flags = GAP if h > GAP_S or not has_rate else 0
    norm = math.sqrt(ax * ax + ay * ay + az * az) if is_reading(ax, ay, az, MOST_M_S2) else 0.0
    dx, dy, dz = down_in_body(w, x, y, z)
    rx, ry, rz = 0.0, 0.0, 0.0
    if norm > 0.0 and abs(norm - c.gravity_m_s2) <= c.acc_gate_m_s2:
        ex, ey, ez = tilt_error(dx, dy, dz, ax, ay, az, norm)
        k = h / (c.tau_acc_s + h)
        rx, ry, rz = k * ex, k * ey, k * ez
        flags |= ACC_USED
    else:
        flags |= ACC_GATED
    mag_age = s.kept + h
    if is_reading(mx, my, mz, MOST_UT):
        strength = math.sqrt(mx * mx + my * my + mz * mz)
        if strength > 0.0 and abs(strength - c.field_ut) <= c.mag_gate * c.field_ut:
            mn, me, _ = to_nav(w, x, y, z, mx, my, mz)
            # The field comes more rarely than the gyro: the time constant counts from field to field.
            k = heading_error(mn, me, c.sin_dec, c.cos_dec) * mag_age / (c.tau_mag_s + mag_age)
            rx, ry, rz = rx + k * dx, ry + k * dy, rz + k * dz
            flags |= MAG_USED
        else:
            flags |= MAG_GATED
        mag_age = 0.0
    if rx * rx + ry * ry + rz * rz < 1e-4:
        w, x, y, z = nudge(w, x, y, z, rx, ry, rz)
    else:
        w, x, y, z = turn(w, x, y, z, rx, ry, rz)
    return State(w, x, y, z, s.bx, s.by, s.bz, mag_age, flags)


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
