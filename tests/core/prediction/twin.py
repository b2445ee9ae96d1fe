"""The covariance recursion once more, plainly: whole matrices, one augmented state, no structure used."""

import numpy as np

from fusus.core.mission.trajectory import PROFILES
from fusus.core.prediction import kernel as k
from fusus.core.prediction.design import arms, design


def skew(v):
    return np.array([[0, -v[2], v[1]], [v[2], 0, -v[0]], [-v[1], v[0], 0]])


def transition(rot, force, dt):
    """Return Φ to the order that the kernel takes, from the blocks A = -[f×] and R."""
    phi, a = np.eye(16), -skew(force)
    phi[0:3, 3:6] = dt * np.eye(3)
    phi[0:3, 6:9] = 0.5 * a * dt**2
    phi[0:3, 9:12] = a @ rot * dt**3 / 6
    phi[0:3, 12:15] = 0.5 * rot * dt**2
    phi[3:6, 6:9] = a * dt
    phi[3:6, 9:12] = 0.5 * a @ rot * dt**2
    phi[3:6, 12:15] = rot * dt
    phi[6:9, 9:12] = rot * dt
    return phi


def row(m, rot, arm, arm_vel, place):
    h = np.zeros(16)
    cos, sin, tan_dip, gravity, _ = place
    if m < 6:
        h[m] = 1.0
        h[6:9] = -skew(arm if m < 3 else arm_vel)[m % 3]
    elif m == k.BARO:
        h[[2, 15]] = -1.0
    elif m == k.HEADING:
        h[6:9] = [-tan_dip * cos, -tan_dip * sin, 1.0]
    elif m == k.RANGE:
        h[2] = -1.0
    elif m < k.COURSE:
        h[3 + m - k.STILL] = 1.0
    elif m == k.COURSE:
        h[8] = 1.0
    else:
        i = m - k.GRAVITY
        h[6 + i] = 1.0
        h[12:15] = rot[1] / gravity if i == 0 else -rot[0] / gravity
    return h


def direct(source, m, trajectory, t):
    """Return how a unit of a source shows in a measurement: derivative of the residual, written out."""
    rot, (cos, sin, _, gravity, horizontal) = trajectory.rot_end[t], trajectory.place
    unit = np.eye(3)[min(source.axis, 2)]
    east = np.array([-sin, cos, 0.0])
    if source.kind == k.FIX:
        return -1.0 if m == source.axis else 0.0
    if source.kind == k.ARM and m < 6:
        moved = rot @ unit if m < 3 else rot @ np.cross(trajectory.rate_end[t], unit)
        return -moved[m % 3]
    if source.kind == k.DELAY and m < 6:
        return (trajectory.vel_n[t] if m < 3 else trajectory.acc_n[t])[m % 3]
    if source.kind == k.PRESSURE and m == k.BARO:
        return -1.0
    if source.kind == k.FIELD_BODY and m == k.HEADING:
        return east @ rot @ unit / horizontal
    if source.kind == k.FIELD_NAV and m == k.HEADING:
        return east @ unit / horizontal
    if source.kind == k.CRAB and m == k.COURSE:
        return -1.0
    if source.kind == k.FORCE and m >= k.GRAVITY:
        leaning = rot @ unit / gravity
        return leaning[1] if m == k.GRAVITY else -leaning[0]
    return 0.0


def recursion(suite, trajectory, course_heading=False):
    """Return claimed and true covariances of the 16 error states, (N, 16, 16) each."""
    d, dt = design(suite, trajectory, course_heading), trajectory.step_s
    lever = arms(trajectory, suite.gnss.lever_arm_b_m if suite.gnss else (0.0, 0.0, 0.0))
    tables, j = d.tables(dt), len(d.sources)
    pf = d.p_filter.copy()
    p = np.zeros((16 + j, 16 + j))
    p[:16, :16] = d.p_true
    p[16:, 16:] = np.diag(tables[:, 0])
    claimed, true = [], []
    for t in range(len(trajectory.t_s)):
        rot = trajectory.rot_mid[t]
        phi = np.eye(16 + j)
        phi[:16, :16] = transition(rot, trajectory.force_n[t], dt)
        phi[16:, 16:] = np.diag(tables[:, 1])
        for n, s in enumerate(d.sources):
            u = trajectory.profiles[t, PROFILES.index(s.profile)]
            if s.kind == k.RATE:
                phi[6:9, 16 + n] = rot[:, s.axis] * u * dt
            elif s.kind == k.FORCE:
                phi[3:6, 16 + n] = rot[:, s.axis] * u * dt
                phi[0:3, 16 + n] = rot[:, s.axis] * u * dt**2 / 2
        pf = phi[:16, :16] @ pf @ phi[:16, :16].T + white(d.q_filter, dt)
        p = phi @ p @ phi.T
        p[:16, :16] += white(d.q_true, dt)
        p[16:, 16:] += np.diag(tables[:, 2])
        for m in np.flatnonzero(d.due[t]):
            h = row(m, trajectory.rot_end[t], lever[t, :3], lever[t, 3:], trajectory.place)
            gain = pf @ h / (h @ pf @ h + d.r_filter[t, m])
            pf = pf - np.outer(gain, h @ pf)
            shown = [direct(s, m, trajectory, t) * trajectory.profiles[t, PROFILES.index(s.profile)] for s in d.sources]
            whole, k_whole = np.concatenate([h, shown]), np.concatenate([gain, np.zeros(j)])
            joseph = np.eye(16 + j) - np.outer(k_whole, whole)
            p = joseph @ p @ joseph.T + np.outer(k_whole, k_whole) * d.r_true[t, m]
        claimed.append(pf.copy())
        true.append(p[:16, :16].copy())
    return np.array(claimed), np.array(true)


def white(q, dt):
    out = np.zeros((16, 16))
    for i in range(3):
        out[6 + i, 6 + i] = q[0] * dt
        block = q[1] * np.array([[dt**3 / 3, dt**2 / 2], [dt**2 / 2, dt]])
        out[np.ix_([i, 3 + i], [i, 3 + i])] = block
        out[9 + i, 9 + i], out[12 + i, 12 + i] = q[2] * dt, q[3] * dt
    out[15, 15] = q[4] * dt
    return out
