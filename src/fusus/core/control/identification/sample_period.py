"""The loop's own beat in a recording: how evenly the samples come, and which of them come late.

Arrays, where a function does not say otherwise (shape, unit, frame):

    t_ns : (N,) ns, any
"""

from dataclasses import dataclass

import numpy as np

from fusus.core.arrays import Array, IntArray


@dataclass(frozen=True, slots=True)
class SamplePeriod:
    """Period (median) s, its jitter one sigma s and from the earliest to the latest 99.9 % s, the longest interval s, how many
    samples come more than half a period late and how many are missing; every how many samples late ones tend to come (0: no rule)."""

    period_s: float
    jitter_s: float
    spread_s: float
    longest_s: float
    late: int
    missing: int
    every: int

    @property
    def rate_hz(self) -> float:
        """Samples a second."""
        return 1.0 / self.period_s


def beat(t_ns: IntArray) -> SamplePeriod | None:
    """Return the beat of time stamps (N,) ns; None for fewer than ten."""
    if len(t_ns) < 10:
        return None
    steps: Array = np.diff(t_ns) * 1e-9
    period = float(np.median(steps))
    if period <= 0.0:
        return None
    whole = np.maximum(np.rint(steps / period), 1.0)
    # A sample that is missing makes a step of two periods, no late one.
    off = steps - whole * period
    late = np.flatnonzero(steps > 1.5 * period)
    low, high = np.percentile(off, [0.05, 99.95])
    gaps = np.diff(late)
    every = int(np.median(gaps)) if len(gaps) > 5 and np.std(gaps) < 0.3 * np.mean(gaps) else 0
    return SamplePeriod(
        period, float(off.std()), float(high - low), float(steps.max()), len(late), int((whole - 1).sum()), every
    )
