"""What gives way when a motor is full: yaw first, then thrust, then roll and pitch alike, and of each no more than must.

A motor gives a share of its full thrust, u·T + r + λ·y: u, r and y what thrust, level (roll and pitch) and yaw ask of it, λ the part of
the yaw that is given. What is kept is a linear programme in three steps: the largest share of r, then the thrust nearest to the wanted
one, then the largest λ from 0 to 1. It is solved by its lines, since two unknowns need no table (λ and one more at a time).

Arrays, where a function does not say otherwise (shape, unit, frame):

    table : (M, 4) 1/N and 1/(N m), b
    out : (N, M) share of full thrust, any
"""

import math
from typing import NamedTuple

from fusus.core._jit import kernel
from fusus.core.arrays import Array

# What `kept_at` tells of: the share of roll and pitch that fits, or the room in newtons that the thrust has.
LEVEL, THRUST = 0, 1
# A motor that gives less of the thrust than this, 1/N, cannot be helped by it; two that differ by less, N, do not level the craft.
LEAST_LIFT, NO_LEVER = 1e-9, 1e-9
# So many corners a search passes at most: each one takes a line away.
MOST_CORNERS = 24
# Within this share a corner is the best one, and a wanted share is in range.
ROUNDING = 1e-12


class Demand(NamedTuple):
    """Wanted thrust N and yaw torque N m, and the least share of full thrust that a motor gives."""

    thrust_n: float
    yaw_nm: float
    least: float


@kernel
def kept_at(table: Array, out: Array, row: int, d: Demand, part: float, kind: int) -> tuple[float, float]:
    """Return what is kept with a ``part`` of the yaw, and by how much more with more of it; ``out[row]`` holds the level's shares."""
    motors = table.shape[0]
    kept, grows = math.inf, 0.0
    for i in range(motors):
        if table[i, 0] < LEAST_LIFT:
            continue
        per = 1.0 / table[i, 0]
        level, turn = out[row, i] * per, table[i, 3] * d.yaw_nm * per
        if kind == THRUST:
            asked = level + part * turn + d.thrust_n
            if per - asked < kept:
                kept, grows = per - asked, -turn
            if asked - d.least * per < kept:
                kept, grows = asked - d.least * per, turn
        else:
            for j in range(motors):
                if table[j, 0] < LEAST_LIFT:
                    continue
                other = 1.0 / table[j, 0]
                apart = level - out[row, j] * other
                if apart > NO_LEVER:
                    turns = turn - table[j, 3] * d.yaw_nm * other
                    share = (per - d.least * other - part * turns) / apart
                    if share < kept:
                        kept, grows = share, -turns / apart
    return kept, grows


@kernel
def part_limits(table: Array, out: Array, row: int, d: Demand, share: float) -> tuple[float, float]:
    """Return from and up to which part of the yaw some thrust keeps all motors in range, with a share of roll and pitch."""
    motors = table.shape[0]
    low, high = 0.0, 1.0
    for i in range(motors):
        for j in range(motors):
            if table[i, 0] < LEAST_LIFT or table[j, 0] < LEAST_LIFT:
                continue
            per, other = 1.0 / table[i, 0], 1.0 / table[j, 0]
            turns = d.yaw_nm * (table[i, 3] * per - table[j, 3] * other)
            room = per - d.least * other - share * (out[row, i] * per - out[row, j] * other)
            if turns > NO_LEVER:
                high = min(high, room / turns)
            elif turns < -NO_LEVER:
                low = max(low, room / turns)
    return low, max(high, 0.0)


