"""The compiled filters. Height and climb point up here; the state is height m, climb m/s, accelerometer bias, barometer zero m.

Arrays, where a function does not say otherwise (shape, unit, frame):

    x : (4,) m, m/s, m/s^2, m, up
    p : (4, 4) of x, up
    h : (4,) any, up
    k : (4,) any, up
    at : (10,) counts and s, any
    t : (N,) s, any
    dt : (N,) s, any
    up : (N,) m/s^2, up
    known : (N,) 1, any
    baro : (M, 2) s and m, up
    gnss : (M, 9) as estimation.aiding says, n
    motion : (N, 2) m and m/s, up
    flags : (N,) 1, any
    key_x : (K, 4) of x, up
    key_p : (K, 4, 4) of x, up
    rows : (R, 5) channel, s, innovation, variance, used, any
    work : (2, 4) any, any
"""

import math
from typing import NamedTuple

from fusus.core._jit import kernel
from fusus.core.arrays import Array, ByteArray
from fusus.core.estimation.attitude_math import BARO_GATED, GAP, GAP_S, MOST_M_S2, sound_factor, sound_step
from fusus.core.estimation.elapsed import reached
from fusus.core.estimation.navigation_ekf.states import ACC_CLIPPED, LONG_AGO_S

# A soft mount and the integration let this share of shaking through as noise, common practice; over how many samples it is followed.
LEAK, SHAKE_SAMPLES = 0.1, 500.0
# What is missed while the accelerometer stands at its stop acts like a bias, which changes by so much within a second.
LOST_M_S2 = 5.0
# Refused for so long, and so often, the filter is rather wrong than the barometer.
REFUSED_S, REFUSALS = 5.0, 3.0
# One sigma of the acceleration while none comes; and what is no height.
MISSED_M_S2, MOST_M = 2.0, 1e5


class Coefficients(NamedTuple):
    """Variances of the Kalman filters; gains of the complementary one, used instead where ``by_gains``."""

    by_gains: bool
    acc_var: float
    walk_var: float
    baro_var: float
    baro_walk_var: float
    baro_delay_s: float
    gnss_var: float
    climb_var: float
    use_gnss: bool
    gate2: float
    k1: float
    k2: float
    k3: float


@kernel
def predict(c: Coefficients, x: Array, p: Array, dt: float, up: float, shaking: float) -> None:
    """Carry state and covariance (4, 4) over a sample of upward acceleration: F = [[1, t, -t²/2, 0], [0, 1, -t, 0], ...].

    A share of ``shaking`` (variance from sample to sample) comes through as noise.
    """
    a = up - x[2]
    x[0] += (x[1] + 0.5 * a * dt) * dt
    x[1] += a * dt
    half = 0.5 * dt * dt
    for j in range(4):
        p[0, j] += dt * p[1, j] - half * p[2, j]
        p[1, j] -= dt * p[2, j]
    for i in range(4):
        p[i, 0] += dt * p[i, 1] - half * p[i, 2]
        p[i, 1] -= dt * p[i, 2]
    q = (c.acc_var + LEAK * LEAK * shaking * dt) * dt
    p[0, 0] += q * dt * dt / 3.0
    p[0, 1] += q * dt / 2.0
    p[1, 0] += q * dt / 2.0
    p[1, 1] += q
    p[2, 2] += c.walk_var * dt
    p[3, 3] += c.baro_walk_var * dt


@kernel
def update(c: Coefficients, x: Array, p: Array, h: Array, k: Array, y: float, r: float) -> tuple[float, int]:
    """Take a scalar measurement in by Joseph's form; return the innovation's variance and whether it was used."""
    s = r
    for i in range(4):
        k[i] = p[i, 0] * h[0] + p[i, 1] * h[1] + p[i, 2] * h[2] + p[i, 3] * h[3]
    for i in range(4):
        s += h[i] * k[i]
    if y * y > c.gate2 * s:
        return s, 0
    for i in range(4):
        x[i] += k[i] * y / s
    for i in range(4):
        for j in range(i + 1):
            v = p[i, j] - k[i] * k[j] / s
            p[i, j], p[j, i] = v, v
    return s, 1


@kernel
def begin_clock_anew(at: Array, by: float) -> None:
    """Take ``by`` seconds off the times that are remembered: a board whose figures have 24 bits does this every few seconds."""
    for i in range(4, 6):
        if at[i] > LONG_AGO_S:
            at[i] -= by
    at[8] -= by


