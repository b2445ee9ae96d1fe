"""What the numbers themselves say of their unit."""

import numpy as np

from fusus.core.arrays import Array
from fusus.logs.mapping import RawCounts

_G = 9.80665
GYRO_RANGES_DEG_S = (125.0, 250.0, 500.0, 1000.0, 2000.0, 4000.0)
ACC_RANGES_G = (2.0, 4.0, 8.0, 16.0, 32.0, 3.0, 6.0, 12.0, 24.0)


def typical_size(xyz: Array) -> float:
    """Return the median length of the finite rows of vectors (N, 3), 0 for none."""
    with np.errstate(over="ignore", invalid="ignore"):  # a wrong field may hold any number
        size = np.linalg.norm(xyz, axis=1)
    size = size[np.isfinite(size)]
    return float(np.median(size)) if len(size) else 0.0


def looks_like_counts(columns: list[Array]) -> bool:
    """Return whether the axes of a sensor are whole numbers, one of them larger than physical readings would be."""
    known = [v[np.isfinite(v)] for v in columns]
    if any(len(v) <= 8 or np.any(v != np.rint(v)) for v in known):
        return False
    return bool(max(np.abs(v).max() for v in known) > 64) and max(len(np.unique(v)) for v in known) > 3


def signed_words(values: Array, bits: int = 16) -> Array:
    """Return counts with unsigned words above the middle taken as negative (two's complement)."""
    return np.where(values >= 2 ** (bits - 1), values - 2.0**bits, values)


def acceleration_unit(xyz: Array) -> str | None:
    """Return the unit in which specific force (N, 3) has about the size of gravity, or None."""
    size = typical_size(xyz)
    for unit, low, high in (("g", 0.5, 2.0), ("m/s²", 6.0, 16.0), ("mg", 600.0, 1500.0), ("cm/s²", 1500.0, 0.0)):
        if low <= size <= high:
            return unit
    return None


def acceleration_counts(xyz: Array, bits: int = 16) -> RawCounts | None:
    """Return range and bits of accelerometer counts (N, 3) by the size of gravity in counts, or None."""
    size = typical_size(xyz)
    if not size > 0:
        return None
    scale = 2 ** (bits - 1) / size
    best = min(ACC_RANGES_G, key=lambda r: abs(np.log(scale / r)))
    return RawCounts(full_scale=best, bits=bits) if abs(scale / best - 1) < 0.08 else None


def field_unit(xyz: Array) -> str | None:
    """Return the unit in which a field (N, 3) has about the size of the earth's, or None."""
    size = typical_size(xyz)
    for unit, factor in (("µT", 1.0), ("G", 100.0), ("mG", 0.1), ("nT", 1e-3)):
        if 15.0 <= size * factor <= 110.0:
            return unit
    return None


def pressure_unit(values: Array) -> str | None:
    """Return the unit in which a pressure has about the size of the air's, or None."""
    known = values[np.isfinite(values)]
    size = float(np.median(known)) if len(known) else 0.0
    for unit, factor in (("Pa", 1.0), ("hPa", 100.0), ("kPa", 1000.0), ("bar", 1e5)):
        if 30000.0 <= size * factor <= 115000.0:
            return unit
    return None
