"""The covariance recursion, compiled: a filter designed on a simple model, judged against a truth with more in it.

Error state e (16), estimate minus truth: position 0-2 m, velocity 3-5 m/s, attitude φ 6-8 rad (all north-east-down),
gyro bias 9-11 rad/s, accelerometer bias 12-14 m/s^2 (body), barometer bias 15 m. The truth adds scalar sources s_j
(constants and Gauss-Markov processes) that the filter does not know; C_j = E[e s_j].

Gelb (ed.), Applied Optimal Estimation, 1974, ch. 7: covariance of a suboptimal filter; sequential scalar updates.

Arrays, where a function does not say otherwise (shape, unit, frame):

    profiles : (C,) any, any
    shows : (2,) places, any
    direct : (D,) any, n
"""

from typing import NamedTuple

import numpy as np

from fusus.core._jit import kernel
from fusus.core.arrays import Array, ByteArray, IntArray

STATES = 16
MEASUREMENTS = 15
POSITION, VELOCITY, BARO, HEADING, RANGE, STILL, COURSE, GRAVITY = 0, 3, 6, 7, 8, 9, 12, 13
# Kinds of source: what a scalar s_j with its coefficient u disturbs.
RATE, FORCE, FIX, ARM, DELAY, PRESSURE, FIELD_BODY, FIELD_NAV, CRAB = 0, 1, 2, 3, 4, 5, 6, 7, 8
# Which kinds show in a measurement itself, first and last: sources stand in the order of their kinds.
SHOWS = (
    ((FIX, DELAY),) * 6
    + ((PRESSURE, PRESSURE), (FIELD_BODY, FIELD_NAV))
    + ((9, 9),) * 4
    + ((CRAB, CRAB),)
    + ((FORCE, FORCE),) * 2
)
# Columns of the outputs: nine variances, then the covariances of north and east in position and in attitude.
OUTPUTS = 11


class Track(NamedTuple):
    """A mission in N steps of ``dt`` s: attitudes (N, 3, 3) b to n in the middle and at the end of each step, specific force (N, 3)
    m/s^2 n, the antenna's offset and what turning makes of it (N, 6) m and m/s n, which measurements are due (N, 15), the place
    (cos and sin of declination, tan of dip, gravity, field), and the profiles (N, C) by which sources act."""

    dt: float
    rot_mid: Array
    rot_end: Array
    force_n: Array
    arms: Array
    due: ByteArray
    place: Array
    profiles: Array


class Model(NamedTuple):
    """What a filter holds for so, or what is so: covariance at the start (16, 16), noise densities (5,), variances of the
    measurements (N, 15)."""

    p: Array
    q: Array
    r: Array


class Sources(NamedTuple):
    """Scalar sources that the filter does not know: kind, axis and profile column of each (J, 3), in the order of ``SHOWS``; how many of
    them act on rates and forces; variance at the start, ρ and drive of a step (J, 3); which of them show in each measurement itself
    (15, 2), and how much of a unit of each (N, 15, D)."""

    kinds: IntArray
    inertial: int
    tables: Array
    ranges: IntArray
    direct: Array


class Results(NamedTuple):
    """Where a run writes: the filter's gains (N, 15, 16), claimed and true variances (N, 11)."""

    gains: Array
    claimed: Array
    true: Array


@kernel
def _blocks(rot: Array, force_n: Array, dt: float, a1: Array, b1: Array, c2: Array) -> None:
    """Fill A dt, R dt and A R dt²/2 of one step, A = -[f×]."""
    fx, fy, fz = force_n[0], force_n[1], force_n[2]
    a1[0, 0], a1[0, 1], a1[0, 2] = 0.0, fz * dt, -fy * dt
    a1[1, 0], a1[1, 1], a1[1, 2] = -fz * dt, 0.0, fx * dt
    a1[2, 0], a1[2, 1], a1[2, 2] = fy * dt, -fx * dt, 0.0
    for i in range(3):
        for j in range(3):
            b1[i, j] = rot[i, j] * dt
    for i in range(3):
        for j in range(3):
            c2[i, j] = 0.5 * (a1[i, 0] * b1[0, j] + a1[i, 1] * b1[1, j] + a1[i, 2] * b1[2, j])


