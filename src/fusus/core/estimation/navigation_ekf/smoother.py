"""The smoother: a reference where no truth exists, from all measurements before and after each moment.

Two filters (Fraser & Potter 1969), which gives what Rauch, Tung and Striebel give: one runs forward, one runs from the end back
without what the first knows, and both are weighed by their covariances. Backward in time a craft obeys the same equations
with rate and velocity turned round: the compiled filter serves both.

Arrays, where a function does not say otherwise (shape, unit, frame):

    t_s : (N,) s, any
"""

from dataclasses import dataclass, replace

import numpy as np

from fusus.core.arrays import Array
from fusus.core.estimation.aiding import Aiding
from fusus.core.estimation.initial import Start
from fusus.core.estimation.navigation_ekf.parameters import Parameters
from fusus.core.estimation.navigation_ekf.run import Run, advance, begin_at
from fusus.core.estimation.navigation_ekf.side_by_side import Known
from fusus.core.estimation.navigation_ekf.states import ACC, ATT, DELAY, GYRO, POS, VEL
from fusus.core.estimation.samples import Samples, sealed
from fusus.core.frames import quaternion
from fusus.core.world.site import Site

SHARED = 15  # position, velocity, attitude, gyro and accelerometer bias: what both filters hold alike
# Velocity and gyro bias change sign with the direction of time.
SIGNS = np.array([1.0] * 3 + [-1.0] * 3 + [1.0] * 3 + [-1.0] * 3 + [1.0] * 3)
UNKNOWN_HEADING_RAD = 1.8


@dataclass(frozen=True, slots=True)
class Smoothed:
    """Position m, velocity m/s (K, 3), attitude (K, 4) at ``t_s`` (K,), and the covariance (K, 9, 9) of their errors."""

    t_s: Array
    pos_n: Array
    vel_n: Array
    q_nb: Array
    covariance: Array


def smooth(
    p: Parameters, site: Site, start: Start, t_s: Array, samples: Samples, aiding: Aiding, forward: Run
) -> Smoothed:
    """Return the smoothed motion of a recording over which ``forward`` has run, at its kept moments."""
    backward = _run_back(p, site, start, t_s, samples, aiding, forward)
    rows = np.arange(0, len(t_s), forward.key_every)
    x, cov = forward.key_x, forward.key_p[:, :SHARED, :SHARED]
    back = len(t_s) - 1 - rows
    keys = np.clip(np.rint(back / backward.key_every).astype(int), 0, len(backward.key_x) - 1)
    other = backward.key_x[keys]
    motion = backward.motion[back]
    other_cov = backward.key_p[keys][:, :SHARED, :SHARED] * SIGNS[:, None] * SIGNS
    off = np.empty((len(rows), SHARED))
    off[:, 0:3] = motion[:, 0:3] - x[:, POS : POS + 3]
    off[:, 3:6] = -motion[:, 3:6] - x[:, VEL : VEL + 3]
    q = x[:, ATT : ATT + 4]
    off[:, 6:9] = quaternion.to_rotation_vector(quaternion.multiply(motion[:, 6:10], quaternion.conjugate(q)))
    off[:, 9:12] = -other[:, GYRO : GYRO + 3] - x[:, GYRO : GYRO + 3]
    off[:, 12:15] = other[:, ACC : ACC + 3] - x[:, ACC : ACC + 3]
    # x = x_f + P_f (P_f + P_b)⁻¹ (x_b - x_f), P = P_f - P_f (P_f + P_b)⁻¹ P_f.
    gain = np.transpose(np.linalg.solve(cov + other_cov, cov), (0, 2, 1))
    moved = np.einsum("kij,kj->ki", gain, off)
    left = cov - gain @ cov
    turned = quaternion.multiply(quaternion.from_rotation_vector(moved[:, 6:9]), q)
    return Smoothed(
        t_s[rows], x[:, POS : POS + 3] + moved[:, 0:3], x[:, VEL : VEL + 3] + moved[:, 3:6], quaternion.normalise(turned),
        0.5 * (left + np.transpose(left, (0, 2, 1)))[:, :9, :9],
    )  # fmt: skip


def _run_back(
    p: Parameters, site: Site, start: Start, t_s: Array, samples: Samples, aiding: Aiding, forward: Run
) -> Run:
    ends = float(t_s[-1] + t_s[0])
    n = len(t_s)
    # The step that leads back to a sample is the one that led away from it.
    order = np.concatenate([[n - 1], np.arange(n - 1, 0, -1)])
    turned = Samples(
        np.ascontiguousarray(samples.dt_s[order]), np.ascontiguousarray(-samples.gyro_b[order]),
        np.ascontiguousarray(samples.acc_b[order]), samples.mag_b[::-1],
    )  # fmt: skip
    delay = float(forward.key_x[-1, DELAY])
    gnss = aiding.gnss.copy()
    gnss[:, 0] = ends - (gnss[:, 0] - delay)
    gnss[:, 4:7] *= -1.0
    baro = aiding.baro.copy()
    baro[:, 0] = ends - (baro[:, 0] - p.baro_delay_s)
    if len(baro):
        baro[:, 1] -= baro[-10:, 1].mean()
    mag, ranges = aiding.mag.copy(), aiding.ranges.copy()
    mag[:, 0], ranges[:, 0] = ends - mag[:, 0], ends - ranges[:, 0]
    gnss, baro, mag, ranges = (_in_order(rows, float(t_s[0])) for rows in (gnss, baro, mag, ranges))
    known = np.ascontiguousarray(aiding.known[::-1]) if len(aiding.known) else aiding.known
    back = Aiding(gnss, baro, mag, ranges, known)
    last = forward.key_x[-1]
    begins = start._replace(q_nb=last[ATT : ATT + 4], gyro_bias_b=-last[GYRO : GYRO + 3], is_still=False, rest_s=0.0)
    blind = replace(p, gnss_delay_s=0.0, gnss_delay_sigma_s=0.0, baro_delay_s=0.0, home_sigma_m=1e3)
    heading = None if len(mag) and not p.course_heading else UNKNOWN_HEADING_RAD
    m = forward.state.m
    begun = Known(heading, noise_level=m.noise_level, motion_level=float(m.motion_level))
    times = np.ascontiguousarray(ends - t_s[::-1])
    run = begin_at(blind, site, begins, back, times, begun)
    advance(run, times, sealed(turned), back, 0, n)
    return run


def _in_order(rows: Array, begins_s: float) -> Array:
    rows = rows[rows[:, 0] >= begins_s]
    return np.ascontiguousarray(rows[np.argsort(rows[:, 0], kind="stable")])
