"""The filter's memory: a late fix is compared with where the filter now thinks that it was then.

Each remembered moment holds the state of that time and the sums of corrections made till then. What was corrected since is
carried back: a velocity correction at time τ moves the position at t_m by -(τ - t_m) times itself.
"""

import math

from fusus.core._jit import kernel
from fusus.core.arrays import Array
from fusus.core.estimation.navigation_ekf.states import (
    AT_PAST,
    CHANNEL,
    CHANNELS,
    G_GNSS,
    G_PUSHED,
    LONG_AGO_S,
    MOMENT,
    MOMENTS,
    POS,
    SUMS,
)

SPACING_S = (
    0.0037  # moments are kept no closer than this: no multiple of usual intervals, so that rounding decides nothing
)

LONGEST_S = 0.1  # beyond it no motion is carried on


@kernel
def remember(m: Array, past: Array, t: float, gx: float, gy: float, gz: float) -> None:
    """Keep the present moment."""
    count = int(m[AT_PAST])
    row = count % MOMENTS
    m[AT_PAST] = count + 1
    past[row, 0] = t
    for i in range(10):
        past[row, 1 + i] = m[POS + i]
    past[row, 11], past[row, 12], past[row, 13] = gx, gy, gz
    for i in range(9):
        past[row, 14 + i] = m[SUMS + i]


@kernel
def gained(past: Array, before: int, after: int, axis: int) -> float:
    """Return what the velocity gained from one moment to another; corrections between them are no acceleration."""
    return float((past[after, 4 + axis] - past[after, 17 + axis]) - (past[before, 4 + axis] - past[before, 17 + axis]))


@kernel
def acceleration_at(past: Array, at: int, oldest: int, newest: int, axis: int) -> float:
    """Return the mean acceleration about a moment."""
    before, after = max(at - 5, oldest) % MOMENTS, min(at + 5, newest) % MOMENTS
    span = past[after, 0] - past[before, 0]
    return gained(past, before, after, axis) / span if span > 1e-6 else 0.0


@kernel
def recall(m: Array, past: Array, when: float) -> float:
    """Put position, velocity, attitude, body rate and acceleration at ``when``, as now believed, to the moment's place in ``m``.

    Between two moments all of it is a straight line: which of them comes just before must not matter. Return 0 where that time is
    remembered; else by how much the oldest moment is too young, in s.
    """
    if m[AT_PAST] < 1.0:
        remember(m, past, when, 0.0, 0.0, 0.0)  # a fix with the very first sample
    newest = int(m[AT_PAST]) - 1
    oldest = max(newest - MOMENTS + 1, 0)
    # Delays are short against the memory: look from the newest backwards.
    at = newest
    while at > oldest and past[at % MOMENTS, 0] > when:
        at -= 1
    then = min(at + 1, newest)
    row, following = at % MOMENTS, then % MOMENTS
    ahead = min(max(when - past[row, 0], 0.0), LONGEST_S)
    gap = past[following, 0] - past[row, 0]
    share = min(ahead / gap, 1.0) if 1e-6 < gap < LONGEST_S else 0.0
    for i in range(3):
        acceleration = (1.0 - share) * acceleration_at(past, at, oldest, newest, i)
        acceleration += share * acceleration_at(past, then, oldest, newest, i)
        quicker = m[SUMS + 3 + i] - past[row, 17 + i]
        since = m[SUMS + 6 + i] - past[row, 20 + i] - when * quicker
        moved = m[SUMS + i] - past[row, 14 + i] - since
        on_p, on_v = past[row, 4 + i] * ahead, acceleration * ahead
        if share > 0.0:
            # What the corrections between them moved is counted with the corrections.
            on_p = share * (
                (past[following, 1 + i] - past[following, 14 + i])
                - (past[row, 1 + i] - past[row, 14 + i])
                - gap * (past[following, 17 + i] - past[row, 17 + i])
            )
            on_v = share * gained(past, row, following, i)
        m[MOMENT + i] = past[row, 1 + i] + on_p + moved
        m[MOMENT + 3 + i] = past[row, 4 + i] + on_v + quicker
        m[MOMENT + 10 + i] = past[row, 11 + i] + share * (past[following, 11 + i] - past[row, 11 + i])
        m[MOMENT + 13 + i] = acceleration
    # Neighbouring attitudes are so near that a straight line of quaternions is the turn between them.
    length = 0.0
    for i in range(4):
        q = past[row, 7 + i] + share * (past[following, 7 + i] - past[row, 7 + i])
        m[MOMENT + 6 + i] = q
        length += q * q
    shorter = 1.0 / math.sqrt(length)
    for i in range(4):
        m[MOMENT + 6 + i] *= shorter
    return float(max(past[row, 0] - when, 0.0))


@kernel
def begin_clock_anew(m: Array, past: Array, by: float) -> None:
    """Take ``by`` seconds off all times that are remembered, and what is summed up off all sums.

    Only differences count. A board whose figures have 24 bits does this every few seconds: after ten minutes the last place of a time
    would be 0.06 ms.
    """
    m[G_PUSHED] -= by
    m[G_GNSS] -= by
    for i in range(CHANNELS):
        at = CHANNEL + 4 * i
        m[at] -= by
        if m[at + 2] > LONG_AGO_S:
            m[at + 2] -= by
    for row in range(MOMENTS):
        past[row, 0] -= by
        for i in range(3):
            past[row, 20 + i] -= by * past[row, 17 + i] + m[SUMS + 6 + i] - by * m[SUMS + 3 + i]
        for i in range(3):
            past[row, 14 + i] -= m[SUMS + i]
            past[row, 17 + i] -= m[SUMS + 3 + i]
    for i in range(9):
        m[SUMS + i] = 0.0
