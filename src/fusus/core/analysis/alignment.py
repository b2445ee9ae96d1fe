"""Two clocks on one line: offset and rate by cross-correlation of what both saw.

Arrays, where a function does not say otherwise (shape, unit, frame):

    a : (N,) any, any
    b : (N,) any, any
    cross_correlation() : (2 N - 1,) twice: samples; 1, any
"""

from typing import NamedTuple

import numpy as np
from numpy.typing import ArrayLike
from scipy.signal import correlate

from fusus.core.arrays import Array
from fusus.core.frames.clock import ClockMap
from fusus.core.frames.quaternion import body_rates
from fusus.errors import AlignmentError

# Below this correlation two records are taken as unrelated (common practice).
LEAST_CORRELATION = 0.5
# A rate between two clocks is believed if it is so many times its standard error: a few windows alone show any rate.
SURE = 2.5


class Lag(NamedTuple):
    """By how much the second signal comes later, s, and the normalised correlation there."""

    lag_s: float
    correlation: float


class Alignment(NamedTuple):
    """Clock of the second record against the first, the correlation, and the standard error of the offset, s."""

    clock: ClockMap
    correlation: float
    offset_sigma_s: float


def _standard(values: Array) -> Array:
    v = values - values.mean()
    size = np.sqrt(np.mean(v**2))
    return np.asarray(v / size if size > 0 else v)


def cross_correlation(a: ArrayLike, b: ArrayLike) -> tuple[Array, Array]:
    """Return lags in samples and the normalised correlation of two series; a positive lag: b comes later."""
    x, y = _standard(np.asarray(a, dtype=float)), _standard(np.asarray(b, dtype=float))
    c = correlate(y, x, mode="full") / max(len(x), len(y))
    return np.arange(-(len(x) - 1), len(y), dtype=float), np.asarray(c)


def find_lag(a: ArrayLike, b: ArrayLike, rate_hz: float, longest_s: float | None = None) -> Lag:
    """Return the lag of b behind a, to a fraction of a sample.

    Parameters
    ----------
    a : array_like, (N,), any, any
        First series.
    b : array_like, (M,), any, any
        Second series, same rate.
    rate_hz : float
        Samples a second of both.
    longest_s : float or None
        Look no further than this; None looks everywhere.

    Returns
    -------
    Lag
        The peak is refined by a parabola through its neighbours: within a tenth of a sample for smooth signals.
    """
    lags, c = cross_correlation(a, b)
    if longest_s is not None:
        keep = np.abs(lags) <= longest_s * rate_hz + 1
        lags, c = lags[keep], c[keep]
    i = int(np.argmax(c))
    shift = 0.0
    if 0 < i < len(c) - 1:
        left, peak, right = c[i - 1], c[i], c[i + 1]
        bend = left - 2 * peak + right
        shift = 0.5 * (left - right) / bend if bend < 0 else 0.0
    return Lag(float((lags[i] + shift) / rate_hz), float(c[i]))


