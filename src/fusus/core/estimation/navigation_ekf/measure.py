"""What all measurements share: the gate, giving way after long refusal, following the noise, and putting errors into the state.

Arrays, where a function does not say otherwise (shape, unit, frame):

    p : (1088,) factors of the covariance, n
    rows : (R, 5) channel, s, innovation, variance, used, any
"""

import math

from fusus.core._jit import kernel
from fusus.core.arrays import Array
from fusus.core.estimation.attitude_math import turn
from fusus.core.estimation.elapsed import reached
from fusus.core.estimation.navigation_ekf.covariance import add_variance, project, ud_update
from fusus.core.estimation.navigation_ekf.states import (
    ALWAYS,
    E_ACC,
    E_ATT,
    E_BARO,
    E_GYRO,
    E_POS,
    E_VEL,
    Memory,
    W,
)

NEXT_S = 5.0  # between measurements that are neighbours
# How quickly factors of noise follow the innovations: over so long, and by this share a measurement at most.
FOLLOWS_S, FASTEST = 10.0, 0.2
# Several channels tell of the same motion.
MOTION_SHARE = 0.3
# The first measurements say most: that many weigh as one.
FIRST = 5.0
# A factor of a noise variance stays within these, as logarithms; that of the inertial sensors is never less than they are known to have.
LEAST_LEVEL, GREATEST_LEVEL, GREATEST_MOTION = -5.0, 6.0, 9.0
# What neighbours have in common by chance, and by their own slow errors, is no fault of the tuning; what is beyond it counts by this.
BY_CHANCE, ALIKE_SHARE = 0.2, 0.5
MOST_NORMAL2, MEAN_NORMAL2 = (
    6.0,
    0.973,
)  # a square beyond it says no more than that it is too large; the mean of what is left is this
# Beyond so many sigmas, squared, a measurement is a surprise; a motion that was mistaken lasted so long at least.
SURPRISE2, SURPRISE_S = 9.0, 1.0
# Surprises to one side must last so long before the motion is blamed: of ten noisy fixes a second two in a row are surprising by chance.
BLAMED_S = 0.4
# The filter gives way to so many refusals in a row that agree with one another: never to one.
AGREEING, ALIKE = 3, 0.5


@kernel
def learn_levels(m: Memory, channel: int, t: float, z: float, share: float, is_used: bool) -> None:
    """Let the factors of noise follow an innovation over its sigma, ``z``; ``share`` of its variance is the measurement's own noise.

    The step of each is the slope of the likelihood; and where neighbours are alike the motion was trusted too much, where they
    alternate the measurement was (Mehra 1970: innovations of a filter that is tuned rightly are white).
    """
    since = t - m.channel_s[channel]
    if reached(since, NEXT_S) or since <= 0.0:
        m.last_normal[channel] = z if is_used else math.nan
        return
    m.level_count[channel] += 1.0
    rate = min(max(since / FOLLOWS_S, FIRST / (FIRST + m.level_count[channel])), FASTEST)
    off = min(z * z, MOST_NORMAL2) - MEAN_NORMAL2
    before = m.last_normal[channel]
    both = min(max(z * before, -2.0), 2.0) if is_used and before == before else 0.0
    m.alike[channel] += rate * (both - m.alike[channel])
    alike = ALIKE_SHARE * (m.alike[channel] - min(max(m.alike[channel], -BY_CHANCE), BY_CHANCE))
    level = m.noise_level[channel] + rate * (off * share - alike)
    m.noise_level[channel] = min(max(level, LEAST_LEVEL), GREATEST_LEVEL)
    # A small innovation beside a state that is hardly known yet says nothing of the motion's noise.
    told = 1.0 - share if off > 0.0 else min(1.0 - share, share)
    m.motion_level = min(max(m.motion_level + rate * MOTION_SHARE * (off * told + alike), 0.0), GREATEST_MOTION)
    m.last_normal[channel] = z if is_used else math.nan


@kernel
def is_given_way(m: Memory, channel: int, t: float, left: float) -> bool:
    """Count a refusal; return whether so many of them agree for so long that the filter is rather wrong than the sensor."""
    off = left - m.refused_innovation[channel]
    if m.refusals[channel] < 1.0 or abs(off) > ALIKE * abs(left):
        m.refusals[channel] = 0.0
        m.refused_s[channel] = t
    m.refusals[channel] += 1.0
    m.refused_innovation[channel] = left
    return m.refusals[channel] >= AGREEING and reached(t - m.refused_s[channel], m.recover_s)


