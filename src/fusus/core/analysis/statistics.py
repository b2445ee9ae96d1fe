"""Size of an error and how sure it is: RMSE, 95th percentile, maximum, with block-bootstrap intervals.

Arrays, where a function does not say otherwise (shape, unit, frame):

    errors : (N,) any, any
    values : (N,) any, any
    error : (N, K) any, any
    covariance : (N, K, K) any, any
    sigmas : (N,) any, any
"""

from collections.abc import Sequence
from typing import Literal, NamedTuple

import numpy as np
from numpy.typing import ArrayLike
from scipy import stats

from fusus.core.arrays import Array

Statistic = Literal["rmse", "p95", "max"]
MOST_POINTS = 6000
REPEATS = 400


class Interval(NamedTuple):
    """A value with its 95 % interval."""

    value: float
    low: float
    high: float


def measure(errors: ArrayLike, statistic: Statistic) -> float:
    """Return the statistic of the size of errors (N,); NaN for none."""
    size = np.abs(np.asarray(errors, dtype=float))
    size = size[np.isfinite(size)]
    if len(size) == 0:
        return float("nan")
    if statistic == "rmse":
        return float(np.sqrt(np.mean(size**2)))
    if statistic == "p95":
        return float(np.percentile(size, 95))
    return float(size.max())


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


def bootstrap_interval(errors: ArrayLike, statistic: Statistic, seed: int = 0) -> Interval:
    """Return a statistic with its 95 % interval by the circular block bootstrap.

    Parameters
    ----------
    errors : array_like, (N,), any, any
        Evenly sampled errors; NaN is left out.
    statistic : {"rmse", "p95", "max"}
        What to measure.
    seed : int
        Of the resampling.

    Returns
    -------
    Interval
        The value belongs to all samples. The interval of a maximum is one-sided: from the bootstrap's lower end to
        the value itself times the usual spread of extremes, since no resample can exceed what was seen.

    Notes
    -----
    Blocks are twice the correlation length (Politis & Romano 1992), at most a third of the record: an interval from
    few blocks is wide, and rightly so.
    """
    all_values = np.abs(np.asarray(errors, dtype=float))
    all_values = all_values[np.isfinite(all_values)]
    value = measure(all_values, statistic)
    results = bootstrap_draws(all_values, statistic, seed)
    if results is None:
        return Interval(value, float("nan"), float("nan"))
    return _interval(value, results, statistic)


def stretches_interval(errors: ArrayLike, statistic: Statistic, stretch: ArrayLike, seed: int = 0) -> Interval:
    """Return a statistic with its 95 % interval where errors come in a few stretches, each of which counts as one draw.

    Parameters
    ----------
    errors : array_like, (N,), any, any
        Errors; NaN is left out.
    statistic : {"rmse", "p95", "max"}
        What to measure.
    stretch : array_like, (N,), 1, any
        The number of the stretch that each belongs to.
    seed : int
        Of the resampling.

    Returns
    -------
    Interval
        NaN bounds for fewer than three stretches: so few do not show how they differ.
    """
    v, groups = np.abs(np.asarray(errors, dtype=float)), np.asarray(stretch)
    keep = np.isfinite(v)
    v, groups = v[keep], groups[keep]
    parts = [_thinned(v[groups == g], 500) for g in np.unique(groups)]
    if len(parts) < 3:
        return Interval(measure(v, statistic), float("nan"), float("nan"))
    rng = np.random.default_rng(seed)
    draws = [np.concatenate([parts[i] for i in rng.integers(0, len(parts), len(parts))]) for _ in range(REPEATS)]
    return _interval(measure(v, statistic), np.array([measure(d, statistic) for d in draws]), statistic)