def find_clock(a: ArrayLike, b: ArrayLike, rate_hz: float, window_s: float = 20.0) -> Alignment:
    """Return the clock of b against the clock of a, where both were sampled at the nominal rate by their own clock.

    Parameters
    ----------
    a : array_like, (N,), any, any
        First series.
    b : array_like, (M,), any, any
        Second series of the same quantity.
    rate_hz : float
        Nominal rate of both.
    window_s : float
        Length of the windows whose lags make the line.

    Returns
    -------
    Alignment
        ``t_b = offset + (1 + drift) t_a``; the drift is 0 where it does not stand out from the windows' spread.

    Raises
    ------
    AlignmentError
        If the correlation stays below 0.5: the records do not show the same motion.
    """
    x, y = np.asarray(a, dtype=float), np.asarray(b, dtype=float)
    whole = find_lag(x, y, rate_hz)
    width = round(window_s * rate_hz)
    rough = round(whole.lag_s * rate_hz)
    # A drift of 500 ppm over the record moves the ends by that much; windows look so far around the whole's lag.
    reach = round((0.5 + 5e-4 * max(len(x), len(y)) / rate_hz) * rate_hz)
    middles, lags, peaks = [], [], []
    for start in range(0, len(x) - width + 1, width):
        first, last = start + rough - reach, start + rough + width + reach
        if first < 0 or last > len(y) or np.std(x[start : start + width]) == 0.0:
            continue
        found = _window_lag(x[start : start + width], y[first:last], reach)
        middles.append((start + 0.5 * width) / rate_hz)
        lags.append((rough + found[0]) / rate_hz)
        peaks.append(found[1])
    good = [i for i, p in enumerate(peaks) if p >= LEAST_CORRELATION]
    if len(good) < 3:
        if whole.correlation < LEAST_CORRELATION:
            raise AlignmentError(
                f"The two records do not show the same motion (best correlation {whole.correlation:.2f}, "
                f"{LEAST_CORRELATION} is needed), so they cannot be put on one clock."
            )
        return Alignment(ClockMap(whole.lag_s, 0.0), whole.correlation, 0.5 / rate_hz)
    t, lag = np.array(middles)[good], np.array(lags)[good]
    keep = np.abs(lag - np.median(lag)) <= max(5 * float(np.median(np.abs(lag - np.median(lag)))), 2 / rate_hz)
    offset, slope, sigma = _line(t[keep], lag[keep])
    return Alignment(ClockMap(offset, slope), float(np.median(np.array(peaks)[good])), sigma)


def _line(t: Array, lag: Array) -> tuple[float, float, float]:
    """Return offset s, rate, and standard error of the offset of lags (K,) at times (K,); a rate that does not stand out is none."""
    n = len(t)
    level, spread = float(lag.mean()), float(lag.std(ddof=1)) if n > 1 else 0.0
    if n >= 4:
        slope, offset = (float(v) for v in np.polyfit(t, lag, 1))
        left = float(np.sqrt(np.sum((lag - offset - slope * t) ** 2) / (n - 2)))
        if abs(slope) > SURE * left / max(float(np.sqrt(np.sum((t - t.mean()) ** 2))), 1e-12):
            return offset, slope, left / float(np.sqrt(n))
    return level, 0.0, spread / float(np.sqrt(n))


def _window_lag(x: Array, y: Array, reach: int) -> tuple[float, float]:
    """Return the lag in samples of x inside the longer y (0 = ``reach`` rows in), and the correlation there."""
    n = len(x)
    xs = x - x.mean()
    sums = np.concatenate([[0.0], np.cumsum(y)])
    squares = np.concatenate([[0.0], np.cumsum(y**2)])
    mean = (sums[n:] - sums[:-n]) / n
    variance = np.maximum((squares[n:] - squares[:-n]) / n - mean**2, 1e-30)
    c = correlate(y, xs, mode="valid") / (n * np.sqrt(variance) * max(float(np.std(x)), 1e-30))
    i = int(np.argmax(c))
    shift = 0.0
    if 0 < i < len(c) - 1:
        bend = c[i - 1] - 2 * c[i] + c[i + 1]
        shift = 0.5 * (c[i - 1] - c[i + 1]) / bend if bend < 0 else 0.0
    return i + float(shift) - reach, float(c[i])


def rate_size(t_s: ArrayLike, q_nb: ArrayLike, rate_hz: float) -> tuple[float, Array]:
    """Return a start time and the size of the body rate, rad/s, on an even grid: what two attitude records share.

    Parameters
    ----------
    t_s : array_like, (N,), s, any
        Rising times.
    q_nb : array_like, (N, 4), 1, n to b
        Attitudes.
    rate_hz : float
        Of the grid.

    Returns
    -------
    tuple
        Start time in s, and the series (M,). The size does not depend on how the two sensors are mounted.
    """
    t, q = np.asarray(t_s, dtype=float), np.asarray(q_nb, dtype=float)
    # Thin to the grid first: differences of neighbouring noisy samples would drown the motion.
    grid = np.arange(t[0], t[-1], 1.0 / rate_hz)
    rows = np.unique(np.clip(np.searchsorted(t, grid), 0, len(t) - 1))
    size = np.linalg.norm(body_rates(t[rows], q[rows]), axis=1)
    middle = 0.5 * (t[rows][1:] + t[rows][:-1])
    even = np.arange(middle[0], middle[-1], 1.0 / rate_hz)
    return float(even[0]), np.interp(even, middle, size)


