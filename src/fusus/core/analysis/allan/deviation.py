"""Overlapping Allan deviation with confidence bounds.

Equation numbers and degrees of freedom as in NIST Special Publication 1065 (W. J. Riley, 2008), section 5.

Arrays, where a function does not say otherwise (shape, unit, frame):

    adev : (K,) any, any
    factors : (K,) samples, any
    averaging_factors() : (K,) samples, any
    noise_powers() : (K,) 1, any
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike
from scipy.special import chdtri

from fusus.core.analysis.allan.kernel import running_sum, squared_differences
from fusus.core.analysis.allan.slow_noise import Blocks, blocks_of
from fusus.core.arrays import Array, IntArray, as_series

LEAST_SAMPLES = 9
USUAL_TIMES = 60
CONFIDENCE = 0.683  # one sigma either way


@dataclass(frozen=True, slots=True)
class AllanCurve:
    """Overlapping Allan deviation of one series: all arrays (K,), ``tau_s`` in s, deviations in the series' unit.

    ``edf`` are the equivalent degrees of freedom; between ``lower`` and ``upper`` the truth lies in 68.3 % of cases.
    ``blocks`` keeps of the series what the errors of coefficients are computed from.
    """

    tau_s: Array
    adev: Array
    lower: Array
    upper: Array
    edf: Array
    samples: int
    rate_hz: float
    blocks: Blocks

    @property
    def span_s(self) -> float:
        """How long the series is."""
        return self.samples / self.rate_hz


def averaging_factors(samples: int, count: int = USUAL_TIMES) -> IntArray:
    """Return numbers of samples to average over, evenly spread on a logarithmic scale, up to a third of the series."""
    top = max(1, samples // 3)
    return np.asarray(np.unique(np.round(np.geomspace(1, top, count))), dtype=np.int64)


def allan_curve(rate: ArrayLike, rate_hz: float, factors: ArrayLike | None = None) -> AllanCurve:
    """Return the overlapping Allan deviation of evenly sampled readings.

    Parameters
    ----------
    rate : array_like, (N,), any, any
        Readings of a rate, such as angular rate or specific force; at least nine, all finite.
    rate_hz : float
        Sample rate.
    factors : array_like, (K,), 1, any
        Numbers of samples averaged over, each from 1 to (N - 1) / 2; usual ones if left out.

    Returns
    -------
    AllanCurve
        Deviations with bounds by chi-square.

    Raises
    ------
    ValueError
        If the series is too short, not finite, or a factor does not fit.

    Notes
    -----
    SP 1065, equation 11. The mean is taken off first: it does not enter the result, and the running sum stays small.
    """
    y = as_series(rate, "rate")
    if len(y) < LEAST_SAMPLES:
        raise ValueError(f"an Allan deviation needs at least {LEAST_SAMPLES} samples, not {len(y)}")
    m = averaging_factors(len(y)) if factors is None else np.array(factors, dtype=np.int64)
    if len(m) == 0 or m.min() < 1 or 2 * m.max() > len(y):
        raise ValueError(f"averaging factors must lie between 1 and {len(y) // 2}")
    phase = np.empty(len(y) + 1)
    running_sum(y, phase)
    if not np.isfinite(phase[-1]):  # one NaN or infinity goes through to the end
        raise ValueError("an Allan deviation needs finite samples without gaps")
    sums = np.empty(len(m))
    squared_differences(phase, m, sums)
    terms = len(phase) - 2 * m
    adev = np.sqrt(sums / (2.0 * terms)) / m
    edf = degrees_of_freedom(len(phase), m, noise_powers(adev, m))
    beyond = (1.0 - CONFIDENCE) / 2.0
    # chdtri gives the chi-square value that is exceeded with the given probability.
    upper = adev * np.sqrt(edf / chdtri(edf, 1.0 - beyond))
    lower = adev * np.sqrt(edf / chdtri(edf, beyond))
    return AllanCurve(m / rate_hz, adev, lower, upper, edf, len(y), rate_hz, blocks_of(phase, rate_hz))


def noise_powers(adev: ArrayLike, factors: ArrayLike) -> Array:
    """Return the slope of the Allan variance over averaging time at each point, smoothed: -2 is white phase or
    quantisation, -1 white rate, 0 flicker, 1 random walk.
    """
    x, y = np.log(np.asarray(factors, dtype=float)), 2.0 * np.log(np.maximum(np.asarray(adev), 1e-300))
    if len(x) < 2:
        return np.full(len(x), -1.0)
    reach = 0.8  # natural logarithm of averaging time to either side
    out = np.empty(len(x))
    for i in range(len(x)):
        near = np.abs(x - x[i]) <= reach
        if near.sum() < 2:
            near[max(0, i - 1) : i + 2] = True
        out[i] = np.polyfit(x[near], y[near], 1)[0]
    return out


def degrees_of_freedom(points: int, factors: ArrayLike, slopes: ArrayLike) -> Array:
    """Return equivalent degrees of freedom of the overlapping estimate.

    Parameters
    ----------
    points : int
        Phase points, one more than samples.
    factors : array_like, (K,), 1, any
        Numbers of samples averaged over.
    slopes : array_like, (K,), 1, any
        Slopes of the Allan variance; the nearest of -2, -1, 0 and 1 decides.

    Returns
    -------
    ndarray, (K,), 1, any
        At least one.

    Notes
    -----
    SP 1065, table 5 (from memory; checked against allantools' ``edf_simple``).
    """
    n, m = float(points), np.asarray(factors, dtype=float)
    kind = np.clip(np.rint(np.asarray(slopes)), -2, 1)
    # Quantisation rules at short times only: a chance slope of -2 at a long one would claim half the record as freedom.
    kind = np.where(np.logical_and.accumulate(kind == -2), -2, np.maximum(kind, -1))
    # The tables hold up to half the series; the last points may come out below one degree.
    with np.errstate(divide="ignore", invalid="ignore"):
        white_phase = (n + 1) * (n - 2 * m) / (2 * (n - m))
        white = (3 * (n - 1) / (2 * m) - 2 * (n - 2) / n) * 4 * m**2 / (4 * m**2 + 5)
        flicker = np.where(m == 1, 2 * (n - 2) ** 2 / (2.3 * n - 4.9), 5 * n**2 / (4 * m * (n + 3 * m)))
        walk = (n - 2) / m * ((n - 1) ** 2 - 3 * m * (n - 1) + 4 * m**2) / (n - 3) ** 2
    edf = np.select([kind == -2, kind == -1, kind == 0], [white_phase, white, flicker], walk)
    return np.asarray(np.maximum(edf, 1.0))
