"""The compiled filter: strapdown at every sample, covariance in groups, measurements as they arrive.

Arrays, where a function does not say otherwise (shape, unit, frame):

    p : (1088,) factors of the covariance, n
    gnss : (M, 9) as estimation.aiding says, n
    baro : (M, 2) s and m, up
    mag : (M, 5) s, µT, s, b
    ranges : (M, 2) s and m, b
    rows : (R, 5) channel, s, innovation, variance, used, any
    key_x : (K, 30) the nominal state, any
    key_p : (K, n, n) of the errors, n
    t : (N,) s, any
    dt : (N,) s, any
    gyro : (N, 3) rad/s, b
    acc : (N, 3) m/s^2, b
    known : (N,) 1, any
    motion : (N, 10) m, m/s, 1, n
    flags : (N,) 1, any
"""

import math

import numpy as np

from fusus.core._jit import contracting_kernel, kernel
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
    MOST_M_S2,
    MOST_RAD_S,
    is_reading,
    sound_step,
    to_nav,
    turn,
)
from fusus.core.estimation.elapsed import reached
from fusus.core.estimation.navigation_ekf.covariance import add_variance, covariance_from_ud, propagate
from fusus.core.estimation.navigation_ekf.field import fuse_field
from fusus.core.estimation.navigation_ekf.gravity import EVERY_S as LEVEL_EVERY_S
from fusus.core.estimation.navigation_ekf.gravity import fuse_level
from fusus.core.estimation.navigation_ekf.height import fuse_baro, fuse_range
from fusus.core.estimation.navigation_ekf.history import SPACING_S, push_history
from fusus.core.estimation.navigation_ekf.measure import rotation
from fusus.core.estimation.navigation_ekf.noise import (
    LEAK,
    WAITS_S,
    apply_process_noise,
    heading_excitation,
    note_shaking,
)
from fusus.core.estimation.navigation_ekf.receiver import fuse_fix
from fusus.core.estimation.navigation_ekf.rest import EVERY_S, fuse_rest
from fusus.core.estimation.navigation_ekf.states import (
    ACC,
    ACC_CLIPPED,
    ALWAYS,
    ARM,
    AT_REST,
    ATT,
    BARO,
    DELAY,
    FIELD,
    GNSS_BIAS,
    GYRO,
    GYRO_CLIPPED,
    IRON,
    NOT_MEASURED,
    POS,
    STALE_S,
    VEL,
    Coefficients,
    Memory,
    Moments,
    State,
)

# An accelerometer's scale error acts along a push, which lasts so long; a gyro's along a turn, till the heading is seen again.
PUSH_TAU_S, TURN_TAU_S = 1.0, 30.0
# One sigma of what is missed while a sensor stands at its stop, and while samples are missing.
LOST_ACC_M_S2, LOST_RATE_RAD_S = 10.0, 2.0
GAP_ACC_M_S2, GAP_RATE_RAD_S = 2.0, 0.5
# All that is known of a sample but that it rests.
MOVING_BITS = ACC_CLIPPED | GYRO_CLIPPED | NOT_MEASURED
# How long what is missed lasts one way, the least of it, and over how many groups of samples the motion before it is known.
MISSED_TAU_S, STEADY_M_S2, STEADY_RAD_S = 1.0, 0.3, 0.03
ENOUGH_GROUPS, MOTION_GROUPS = 20.0, 200.0
# Longer intervals than this are no usual ones.
STEP_S = 0.02


