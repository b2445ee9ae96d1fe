"""The one form in which arrays cross the border of the core, and the checks on numbers.

Arrays, where a function does not say otherwise (shape, unit, frame):

    values : (N, columns) or (N,) any, any
"""

import math

import numpy as np
from numpy.typing import ArrayLike, NDArray

from fusus.errors import ParameterError

Array = NDArray[np.float64]
IntArray = NDArray[np.int64]
BoolArray = NDArray[np.bool_]
ByteArray = NDArray[np.uint8]


def as_samples(values: ArrayLike, name: str, columns: int) -> Array:
    """Return ``values`` as a read-only C-ordered float64 array of shape (N, columns), or raise ValueError."""
    out = np.ascontiguousarray(values, dtype=np.float64).view()
    if out.ndim != 2 or out.shape[1] != columns:
        raise ValueError(f"{name} must have shape (N, {columns}), not {out.shape}")
    out.flags.writeable = False
    return out


def as_series(values: ArrayLike, name: str) -> Array:
    """Return ``values`` as a read-only float64 array of shape (N,), or raise ValueError."""
    out = np.ascontiguousarray(values, dtype=np.float64).view()
    if out.ndim != 1:
        raise ValueError(f"{name} must have one dimension, not {out.ndim}")
    out.flags.writeable = False
    return out


def check_range(name: str, value: float, low: float, high: float, unit: str) -> None:
    """Raise ParameterError unless ``low <= value <= high``; refuses NaN too."""
    if not (isinstance(value, (int, float)) and math.isfinite(value) and low <= value <= high):
        raise ParameterError(name, value, low, high, unit)