@kernel
def _advance_rows(p: Array, n: int, a1: Array, b1: Array, c2: Array, dt: float) -> None:
    """Multiply the first n columns by the transition matrix from the left, in place."""
    third, half = dt / 3.0, 0.5 * dt
    for i in range(3):
        x0, x1, x2 = half * a1[i, 0], half * a1[i, 1], half * a1[i, 2]
        y0, y1, y2 = half * b1[i, 0], half * b1[i, 1], half * b1[i, 2]
        z0, z1, z2 = third * c2[i, 0], third * c2[i, 1], third * c2[i, 2]
        to, v, r0, r1, r2, r3, r4, r5, r6, r7, r8 = (
            p[i],
            p[3 + i],
            p[6],
            p[7],
            p[8],
            p[12],
            p[13],
            p[14],
            p[9],
            p[10],
            p[11],
        )
        for k in range(n):
            to[k] += (
                dt * v[k] + x0 * r0[k] + x1 * r1[k] + x2 * r2[k] + y0 * r3[k] + y1 * r4[k] + y2 * r5[k] + z0 * r6[k]
                + z1 * r7[k] + z2 * r8[k]
            )  # fmt: skip
    for i in range(3):
        x0, x1, x2 = a1[i, 0], a1[i, 1], a1[i, 2]
        y0, y1, y2 = b1[i, 0], b1[i, 1], b1[i, 2]
        z0, z1, z2 = c2[i, 0], c2[i, 1], c2[i, 2]
        to, r0, r1, r2, r3, r4, r5, r6, r7, r8 = p[3 + i], p[6], p[7], p[8], p[12], p[13], p[14], p[9], p[10], p[11]
        for k in range(n):
            to[k] += (
                x0 * r0[k] + x1 * r1[k] + x2 * r2[k] + y0 * r3[k] + y1 * r4[k] + y2 * r5[k] + z0 * r6[k] + z1 * r7[k]
                + z2 * r8[k]
            )  # fmt: skip
    for i in range(3):
        y0, y1, y2 = b1[i, 0], b1[i, 1], b1[i, 2]
        to, r0, r1, r2 = p[6 + i], p[9], p[10], p[11]
        for k in range(n):
            to[k] += y0 * r0[k] + y1 * r1[k] + y2 * r2[k]


@kernel
def _transpose(p: Array) -> None:
    for i in range(STATES):
        for j in range(i):
            p[i, j], p[j, i] = p[j, i], p[i, j]


@kernel
def _advance(p: Array, a1: Array, b1: Array, c2: Array, dt: float) -> None:
    """P <- Φ P Φᵀ in the first 16 columns, C <- Φ C in the others."""
    _advance_rows(p, p.shape[1], a1, b1, c2, dt)
    _transpose(p)
    _advance_rows(p, STATES, a1, b1, c2, dt)


@kernel
def _add_noise(p: Array, q: Array, dt: float) -> None:
    """Add white noise of densities q: angle, velocity, gyro bias, accelerometer bias, barometer bias."""
    for i in range(3):
        p[6 + i, 6 + i] += q[0] * dt
        p[3 + i, 3 + i] += q[1] * dt
        p[i, i] += q[1] * dt * dt * dt / 3.0
        p[i, 3 + i] += 0.5 * q[1] * dt * dt
        p[3 + i, i] += 0.5 * q[1] * dt * dt
        p[9 + i, 9 + i] += q[2] * dt
        p[12 + i, 12 + i] += q[3] * dt
    p[15, 15] += q[4] * dt


@kernel
def _row(m: int, rot: Array, arm_n: Array, arm_vel_n: Array, place: Array, h: Array) -> None:
    """Fill the measurement row of measurement ``m``; place: cos and sin of declination, tan of dip, gravity, field."""
    for i in range(STATES):
        h[i] = 0.0
    if m < 6:
        i = m % 3
        h[m] = 1.0
        lx, ly, lz = (arm_n[0], arm_n[1], arm_n[2]) if m < 3 else (arm_vel_n[0], arm_vel_n[1], arm_vel_n[2])
        if i == 0:
            h[7], h[8] = lz, -ly
        elif i == 1:
            h[6], h[8] = -lz, lx
        else:
            h[6], h[7] = ly, -lx
    elif m == BARO:
        h[2], h[15] = -1.0, -1.0
    elif m == HEADING:
        h[8], h[6], h[7] = 1.0, -place[2] * place[0], -place[2] * place[1]
    elif m == RANGE:
        h[2] = -1.0
    elif m < COURSE:
        h[3 + m - STILL] = 1.0
    elif m == COURSE:
        h[8] = 1.0
    elif m == GRAVITY:
        h[6] = 1.0
        for j in range(3):
            h[12 + j] = rot[1, j] / place[3]
    else:
        h[7] = 1.0
        for j in range(3):
            h[12 + j] = -rot[0, j] / place[3]


