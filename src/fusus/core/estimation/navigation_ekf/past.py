"""The filter's memory: a late fix is compared with where the filter now thinks that it was then.

Each remembered moment holds the state of that time and the sums of corrections made till then. What was corrected since is
carried back: a velocity correction at time τ moves the position at t_m by -(τ - t_m) times itself.
"""

from fusus.core._jit import kernel
from fusus.core.arrays import Array
from fusus.core.estimation.navigation_ekf.states import AT_PAST, MOMENTS, State

SPACING_S = 0.004  # moments are kept no closer than this


@kernel
def remember(s: State, t: float, gx: float, gy: float, gz: float) -> None:
    """Keep the present moment."""
    row = s.past[s.at[AT_PAST] % MOMENTS]
    s.at[AT_PAST] += 1
    row[0] = t
    for i in range(10):
        row[1 + i] = s.x[i]
    row[11], row[12], row[13] = gx, gy, gz
    for i in range(12):
        row[14 + i] = s.sums[i]


@kernel
def recall(s: State, when: float, out: Array) -> float:
    """Write position, velocity, attitude, body rate and acceleration (16) at ``when`` as now believed; return their age's shortfall in s.

    Zero where the moment is remembered; else by how much the oldest one is too young.
    """
    count = min(s.at[AT_PAST], MOMENTS)
    newest = s.at[AT_PAST] - 1
    # Delays are short against the memory: look from the newest backwards.
    back = 0
    while back < count - 1 and s.past[(newest - back) % MOMENTS, 0] > when:
        back += 1
    at = newest - back
    row = s.past[at % MOMENTS]
    ahead = min(max(when - row[0], 0.0), 0.1)
    for i in range(3):
        later = s.sums[6 + i] - row[20 + i] - when * (s.sums[3 + i] - row[17 + i])
        moved = s.sums[3 + i] - row[17 + i]
        out[i] = row[1 + i] + row[4 + i] * ahead + s.sums[i] - row[14 + i] - later
        out[3 + i] = row[4 + i] + moved
    for i in range(4):
        out[6 + i] = row[7 + i]
    for i in range(3):
        out[10 + i] = row[11 + i]
    first = max(at - 5, newest - count + 1)
    last = min(at + 5, newest)
    a, b = s.past[first % MOMENTS], s.past[last % MOMENTS]
    span = b[0] - a[0]
    for i in range(3):
        # Corrections between the two moments are no acceleration.
        step = (b[4 + i] - b[17 + i]) - (a[4 + i] - a[17 + i])
        out[13 + i] = step / span if span > 1e-6 else 0.0
        out[3 + i] += out[13 + i] * ahead
    return max(row[0] - when, 0.0)