@kernel
def propagate_group(c: Coefficients, m: Memory, p: Array, n: int, history: Moments, t: float) -> None:
    """Step the covariance over the group that has built up, add its noise, and remember the moment."""
    dt = m.group_s
    if dt <= 0.0:
        return
    r = rotation(m.attitude[0], m.attitude[1], m.attitude[2], m.attitude[3])
    inverse = 1.0 / dt
    fn, fe, fd = m.group_force[0] * inverse, m.group_force[1] * inverse, m.group_force[2] * inverse
    sample_s = dt / max(m.group_count, 1.0)
    told = m.heading_excitation = heading_excitation(c, m, p, n, dt, sample_s, fn, fe)
    propagate(p, dt, told * fn, told * fe, fd, r[0], r[1], r[2], r[3], r[4], r[5], r[6], r[7], r[8])
    push = 2.0 * PUSH_TAU_S * c.acc_scale_var * (fn * fn + fe * fe + (fd + c.gravity_m_s2) ** 2)
    leak = LEAK * LEAK * math.exp(m.motion_level)
    vel = (c.acc_var + leak * (c.acc_var + m.shake_acc * sample_s) + push) * dt
    att = (c.gyro_var + leak * (c.gyro_var + m.shake_gyro * sample_s)) * dt
    flags = m.group_flags
    if flags & ACC_CLIPPED:
        vel += (LOST_ACC_M_S2 * dt) ** 2
    if flags & GYRO_CLIPPED:
        att += (LOST_RATE_RAD_S * dt) ** 2
    if dt > GAP_S or flags & NOT_MEASURED:
        # What is missed is as large as the motion before it was; till that is known it may be anything.
        lasts = min(dt, MISSED_TAU_S) if dt > GAP_S else MISSED_TAU_S
        is_known = m.motion_count >= ENOUGH_GROUPS
        vel += (max(m.push_var, STEADY_M_S2**2) if is_known else GAP_ACC_M_S2**2) * dt * lasts
        att += (max(m.turn_var, STEADY_RAD_S**2) if is_known else GAP_RATE_RAD_S**2) * dt * lasts
    else:
        m.motion_count = min(m.motion_count + 1.0, MOTION_GROUPS)
        turned = m.group_turn[0] ** 2 + m.group_turn[1] ** 2 + m.group_turn[2] ** 2
        m.turn_var += (turned * inverse * inverse / 3.0 - m.turn_var) / m.motion_count
        m.push_var += ((fn * fn + fe * fe + (fd + c.gravity_m_s2) ** 2) / 3.0 - m.push_var) / m.motion_count
    # What a scale error makes of a turn grows with the whole of it, (s θ)², not with its length in time; what a cross-axis
    # error makes of it shows about the two other axes.
    keep = max(1.0 - dt / TURN_TAU_S, 0.0)
    for i in range(3):
        step = r[3 * i] * m.group_turn[0] + r[3 * i + 1] * m.group_turn[1] + r[3 * i + 2] * m.group_turn[2]
        before = m.turned[i] * keep
        m.turned[i] = before + step
        grown = max(2.0 * before * step + step * step, 0.0)
        att += c.gyro_cross_var * grown
        m.noise_attitude[i] += (c.gyro_scale_var - c.gyro_cross_var) * grown
    for i in range(3):
        m.noise_attitude[i] += att
    m.noise_velocity += vel
    m.noise_s += dt
    if reached(m.noise_s, WAITS_S):
        apply_process_noise(c, m, p)
    if reached(t - m.history_s, SPACING_S):
        m.history_s = t
        push_history(m, history, t, m.group_turn[0] * inverse, m.group_turn[1] * inverse, m.group_turn[2] * inverse)
    m.level_force[0] += m.group_force[0]
    m.level_force[1] += m.group_force[1]
    m.level_s += dt
    m.group_flags = 0
    m.group_s = m.group_count = 0.0
    for i in range(3):
        m.group_force[i] = m.group_turn[i] = 0.0


@contracting_kernel
def strapdown(
    w: float, x: float, y: float, z: float, dt: float,
    wx: float, wy: float, wz: float, fx: float, fy: float, fz: float,
) -> tuple[float, float, float, float, float, float, float]:  # fmt: skip
    """Return the attitude after a sample of rate and specific force without their biases, and the force north-east-down.

    The force acts on the attitude of mid-sample: f + (ω dt/2) × f, seen from the old one.
    """
    h = 0.5 * dt
    mx, my, mz = fx + h * (wy * fz - wz * fy), fy + h * (wz * fx - wx * fz), fz + h * (wx * fy - wy * fx)
    fn, fe, fd = to_nav(w, x, y, z, mx, my, mz)
    w, x, y, z = turn(w, x, y, z, wx * dt, wy * dt, wz * dt)
    return w, x, y, z, fn, fe, fd


