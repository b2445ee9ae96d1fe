"""Noise: conversions between densities, and seeded series of each kind.

Inside, N is the Allan coefficient (two-sided density, IEEE Std 952): unfiltered samples have sigma N·sqrt(rate).
"""

import math

import numpy as np
from scipy.signal import lfilter

from fusus.core.arrays import Array


def allan_from_one_sided(density: float) -> float:
    """Return N of a datasheet's one-sided noise density."""
    return density / math.sqrt(2.0)


def sample_sigma(n: float, rate_hz: float) -> float:
    """Return the sigma of unfiltered samples: N sqrt(rate)."""
    return n * math.sqrt(rate_hz)


def noise_bandwidth_ratio(order: int) -> float:
    """Return the noise bandwidth of a Butterworth low-pass over its corner: (π/2n)/sin(π/2n)."""
    a = math.pi / (2 * order)
    return a / math.sin(a)


def filtered_sigma(one_sided_density: float, corner_hz: float, order: int = 1) -> float:
    """Return what a Butterworth low-pass leaves of a one-sided density."""
    return one_sided_density * math.sqrt(noise_bandwidth_ratio(order) * corner_hz)


def white(rng: np.random.Generator, rows: int, columns: int, n: float, rate_hz: float) -> Array:
    """Return white noise of Allan coefficient ``n``, shape (rows, columns)."""
    return rng.standard_normal((rows, columns)) * sample_sigma(n, rate_hz)


def random_walk(rng: np.random.Generator, rows: int, columns: int, k: float, rate_hz: float) -> Array:
    """Return a random walk that starts at zero and grows as K sqrt(t), shape (rows, columns)."""
    steps = rng.standard_normal((rows, columns)) * (k / math.sqrt(rate_hz))
    steps[0] = 0.0
    return np.asarray(np.cumsum(steps, axis=0))


def gauss_markov(
    rng: np.random.Generator, rows: int, columns: int, sigma: float, tau_s: float, rate_hz: float
) -> Array:
    """Return a stationary first-order Gauss-Markov series, shape (rows, columns): sigma, and exp(-t/τ) correlation."""
    if sigma == 0.0 or rows == 0:
        return np.zeros((rows, columns))
    a = math.exp(-1.0 / (rate_hz * tau_s))
    drive = rng.standard_normal((rows, columns)) * (sigma * math.sqrt(1.0 - a * a))
    drive[0] = rng.standard_normal(columns) * sigma
    return np.asarray(lfilter([1.0], [1.0, -a], drive, axis=0))


def markov_sigma_of_instability(b: float) -> float:
    """Return the Gauss-Markov sigma whose Allan deviation peaks at 0.664 B, the floor that IEEE Std 952 calls B.

    The Allan deviation of such a process has its maximum 0.618 sigma at 1.89 τ (computed from its closed form).
    """
    return b * 0.664 / 0.618