def pooled_interval(records: Sequence[Array], statistic: Statistic, seed: int = 0) -> Interval:
    """Return a statistic over several records with its 95 % interval: records are drawn, and blocks within each (both differ).

    Parameters
    ----------
    records : sequence of ndarray, (N,), any, any
        Evenly sampled errors of each record; NaN is left out, and each record counts by its length.
    statistic : {"rmse", "p95", "max"}
        What to measure.
    seed : int
        Of the resampling.

    Returns
    -------
    Interval
        NaN bounds for fewer than two records.
    """
    found = [v[np.isfinite(v)] for v in (np.abs(np.asarray(r, dtype=float)) for r in records)]
    found = [v for v in found if len(v)]
    value = measure(np.concatenate(found), statistic) if found else float("nan")
    if len(found) < 2:
        return Interval(value, float("nan"), float("nan"))
    rng = np.random.default_rng(seed)
    thin = [_thinned(v, MOST_POINTS // len(found)) for v in found]
    blocks = [int(np.clip(np.ceil(2 * correlation_length(v)), 1, max(1, len(v) // 3))) for v in thin]
    draws = []
    for _ in range(REPEATS):
        drawn = []
        for i in rng.integers(0, len(thin), len(thin)):
            v, block = thin[i], blocks[i]
            starts = rng.integers(0, len(v), -(-len(v) // block))
            drawn.append(v[(starts[:, None] + np.arange(block)).ravel() % len(v)])
        draws.append(measure(np.concatenate(drawn), statistic))
    return _interval(value, np.array(draws), statistic)


def _thinned(values: Array, most: int) -> Array:
    return values[:: max(1, len(values) // max(most, 1))]


def _interval(value: float, draws: Array, statistic: Statistic) -> Interval:
    """Return the middle 95 % of draws round a value; of a maximum as in ``bootstrap_interval``."""
    low, high = np.percentile(draws, [2.5, 97.5])
    if statistic == "max":
        high = value + (value - float(draws.mean()))
    return Interval(value, min(float(low), value), max(float(high), value))


def bootstrap_draws(errors: Array, statistic: Statistic, seed: int) -> Array | None:
    """Return a statistic of resampled errors (N,), (REPEATS,), by the circular block bootstrap; None for fewer than eight."""
    step = max(1, len(errors) // MOST_POINTS)
    v = errors[::step]
    n = len(v)
    if n < 8:
        return None
    block = int(np.clip(np.ceil(2 * correlation_length(v)), 1, max(1, n // 3)))
    rng = np.random.default_rng(seed)
    count = -(-n // block)
    starts = rng.integers(0, n, (REPEATS, count))
    if statistic == "rmse":
        squares = np.concatenate([[0.0], np.cumsum(np.concatenate([v, v[:block]]) ** 2)])
        return np.asarray(np.sqrt((squares[starts + block] - squares[starts]).sum(axis=1) / (count * block)))
    rows = (starts[:, :, None] + np.arange(block)).reshape(REPEATS, -1) % n
    drawn = v[rows]
    return np.asarray(np.percentile(drawn, 95, axis=1) if statistic == "p95" else drawn.max(axis=1))


class Difference(NamedTuple):
    """A statistic before and after, and the 95 % interval of after minus before; NaN where too little was recorded."""

    before: float
    after: float
    low: float
    high: float

    @property
    def is_real(self) -> bool:
        """Whether zero lies outside the interval."""
        return self.low > 0.0 or self.high < 0.0


def difference(before: ArrayLike, after: ArrayLike, statistic: Statistic, seed: int = 0) -> Difference:
    """Return whether errors differ between two records, by resampling each on its own.

    Parameters
    ----------
    before : array_like, (N,), any, any
        Evenly sampled errors of the first record; NaN is left out.
    after : array_like, (M,), any, any
        Of the second record.
    statistic : {"rmse", "p95", "max"}
        What to compare; of maxima no bootstrap tells, and the interval is NaN.
    seed : int
        Of the resampling.
    """
    a, b = (np.abs(v[np.isfinite(v)]) for v in (np.asarray(x, dtype=float) for x in (before, after)))
    value = Difference(measure(a, statistic), measure(b, statistic), float("nan"), float("nan"))
    first, second = bootstrap_draws(a, statistic, seed), bootstrap_draws(b, statistic, seed + 1)
    if first is None or second is None or statistic == "max":
        return value
    low, high = np.percentile(second - first, [2.5, 97.5])
    return value._replace(low=float(low), high=float(high))


def chi2_bounds(dimension: int, count: int, probability: float = 0.95) -> tuple[float, float]:
    """Return the two-sided bounds of the mean of ``count`` chi-square values (Bar-Shalom et al. 2001, section 5.4)."""
    tail = 0.5 * (1 - probability)
    dof = dimension * count
    return float(stats.chi2.ppf(tail, dof) / count), float(stats.chi2.ppf(1 - tail, dof) / count)


def chi2_gate(dimension: int, probability: float) -> float:
    """Return the one-sided gate of a single squared innovation."""
    return float(stats.chi2.ppf(probability, dimension))


def normalised_error_squared(error: ArrayLike, covariance: ArrayLike) -> float:
    """Return e' P^-1 e."""
    e = np.asarray(error, dtype=float)
    return float(e @ np.linalg.solve(np.asarray(covariance, dtype=float), e))


class Coverage(NamedTuple):
    """Shares of errors within one, two, three claimed sigmas (68, 95, 99.7 % are due), and the RMS of error/sigma."""

    one: float
    two: float
    three: float
    ratio: float


def coverage(errors: ArrayLike, sigmas: ArrayLike) -> Coverage:
    """Return how often errors (N,) lie within the claimed sigmas (N,)."""
    z: Array = np.abs(np.asarray(errors, dtype=float)) / np.asarray(sigmas, dtype=float)
    z = z[np.isfinite(z)]
    if len(z) == 0:
        return Coverage(*[float("nan")] * 4)
    return Coverage(
        float((z <= 1).mean()), float((z <= 2).mean()), float((z <= 3).mean()), float(np.sqrt((z**2).mean()))
    )
