"""A made-up motion to prove estimators on: brisk turns about all axes without noise, whose truth is known to the last digit.

In a flight, what a filter corrects hides what it does wrong: vibration shakes gyro and accelerometer alike, and a delay of one sample
costs less than the tuning. Here a sound filter of any school stays within a fraction of a degree, and an implementation error does not.
"""

import math
from dataclasses import dataclass

import numpy as np

from fusus.core.arrays import Array
from fusus.core.estimation.aiding import Aiding
from fusus.core.estimation.initial import Start
from fusus.core.estimation.known import known_of
from fusus.core.estimation.replay import EstimatorInput, estimator_input
from fusus.core.frames import quaternion
from fusus.core.world.site import USUAL_DIP_RAD, USUAL_HORIZONTAL_UT, Site

RESTS_S, MOVES_S = 3.0, 17.0
# The interval wavers, and no usual one is its mean: code that takes a fixed one shows.
INTERVAL_S, WAVERS = 5.3e-3, 0.25
BIAS_RAD_S = 0.03
# On top of slow turns the craft shivers, from sample to sample anew: whoever is a sample late misses that.
SHIVERS_RAD_S = 0.6
TURNS_RAD_S = (3.0, 3.0, 2.0)
FIELD_EVERY, FIX_EVERY, BARO_EVERY = 1, 36, 8


@dataclass(frozen=True, slots=True)
class Proving:
    """What goes in, how it begins, and the true attitude (N, 4)."""

    given: EstimatorInput
    start: Start
    q_nb: Array


def proving_motion(seed: int, site: Site) -> Proving:
    """Return the motion of a seed at a site: after a rest the craft turns about a point that stays where it is."""
    rng = np.random.default_rng(seed)
    n = int((RESTS_S + MOVES_S) / INTERVAL_S)
    dt = INTERVAL_S * (1.0 + WAVERS * rng.uniform(-1.0, 1.0, n))
    t = np.cumsum(dt)
    ease = np.clip((t - RESTS_S) / 0.5, 0.0, 1.0)
    rate = np.zeros((n, 3))
    for axis, most in enumerate(TURNS_RAD_S):
        for _ in range(4):
            hz, phase = rng.uniform(0.25, 1.4), rng.uniform(0.0, 2.0 * math.pi)
            rate[:, axis] += 0.5 * most * np.sin(2.0 * math.pi * hz * t + phase)
    rate = (rate + rng.normal(0.0, SHIVERS_RAD_S, (n, 3))) * ease[:, None]
    # The rate of a sample is its mean over the interval that ends there: turned by it, the attitude is exact.
    q = np.empty((n, 4))
    now = quaternion.from_euler(float(rng.uniform(-3, 3)), 0.05, -0.03)
    turns = quaternion.from_rotation_vector(rate * dt[:, None])
    for i in range(n):
        now = quaternion.multiply(now, turns[i])
        q[i] = now
    q = quaternion.normalise(q)
    back = quaternion.conjugate(q)
    acc = quaternion.rotate(back, np.tile([0.0, 0.0, -site.gravity_m_s2], (n, 1)))
    d = site.declination_rad
    usual = (math.cos(d), math.sin(d), math.tan(USUAL_DIP_RAD))
    flat = site.field.vector_ut if site.field else tuple(USUAL_HORIZONTAL_UT * v for v in usual)
    mag = quaternion.rotate(back, np.tile(np.asarray(flat, dtype=float), (n, 1)))[::FIELD_EVERY]
    bias = rng.choice([-1.0, 1.0], 3) * BIAS_RAD_S * rng.uniform(0.6, 1.0, 3)
    gyro = rate + bias
    fixes = np.zeros((len(t[::FIX_EVERY]), 9))
    fixes[:, 0], fixes[:, 7:] = t[::FIX_EVERY], 1.0
    heights = np.stack([t[::BARO_EVERY], np.zeros(len(t[::BARO_EVERY]))], axis=1)
    rest = int(np.searchsorted(t, RESTS_S))
    rows = np.column_stack([t[::FIELD_EVERY], mag, np.full(len(mag), INTERVAL_S * FIELD_EVERY)])
    aiding = Aiding(fixes, heights, rows, known=known_of(gyro, acc, rest), starts_at_home=True)
    strength = float(np.linalg.norm(flat))
    dip = math.asin(float(flat[2]) / strength)
    start = Start(q[0], bias, True, RESTS_S, strength, dip, True)
    return Proving(estimator_input(t, gyro, acc, t[::FIELD_EVERY], mag, aiding), start, q)
