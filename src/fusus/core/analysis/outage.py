"""Stretches without GNSS: those that a recording has, those made on purpose, and what an estimate is off at their end.

Arrays, where a function does not say otherwise (shape, unit, frame):

    gnss : (M, 9) as estimation.aiding says, n
    gnss_t_s : (M,) s, any
    when_s : (K,) s, any
"""

import numpy as np
from numpy.typing import ArrayLike

from fusus.core.analysis.comparison import Comparison
from fusus.core.arrays import Array

LEAST_S = 3.0  # shorter silences are no outage
SETTLE_S = 25.0  # between outages made on purpose: the estimate has to recover

Outages = tuple[tuple[float, float], ...]


def outage_from(text: str) -> tuple[float, float]:
    """Return what START:DURATION in seconds says; ValueError where it says nothing of the kind."""
    try:
        start, length = (float(part) for part in text.split(":"))
    except ValueError:
        raise ValueError(f"{text}: write START:DURATION in seconds, for example 120:8.") from None
    if not (0 < length < np.inf and 0 <= start < np.inf):
        raise ValueError(f"{text}: the start must not be negative and the duration must be above 0 s.")
    return start, length


def hidden(gnss: Array, outages: Outages, begins_s: float) -> Array:
    """Return fixes (M, 9) without those that come in outages: (start after ``begins_s``, duration) in s."""
    keep = np.ones(len(gnss), dtype=bool)
    t = gnss[:, 0] - begins_s
    for start, duration in outages:
        keep &= ~((t >= start) & (t < start + duration))
    return np.ascontiguousarray(gnss[keep])


def recorded(gnss_t_s: ArrayLike, begins_s: float) -> Outages:
    """Return the silences between fixes (M,) that are longer than three seconds: start after ``begins_s``, duration."""
    t = np.asarray(gnss_t_s, dtype=float)
    gaps = np.flatnonzero(np.diff(t) > LEAST_S)
    return tuple((float(t[i] - begins_s), float(t[i + 1] - t[i])) for i in gaps)


def trials(length_s: float, begins_s: float, ends_s: float, avoid: Outages, shift: float) -> Outages:
    """Return outages of a length with time to recover between them, from ``begins_s`` on, clear of others.

    ``shift`` from 0 to 1 moves them by that share of their spacing: several sets try more places.
    """
    spacing = length_s + SETTLE_S
    out = []
    start = begins_s + shift * spacing
    while start + length_s < ends_s:
        if all(start + length_s + SETTLE_S / 2 < a or start > a + d + SETTLE_S / 2 for a, d in avoid):
            out.append((start, length_s))
        start += spacing
    return tuple(out)


def errors_at(comparison: Comparison, when_s: ArrayLike) -> tuple[Array, Array]:
    """Return horizontal and height errors, m, (K,) at times (K,) of the estimate, NaN where they are not known."""
    when = np.asarray(when_s, dtype=float)
    out = []
    for name in ("horizontal", "height"):
        series = comparison.series(name)
        known = series is not None
        out.append(np.abs(np.interp(when, comparison.t_s, series)) if known else np.full(when.shape, np.nan))  # type: ignore[arg-type]
    return out[0], out[1]
