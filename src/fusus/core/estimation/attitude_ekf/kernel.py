"""Coefficients, state and the compiled filter.

Arrays, where a function does not say otherwise (shape, unit, frame):

    out : (3,) rad, roll pitch yaw
    dt : (N,) s, any
    gyro : (N, 3) rad/s, b
    acc : (N, 3) m/s^2, b
    mag : (N, 3) µT, b
    q_nb : (N, 4) 1, b to n
    bias : (N, 3) rad/s, b
    flags : (N,) 1, any
    sigma : (N, 3) rad, roll pitch yaw
    nis_acc : (N,) 1, any
    nis_mag : (N,) 1, any
"""

import math
from typing import NamedTuple

from fusus.core._jit import kernel
from fusus.core.arrays import Array, ByteArray
from fusus.core.estimation.attitude_ekf.covariance import predict
from fusus.core.estimation.attitude_ekf.window import Coefficients, Window, fold_window
from fusus.core.estimation.attitude_math import (
    GAP,
    GAP_S,
    MAG_GATED,
    MOST_M_S2,
    MOST_RAD_S,
    MOST_UT,
    down_in_body,
    heading_error,
    is_reading,
    sound_step,
    to_nav,
    turn,
)

# Between updates the covariance is carried on in steps of this length: short enough to follow the turning body.
PREDICT_S = 0.02
# A scale error acts along a turn; it is taken as noise that lasts this long.
SCALE_TAU_S = 1.0
# One sigma of the rate while no gyro comes, and how long such a rate lasts.
LOST_RAD_S, LOST_TAU_S = 0.5, 1.0


class State(NamedTuple):
    """Attitude ``q_nb``, gyro bias in rad/s, what has built up since the last steps, and the covariance.

    ``p`` is (6, 6) over attitude error (rad, body) and bias error; ``work`` (3, 6) is scratch. Both change in place.
    """

    w: float
    x: float
    y: float
    z: float
    bx: float
    by: float
    bz: float
    rx: float
    ry: float
    rz: float
    predict_s: float
    window: Window
    flags: int
    p: Array
    work: Array


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
    """Take one sample in: turn by the gyro, sum up gravity and field, update when the window is full."""
    step = sound_step(dt)
    has_rate = is_reading(gx, gy, gz, MOST_RAD_S)
    rate_x, rate_y, rate_z = 0.0, 0.0, 0.0
    if has_rate:
        rate_x, rate_y, rate_z = gx - s.bx, gy - s.by, gz - s.bz
    ux, uy, uz = rate_x * step, rate_y * step, rate_z * step
    w, x, y, z = turn(s.w, s.x, s.y, s.z, ux, uy, uz)
    flags = 0
    if step > GAP_S or not has_rate:
        flags = GAP
        missed = LOST_RAD_S * LOST_RAD_S * step * min(step, LOST_TAU_S)
        for i in range(3):
            s.p[i, i] += missed
    rx, ry, rz, since = s.rx + ux, s.ry + uy, s.rz + uz, s.predict_s + step

    n = s.window
    # What did not come is missing in all three sums alike: their ratios stay, and a window of too little is left out.
    fx, fy, fz = 0.0, 0.0, 0.0
    if is_reading(ax, ay, az, MOST_M_S2):
        fx, fy, fz = ax, ay, az
    fn, fe, fd = to_nav(w, x, y, z, fx, fy, fz)
    heading, seen, refused = n.heading, n.fields, n.refused
    if is_reading(mx, my, mz, MOST_UT):
        mn, me, md = to_nav(w, x, y, z, mx, my, mz)
        horizontal = math.hypot(mn, me)
        strength = math.hypot(horizontal, md)
        off = abs(strength - c.field_ut) > c.mag_gate * c.field_ut
        if off or abs(math.atan2(md, horizontal) - c.dip_rad) > c.dip_gate_rad:
            refused += 1.0
            flags |= MAG_GATED
        else:
            heading += heading_error(mn, me, c.sin_dec, c.cos_dec)
            seen += 1.0
    n = Window(
        n.t_s + step, n.fn + fn * step, n.fe + fe * step, n.fd + fd * step, heading, seen, refused,
        n.acc_var, n.mag_var, n.mean_heading, n.acc_refused_s, n.mag_refused_s, math.nan, math.nan,
        n.windows, n.n1, n.n2, n.n3, n.n4, n.e1, n.e2, n.e3, n.e4, n.near_var, n.far_var,
    )  # fmt: skip

    bx, by, bz = s.bx, s.by, s.bz
    # Half a sample of play: rounding, of single precision above all, must not move an update by a whole one.
    full = n.t_s + 0.5 * step >= c.window_s
    if full or since + 0.5 * step >= PREDICT_S:
        scale_var = 2.0 * c.scale_var * SCALE_TAU_S / since if since > 0.0 else 0.0
        predict(s.p, rx, ry, rz, since, c.gyro_var * since, scale_var, c.walk_var * since)
        rx, ry, rz, since = 0.0, 0.0, 0.0, 0.0
    if full:
        n, used = fold_window(c, n, w, x, y, z, s.p, s.work)
        e = s.work[2]
        w, x, y, z = turn(w, x, y, z, e[0], e[1], e[2])
        # Errors are kept in body axes, and these have turned: or else what is not known of the heading would be taken for tilt.
        predict(s.p, e[0], e[1], e[2], 0.0, 0.0, 0.0, 0.0)
        bx, by, bz = bx + e[3], by + e[4], bz + e[5]
        flags |= used
    return State(w, x, y, z, bx, by, bz, rx, ry, rz, since, n, flags, s.p, s.work)


@kernel
def euler_sigmas(c: Coefficients, s: State, out: Array) -> None:
    """Write one sigma of roll, pitch and yaw in rad, with what constant accelerometer and field errors add."""
    dx, dy, dz = down_in_body(s.w, s.x, s.y, s.z)
    p = s.p
    c2 = max(dy * dy + dz * dz, 1e-4)
    # Rows that take a body-axes attitude error to Euler angles (Diebel 2006); cos² pitch = dy² + dz².
    ry, rz = -dx * dy / c2, -dx * dz / c2
    yy, yz = dy / c2, dz / c2
    roll = p[0, 0] + 2.0 * (ry * p[0, 1] + rz * p[0, 2]) + ry * ry * p[1, 1] + rz * rz * p[2, 2]
    roll += 2.0 * ry * rz * p[1, 2]
    pitch = (dz * dz * p[1, 1] - 2.0 * dy * dz * p[1, 2] + dy * dy * p[2, 2]) / c2
    yaw = yy * yy * p[1, 1] + 2.0 * yy * yz * p[1, 2] + yz * yz * p[2, 2]
    out[0] = math.sqrt(max(roll, 0.0) + c.tilt_bias_var / c2)
    out[1] = math.sqrt(max(pitch, 0.0) + c.tilt_bias_var)
    out[2] = math.sqrt(max(yaw, 0.0) + c.heading_bias_var)


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
    sigma: Array,
    nis_acc: Array,
    nis_mag: Array,
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
        euler_sigmas(c, s, sigma[i])
        nis_acc[i], nis_mag[i] = s.window.nis_acc, s.window.nis_mag
    return s
