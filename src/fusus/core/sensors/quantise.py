"""Full scale, counts and saturation: two's complement of any width.

Arrays, where a function does not say otherwise (shape, unit, frame):

    values : (...) any, s
    counts : (...) counts, s
    to_counts() : (...) counts, s
    from_counts() : (...) any, s
    quantise() : (...) any, s
"""

import numpy as np
from numpy.typing import ArrayLike

from fusus.core.arrays import Array, IntArray


def counts_per_unit(full_scale: float, bits: int) -> float:
    """Return the counts of one unit for a range of ± ``full_scale``."""
    return float(2 ** (bits - 1)) / full_scale


def to_counts(values: ArrayLike, full_scale: float, bits: int) -> IntArray:
    """Return the nearest counts, clipped to the word."""
    top = 2 ** (bits - 1)
    counts = np.rint(np.asarray(values, dtype=float) * counts_per_unit(full_scale, bits))
    return np.clip(counts, -top, top - 1).astype(np.int64)


def from_counts(counts: ArrayLike, full_scale: float, bits: int) -> Array:
    """Return the values of counts; unsigned words above the middle are taken as negative."""
    raw = np.asarray(counts, dtype=float)
    raw = np.where(raw >= 2 ** (bits - 1), raw - 2**bits, raw)
    return np.asarray(raw / counts_per_unit(full_scale, bits))


def quantise(values: ArrayLike, full_scale: float, bits: int) -> Array:
    """Return what a converter makes of the values: steps of one count, clipped at the range."""
    return from_counts(to_counts(values, full_scale, bits), full_scale, bits)
