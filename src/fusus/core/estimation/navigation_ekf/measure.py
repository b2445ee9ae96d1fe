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

NEXT_S = 1.5  # between measurements that are neighbours
# How many measurements a followed variance looks back over.
FOLLOWS = 50.0
# A followed variance stays within these multiples of what the parameters say.
LEAST, GREATEST = 0.05, 400.0


@kernel
def update_scalar(
    m: Memory, p: Array, n: int, rows: Array, channel: int, t: float, y: float, r: float, free: int, follows: float
) -> int:
    """Take one scalar measurement in, whose row lies in ``m``. Return 1 used, 0 refused.

    ``free``: the error whose variance grows when the filter gives way after long refusal. ``follows``: whether the noise is
    taken from the differences of successive innovations (Mehra 1970): never less than a share of ``r``.
    """
    if follows > 0.0:
        known = m.channel_var[channel]
        if known <= 0.0:
            known = r
        elif not reached(t - m.channel_s[channel], NEXT_S):
            step = y - m.channel_innovation[channel]
            known += (min(0.5 * step * step, 12.0 * known) - known) / FOLLOWS
            known = min(max(known, LEAST * r), GREATEST * r)
        m.channel_var[channel] = known
        r = known
    m.channel_innovation[channel], m.channel_s[channel] = y, t
    variance = project(p, m) + r
    left = y
    for q in range(m.entries):
        left -= m.values[q] * m.error[int(m.columns[q])]
    used = 1
    if left * left > m.gate2 * variance:
        if not reached(t - m.channel_used_s[channel], m.recover_s):
            used = 0
        else:
            # Refused for so long, the filter is rather wrong than the sensor: its own doubt grows to the difference.
            add_variance(p, m, free, left * left)
            variance = project(p, m) + r
    row = m.next_row
    seen = variance - r + m.shown_var if m.shown_var > 0.0 else variance
    m.shown_var = 0.0
    rows[row, 0], rows[row, 1], rows[row, 2], rows[row, 3], rows[row, 4] = channel, t, left, seen, used
    m.next_row = row + 1
    if used == 1:
        ud_update(p, m, n, r, left)
        m.channel_used_s[channel] = t
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