@kernel
def note_rest(c: Coefficients, m: Memory, p: Array, dt: float, rests: bool, gx: float, gy: float, gz: float) -> None:
    """Sum up what a sample at rest says; on leaving it, motors start: their currents make a field of their own."""
    if rests:
        m.rest_s += dt
        m.rest_turn[0] += gx * dt
        m.rest_turn[1] += gy * dt
        m.rest_turn[2] += gz * dt
    elif m.rest_s >= 0.0:
        if c.i_iron >= ALWAYS:
            for i in range(3):
                add_variance(p, m, c.i_iron + i, c.motor_var)
        m.rest_s = -1.0
    if rests and m.rest_s < 0.0:
        m.rest_s = m.rest_turn[0] = m.rest_turn[1] = m.rest_turn[2] = 0.0


@kernel
def fuse_due(
    c: Coefficients,
    m: Memory,
    p: Array,
    n: int,
    history: Moments,
    t: float,
    gnss: Array,
    baro: Array,
    mag: Array,
    ranges: Array,
    rows: Array,
) -> int:
    """Apply all measurements that have arrived by ``t``; return the flags of what was done."""
    flags = 0
    at = m.next_mag
    while at < mag.shape[0] and mag[at, 0] <= t:
        if not reached(t - mag[at, 0], STALE_S):
            used = fuse_field(c, m, p, n, rows, t, mag[at, 1], mag[at, 2], mag[at, 3], mag[at, 4])
            flags |= MAG_USED if used == 1 else MAG_GATED
        at += 1
    m.next_mag = at
    at = m.next_baro
    while at < baro.shape[0] and baro[at, 0] <= t:
        if not reached(t - baro[at, 0], STALE_S):
            flags |= 0 if fuse_baro(c, m, p, n, rows, t, baro[at, 1]) == 1 else BARO_GATED
        at += 1
    m.next_baro = at
    at = m.next_range
    while at < ranges.shape[0] and ranges[at, 0] <= t:
        if not reached(t - ranges[at, 0], STALE_S) and ranges[at, 1] > 0.0:
            fuse_range(c, m, p, n, rows, t, ranges[at, 1])
        at += 1
    m.next_range = at
    at = m.next_gnss
    while at < gnss.shape[0] and gnss[at, 0] <= t:
        if not reached(t - gnss[at, 0], STALE_S):
            used, refused = fuse_fix(c, m, p, n, history, rows, t, gnss[at, 0], gnss[at, 1:])
            flags |= (GNSS_USED if used > 0 else 0) | (GNSS_GATED if refused > 0 else 0)
        at += 1
    m.next_gnss = at
    return flags


@kernel
def next_due(m: Memory, gnss: Array, baro: Array, mag: Array, ranges: Array) -> float:
    """Return when the next measurement comes."""
    out = np.inf
    if m.next_gnss < gnss.shape[0]:
        out = min(out, gnss[m.next_gnss, 0])
    if m.next_baro < baro.shape[0]:
        out = min(out, baro[m.next_baro, 0])
    if m.next_mag < mag.shape[0]:
        out = min(out, mag[m.next_mag, 0])
    if m.next_range < ranges.shape[0]:
        out = min(out, ranges[m.next_range, 0])
    return out


@kernel
def keep(m: Memory, p: Array, n: int, key_x: Array, key_p: Array) -> None:
    """Copy state and covariance."""
    for i in range(3):
        key_x[POS + i], key_x[VEL + i], key_x[GYRO + i], key_x[ACC + i] = (
            m.position[i],
            m.velocity[i],
            m.gyro_bias[i],
            m.acc_bias[i],
        )
        key_x[GNSS_BIAS + i], key_x[ARM + i], key_x[FIELD + i], key_x[IRON + i] = (
            m.gnss_bias[i],
            m.lever_arm[i],
            m.earth_field[i],
            m.craft_field[i],
        )
    for i in range(4):
        key_x[ATT + i] = m.attitude[i]
    key_x[BARO], key_x[DELAY] = m.baro_offset, m.gnss_delay_s
    covariance_from_ud(p, n, key_p)


