"""GNSS receiver: white and slowly drifting position error, velocity noise, latency, lever arm, outages.

Arrays, where a function does not say otherwise (shape, unit, frame):

    t_s : (N,) s, any
    antenna_pos_n : (N, 3) m, n
    antenna_vel_n : (N, 3) m/s, n
    visible() : (N,) bool, any
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from fusus.core.arrays import Array, BoolArray
from fusus.core.noise import gauss_markov


@dataclass(frozen=True, slots=True)
class GnssModel:
    """Errors of a receiver, one sigma per axis; the lever arm is from the centre of gravity, body axes."""

    rate_hz: float = 10.0
    white_horizontal_m: float = 0.3
    white_vertical_m: float = 0.6
    correlated_horizontal_m: float = 0.8
    correlated_vertical_m: float = 1.6
    correlation_time_s: float = 120.0
    velocity_horizontal_m_s: float = 0.08
    velocity_vertical_m_s: float = 0.15
    latency_s: float = 0.12
    lever_arm_b_m: tuple[float, float, float] = (-0.05, 0.0, -0.115)


@dataclass(frozen=True, slots=True)
class GnssFixes:
    """Fixes as they arrive: times (M,) s, position and velocity of the antenna (M, 3) north-east-down."""

    t_s: Array
    pos_n: Array
    vel_n: Array


def read_gnss(
    model: GnssModel, t_s: ArrayLike, antenna_pos_n: ArrayLike, antenna_vel_n: ArrayLike, rng: np.random.Generator
) -> GnssFixes:
    """Return the fixes of a true antenna motion sampled at the fix times (M,); they arrive ``latency_s`` later."""
    t = np.asarray(t_s, dtype=float)
    n = len(t)
    white = rng.standard_normal((n, 3)) * [
        model.white_horizontal_m,
        model.white_horizontal_m,
        model.white_vertical_m,
    ]
    drift = np.hstack(
        [
            gauss_markov(rng, n, 2, model.correlated_horizontal_m, model.correlation_time_s, model.rate_hz),
            gauss_markov(rng, n, 1, model.correlated_vertical_m, model.correlation_time_s, model.rate_hz),
        ]
    )
    speed = rng.standard_normal((n, 3)) * [
        model.velocity_horizontal_m_s,
        model.velocity_horizontal_m_s,
        model.velocity_vertical_m_s,
    ]
    return GnssFixes(t + model.latency_s, np.asarray(antenna_pos_n) + white + drift, np.asarray(antenna_vel_n) + speed)


def visible(t_s: ArrayLike, outages: tuple[tuple[float, float], ...]) -> BoolArray:
    """Return which times lie in no outage; an outage is (start, duration) in s."""
    t = np.asarray(t_s, dtype=float)
    seen = np.ones(len(t), dtype=bool)
    for start, duration in outages:
        seen &= ~((t >= start) & (t < start + duration))
    return seen
