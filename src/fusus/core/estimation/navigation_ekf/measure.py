"""What all measurements share: the gate, giving way after long refusal, following the noise, and putting errors into the state."""

import math

from fusus.core._jit import kernel
from fusus.core.arrays import Array
from fusus.core.estimation.attitude_math import turn
from fusus.core.estimation.navigation_ekf.covariance import fold, project, widen
from fusus.core.estimation.navigation_ekf.states import (
    ACC,
    ALWAYS,
    ARM,
    AT_ROW,
    ATT,
    BARO,
    CHANNEL,
    COLS,
    DELAY,
    E_ACC,
    E_ATT,
    E_BARO,
    E_GYRO,
    E_VEL,
    ENTRIES,
    ERR,
    FIELD,
    GATE2,
    GYRO,
    I_ARM,
    I_DELAY,
    I_FIELD,
    I_IRON,
    I_WANDER,
    IRON,
    POS,
    RECOVER_S,
    SHOWN,
    SUMS,
    VALS,
    WANDER,
    W,
)

# Times are asked about a little off round figures: intervals are multiples of those, and rounding must decide nothing.
EDGE_S, NEXT_S = 0.00037, 1.4963  # before a recovery is due; between measurements that are neighbours
# How many measurements a followed variance looks back over.
FOLLOWS = 50.0
# A followed variance stays within these multiples of what the parameters say.
LEAST, GREATEST = 0.05, 400.0


@kernel
def take(
    m: Array, p: Array, n: int, rows: Array, channel: int, t: float, y: float, r: float, free: int, follows: float
) -> int:
    """Take one scalar measurement in, whose row lies in ``m``. Return 1 used, 0 refused.

    ``free``: the error whose variance grows when the filter gives way after long refusal. ``follows``: whether the noise is
    taken from the differences of successive innovations (Mehra 1970): never less than a share of ``r``.
    """
    now = CHANNEL + 4 * channel
    if follows > 0.0:
        known = m[now + 3]
        if known <= 0.0:
            known = r
        elif t - m[now + 2] < NEXT_S:
            step = y - m[now + 1]
            known += (min(0.5 * step * step, 12.0 * known) - known) / FOLLOWS
            known = min(max(known, LEAST * r), GREATEST * r)
        m[now + 3] = known
        r = known
    m[now + 1], m[now + 2] = y, t
    variance = project(p, m) + r
    left = y
    for q in range(int(m[ENTRIES])):
        left -= m[VALS + q] * m[ERR + int(m[COLS + q])]
    used = 1
    if left * left > m[GATE2] * variance:
        if t - m[now] < m[RECOVER_S] - EDGE_S:
            used = 0
        else:
            # Refused for so long, the filter is rather wrong than the sensor: its own doubt grows to the difference.
            widen(p, m, free, left * left)
            variance = project(p, m) + r
    row = int(m[AT_ROW])
    seen = variance - r + m[SHOWN] if m[SHOWN] > 0.0 else variance
    m[SHOWN] = 0.0
    rows[row, 0], rows[row, 1], rows[row, 2], rows[row, 3], rows[row, 4] = channel, t, left, seen, used
    m[AT_ROW] = row + 1
    if used == 1:
        fold(p, m, n, r, left)
        m[now] = t
    return used


@kernel
def inject(m: Array, t: float) -> None:
    """Put the errors found into the state, and remember them for the past."""
    for i in range(6):
        m[POS + i] += m[ERR + i]
        m[SUMS + i] += m[ERR + i]
    for i in range(3):
        m[SUMS + 6 + i] += m[ERR + E_VEL + i] * t
        m[GYRO + i] += m[ERR + E_GYRO + i]
        m[ACC + i] += m[ERR + E_ACC + i]
    w, x, y, z = m[ATT], m[ATT + 1], m[ATT + 2], m[ATT + 3]
    # The rotation is about north, east, down: seen from the body it follows the attitude, q = q ⊗ exp(Rᵀφ/2).
    r = rotation(w, x, y, z)
    a, b, d = m[ERR + E_ATT], m[ERR + E_ATT + 1], m[ERR + E_ATT + 2]
    m[ATT], m[ATT + 1], m[ATT + 2], m[ATT + 3] = turn(
        w, x, y, z, r[0] * a + r[3] * b + r[6] * d, r[1] * a + r[4] * b + r[7] * d, r[2] * a + r[5] * b + r[8] * d
    )
    m[BARO] += m[ERR + E_BARO]
    at = int(m[I_WANDER])
    if at >= ALWAYS:
        for i in range(3):
            m[WANDER + i] += m[ERR + at + i]
    at = int(m[I_DELAY])
    if at >= ALWAYS:
        m[DELAY] = min(max(m[DELAY] + m[ERR + at], 0.0), 1.5)
    at = int(m[I_ARM])
    if at >= ALWAYS:
        for i in range(3):
            m[ARM + i] += m[ERR + at + i]
    at = int(m[I_FIELD])
    if at >= ALWAYS:
        for i in range(3):
            m[FIELD + i] += m[ERR + at + i]
    at = int(m[I_IRON])
    if at >= ALWAYS:
        for i in range(3):
            m[IRON + i] += m[ERR + at + i]
    for i in range(W):
        m[ERR + i] = 0.0


@kernel
def first(m: Array, column: int, value: float) -> None:
    """Begin a row with its first entry."""
    m[COLS], m[VALS], m[ENTRIES] = column, value, 1.0


@kernel
def entry(m: Array, column: int, value: float) -> None:
    """Add an entry to the row."""
    q = int(m[ENTRIES])
    m[COLS + q], m[VALS + q], m[ENTRIES] = column, value, q + 1.0


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
