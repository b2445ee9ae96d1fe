"""The heading that motion shows where no field does: filters with headings all round run side by side till one stands out.

What a wrong heading makes of a push shows in the fixes that follow. Each filter is the navigation EKF itself, so that whatever it knows of
biases, tilt, delay and noise counts; the run then begins anew from the heading found. Without a push no heading stands out.

Arrays, where a function does not say otherwise (shape, unit, frame):

    t_s : (N,) s, any
"""

import math
from itertools import product

import numpy as np

from fusus.core.arrays import Array
from fusus.core.estimation.initial import Start
from fusus.core.estimation.navigation_ekf.covariance import covariance_from_ud
from fusus.core.estimation.navigation_ekf.side_by_side import Begin, Hypothesis, Known, Stretch, count, unlikelihood
from fusus.core.estimation.navigation_ekf.states import E_ATT, E_GYRO
from fusus.core.estimation.samples import Samples
from fusus.core.frames.quaternion import from_rotation_vector, multiply, normalise, to_euler

HYPOTHESES, SPREAD_RAD = 16, 0.25
DELAYS_S, DELAY_SPREAD_S = (0.4, 0.7, 1.0, 1.3), 0.15
LONGEST_S, LOOK_S = 300.0, 5.0
# Filters that are so much less likely than the best, as logarithms, are out.
OUT = 30.0
# The heading stands out where the headings that are left, weighed by their likelihoods, scatter by so little.
SURE_RAD = 0.25
# The heading found was found from the same fixes that the run takes in again: it is not claimed to be better than this.
LEAST_SIGMA_RAD = 0.03


def heading_from_motion(
    look: Stretch, start: Start, begin: Begin, usual_s: float, delays_s: tuple[float, ...]
) -> tuple[Start, Known] | None:
    """Return the start turned to the heading that the motion shows, with what else was learned; None where nothing shows it.

    ``begin`` makes a filter of a start, aiding, times, samples and what is known, and returns how to advance it, its state and its rows;
    ``usual_s`` is the delay of the tuning; ``delays_s`` are tried, for a wrong one looks like a wrong heading.
    """
    t, aiding = look.t_s, look.aiding
    running = []
    for k, delay in product(range(HYPOTHESES), delays_s):
        turn = 2.0 * math.pi * k / HYPOTHESES
        assumed = Known(heading_sigma_rad=SPREAD_RAD, delay_s=delay, delay_sigma_s=DELAY_SPREAD_S)
        advance, state, rows = begin(turned(start, turn), aiding, t, look.samples, assumed)
        running.append(Hypothesis(advance, state, rows, turn, -unlikelihood(delay, usual_s)))
    at = 0
    for until in np.arange(t[0] + LOOK_S, t[-1] + LOOK_S, LOOK_S):
        to = int(np.searchsorted(t, until))
        for h in running:
            h.advance(at, to)
            count(h)
        at = to
        best = max(running, key=lambda h: h.likelihood)
        running = [h for h in running if best.likelihood - h.likelihood < OUT]
        if _stands_out(running):
            return _from(best, start, t[:at], look.samples.part(0, at))
    return None


def turned(start: Start, angle_rad: float) -> Start:
    """Return the start with its heading turned about down."""
    about = from_rotation_vector(np.array([0.0, 0.0, angle_rad]))
    return start._replace(q_nb=normalise(multiply(about, start.q_nb)))


def _heading(h: Hypothesis) -> tuple[float, Array]:
    p = np.empty((h.state.n, h.state.n))
    covariance_from_ud(h.state.p, h.state.n, p)
    return float(to_euler(h.state.m.attitude[None])[0, 0]), p


def _stands_out(running: list[Hypothesis]) -> bool:
    likelihood = np.array([h.likelihood for h in running])
    weight = np.exp(likelihood - likelihood.max())
    weight /= weight.sum()
    found = [_heading(h) for h in running]
    best = found[int(np.argmax(likelihood))][0]
    off = np.array([math.remainder(yaw - best, 2.0 * math.pi) for yaw, _ in found])
    own = np.array([p[E_ATT + 2, E_ATT + 2] for _, p in found])
    mean = float(weight @ off)
    return math.sqrt(float(weight @ ((off - mean) ** 2 + own))) < SURE_RAD


def _from(h: Hypothesis, start: Start, t_s: Array, samples: Samples) -> tuple[Start, Known]:
    """Return the start with the heading that leads to the one found: what the filter turned it by beyond the gyro without its bias."""
    m = h.state.m
    yaw, p = _heading(h)
    q = turned(start, h.value).q_nb
    # Over a minute steps of a tenth of a second add up to the same turn as all samples do, to a tenth of a degree.
    for turn in _turns((samples.gyro_b - m.gyro_bias) * samples.dt_s[:, None]):
        q = multiply(q, from_rotation_vector(turn))
    by_gyro = float(to_euler(normalise(q)[None])[0, 0])
    moved = math.remainder(yaw - by_gyro, 2.0 * math.pi)
    span = float(t_s[-1] - t_s[0])
    sigma = math.hypot(math.sqrt(p[E_ATT + 2, E_ATT + 2]), math.sqrt(p[E_GYRO + 2, E_GYRO + 2]) * span)
    if sigma > SPREAD_RAD:
        moved, sigma = 0.0, SPREAD_RAD
    found = Known(heading_sigma_rad=max(sigma, LEAST_SIGMA_RAD))
    if m.i_delay > 0:
        found = found._replace(delay_s=float(m.gnss_delay_s), delay_sigma_s=math.sqrt(p[m.i_delay, m.i_delay]))
    return turned(start, h.value + moved), found


def _turns(angles: Array) -> Array:
    every = 10
    count = -(-len(angles) // every)
    padded = np.zeros((count * every, 3))
    padded[: len(angles)] = angles
    return np.asarray(padded.reshape(count, every, 3).sum(axis=1))