@kernel
def update_scalar(
    m: Memory, p: Array, n: int, rows: Array, channel: int, t: float, y: float, r: float, free: int, follows: float
) -> int:
    """Take one scalar measurement in, whose row lies in ``m``. Return 1 used, 0 refused.

    ``free``: the error whose variance grows when the filter gives way after long refusal. ``follows``: whether the noise is
    taken from what the innovations show.
    """
    r *= math.exp(m.noise_level[channel])
    variance = project(p, m) + r
    left = y
    for q in range(m.entries):
        left -= m.values[q] * m.error[int(m.columns[q])]
    used = 1
    if left * left > m.gate2 * variance:
        used = 0
        if is_given_way(m, channel, t, left):
            # Its own doubt grows to the difference.
            add_variance(p, m, free, left * left)
            variance = project(p, m) + r
            used = 1
    if follows > 0.0 and not m.is_held:
        learn_levels(m, channel, t, left / math.sqrt(variance), r / variance, used == 1)
        surprise = left if used == 1 and left * left > SURPRISE2 * variance else 0.0
        again = surprise * m.surprise[channel] > 0.0
        if again and reached(t - m.surprise_s[channel], BLAMED_S):
            # In a row, to the same side: the motion between them was not what the inertial sensors said.
            since = max(t - m.surprise_s[channel], SURPRISE_S)
            is_position = free < E_VEL
            if is_position:
                add_variance(p, m, free + E_VEL - E_POS, left * left / (since * since))
            add_variance(p, m, free, left * left)
            variance = project(p, m) + r
        elif surprise != 0.0:
            # Once: it may be the measurement. It moves the estimate no further than one at the edge would.
            r += left * left / SURPRISE2 - variance
            variance = left * left / SURPRISE2
            if not again:
                m.surprise_s[channel] = t
        m.surprise[channel] = surprise
    m.channel_innovation[channel], m.channel_s[channel] = y, t
    row = m.next_row
    seen = variance - r + m.shown_var if m.shown_var > 0.0 else variance
    m.shown_var = 0.0
    rows[row, 0], rows[row, 1], rows[row, 2], rows[row, 3], rows[row, 4] = channel, t, left, seen, used
    m.next_row = row + 1
    if used == 1:
        ud_update(p, m, n, r, left)
        m.channel_used_s[channel] = t
        m.refusals[channel] = 0.0
    return used


@kernel
def inject(m: Memory, t: float) -> None:
    """Put the errors found into the state, and remember them for the past."""
    for i in range(3):
        m.position[i] += m.error[E_POS + i]
        m.position_moved[i] += m.error[E_POS + i]
        m.velocity[i] += m.error[E_VEL + i]
        m.velocity_moved[i] += m.error[E_VEL + i]
        m.velocity_moved_t[i] += m.error[E_VEL + i] * t
        m.gyro_bias[i] += m.error[E_GYRO + i]
        m.acc_bias[i] += m.error[E_ACC + i]
    w, x, y, z = m.attitude[0], m.attitude[1], m.attitude[2], m.attitude[3]
    # The rotation is about north, east, down: seen from the body it follows the attitude, q = q ⊗ exp(Rᵀφ/2).
    r = rotation(w, x, y, z)
    a, b, d = m.error[E_ATT], m.error[E_ATT + 1], m.error[E_ATT + 2]
    m.attitude[0], m.attitude[1], m.attitude[2], m.attitude[3] = turn(
        w, x, y, z, r[0] * a + r[3] * b + r[6] * d, r[1] * a + r[4] * b + r[7] * d, r[2] * a + r[5] * b + r[8] * d
    )
    m.baro_offset += m.error[E_BARO]
    at = m.i_gnss_bias
    if at >= ALWAYS:
        for i in range(3):
            m.gnss_bias[i] += m.error[at + i]
    at = m.i_delay
    if at >= ALWAYS:
        m.gnss_delay_s = min(max(m.gnss_delay_s + m.error[at], 0.0), 1.5)
    at = m.i_arm
    if at >= ALWAYS:
        for i in range(3):
            m.lever_arm[i] += m.error[at + i]
    at = m.i_field
    if at >= ALWAYS:
        for i in range(3):
            m.earth_field[i] += m.error[at + i]
    at = m.i_iron
    if at >= ALWAYS:
        for i in range(3):
            m.craft_field[i] += m.error[at + i]
    for i in range(W):
        m.error[i] = 0.0


@kernel
def first(m: Memory, column: int, value: float) -> None:
    """Begin a row with its first entry."""
    m.columns[0], m.values[0], m.entries = column, value, 1


@kernel
def entry(m: Memory, column: int, value: float) -> None:
    """Add an entry to the row."""
    q = m.entries
    m.columns[q], m.values[q], m.entries = column, value, q + 1


@kernel
def rotation(
    w: float, x: float, y: float, z: float
) -> tuple[float, float, float, float, float, float, float, float, float]:
    """Return R(q) row by row."""
    return (
        1.0 - 2.0 * (y * y + z * z), 2.0 * (x * y - w * z), 2.0 * (x * z + w * y),
        2.0 * (x * y + w * z), 1.0 - 2.0 * (x * x + z * z), 2.0 * (y * z - w * x),
        2.0 * (x * z - w * y), 2.0 * (y * z + w * x), 1.0 - 2.0 * (x * x + y * y),
    )  # fmt: skip


@kernel
def wrapped(angle: float) -> float:
    """Return an angle within ±π."""
    return math.atan2(math.sin(angle), math.cos(angle))
