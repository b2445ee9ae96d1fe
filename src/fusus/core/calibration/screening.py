"""What makes any capture useless, whatever it was for: too few samples, stuck values, saturation.

Arrays, where a function does not say otherwise (shape, unit, frame):

    values : (N, 3) any, s
    new_readings() : (K, 3) any, s
"""

import numpy as np
from numpy.typing import ArrayLike

from fusus.core.arrays import Array
from fusus.core.calibration.result import CaptureProblem, Word

LEAST_SAMPLES = 50
PILED = 5
Found = list[tuple[Word, CaptureProblem]]


def screen(values: ArrayLike, what: str, least: int = LEAST_SAMPLES) -> Found:
    """Return what is wrong with readings (N, 3) of a sensor called ``what``.

    Saturation shows as one extreme value that is taken again and again, in neighbouring samples.
    """
    v = np.asarray(values, dtype=float)
    out: Found = []
    if len(v) < least:
        out.append(_fail("too few samples", f"There are {len(v)} samples of the {what}.", f"Record at least {least}."))
        return out
    if (np.ptp(v, axis=0) == 0).all():
        out.append(
            _fail("stuck", f"All samples of the {what} are equal.", "Check wiring, power and how the sensor is read.")
        )
        return out
    for axis in np.flatnonzero(np.ptp(v, axis=0) == 0).tolist():
        out.append(_fail("stuck", f"The {'xyz'[axis]} axis of the {what} never changes.", "Check how it is read."))
    fresh = new_readings(v)
    for axis in range(v.shape[1]):
        count = saturated(fresh[:, axis])
        if count:
            peak = float(np.abs(v[:, axis]).max())
            out.append(
                _fail(
                    "saturated", f"The {'xyz'[axis]} axis of the {what} stands at {peak:.4g} (SI) for {count} samples.",
                    "Choose a larger range, or move more gently.",
                )
            )  # fmt: skip
    return out


def new_readings(values: ArrayLike) -> Array:
    """Return rows (K, 3) that differ from the one before: a logger faster than its sensor writes each reading several times, which
    neither piles up at the end of a range nor counts as news."""
    v = np.asarray(values, dtype=float)
    new = np.ones(len(v), dtype=bool)
    new[1:] = (v[1:] != v[:-1]).any(axis=1)
    return v[new]


def saturated(values: ArrayLike) -> int:
    """Return how many samples stand at an end of the range: the extreme is met far more often than the steps next to it.

    A smooth motion that turns round passes its peak no more slowly than the steps below it; a clipped one piles up there.
    """
    v = np.asarray(values, dtype=float)
    levels, counts = np.unique(v, return_counts=True)
    if len(levels) < 20:
        return 0  # at rest on a coarse converter
    step = float(np.diff(levels).min())
    total = 0
    for top, piled in ((levels[-1], counts[-1]), (levels[0], counts[0])):
        beside = counts[(np.abs(levels - top) < 6.5 * step) & (levels != top)]
        at = np.flatnonzero(v == top)
        in_a_row = int((np.diff(at) == 1).sum())
        if piled >= PILED and in_a_row >= PILED - 2 and piled > 4 * int(beside.sum() if len(beside) else 0):
            total += int(piled)
    return total


def _fail(kind: str, message: str, action: str) -> tuple[Word, CaptureProblem]:
    return "fail", CaptureProblem(kind, message, action)
