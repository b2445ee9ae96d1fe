"""The compiled filter: strapdown at every sample, covariance in groups, measurements as they arrive."""

import math

import numpy as np

from fusus.core._jit import kernel
from fusus.core.arrays import Array, ByteArray
from fusus.core.estimation.attitude_math import (
    ACC_GATED,
    ACC_USED,
    BARO_GATED,
    GAP,
    GAP_S,
    GNSS_GATED,
    GNSS_USED,
    MAG_GATED,
    MAG_USED,
    to_nav,
    turn,
)
from fusus.core.estimation.navigation_ekf.covariance import propagate
from fusus.core.estimation.navigation_ekf.field import fuse_field
from fusus.core.estimation.navigation_ekf.height import fuse_baro, fuse_range
from fusus.core.estimation.navigation_ekf.measure import rotation
from fusus.core.estimation.navigation_ekf.past import SPACING_S, remember
from fusus.core.estimation.navigation_ekf.receiver import fuse_fix
from fusus.core.estimation.navigation_ekf.rest import EVERY_S, fuse_rest
from fusus.core.estimation.navigation_ekf.states import (
    ACC,
    ACC_CLIPPED,
    ALWAYS,
    AT_BARO,
    AT_COUNT,
    AT_GNSS,
    AT_MAG,
    AT_RANGE,
    AT_REST,
    AT_SAMPLE,
    ATT,
    E_ACC,
    E_ATT,
    E_BARO,
    E_GYRO,
    E_VEL,
    G_DT,
    G_F,
    G_FLAGS,
    G_LAST,
    G_PUSHED,
    G_REST,
    G_REST_G,
    G_SHAKE_A,
    G_SHAKE_G,
    G_TURN,
    G_TURNED,
    GYRO,
    GYRO_CLIPPED,
    POS,
    VEL,
    Coefficients,
    State,
)

# An accelerometer's scale error acts along a push, which lasts so long; a gyro's along a turn, till the heading is seen again.
PUSH_TAU_S, TURN_TAU_S = 1.0, 30.0
# A soft mount and the integration let this share of shaking through as noise: common practice.
LEAK = 0.1
# How long the filter looks back to judge how much the frame shakes, in groups.
SHAKE_GROUPS = 100.0
# One sigma of what is missed while a sensor stands at its stop, and while samples are missing.
LOST_ACC_M_S2, LOST_RATE_RAD_S = 10.0, 2.0
GAP_ACC_M_S2, GAP_RATE_RAD_S = 2.0, 0.5
# Airflow on a barometer follows the airspeed, which changes in seconds.
AIRFLOW_TAU_S = 5.0
GRAVITY = 9.80665