@kernel
def _drive(p: Array, g: Array, row: Array, v: Array, sources: Sources, profiles: Array, rot: Array, dt: float) -> None:
    """Let the sources act over a step, ``p`` (16, 16 + J) being [ΦPΦᵀ, ΦC]: P += ΦC Gᵀ + G CᵀΦᵀ + G V Gᵀ; C <- (ΦC + G V) ρ.

    Only the first ``inertial`` sources act on rates and forces; the others show in measurements alone.
    """
    kinds, tables = sources.kinds, sources.tables
    for j in range(sources.inertial):
        u, axis = profiles[kinds[j, 2]] * dt, kinds[j, 1]
        first, size = (6, 3) if kinds[j, 0] == RATE else (0, 6)
        for a in range(size):
            turned = rot[a % 3, axis] * u
            g[a] = 0.5 * dt * turned if first == 0 and a < 3 else turned
        # Half of G V Gᵀ with each of the two products: the row then stands for ΦC + G V / 2.
        for i in range(STATES):
            row[i] = p[i, STATES + j]
        for a in range(size):
            row[first + a] += 0.5 * g[a] * v[j]
        for a in range(size):
            ga, to = g[a], p[first + a]
            for i in range(row.shape[0]):
                to[i] += ga * row[i]
        for i in range(STATES):
            ri, to = row[i], p[i]
            for a in range(size):
                to[first + a] += g[a] * ri
        for a in range(size):
            p[first + a, STATES + j] += g[a] * v[j]
    for j in range(v.shape[0]):
        rho = tables[j, 1]
        if rho != 1.0:
            for i in range(STATES):
                p[i, STATES + j] *= rho
            v[j] = rho * rho * v[j] + tables[j, 2]


@kernel
def _gain(pf: Array, h: Array, r: float, k: Array) -> None:
    """Fill the filter's gain for one measurement, and take the measurement into its covariance."""
    n = pf.shape[1]
    for i in range(n):
        k[i] = 0.0
    for j in range(n):
        if h[j] != 0.0:
            hj, row = h[j], pf[j]
            for i in range(n):
                k[i] += hj * row[i]
    s = r
    for i in range(n):
        s += h[i] * k[i]
    for i in range(n):
        a, row = k[i] / s, pf[i]
        for j in range(n):
            row[j] -= a * k[j]
    for i in range(n):
        k[i] /= s


@kernel
def _judge_update(p: Array, v: Array, direct: Array, shows: IntArray, h: Array, r: float, k: Array, a: Array) -> None:
    """Take one measurement with a given gain into the truth: P <- P - K aᵀ - a Kᵀ + K S Kᵀ, C <- C - K b.

    ``a`` becomes [E[e r], E[s r]] of the residual r; sources ``shows[0]`` to ``shows[1]`` show in it themselves.
    """
    first, last = shows[0], shows[1]
    n, states = p.shape[1], k.shape[0]
    for j in range(n):
        a[j] = 0.0
    for i in range(states):
        if h[i] != 0.0:
            hi, row = h[i], p[i]
            for j in range(n):
                a[j] += hi * row[j]
    s = r
    for j in range(first, last):
        d = direct[j - first]
        if d != 0.0:
            a[states + j] += v[j] * d
            s += d * a[states + j]
            for i in range(states):
                a[i] += p[i, states + j] * d
    for i in range(states):
        s += h[i] * a[i]
    # Rows as arrays of their own, with lengths that are not constants: the compiler then takes several elements at once.
    for i in range(states):
        ki, row = k[i], p[i]
        x = ki * s - a[i]
        for j in range(n):
            row[j] -= ki * a[j]
        for j in range(states):
            row[j] += x * k[j]


@kernel
def _write(p: Array, out: Array) -> None:
    for i in range(9):
        out[i] = p[i, i]
    out[9] = p[0, 1]
    out[10] = p[6, 7]


@kernel
def run(
    track: Track, filters: Model, truth: Model, sources: Sources, results: Results, designs: bool, keeps: bool
) -> None:
    """Run along a mission of N steps, writing claimed and true variances (N, 11) into the results.

    With ``designs`` the gains are those of the filter, kept in the results if ``keeps``; else they are taken from there.
    """
    n, count, dt = track.rot_mid.shape[0], sources.kinds.shape[0], track.dt
    a1, b1, c2 = np.empty((3, 3)), np.empty((3, 3)), np.empty((3, 3))
    p, v = np.zeros((STATES, STATES + count)), sources.tables[:, 0].copy()
    pf = filters.p.copy()
    p[:, :STATES] = truth.p
    h, k, a, g, row = np.zeros(STATES), np.zeros(STATES), np.zeros(STATES + count), np.zeros(6), np.zeros(STATES)
    for t in range(n):
        rot, arms = track.rot_end[t], track.arms[t]
        _blocks(track.rot_mid[t], track.force_n[t], dt, a1, b1, c2)
        if designs:
            _advance(pf, a1, b1, c2, dt)
            _add_noise(pf, filters.q, dt)
        _advance(p, a1, b1, c2, dt)
        _add_noise(p, truth.q, dt)
        _drive(p, g, row, v, sources, track.profiles[t], track.rot_mid[t], dt)
        for m in range(MEASUREMENTS):
            if track.due[t, m] == 0:
                continue
            _row(m, rot, arms[0:3], arms[3:6], track.place, h)
            if designs:
                _gain(pf, h, filters.r[t, m], k)
                if keeps:
                    for i in range(STATES):
                        results.gains[t, m, i] = k[i]
            else:
                for i in range(STATES):
                    k[i] = results.gains[t, m, i]
            _judge_update(p, v, sources.direct[t, m], sources.ranges[m], h, truth.r[t, m], k, a)
        _write(p, results.true[t])
        if designs:
            _write(pf, results.claimed[t])
