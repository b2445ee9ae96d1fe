"""Gusts near the ground by the Dryden model: intensities and lengths of MIL-F-8785C, low altitudes (from memory).

Arrays, where a function does not say otherwise (shape, unit, frame):

    hz : (F,) Hz, any
    spectrum() : (F,) m²/s² per Hz, any
"""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike
from scipy.linalg import expm, solve_discrete_lyapunov
from scipy.signal import lfilter

from fusus.core.arrays import Array, check_range
from fusus.core.noise import gauss_markov

FOOT_M = 0.3048
# The model begins at ten feet.
LOWEST_M = 10.0 * FOOT_M
# A gust passes a craft that hovers with the mean wind; in still air it would stand for ever.
SLOWEST_M_S = 1.0


@dataclass(frozen=True, slots=True)
class Gusts:
    """Intensity m/s and length m along the wind, across and vertical, and the speed at which gusts pass, m/s."""

    sigma: tuple[float, float, float]
    length: tuple[float, float, float]
    speed_m_s: float


def gusts(wind_m_s: float, height_m: float, airspeed_m_s: float) -> Gusts:
    """Return the gusts at a height in a wind measured at 6 m, for a craft with an airspeed.

    σw = 0.1 W, σu = σv = σw / (0.177 + 0.000823 h)^0.4, Lw = h, Lu = Lv = h / (0.177 + 0.000823 h)^1.2, h in feet up to 1000.
    """
    check_range("Wind", wind_m_s, 0.0, 60.0, "m/s")
    h = min(max(height_m, LOWEST_M), 1000.0 * FOOT_M) / FOOT_M
    base = 0.177 + 0.000823 * h
    vertical = 0.1 * wind_m_s
    level, long = vertical / base**0.4, h / base**1.2 * FOOT_M
    return Gusts((level, level, vertical), (long, long, h * FOOT_M), max(airspeed_m_s, SLOWEST_M_S))


def spectrum(g: Gusts, axis: int, hz: ArrayLike) -> Array:
    """Return the one-sided spectral density, m²/s² per Hz, of a gust along (0), across (1) or vertical (2).

    Along: 2 σ² τ·2 / (1 + (τω)²); else 2 σ² τ (1 + 3 (τω)²) / (1 + (τω)²)², with τ = L / V.
    """
    tau, s2 = g.length[axis] / g.speed_m_s, g.sigma[axis] ** 2
    x = (2.0 * math.pi * np.asarray(hz, dtype=float) * tau) ** 2
    if axis == 0:
        return np.asarray(4.0 * s2 * tau / (1.0 + x))
    return np.asarray(2.0 * s2 * tau * (1.0 + 3.0 * x) / (1.0 + x) ** 2)


def gust_series(g: Gusts, rate_hz: float, rows: int, rng: np.random.Generator) -> Array:
    """Return gusts along, across and vertical (N, 3), m/s, stationary from the first sample on."""
    out = np.empty((rows, 3))
    out[:, 0] = gauss_markov(rng, rows, 1, g.sigma[0], g.length[0] / g.speed_m_s, rate_hz)[:, 0]
    for axis in (1, 2):
        out[:, axis] = g.sigma[axis] * _across(g.length[axis] / g.speed_m_s, rate_hz, rows, rng)
    return out


def _across(tau: float, rate_hz: float, rows: int, rng: np.random.Generator) -> Array:
    """Return unit noise through √τ (1 + √3 τs) / (1 + τs)², exactly sampled.

    In partial fractions √3 x1 + (1 - √3) x2 with x1 = 1/(1 + τs) and x2 = x1/(1 + τs) of the noise.
    """
    a = np.array([[-1.0, 0.0], [1.0, -1.0]]) / tau
    b = np.array([[1.0 / math.sqrt(tau)], [0.0]])
    h = 1.0 / rate_hz
    # Van Loan 1978: transition and noise of a step from one exponential.
    block = expm(np.block([[-a, b @ b.T], [np.zeros((2, 2)), a.T]]) * h)
    step = block[2:, 2:].T
    noise = step @ block[:2, 2:]
    drive = rng.standard_normal((rows, 2)) @ np.linalg.cholesky(noise).T
    drive[0] = np.linalg.cholesky(solve_discrete_lyapunov(step, noise)) @ rng.standard_normal(2)
    x1 = lfilter([1.0], [1.0, -step[0, 0]], drive[:, 0])
    pushed = drive[:, 1].copy()
    pushed[1:] += step[1, 0] * x1[:-1]
    x2 = lfilter([1.0], [1.0, -step[1, 1]], pushed)
    return np.asarray(math.sqrt(3.0) * x1 + (1.0 - math.sqrt(3.0)) * x2)
