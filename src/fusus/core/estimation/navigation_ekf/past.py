"""The filter's memory: a late fix is compared with where the filter now thinks that it was then.

Each remembered moment holds the state of that time and the sums of corrections made till then. What was corrected since is
carried back: a velocity correction at time τ moves the position at t_m by -(τ - t_m) times itself.
"""

from fusus.core._jit import kernel
from fusus.core.arrays import Array
from fusus.core.estimation.navigation_ekf.states import AT_PAST, MOMENT, MOMENTS, POS, SUMS

SPACING_S = (
    0.0037  # moments are kept no closer than this: no multiple of usual intervals, so that rounding decides nothing
)


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
    for i in range(12):
        past[row, 14 + i] = m[SUMS + i]


@kernel
def recall(m: Array, past: Array, when: float) -> float:
    """Put position, velocity, attitude, body rate and acceleration at ``when``, as now believed, to the moment's place in ``m``.

    Return 0 where that time is remembered; else by how much the oldest moment is too young, in s.
    """
    newest = int(m[AT_PAST]) - 1
    oldest = max(newest - MOMENTS + 1, 0)
    # Delays are short against the memory: look from the newest backwards.
    at = newest
    while at > oldest and past[at % MOMENTS, 0] > when:
        at -= 1
    row = at % MOMENTS
    ahead = min(max(when - past[row, 0], 0.0), 0.1)
    before, after = max(at - 5, oldest) % MOMENTS, min(at + 5, newest) % MOMENTS
    span = past[after, 0] - past[before, 0]
    for i in range(3):
        # Corrections between two moments are no acceleration.
        step = (past[after, 4 + i] - past[after, 17 + i]) - (past[before, 4 + i] - past[before, 17 + i])
        acceleration = step / span if span > 1e-6 else 0.0
        quicker = m[SUMS + 3 + i] - past[row, 17 + i]
        since = m[SUMS + 6 + i] - past[row, 20 + i] - when * quicker
        moved = m[SUMS + i] - past[row, 14 + i] - since
        m[MOMENT + i] = past[row, 1 + i] + past[row, 4 + i] * ahead + moved
        m[MOMENT + 3 + i] = past[row, 4 + i] + acceleration * ahead + quicker
        m[MOMENT + 10 + i] = past[row, 11 + i]
        m[MOMENT + 13 + i] = acceleration
    for i in range(4):
        m[MOMENT + 6 + i] = past[row, 7 + i]
    return float(max(past[row, 0] - when, 0.0))