@kernel
def carry_on(c: Coefficients, s: State, t: float, gx: float, gy: float, gz: float) -> None:
    """Step the covariance over the group that has built up, add its noise, and remember the moment."""
    g = s.group
    dt = g[G_DT]
    if dt <= 0.0:
        return
    r = rotation(s.x[ATT], s.x[ATT + 1], s.x[ATT + 2], s.x[ATT + 3])
    rot = s.d[:9].reshape(3, 3)
    for i in range(9):
        rot[i // 3, i % 3] = r[i]
    inverse = 1.0 / dt
    fn, fe, fd = g[G_F] * inverse, g[G_F + 1] * inverse, g[G_F + 2] * inverse
    p = s.p
    propagate(p, dt, fn, fe, fd, rot)
    sample_s = dt / max(s.at[AT_COUNT], 1)
    push = 2.0 * PUSH_TAU_S * c.acc_scale_var * (fn * fn + fe * fe + (fd + c.gravity_m_s2) ** 2)
    vel = (c.acc_var + LEAK * LEAK * g[G_SHAKE_A] * sample_s + push) * dt
    att = (c.gyro_var + LEAK * LEAK * g[G_SHAKE_G] * sample_s) * dt
    flags = int(g[G_FLAGS])
    if flags & ACC_CLIPPED:
        vel += (LOST_ACC_M_S2 * dt) ** 2
    if flags & GYRO_CLIPPED:
        att += (LOST_RATE_RAD_S * dt) ** 2
    if dt > GAP_S:
        vel += (GAP_ACC_M_S2 * dt) ** 2
        att += (GAP_RATE_RAD_S * dt) ** 2
    # What a scale error makes of a turn grows with the whole of it, (s θ)², not with its length in time; what a cross-axis
    # error makes of it shows about the two other axes.
    keep = max(1.0 - dt / TURN_TAU_S, 0.0)
    turned = 0.0
    for i in range(3):
        step = r[3 * i] * g[G_TURN] + r[3 * i + 1] * g[G_TURN + 1] + r[3 * i + 2] * g[G_TURN + 2]
        before = g[G_TURNED + i] * keep
        g[G_TURNED + i] = before + step
        grown = max(2.0 * before * step + step * step, 0.0)
        p[E_ATT + i, E_ATT + i] += (c.gyro_scale_var - c.gyro_cross_var) * grown
        turned += grown
    att += c.gyro_cross_var * turned
    for i in range(3):
        p[E_VEL + i, E_VEL + i] += vel
        p[E_ATT + i, E_ATT + i] += att
        p[E_GYRO + i, E_GYRO + i] += c.gyro_walk_var * dt
        p[E_ACC + i, E_ACC + i] += c.acc_walk_var * dt
    speed2 = s.x[VEL] ** 2 + s.x[VEL + 1] ** 2 + s.x[VEL + 2] ** 2
    flow = c.airflow * speed2 / (2.0 * GRAVITY)
    p[E_BARO, E_BARO] += (c.baro_walk_var + flow * flow / AIRFLOW_TAU_S) * dt
    if c.i_iron >= ALWAYS:
        for i in range(3):
            p[c.i_iron + i, c.i_iron + i] += c.iron_walk_var * dt
    g[G_DT] = g[G_FLAGS] = 0.0
    g[G_TURN] = g[G_TURN + 1] = g[G_TURN + 2] = 0.0
    g[G_F] = g[G_F + 1] = g[G_F + 2] = 0.0
    s.at[AT_COUNT] = 0
    if t - g[G_PUSHED] >= SPACING_S:
        g[G_PUSHED] = t
        remember(s, t, gx, gy, gz)


@kernel
def advance(
    c: Coefficients, s: State, dt: float, known: int,
    gx: float, gy: float, gz: float, ax: float, ay: float, az: float,
) -> None:  # fmt: skip
    """Take one inertial sample in: turn, push, move; sum up for the covariance."""
    x, g = s.x, s.group
    wx, wy, wz = gx - x[GYRO], gy - x[GYRO + 1], gz - x[GYRO + 2]
    fx, fy, fz = ax - x[ACC], ay - x[ACC + 1], az - x[ACC + 2]
    h = 0.5 * dt
    # The force acts on the attitude of mid-sample: f + (ω dt/2) × f, seen from the old one.
    mx, my, mz = fx + h * (wy * fz - wz * fy), fy + h * (wz * fx - wx * fz), fz + h * (wx * fy - wy * fx)
    fn, fe, fd = to_nav(x[ATT], x[ATT + 1], x[ATT + 2], x[ATT + 3], mx, my, mz)
    x[ATT], x[ATT + 1], x[ATT + 2], x[ATT + 3] = turn(
        x[ATT], x[ATT + 1], x[ATT + 2], x[ATT + 3], wx * dt, wy * dt, wz * dt
    )
    un, ue, ud = fn * dt, fe * dt, (fd + c.gravity_m_s2) * dt
    x[POS] += (x[VEL] + 0.5 * un) * dt
    x[POS + 1] += (x[VEL + 1] + 0.5 * ue) * dt
    x[POS + 2] += (x[VEL + 2] + 0.5 * ud) * dt
    x[VEL] += un
    x[VEL + 1] += ue
    x[VEL + 2] += ud
    g[G_DT] += dt
    g[G_F] += fn * dt
    g[G_F + 1] += fe * dt
    g[G_F + 2] += fd * dt
    g[G_TURN] += wx * dt
    g[G_TURN + 1] += wy * dt
    g[G_TURN + 2] += wz * dt
    if known:
        g[G_FLAGS] = float(int(g[G_FLAGS]) | known)
    if known & AT_REST:
        g[G_REST] += dt
        g[G_REST_G] += gx * dt
        g[G_REST_G + 1] += gy * dt
        g[G_REST_G + 2] += gz * dt
    elif g[G_REST] > 0.0:
        if c.i_iron >= ALWAYS:  # motors start: their currents make a field of their own
            for i in range(3):
                s.p[c.i_iron + i, c.i_iron + i] += c.motor_var
        g[G_REST] = g[G_REST_G] = g[G_REST_G + 1] = g[G_REST_G + 2] = 0.0
    if s.at[AT_COUNT] == 0 and dt < GAP_S:
        # The difference of neighbouring samples shows shaking without the motion.
        da = ((ax - g[G_LAST]) ** 2 + (ay - g[G_LAST + 1]) ** 2 + (az - g[G_LAST + 2]) ** 2) / 6.0
        dg = ((gx - g[G_LAST + 3]) ** 2 + (gy - g[G_LAST + 4]) ** 2 + (gz - g[G_LAST + 5]) ** 2) / 6.0
        g[G_SHAKE_A] += (da - g[G_SHAKE_A]) / SHAKE_GROUPS
        g[G_SHAKE_G] += (dg - g[G_SHAKE_G]) / SHAKE_GROUPS
    s.at[AT_COUNT] += 1
    if s.at[AT_COUNT] >= c.every:
        g[G_LAST], g[G_LAST + 1], g[G_LAST + 2] = ax, ay, az
        g[G_LAST + 3], g[G_LAST + 4], g[G_LAST + 5] = gx, gy, gz


@kernel
def fuse_due(
    c: Coefficients, s: State, t: float, gnss: Array, baro: Array, mag: Array, ranges: Array, rows: Array, moment: Array
) -> int:
    """Take in all measurements that have come by ``t``; return the flags of what was done."""
    flags = 0
    at = s.at
    while at[AT_MAG] < mag.shape[0] and mag[at[AT_MAG], 0] <= t:
        m = mag[at[AT_MAG]]
        at[AT_MAG] += 1
        flags |= MAG_USED if fuse_field(c, s, rows, t, m[1], m[2], m[3], m[4]) == 1 else MAG_GATED
    while at[AT_BARO] < baro.shape[0] and baro[at[AT_BARO], 0] <= t:
        b = baro[at[AT_BARO]]
        at[AT_BARO] += 1
        flags |= 0 if fuse_baro(c, s, rows, t, b[1]) == 1 else BARO_GATED
    while at[AT_RANGE] < ranges.shape[0] and ranges[at[AT_RANGE], 0] <= t:
        d = ranges[at[AT_RANGE]]
        at[AT_RANGE] += 1
        fuse_range(c, s, rows, t, d[1])
    while at[AT_GNSS] < gnss.shape[0] and gnss[at[AT_GNSS], 0] <= t:
        z = gnss[at[AT_GNSS]]
        at[AT_GNSS] += 1
        used, refused = fuse_fix(c, s, rows, t, z[0], z[1:], moment)
        flags |= (GNSS_USED if used > 0 else 0) | (GNSS_GATED if refused > 0 else 0)
    return flags


@kernel
def next_due(s: State, gnss: Array, baro: Array, mag: Array, ranges: Array) -> float:
    """Return when the next measurement comes."""
    out = np.inf
    if s.at[AT_GNSS] < gnss.shape[0]:
        out = min(out, gnss[s.at[AT_GNSS], 0])
    if s.at[AT_BARO] < baro.shape[0]:
        out = min(out, baro[s.at[AT_BARO], 0])
    if s.at[AT_MAG] < mag.shape[0]:
        out = min(out, mag[s.at[AT_MAG], 0])
    if s.at[AT_RANGE] < ranges.shape[0]:
        out = min(out, ranges[s.at[AT_RANGE], 0])
    return out


@kernel
def advance_all(
    c: Coefficients,
    s: State,
    t: Array,
    dt: Array,
    gyro: Array,
    acc: Array,
    known: ByteArray,
    gnss: Array,
    baro: Array,
    mag: Array,
    ranges: Array,
    motion: Array,
    flags: ByteArray,
    key_every: int,
    key_x: Array,
    key_p: Array,
    rows: Array,
) -> None:
    """Take a block of samples in.

    ``motion`` (N, 10) gets position, velocity and attitude; every ``key_every`` samples of the whole recording ``key_x``
    (K, 30) and ``key_p`` (K, n, n) get state and covariance. ``rows`` (R, 5) gets channel, time, innovation, its variance and
    whether it was used; measurements (M, ·) begin with the time at which they come.
    """
    moment = np.empty(16)
    due = next_due(s, gnss, baro, mag, ranges)
    for i in range(t.shape[0]):
        now = t[i]
        what = int(known[i])
        gx, gy, gz = gyro[i, 0], gyro[i, 1], gyro[i, 2]
        advance(c, s, dt[i], what, gx, gy, gz, acc[i, 0], acc[i, 1], acc[i, 2])
        flag = ACC_GATED if what & ACC_CLIPPED else ACC_USED
        if dt[i] > GAP_S:
            flag |= GAP
        rested = s.group[G_REST] >= EVERY_S
        if s.at[AT_COUNT] >= c.every or due <= now or rested or dt[i] > GAP_S:
            carry_on(c, s, now, gx - s.x[GYRO], gy - s.x[GYRO + 1], gz - s.x[GYRO + 2])
            if rested:
                fuse_rest(c, s, rows, now)
            if due <= now:
                flag |= fuse_due(c, s, now, gnss, baro, mag, ranges, rows, moment)
                due = next_due(s, gnss, baro, mag, ranges)
        for j in range(10):
            motion[i, j] = s.x[j]
        flags[i] = flag
        at = s.at[AT_SAMPLE]
        s.at[AT_SAMPLE] += 1
        if at % key_every == 0:
            key = at // key_every
            key_x[key] = s.x
            key_p[key] = s.p


@kernel
def is_sound(s: State) -> bool:
    """Return whether all of the state and its variances are numbers, and none of these negative."""
    for i in range(s.x.shape[0]):
        if not math.isfinite(s.x[i]):
            return False
    for i in range(s.p.shape[0]):
        if not s.p[i, i] >= 0.0:
            return False
    return True