@kernel
def fuse_standing(c: Coefficients, m: Memory, p: Array, n: int, rows: Array, t: float, play: float) -> int:
    """Take rest and level in where they are due by now or in ``play`` s; return 1 where the state has changed."""
    changed = 0
    if m.rest_s + play >= EVERY_S:
        apply_process_noise(c, m, p)
        fuse_rest(c, m, p, n, rows, t)
        changed = 1
    if m.level_s + play >= LEVEL_EVERY_S:
        apply_process_noise(c, m, p)
        if fuse_level(c, m, p, n, rows, t) == 1:
            changed = 1
    return changed


@kernel
def advance_all(
    c: Coefficients, s: State, t: Array, dt: Array, gyro: Array, acc: Array, known: ByteArray, gnss: Array, baro: Array,
    mag: Array, ranges: Array, motion: Array, flags: ByteArray, key_every: int, key_x: Array, key_p: Array,
    rows: Array, first: int, last: int,
) -> None:  # fmt: skip
    """Take the samples from ``first`` to ``last`` in.

    ``motion`` (N, 10) gets position, velocity and attitude; every ``key_every`` samples of the whole recording ``key_x``
    (K, 30) and ``key_p`` (K, n, n) get state and covariance. ``rows`` (R, 5) gets channel, time, innovation, its variance and
    whether it was used; measurements (M, ·) begin with the time at which they come.

    Between steps of the covariance the motion lives in plain numbers: most of the work is here.
    """
    m, p, history, n = s.m, s.p, s.history, s.n
    due = next_due(m, gnss, baro, mag, ranges)
    px, py, pz, vx, vy, vz = m.position[0], m.position[1], m.position[2], m.velocity[0], m.velocity[1], m.velocity[2]  # fmt: skip
    w, x, y, z = m.attitude[0], m.attitude[1], m.attitude[2], m.attitude[3]
    bgx, bgy, bgz, bax, bay, baz = m.gyro_bias[0], m.gyro_bias[1], m.gyro_bias[2], m.acc_bias[0], m.acc_bias[1], m.acc_bias[2]  # fmt: skip
    sum_t, count = m.group_s, m.group_count
    sn, se, sd = m.group_force[0], m.group_force[1], m.group_force[2]
    tx, ty, tz = m.group_turn[0], m.group_turn[1], m.group_turn[2]
    lax, lay, laz, lgx, lgy, lgz = m.last_acc[0], m.last_acc[1], m.last_acc[2], m.last_gyro[0], m.last_gyro[1], m.last_gyro[2]  # fmt: skip
    g = c.gravity_m_s2
    at, resting = m.next_sample, m.rest_s >= 0.0
    for i in range(first, last):
        h, what = sound_step(dt[i]), int(known[i])
        gx, gy, gz, ax, ay, az = gyro[i, 0], gyro[i, 1], gyro[i, 2], acc[i, 0], acc[i, 1], acc[i, 2]
        has_rate, has_force = is_reading(gx, gy, gz, MOST_RAD_S), is_reading(ax, ay, az, MOST_M_S2)
        if not has_rate or not has_force:
            what = (what | NOT_MEASURED) & MOVING_BITS
        if not has_rate:  # it turns on as it did
            gx, gy, gz = lgx, lgy, lgz
        wx, wy, wz = gx - bgx, gy - bgy, gz - bgz
        weighs = g
        if not has_force:  # nothing is known of a push: the velocity stays, and no force ties it to the tilt
            ax, ay, az, weighs = bax, bay, baz, 0.0
        w, x, y, z, fn, fe, fd = strapdown(w, x, y, z, h, wx, wy, wz, ax - bax, ay - bay, az - baz)
        un, ue, ud = fn * h, fe * h, (fd + weighs) * h
        px += (vx + 0.5 * un) * h
        py += (vy + 0.5 * ue) * h
        pz += (vz + 0.5 * ud) * h
        vx, vy, vz = vx + un, vy + ue, vz + ud
        sum_t, count = sum_t + h, count + 1.0
        sn, se, sd = sn + un, se + ue, sd + fd * h
        tx, ty, tz = tx + wx * h, ty + wy * h, tz + wz * h
        if what or resting:
            m.group_flags = m.group_flags | what
            note_rest(c, m, p, h, (what & AT_REST) > 0, gx, gy, gz)
            resting = m.rest_s >= 0.0
        flag = GAP if h > GAP_S or not has_rate else 0
        flag |= ACC_GATED if what & ACC_CLIPPED or not has_force else ACC_USED
        if count >= c.every or due <= t[i] or h > GAP_S:
            m.position[0], m.position[1], m.position[2] = px, py, pz
            m.velocity[0], m.velocity[1], m.velocity[2] = vx, vy, vz
            m.attitude[0], m.attitude[1], m.attitude[2], m.attitude[3] = w, x, y, z
            m.group_s, m.group_count, m.group_force[0], m.group_force[1], m.group_force[2] = sum_t, count, sn, se, sd
            m.group_turn[0], m.group_turn[1], m.group_turn[2] = tx, ty, tz
            if h < GAP_S and has_rate and has_force:
                note_shaking(m, ax, ay, az, lax, lay, laz, gx, gy, gz, lgx, lgy, lgz)
            propagate_group(c, m, p, n, history, t[i])
            sum_t, count, sn, se, sd, tx, ty, tz = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
            # Half a sample of play (not of a gap): rounding must not move what is taken in by a group.
            rested = fuse_standing(c, m, p, n, rows, t[i], 0.5 * min(h, STEP_S))
            if due <= t[i]:
                apply_process_noise(c, m, p)
                flag |= fuse_due(c, m, p, n, history, t[i], gnss, baro, mag, ranges, rows)
                due = next_due(m, gnss, baro, mag, ranges)
                rested = 1
            if rested == 1:
                px, py, pz = m.position[0], m.position[1], m.position[2]
                vx, vy, vz = m.velocity[0], m.velocity[1], m.velocity[2]
                w, x, y, z = m.attitude[0], m.attitude[1], m.attitude[2], m.attitude[3]
                bgx, bgy, bgz = m.gyro_bias[0], m.gyro_bias[1], m.gyro_bias[2]
                bax, bay, baz = m.acc_bias[0], m.acc_bias[1], m.acc_bias[2]
        if has_force:
            lax, lay, laz = ax, ay, az
        lgx, lgy, lgz = gx, gy, gz
        motion[i, 0], motion[i, 1], motion[i, 2], motion[i, 3], motion[i, 4], motion[i, 5] = px, py, pz, vx, vy, vz
        motion[i, 6], motion[i, 7], motion[i, 8], motion[i, 9] = w, x, y, z
        flags[i] = flag
        if at % key_every == 0:
            m.position[0], m.position[1], m.position[2] = px, py, pz
            m.velocity[0], m.velocity[1], m.velocity[2] = vx, vy, vz
            m.attitude[0], m.attitude[1], m.attitude[2], m.attitude[3] = w, x, y, z
            keep(m, p, n, key_x[at // key_every], key_p[at // key_every])
        at += 1
    m.position[0], m.position[1], m.position[2], m.velocity[0], m.velocity[1], m.velocity[2] = px, py, pz, vx, vy, vz
    m.attitude[0], m.attitude[1], m.attitude[2], m.attitude[3] = w, x, y, z
    m.group_s, m.group_count, m.group_force[0], m.group_force[1], m.group_force[2] = sum_t, count, sn, se, sd
    m.group_turn[0], m.group_turn[1], m.group_turn[2] = tx, ty, tz
    m.last_acc[0], m.last_acc[1], m.last_acc[2] = lax, lay, laz
    m.last_gyro[0], m.last_gyro[1], m.last_gyro[2] = lgx, lgy, lgz
    m.next_sample = at
