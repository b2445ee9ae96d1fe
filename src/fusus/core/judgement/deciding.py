"""Which stretch of a recording decides a requirement's figure.

Arrays, where a function does not say otherwise (shape, unit, frame):

    t_s : (N,) s, any
    errors : (N,) any, any
"""

from typing import NamedTuple

import numpy as np

from fusus.core.analysis.statistics import Statistic, measure
from fusus.core.arrays import Array

# Looked at are stretches of a tenth of the recording, within these.
SHORTEST_S, LONGEST_S, SHARE = 2.0, 30.0, 0.1


class Deciding(NamedTuple):
    """From and to, s in the recording's time; the share of the figure that comes from there (of the squares, of the samples beyond
    the percentile, or all of a maximum); and the figure without it, NaN where nothing else is left."""

    start_s: float
    end_s: float
    share: float
    without: float


def deciding(t_s: Array, errors: Array, statistic: Statistic) -> Deciding | None:
    """Return the stretch that weighs most in a statistic of errors (N,) at times (N,); None for too few.

    Of an RMSE the one with the largest sum of squares, of a percentile the one with most samples beyond it, of a maximum the one
    round it.
    """
    size = np.abs(np.asarray(errors, dtype=float))
    known = np.isfinite(size)
    t, size = np.asarray(t_s, dtype=float)[known], size[known]
    if len(t) < 4 or t[-1] <= t[0]:
        return None
    width = float(np.clip(SHARE * (t[-1] - t[0]), min(SHORTEST_S, t[-1] - t[0]), LONGEST_S))
    value = measure(size, statistic)
    if statistic == "max":
        at = float(t[int(np.argmax(size))])
        start = min(max(at - width / 2, float(t[0])), float(t[-1]) - width)
        return _deciding(t, size, start, width, 1.0, statistic)
    # Samples may lie unevenly: each weighs by the time it stands for.
    gaps = np.diff(t)
    usual = float(np.median(gaps))
    stands = np.minimum(np.append(gaps, usual), 5.0 * usual)
    weight = stands * (size**2 if statistic == "rmse" else (size >= value))
    total = float(weight.sum())
    if total <= 0.0:
        return None
    sums = np.concatenate([[0.0], np.cumsum(weight)])
    ends = np.searchsorted(t, t + width, "right")
    inside = sums[ends] - sums[:-1]
    first = int(np.argmax(inside))
    start = min(float(t[first]), float(t[-1]) - width)
    return _deciding(t, size, start, width, float(inside[first]) / total, statistic)


def _deciding(t: Array, size: Array, start: float, width: float, share: float, statistic: Statistic) -> Deciding:
    outside = (t < start) | (t > start + width)
    return Deciding(start, start + width, share, measure(size[outside], statistic))