@kernel
def advance_all(
    c: Coefficients, x: Array, p: Array, at: Array, t: Array, dt: Array, up: Array, known: ByteArray, baro: Array, gnss: Array,
    motion: Array, flags: ByteArray, key_every: int, key_x: Array, key_p: Array, rows: Array, work: Array, first: int, last: int,
) -> None:  # fmt: skip
    """Take the samples from ``first`` to ``last`` in: ``up`` (N,) upward acceleration with its bias.

    ``at`` (10,): next rows of barometer and fixes, next
    innovation row, sample, when barometer and fixes were last used, the last acceleration and how much it
    shakes, when the barometer was first refused and how often since."""
    h, k = work[0], work[1]
    for i in range(first, last):
        now = t[i]
        h_s = sound_step(dt[i])
        flag = GAP if h_s > GAP_S else 0
        push = x[2]  # what does not come is no acceleration but for the bias
        if abs(up[i]) <= MOST_M_S2:
            push = up[i]
            step = push - at[6]
            at[7] += (0.5 * step * step - at[7]) / SHAKE_SAMPLES if at[3] > 0.0 else 0.0
            at[6] = push
        else:
            flag |= GAP
            p[1, 1] += MISSED_M_S2 * MISSED_M_S2 * h_s
        if known[i] & ACC_CLIPPED:
            p[2, 2] += LOST_M_S2 * LOST_M_S2 * h_s
        predict(c, x, p, h_s, push, at[7])
        while at[0] < baro.shape[0] and baro[int(at[0]), 0] <= now:
            z = baro[int(at[0]), 1]
            at[0] += 1.0
            if not abs(z) <= MOST_M:
                flag |= BARO_GATED
                continue
            y = z - (x[0] - c.baro_delay_s * x[1] + x[3])
            h[0], h[1], h[2], h[3] = 1.0, -c.baro_delay_s, 0.0, 1.0
            if c.by_gains:
                # Gains for a triple pole at 1/τ, per second: the interval of samples makes steps of them.
                step = min(now - at[4], 1.0) if at[4] > LONG_AGO_S else 0.0
                at[4] = now
                x[0] += c.k1 * y * step
                x[1] += c.k2 * y * step
                x[2] -= c.k3 * y * step
                s, used = math.nan, 1
            else:
                if (
                    at[9] >= REFUSALS
                    and reached(now - at[8], REFUSED_S)
                    and y * y > c.gate2 * (p[0, 0] + p[3, 3] + c.baro_var)
                ):
                    if not reached(now - at[5], REFUSED_S):
                        p[3, 3] += y * y  # fixes bear the filter out: the barometer's zero has moved
                    else:
                        p[0, 0] += y * y
                        p[1, 1] += (y / REFUSED_S) ** 2
                s, used = update(c, x, p, h, k, y, c.baro_var)
                if used:
                    at[4] = now
                    at[9] = 0.0
                else:
                    at[8] = now if at[9] == 0.0 else at[8]
                    at[9] += 1.0
            row = int(at[2])
            rows[row, 0], rows[row, 1], rows[row, 2], rows[row, 3], rows[row, 4] = 0.0, now, y, s, used
            at[2] += 1.0
            flag |= 0 if used else BARO_GATED
        while at[1] < gnss.shape[0] and gnss[int(at[1]), 0] <= now:
            fix = gnss[int(at[1])]
            at[1] += 1.0
            if not c.use_gnss:
                continue
            for j in range(2):
                z = -fix[3] if j == 0 else -fix[6]
                if not abs(z) <= MOST_M:
                    continue
                h[0], h[1], h[2], h[3] = 1.0 - j, 1.0 * j, 0.0, 0.0
                r = c.gnss_var * sound_factor(fix[7]) if j == 0 else c.climb_var * sound_factor(fix[8])
                y = z - x[j]
                s, used = update(c, x, p, h, k, y, r)
                if used and j == 0:
                    at[5] = now
                row = int(at[2])
                rows[row, 0], rows[row, 1], rows[row, 2], rows[row, 3], rows[row, 4] = 1.0 + j, now, y, s, used
                at[2] += 1.0
        motion[i, 0], motion[i, 1] = x[0], x[1]
        flags[i] = flag
        sample = int(at[3])
        at[3] += 1.0
        if sample % key_every == 0:
            key_x[sample // key_every] = x
            key_p[sample // key_every] = p