@kernel
def best_part(table: Array, out: Array, row: int, d: Demand, low: float, high: float, kind: int) -> float:
    """Return a part of the yaw from ``low`` to ``high`` with which most is kept.

    What is kept is the least of lines: from an end where it rises and one where it falls, their crossing is a corner or above one.
    """
    left, rises = kept_at(table, out, row, d, low, kind)
    if not rises > 0.0:
        return low
    right, falls = kept_at(table, out, row, d, high, kind)
    if not falls < 0.0:
        return high
    part = low
    for _ in range(MOST_CORNERS):
        part = (right - left + rises * low - falls * high) / (rises - falls)
        part = min(max(part, low), high)
        meets = left + rises * (part - low)
        kept, grows = kept_at(table, out, row, d, part, kind)
        if kept >= meets - ROUNDING * (1.0 + abs(meets)) or grows == 0.0:
            break
        if grows > 0.0:
            low, left, rises = part, kept, grows
        else:
            high, right, falls = part, kept, grows
    return part


@kernel
def level_into(table: Array, out: Array, row: int, d: Demand) -> tuple[float, float]:
    """Shrink the level's shares in a row alike until they fit; return from and up to which part of the yaw they do."""
    share, grows = kept_at(table, out, row, d, 0.0, LEVEL)
    part = 0.0
    if share < 1.0 and grows > 0.0:
        _, high = part_limits(table, out, row, d, 0.0)
        part = best_part(table, out, row, d, 0.0, high, LEVEL)
        share, grows = kept_at(table, out, row, d, part, LEVEL)
    share = min(max(share, 0.0), 1.0)
    for i in range(table.shape[0]):
        out[row, i] *= share
    low, high = part_limits(table, out, row, d, 1.0)
    return min(low, part), max(high, part)


@kernel
def thrust_within(table: Array, out: Array, row: int, d: Demand, part: float) -> float:
    """Return the thrust nearest to the wanted one with which all motors are in range, N, with a part of the yaw."""
    over, under = 0.0, 0.0
    for i in range(table.shape[0]):
        if table[i, 0] >= LEAST_LIFT:
            per = 1.0 / table[i, 0]
            asked = (out[row, i] + part * table[i, 3] * d.yaw_nm) * per + d.thrust_n
            over, under = max(over, asked - per), max(under, d.least * per - asked)
    # Where both cannot be, a motor at its least is the safer one.
    return d.thrust_n + under if under > 0.0 else d.thrust_n - over


@kernel
def most_yaw(table: Array, out: Array, row: int, d: Demand, part: float) -> float:
    """Return the largest part of the yaw, at least ``part``, with which all motors stay in range at the thrust of the demand."""
    high = 1.0
    for i in range(table.shape[0]):
        asked, turn = out[row, i] + table[i, 0] * d.thrust_n, table[i, 3] * d.yaw_nm
        if turn > ROUNDING:
            high = min(high, (1.0 - asked) / turn)
        elif turn < -ROUNDING:
            high = min(high, (d.least - asked) / turn)
    return max(high, part)


@kernel
def mix_into(
    table: Array, thrust_n: float, roll: float, pitch: float, yaw: float, least: float, out: Array, row: int
) -> bool:
    """Fill a row (M,) with the motors' shares of full thrust by a table (M, 4); return whether anything had to give way.

    What does not fit between ``least`` and one gives way in this order: yaw first, then thrust (up or down, to keep the craft
    level), then roll and pitch alike. Torques N m, thrust N.
    """
    motors = table.shape[0]
    low, high = math.inf, -math.inf
    for i in range(motors):
        out[row, i] = table[i, 1] * roll + table[i, 2] * pitch
        share = out[row, i] + table[i, 0] * thrust_n + table[i, 3] * yaw
        low, high = min(low, share), max(high, share)
    part, gave = 1.0, not (low >= least - ROUNDING and high <= 1.0 + ROUNDING)
    if gave:
        d = Demand(thrust_n, yaw, least)
        first, last = level_into(table, out, row, d)
        part = best_part(table, out, row, d, first, last, THRUST)
        thrust_n = thrust_within(table, out, row, d, part)
        d = Demand(thrust_n, yaw, least)
        part = most_yaw(table, out, row, d, part)
    for i in range(motors):
        share = out[row, i] + table[i, 0] * thrust_n + part * table[i, 3] * yaw
        # What is no number is the least, too.
        out[row, i] = min(share, 1.0) if share > least else least
    return gave
