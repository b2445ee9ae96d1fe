"""Size of an error and how sure it is: RMSE, 95th percentile, maximum, with intervals.

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

from fusus.core.analysis.long_run import correlation_length, long_run
from fusus.core.arrays import Array

Statistic = Literal["rmse", "p95", "max"]
MOST_POINTS = 6000
REPEATS = 400
NORMAL_95 = 1.959964
# Of the independent samples, the share that counts as degrees of freedom of the lower and of the upper end, and the fewest.
LOWER, UPPER = (1 / 2, 4.0), (1 / 14, 4.0)
PERCENTILE_MORE = 1.1


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


def error_interval(errors: ArrayLike, statistic: Statistic, seed: int = 0) -> Interval:
    """Return a statistic with its 95 % interval, whatever time the errors stay alike.

    Parameters
    ----------
    errors : array_like, (N,), any, any
        Evenly sampled errors; NaN is left out.
    statistic : {"rmse", "p95", "max"}
        What to measure.
    seed : int
        Of the resampling, for a maximum.

    Returns
    -------
    Interval
        The value belongs to all samples. The interval of a maximum is one-sided: from the bootstrap's lower end to
        the value itself times the usual spread of extremes, since no resample can exceed what was seen.

    Notes
    -----
    RMSE: the mean square as chi-square with as many degrees of freedom as its long-run variance leaves (Satterthwaite 1946). 95th
    percentile: the share beyond it by Clopper and Pearson (1934) with as many samples as that share's long-run variance leaves, taken
    back to errors (Woodruff 1952). Both are widened as Student's t is for so few samples, the upper end more: a record that missed the
    large errors has also missed how much they vary. The factors stand for 94 to 95 % over thirteen kinds of errors.
    """
    size = np.abs(np.asarray(errors, dtype=float))
    size = size[np.isfinite(size)]
    value = measure(size, statistic)
    if len(size) < 8:
        return Interval(value, float("nan"), float("nan"))
    if statistic == "max":
        return _interval(value, _maxima(size, seed), statistic)
    power = long_run(size**2)
    mean = float(np.mean(size**2))
    if mean <= 0.0 or power.variance <= 0.0:
        return Interval(value, value, value)
    freedom = 2.0 * mean**2 / power.variance
    low = (freedom / stats.chi2.ppf(0.975, freedom)) ** (0.5 * _widened(power.samples, LOWER))
    high = (freedom / stats.chi2.ppf(0.025, freedom)) ** (0.5 * _widened(power.samples, UPPER))
    if statistic == "rmse":
        found = Interval(value, value * float(low), value * float(high))
    else:
        found = _percentile_interval(size, value, float(high))
    # Where one drift is the whole record nothing else bounds it: beyond the largest error seen it speaks of nothing.
    return found._replace(high=min(found.high, float(size.max())))


def _percentile_interval(size: Array, value: float, widest: float) -> Interval:
    """Return the interval of a 95th percentile; beyond what so few samples show, ``widest`` times the value."""
    beyond = long_run((size > value).astype(float))
    count = max(0.05 * 0.95 / beyond.variance if beyond.variance > 0 else float(len(size)), 8.0)
    lower = count / _widened(beyond.samples, LOWER) ** 2
    upper = count / (PERCENTILE_MORE * _widened(beyond.samples, UPPER)) ** 2
    most = stats.beta.ppf(0.975, 0.05 * lower + 1.0, 0.95 * lower)
    least = stats.beta.ppf(0.025, 0.05 * upper, 0.95 * upper + 1.0)
    low, high = np.percentile(size, [100.0 * (1.0 - most), 100.0 * (1.0 - least)])
    if least * count < 0.5 or least * len(size) < 5.0:
        high = max(high, value * widest)
    return Interval(value, min(float(low), value), max(float(high), value))


def _widened(samples: float, counted: tuple[float, float]) -> float:
    """Return Student's t over the normal quantile, with a share of so many samples as degrees of freedom, and a least."""
    return float(stats.t.ppf(0.975, max(samples * counted[0], counted[1]))) / NORMAL_95


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
    """Return the middle 95 % of draws round a value; of a maximum as in ``error_interval``."""
    low, high = np.percentile(draws, [2.5, 97.5])
    if statistic == "max":
        high = value + (value - float(draws.mean()))
    return Interval(value, min(float(low), value), max(float(high), value))


def _maxima(errors: Array, seed: int) -> Array:
    """Return maxima of resampled errors (N,), (REPEATS,), by the circular block bootstrap (Politis & Romano 1992)."""
    v = errors[:: max(1, len(errors) // MOST_POINTS)]
    n = len(v)
    block = int(np.clip(np.ceil(2 * correlation_length(v)), 1, max(1, n // 3)))
    starts = np.random.default_rng(seed).integers(0, n, (REPEATS, -(-n // block)))
    rows = (starts[:, :, None] + np.arange(block)).reshape(REPEATS, -1) % n
    return np.asarray(v[rows].max(axis=1))


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


def difference(before: ArrayLike, after: ArrayLike, statistic: Statistic) -> Difference:
    """Return whether errors differ between two records, from the interval of each.

    Parameters
    ----------
    before : array_like, (N,), any, any
        Evenly sampled errors of the first record; NaN is left out.
    after : array_like, (M,), any, any
        Of the second record.
    statistic : {"rmse", "p95", "max"}
        What to compare; of maxima no interval tells, and it is NaN.

    Notes
    -----
    The ends that face one another are added in squares (Zou & Donner 2008).
    """
    a, b = error_interval(before, statistic), error_interval(after, statistic)
    if statistic == "max":
        return Difference(a.value, b.value, float("nan"), float("nan"))
    change = b.value - a.value
    low = change - float(np.hypot(b.value - b.low, a.high - a.value))
    high = change + float(np.hypot(b.high - b.value, a.value - a.low))
    return Difference(a.value, b.value, low, high)


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
