"""The filter's memory: a late fix is compared with where the filter now thinks that it was then.

Each remembered moment holds the state of that time and the sums of corrections made till then. What was corrected since is
carried back: a velocity correction at time τ moves the position at t_m by -(τ - t_m) times itself.
"""

import math

from fusus.core._jit import kernel
from fusus.core.estimation.navigation_ekf.states import CHANNELS, LONG_AGO_S, MOMENTS, Memory, Moments

SPACING_S = 0.004  # moments are kept no closer than this
LONGEST_S = 0.1  # beyond it no motion is carried on


@kernel
def push_history(m: Memory, history: Moments, t: float, gx: float, gy: float, gz: float) -> None:
    """Keep the present moment."""
    count = m.moments
    row = count % MOMENTS
    m.moments = count + 1
    history[row].t_s = t
    for i in range(3):
        history[row].position[i] = m.position[i]
        history[row].velocity[i] = m.velocity[i]
    for i in range(4):
        history[row].attitude[i] = m.attitude[i]
    history[row].rate[0], history[row].rate[1], history[row].rate[2] = gx, gy, gz
    for i in range(3):
        history[row].position_moved[i] = m.position_moved[i]
        history[row].velocity_moved[i] = m.velocity_moved[i]
        history[row].velocity_moved_t[i] = m.velocity_moved_t[i]


@kernel
def gained(history: Moments, before: int, after: int, axis: int) -> float:
    """Return what the velocity gained from one moment to another; corrections between them are no acceleration."""
    now = history[after].velocity[axis] - history[after].velocity_moved[axis]
    return float(now - (history[before].velocity[axis] - history[before].velocity_moved[axis]))


@kernel
def acceleration_at(history: Moments, at: int, oldest: int, newest: int, axis: int) -> float:
    """Return the mean acceleration about a moment."""
    before, after = max(at - 5, oldest) % MOMENTS, min(at + 5, newest) % MOMENTS
    span = history[after].t_s - history[before].t_s
    return gained(history, before, after, axis) / span if span > 1e-6 else 0.0


@kernel
def state_at(m: Memory, history: Moments, when: float) -> float:
    """Put position, velocity, attitude, body rate and acceleration at ``when``, as now believed, to the moment's place in ``m``.

    Between two moments all of it is a straight line: which of them comes just before must not matter. Return 0 where that time is
    remembered; else by how much the oldest moment is too young, in s.
    """
    if m.moments < 1:
        push_history(m, history, when, 0.0, 0.0, 0.0)  # a fix with the very first sample
    newest = m.moments - 1
    oldest = max(newest - MOMENTS + 1, 0)
    # Delays are short against the memory: look from the newest backwards.
    at = newest
    while at > oldest and history[at % MOMENTS].t_s > when:
        at -= 1
    then = min(at + 1, newest)
    row, following = at % MOMENTS, then % MOMENTS
    ahead = min(max(when - history[row].t_s, 0.0), LONGEST_S)
    gap = history[following].t_s - history[row].t_s
    share = min(ahead / gap, 1.0) if 1e-6 < gap < LONGEST_S else 0.0
    for i in range(3):
        acceleration = (1.0 - share) * acceleration_at(history, at, oldest, newest, i)
        acceleration += share * acceleration_at(history, then, oldest, newest, i)
        quicker = m.velocity_moved[i] - history[row].velocity_moved[i]
        since = m.velocity_moved_t[i] - history[row].velocity_moved_t[i] - when * quicker
        moved = m.position_moved[i] - history[row].position_moved[i] - since
        on_p, on_v = history[row].velocity[i] * ahead, acceleration * ahead
        if share > 0.0:
            # What the corrections between them moved is counted with the corrections.
            on_p = share * (
                (history[following].position[i] - history[following].position_moved[i])
                - (history[row].position[i] - history[row].position_moved[i])
                - gap * (history[following].velocity_moved[i] - history[row].velocity_moved[i])
            )
            on_v = share * gained(history, row, following, i)
        m.then_position[i] = history[row].position[i] + on_p + moved
        m.then_velocity[i] = history[row].velocity[i] + on_v + quicker
        m.then_rate[i] = history[row].rate[i] + share * (history[following].rate[i] - history[row].rate[i])
        m.then_acc[i] = acceleration
    # Neighbouring attitudes are so near that a straight line of quaternions is the turn between them.
    length = 0.0
    for i in range(4):
        q = history[row].attitude[i] + share * (history[following].attitude[i] - history[row].attitude[i])
        m.then_attitude[i] = q
        length += q * q
    shorter = 1.0 / math.sqrt(length)
    for i in range(4):
        m.then_attitude[i] *= shorter
    return float(max(history[row].t_s - when, 0.0))


@kernel
def begin_clock_anew(m: Memory, history: Moments, by: float) -> None:
    """Take ``by`` seconds off all times that are remembered, and what is summed up off all sums.

    Only differences count. A board whose figures have 24 bits does this every few seconds: after ten minutes the last place of a time
    would be 0.06 ms.
    """
    m.history_s -= by
    m.fix_s -= by
    for i in range(CHANNELS):
        m.channel_used_s[i] -= by
        m.refused_s[i] -= by
        m.surprise_s[i] -= by
        if m.channel_s[i] > LONG_AGO_S:
            m.channel_s[i] -= by
    for row in range(MOMENTS):
        history[row].t_s -= by
        for i in range(3):
            history[row].velocity_moved_t[i] -= (
                by * history[row].velocity_moved[i] + m.velocity_moved_t[i] - by * m.velocity_moved[i]
            )
        for i in range(3):
            history[row].position_moved[i] -= m.position_moved[i]
            history[row].velocity_moved[i] -= m.velocity_moved[i]
    for i in range(3):
        m.position_moved[i] = m.velocity_moved[i] = m.velocity_moved_t[i] = 0.0
