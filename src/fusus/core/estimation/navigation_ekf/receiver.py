"""GNSS fixes: late, seen from the antenna, with an error that drifts; and the course as a heading.

Arrays, where a function does not say otherwise (shape, unit, frame):

    p : (1088,) factors of the covariance, n
    rows : (R, 5) channel, s, innovation, variance, used, any
    fix : (8,) m, m/s, factors of variance, n
"""

import math

from fusus.core._jit import kernel
from fusus.core.arrays import Array
from fusus.core.estimation.attitude_math import sound_factor
from fusus.core.estimation.navigation_ekf.covariance import add_variance, project, scale, ud_update
from fusus.core.estimation.navigation_ekf.history import state_at
from fusus.core.estimation.navigation_ekf.measure import entry, first, inject, rotation, update_scalar, wrapped
from fusus.core.estimation.navigation_ekf.states import (
    ALWAYS,
    CH_COURSE,
    CH_POS,
    CH_VEL,
    E_ACC,
    E_ATT,
    E_POS,
    E_VEL,
    STALE_S,
    Coefficients,
    Memory,
    Moments,
)

# How long a gust turns the nose off the course: neighbouring fixes see the same one.
CRAB_TAU_S = 2.0
LEAST = 1e-4
# Beyond these a place or a speed is none.
MOST_M, MOST_M_S = 1e7, 1e4
# Logarithms of factors of the drift's variance: by so much fixes may scatter less or more without a word on it, and the greatest.
WITHIN, GREATEST_DRIFT = math.log(4.0), 3.0
# A variance of the drift beyond so many times what it can be is brought back.
TOO_MUCH = 1.3


@kernel
def drift_level(m: Memory, vertical: int) -> float:
    """Return the logarithm of the factor of the drift's variance: where fixes scatter far less or more than said, they drift so too.

    Within a factor of two the scatter of single fixes says nothing of a drift.
    """
    said = m.said_level[vertical]
    level = m.noise_level[CH_POS + 2] if vertical == 1 else 0.5 * (m.noise_level[CH_POS] + m.noise_level[CH_POS + 1])
    off = level - m.first_level[vertical]
    return float(min(said + off - min(max(off, -WITHIN), WITHIN), GREATEST_DRIFT))


@kernel
def propagate_gnss_bias(c: Coefficients, m: Memory, p: Array, n: int, t: float) -> None:
    """Carry the drift of the receiver on to the time of a fix: w' = ρ w, exactly for any interval."""
    if c.i_gnss_bias < ALWAYS:
        return
    dt = t - m.fix_s
    m.fix_s = t
    if dt <= 0.0:
        return
    # What is left of it after very long is nothing, but not zero: a factor cannot be taken back from that.
    rho = max(math.exp(-dt / c.gnss_bias_tau_s), LEAST)
    for i in range(c.i_gnss_bias, c.i_gnss_bias + 3):
        is_down = i == c.i_gnss_bias + 2
        level = drift_level(m, 1 if is_down else 0)
        m.drift_level[1 if is_down else 0] = level
        m.gnss_bias[i - c.i_gnss_bias] *= rho
        scale(p, n, i, rho)
        var = math.exp(level) * (c.gnss_bias_var_v if is_down else c.gnss_bias_var_h)
        add_variance(p, m, i, (1.0 - rho * rho) * var)
        # A drift that cannot be as large as was thought: as if it had been measured as nothing, so that all that hangs on it follows.
        first(m, i, 1.0)
        known = project(p, m)
        if known > TOO_MUCH * var:
            ud_update(p, m, n, known * var / (known - var), -m.gnss_bias[i - c.i_gnss_bias] - m.error[i])


@kernel
def cross_row(m: Memory, axis: int, vx: float, vy: float, vz: float, factor: float) -> None:
    """Add what φ × v (north, east, down) does to one axis."""
    if axis == 0:
        entry(m, E_ATT + 1, factor * vz)
        entry(m, E_ATT + 2, -factor * vy)
    elif axis == 1:
        entry(m, E_ATT + 2, factor * vx)
        entry(m, E_ATT, -factor * vz)
    else:
        entry(m, E_ATT, factor * vy)
        entry(m, E_ATT + 1, -factor * vx)


