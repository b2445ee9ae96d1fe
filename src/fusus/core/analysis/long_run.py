"""How well the mean of a record is known whose samples are alike over a while: the variance of its mean, and how many count.

An autoregression of up to four terms is fitted to means of blocks a third of the correlation length, its order by the corrected
criterion of Akaike (Hurvich & Tsai 1989), its sum set right for a short record (Kendall 1954: an autocorrelation comes out too small by
(1 + 3ρ)/n); the spectrum at zero frequency follows. Blocks drawn at random, as a bootstrap does, miss what reaches across their ends.

Arrays, where a function does not say otherwise (shape, unit, frame):

    values : (N,) any, any
"""

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import ArrayLike

from fusus.core.arrays import Array

MOST_TERMS = 4
LEAST_BLOCKS = 24
LARGEST_SUM = 0.97


class LongRun(NamedTuple):
    """Variance of a record's mean, and how many independent samples it is worth."""

    variance: float
    samples: float


def correlation_length(values: ArrayLike, about_zero: bool = False) -> float:
    """Return over how many samples values (N,) stay alike: 1 + 2 Σ ρ up to the first ρ below 0.05 (Geyer 1992).

    ``about_zero``: for errors that should have no mean; one that lasts the whole record is then one draw, not an offset.
    """
    v = np.asarray(values, dtype=float)
    v = v if about_zero else v - v.mean()
    n = len(v)
    power = float(v @ v)
    if n < 4 or power <= 0.0:
        return 1.0
    size = 1 << (2 * n - 1).bit_length()
    spectrum = np.fft.rfft(v, size)
    rho = np.fft.irfft(spectrum * np.conj(spectrum), size)[: n // 2] / power
    below = np.flatnonzero(rho < 0.05)
    end = int(below[0]) if len(below) else len(rho)
    return float(1.0 + 2.0 * rho[1:end].sum())


def long_run(values: ArrayLike) -> LongRun:
    """Return what the mean of evenly sampled values (N,) is worth; eight or more."""
    y = np.asarray(values, dtype=float)
    each = max(1, min(math.ceil(correlation_length(y) / 3), len(y) // LEAST_BLOCKS))
    n = len(y) // each
    x = y[: n * each].reshape(n, each).mean(axis=1)
    x = x - x.mean()
    r = np.array([x[: n - k] @ x[k:] / n for k in range(min(MOST_TERMS, n // 4) + 1)])
    if r[0] <= 0.0:
        return LongRun(0.0, float(n))
    terms, total, left = _autoregression(r, n)
    if terms:
        total = min(total + (1.0 + 3.0 * total) / n, LARGEST_SUM)
    variance = max(left / (1.0 - total) ** 2, float(r[0])) / n
    return LongRun(variance, float(np.clip(r[0] / variance, 2.0, n)))


def _autoregression(r: Array, n: int) -> tuple[int, float, float]:
    """Return how many terms describe autocovariances best, the sum of their factors, and the variance that is left."""
    best = math.inf, 0, 0.0, float(r[0])
    for p in range(len(r)):
        factors = (
            np.linalg.solve(r[np.abs(np.subtract.outer(np.arange(p), np.arange(p)))], r[1 : p + 1])
            if p
            else np.zeros(0)
        )
        left = float(r[0] - factors @ r[1 : p + 1])
        if left <= 0.0 or n - p <= 2:
            break
        criterion = n * math.log(left) + 2.0 * (p + 1) * n / (n - p - 2)
        if criterion < best[0]:
            best = criterion, p, float(factors.sum()), left * n / (n - p - 1)
    return best[1:]
