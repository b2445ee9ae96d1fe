"""What all measurements share: the gate, giving way after long refusal, following the noise, and putting errors into the state."""

import math

from fusus.core._jit import kernel
from fusus.core.arrays import Array
from fusus.core.estimation.attitude_math import turn
from fusus.core.estimation.navigation_ekf.covariance import fold, project
from fusus.core.estimation.navigation_ekf.states import (
    ACC,
    ALWAYS,
    ARM,
    AT_ROW,
    ATT,
    BARO,
    DELAY,
    E_ACC,
    E_ATT,
    E_BARO,
    E_GYRO,
    FIELD,
    GYRO,
    IRON,
    WANDER,
    Coefficients,
    State,
)

# How many measurements a followed variance looks back over.
FOLLOWS = 50.0
# A followed variance stays within these multiples of what the parameters say.
LEAST, GREATEST = 0.05, 400.0


@kernel
def take(
    c: Coefficients, s: State, rows: Array, channel: int, t: float, m: int, y: float, r: float, free: int, follows: float
) -> int:
    """Take one scalar measurement in; ``s.cols``, ``s.vals`` hold its row with ``m`` entries. Return 1 used, 0 refused.

    ``free``: the error whose variance grows when the filter gives way after long refusal. ``follows``: whether the noise is
    taken from the differences of successive innovations (Mehra 1970): never less than a share of ``r``.
    """
    now = s.channels[channel]
    if follows > 0.0:
        if t - now[2] < 1.5 and now[3] > 0.0:
            step = y - now[1]
            now[3] += (min(0.5 * step * step, 12.0 * now[3]) - now[3]) / FOLLOWS
            now[3] = min(max(now[3], LEAST * r), GREATEST * r)
        elif now[3] <= 0.0:
            now[3] = r
        r = now[3]
    now[1], now[2] = y, t
    h_p_h = project(s.p, s.k, s.cols, s.vals, m)
    variance = h_p_h + r
    left = y
    for q in range(m):
        left -= s.vals[q] * s.e[s.cols[q]]
    nis = left * left / variance
    used = 1
    if nis > c.gate2:
        if t - now[0] < c.recover_s:
            used = 0
        else:
            # Refused for so long, the filter is rather wrong than the sensor: its own doubt grows to the difference.
            s.p[free, free] += left * left
            variance = project(s.p, s.k, s.cols, s.vals, m) + r
    if c.keeps_rows:
        row = rows[s.at[AT_ROW]]
        row[0], row[1], row[2], row[3], row[4] = channel, t, left, variance, used
        s.at[AT_ROW] += 1
    if used == 1:
        fold(s.p, s.e, s.k, s.d, variance, left)
        now[0] = t
    return used


@kernel
def inject(c: Coefficients, s: State, t: float) -> None:
    """Put the errors found into the state, and remember them for the past."""
    x, e = s.x, s.e
    for i in range(6):
        x[i] += e[i]
        s.sums[i] += e[i]
    for i in range(3):
        s.sums[6 + i] += e[3 + i] * t
        s.sums[9 + i] += e[E_ATT + i]
        x[GYRO + i] += e[E_GYRO + i]
        x[ACC + i] += e[E_ACC + i]
    w, qx, qy, qz = x[ATT], x[ATT + 1], x[ATT + 2], x[ATT + 3]
    # The rotation is about north, east, down: seen from the body it follows the attitude, q = q ⊗ exp(Rᵀφ/2).
    r = rotation(w, qx, qy, qz)
    a, b, d = e[E_ATT], e[E_ATT + 1], e[E_ATT + 2]
    x[ATT], x[ATT + 1], x[ATT + 2], x[ATT + 3] = turn(
        w, qx, qy, qz, r[0] * a + r[3] * b + r[6] * d, r[1] * a + r[4] * b + r[7] * d, r[2] * a + r[5] * b + r[8] * d
    )
    x[BARO] += e[E_BARO]
    if c.i_wander >= ALWAYS:
        for i in range(3):
            x[WANDER + i] += e[c.i_wander + i]
    if c.i_delay >= ALWAYS:
        x[DELAY] = min(max(x[DELAY] + e[c.i_delay], 0.0), 1.5)
    if c.i_arm >= ALWAYS:
        for i in range(3):
            x[ARM + i] += e[c.i_arm + i]
    if c.i_field >= ALWAYS:
        for i in range(3):
            x[FIELD + i] += e[c.i_field + i]
    if c.i_iron >= ALWAYS:
        for i in range(3):
            x[IRON + i] += e[c.i_iron + i]
    for i in range(s.p.shape[0]):
        e[i] = 0.0


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
def entry(s: State, m: int, column: int, value: float) -> int:
    """Add an entry to the row and return how many there are."""
    s.cols[m] = column
    s.vals[m] = value
    return m + 1


@kernel
def wrapped(angle: float) -> float:
    """Return an angle within ±π."""
    return math.atan2(math.sin(angle), math.cos(angle))