@kernel
def fuse_fix(
    c: Coefficients, m: Memory, p: Array, n: int, history: Moments, rows: Array, t: float, came: float, fix: Array
) -> tuple[int, int]:
    """Take in, now, a fix that ``came`` then: position (3), velocity (3), factors of both variances; NaN for none. Return used, refused.

    z_p = p(t - τ) + R l + w, z_v = v(t - τ) + R (ω × l); errors of then follow from those of now by τ.
    """
    propagate_gnss_bias(c, m, p, n, t)
    when = (came if 0.0 <= t - came <= STALE_S else t) - m.gnss_delay_s
    late = t - when - state_at(m, history, when)
    r = rotation(m.then_attitude[0], m.then_attitude[1], m.then_attitude[2], m.then_attitude[3])
    lx, ly, lz = m.lever_arm[0], m.lever_arm[1], m.lever_arm[2]
    wx, wy, wz = m.then_rate[0], m.then_rate[1], m.then_rate[2]
    cx, cy, cz = wy * lz - wz * ly, wz * lx - wx * lz, wx * ly - wy * lx
    an, ae, ad = r[0] * lx + r[1] * ly + r[2] * lz, r[3] * lx + r[4] * ly + r[5] * lz, r[6] * lx + r[7] * ly + r[8] * lz
    un, ue, ud = r[0] * cx + r[1] * cy + r[2] * cz, r[3] * cx + r[4] * cy + r[5] * cz, r[6] * cx + r[7] * cy + r[8] * cz
    bn, be, bd = m.then_acc[0], m.then_acc[1], m.then_acc[2]  # acceleration of then
    fn, fe, fd = m.heading_excitation * bn, m.heading_excitation * be, bd - c.gravity_m_s2
    used, refused = 0, 0
    for i in range(3):
        z = fix[i]
        if not abs(z) <= MOST_M:
            continue
        arm = an if i == 0 else ae if i == 1 else ad
        vel = m.then_velocity[i] + (un if i == 0 else ue if i == 1 else ud)
        first(m, E_POS + i, 1.0)
        entry(m, E_VEL + i, -late)
        cross_row(m, i, an, ae, ad, 1.0)
        if c.i_gnss_bias >= ALWAYS:
            entry(m, c.i_gnss_bias + i, 1.0)
        if c.i_delay >= ALWAYS:
            entry(m, c.i_delay, -vel)
        if c.i_arm >= ALWAYS:
            for j in range(3):
                entry(m, c.i_arm + j, r[3 * i + j])
        noise = (c.gnss_var_v if i == 2 else c.gnss_var_h) * sound_factor(fix[6])
        y = z - (m.then_position[i] + arm + m.gnss_bias[i])
        if update_scalar(m, p, n, rows, CH_POS + i, t, y, noise, E_POS + i, c.follow) == 1:
            used += 1
        else:
            refused += 1
    for i in range(3):
        z = fix[3 + i]
        if not abs(z) <= MOST_M_S:
            continue
        first(m, E_VEL + i, 1.0)
        cross_row(m, i, fn, fe, fd, -late)
        for j in range(3):
            entry(m, E_ACC + j, late * r[3 * i + j])
        if c.i_delay >= ALWAYS:
            entry(m, c.i_delay, -(bn if i == 0 else be if i == 1 else bd))
        if c.i_arm >= ALWAYS:
            entry(m, c.i_arm, r[3 * i + 1] * wz - r[3 * i + 2] * wy)
            entry(m, c.i_arm + 1, r[3 * i + 2] * wx - r[3 * i] * wz)
            entry(m, c.i_arm + 2, r[3 * i] * wy - r[3 * i + 1] * wx)
        noise = (c.velocity_var_v if i == 2 else c.velocity_var_h) * sound_factor(fix[7])
        y = z - (m.then_velocity[i] + (un if i == 0 else ue if i == 1 else ud))
        if update_scalar(m, p, n, rows, CH_VEL + i, t, y, noise, E_VEL + i, c.follow) == 1:
            used += 1
        else:
            refused += 1
    if c.course and c.course_speed_m_s < math.hypot(fix[3], fix[4]) <= MOST_M_S:
        used += fuse_course(c, m, p, n, rows, t, fix[3] - un, fix[4] - ue)
    inject(m, t)
    return used, refused


@kernel
def fuse_course(c: Coefficients, m: Memory, p: Array, n: int, rows: Array, t: float, vn: float, ve: float) -> int:
    """Take the direction of travel for that of the nose; gusts turn it for seconds, so each fix counts for little."""
    w, x, y, z = m.attitude[0], m.attitude[1], m.attitude[2], m.attitude[3]
    r = rotation(w, x, y, z)
    horizontal = math.hypot(r[0], r[3])
    if horizontal < 0.3:
        return 0
    cos, sin, slope = r[0] / horizontal, r[3] / horizontal, r[6] / horizontal
    first(m, E_ATT + 2, 1.0)
    entry(m, E_ATT, -slope * cos)
    entry(m, E_ATT + 1, -slope * sin)
    speed2 = vn * vn + ve * ve
    interval = min(max(t - m.channel_s[CH_COURSE], 0.02), 1.0)
    r_course = (c.course_var + c.velocity_var_h / speed2) * (1.0 + 2.0 * CRAB_TAU_S / interval)
    return update_scalar(
        m, p, n, rows, CH_COURSE, t, wrapped(math.atan2(ve, vn) - math.atan2(r[3], r[0])), r_course, E_ATT + 2, 0.0
    )