def align_attitudes(
    t_a: ArrayLike, q_a: ArrayLike, t_b: ArrayLike, q_b: ArrayLike, longest_s: float | None = None
) -> Alignment:
    """Return the clock of record b against record a from their body rates.

    Parameters
    ----------
    t_a : array_like, (N,), s, any
        Times of a.
    q_a : array_like, (N, 4), 1, n to b
        Attitudes of a.
    t_b : array_like, (M,), s, any
        Times of b.
    q_b : array_like, (M, 4), 1, n to b
        Attitudes of b.
    longest_s : float or None
        Refuse a larger offset than this.

    Returns
    -------
    Alignment
        ``t_b = offset + (1 + drift) t_a``.

    Raises
    ------
    AlignmentError
        If the records are too short, do not move, or do not show the same motion.
    """
    ta, tb = np.asarray(t_a, dtype=float), np.asarray(t_b, dtype=float)
    if len(ta) < 20 or len(tb) < 20:
        raise AlignmentError("At least 20 attitudes on either side are needed to compare clocks.")
    rate = float(min(100.0, 1 / np.median(np.diff(ta)), 1 / np.median(np.diff(tb))))
    start_a, a = rate_size(ta, q_a, rate)
    start_b, b = rate_size(tb, q_b, rate)
    if np.std(a) < 1e-3 or np.std(b) < 1e-3:
        raise AlignmentError(
            "The records hardly move, so their clocks cannot be compared. Rock the board at the start."
        )
    found = find_clock(a, b, rate)
    drift = found.clock.drift
    offset = found.clock.offset_s + start_b - (1 + drift) * start_a
    if longest_s is not None and abs(offset) > longest_s:
        raise AlignmentError(f"The best offset is {offset:.2f} s, further than the {longest_s:g} s allowed.")
    return Alignment(ClockMap(float(offset), drift), found.correlation, found.offset_sigma_s)


def align_speeds(t_a: ArrayLike, speed_a: ArrayLike, t_b: ArrayLike, speed_b: ArrayLike) -> Alignment:
    """Return the clock of record b against record a from the size of their velocity: for tracks without attitude.

    Parameters
    ----------
    t_a : array_like, (N,), s, any
        Times of a.
    speed_a : array_like, (N,), m/s, any
        Speed of a.
    t_b : array_like, (M,), s, any
        Times of b.
    speed_b : array_like, (M,), m/s, any
        Speed of b.

    Returns
    -------
    Alignment
        ``t_b = offset + (1 + drift) t_a``.

    Raises
    ------
    AlignmentError
        If the records are too short, stand still, or do not show the same motion.
    """
    ta, tb = np.asarray(t_a, dtype=float), np.asarray(t_b, dtype=float)
    a, b = np.asarray(speed_a, dtype=float), np.asarray(speed_b, dtype=float)
    if len(ta) < 20 or len(tb) < 20:
        raise AlignmentError("At least 20 speeds on either side are needed to compare clocks.")
    rate = 50.0
    grids = [np.arange(t[0], t[-1], 1.0 / rate) for t in (ta, tb)]
    even = [np.interp(grid, t, v) for grid, t, v in zip(grids, (ta, tb), (a, b), strict=True)]
    if np.std(even[0]) < 0.1 or np.std(even[1]) < 0.1:
        raise AlignmentError("The speeds hardly change, so the clocks cannot be compared. Fly a few legs with stops.")
    found = find_clock(even[0], even[1], rate)
    drift = found.clock.drift
    offset = found.clock.offset_s + float(tb[0]) - (1 + drift) * float(ta[0])
    return Alignment(ClockMap(offset, drift), found.correlation, found.offset_sigma_s)
