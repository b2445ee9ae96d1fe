"""Noise made for tests alone: white, flicker by its spectrum, and random walk; nothing of the product's is used.

Flicker of instability B has the one-sided density B²/(π f), so that its Allan variance is (2 ln 2/π) B² (IEEE Std 952-1997, annex C,
from memory); it is made eight times longer than needed by a random spectrum, and cut, so that its ends do not join.
"""

import numpy as np

DEG_H = np.pi / 180 / 3600
DEG_RT_H = np.pi / 180 / 60


def flicker(rng: np.random.Generator, n: int, step_s: float, b: float) -> np.ndarray:
    """Return flicker noise, shape (n,)."""
    whole = 1 << int(np.ceil(np.log2(8 * n)))
    f = np.fft.rfftfreq(whole, step_s)
    density = np.concatenate([[0.0], b * b / np.pi / f[1:]])
    z = (rng.standard_normal(len(f)) + 1j * rng.standard_normal(len(f))) / np.sqrt(2)
    return np.fft.irfft(z * np.sqrt(density * whole / (2 * step_s)), whole)[:n]


def rate_noise(seed: int, n: int, rate_hz: float, noise: float, b: float, k: float) -> tuple[np.ndarray, np.ndarray]:
    """Return readings and the bias beneath them, shape (n,) each."""
    rng = np.random.default_rng(seed)
    bias = np.cumsum(rng.standard_normal(n)) * (k / np.sqrt(rate_hz))
    if b > 0:
        bias = bias + flicker(rng, n, 1 / rate_hz, b)
    return bias + rng.standard_normal(n) * (noise * np.sqrt(rate_hz)), bias


def markov(rng: np.random.Generator, n: int, sigma: float, lasting_s: float, step_s: float) -> np.ndarray:
    """Return n samples of noise of a size that lasts for a while: an autoregression of one term, from its steady state."""
    keeps = np.exp(-step_s / lasting_s)
    out = np.empty(n)
    out[0] = sigma * rng.standard_normal()
    push = sigma * np.sqrt(1.0 - keeps**2) * rng.standard_normal(n)
    for i in range(1, n):
        out[i] = keeps * out[i - 1] + push[i]
    return out
