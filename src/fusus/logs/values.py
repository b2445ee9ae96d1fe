"""What the numbers themselves say of their unit."""

import numpy as np

from fusus.core.arrays import Array
from fusus.logs.mapping import RawCounts

_G = 9.80665
GYRO_RANGES_DEG_S = (125.0, 250.0, 500.0, 1000.0, 2000.0, 4000.0)
ACC_RANGES_G = (2.0, 4.0, 8.0, 16.0, 32.0, 3.0, 6.0, 12.0, 24.0)


def typical_size(xyz: Array) -> float:
    """Return the median length of the finite rows of vectors (N, 3), 0 for none."""
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


def gravity_turn_scale(t_s: Array, gyro: Array, acc: Array) -> tuple[float, float]:
    """Return the factor that makes a gyro of unknown unit rad/s, by how gravity turns in the body, and how sure it is.

    A fixed direction u seen from the body changes as du/dt = -ω x u. The second number is the correlation of the two
    sides, 0 where nothing turns.
    """
    good = np.isfinite(t_s) & np.isfinite(gyro).all(axis=1) & np.isfinite(acc).all(axis=1)
    t, w, f = t_s[good], gyro[good], acc[good]
    if len(t) < 40 or t[-1] <= t[0]:
        return 1.0, 0.0
    width = max(1, int(0.08 / max(float(np.median(np.diff(t))), 1e-6)))
    # Averages over some 80 ms take most of the shaking out.
    n = len(t) // width
    if n < 12:
        return 1.0, 0.0
    t, w, f = (a[: n * width].reshape(n, width, *a.shape[1:]).mean(axis=1) for a in (t, w, f))
    size = np.linalg.norm(f, axis=1)
    typical = float(np.median(size))
    calm = np.abs(size / typical - 1) < 0.15
    u = f / np.where(size > 0, size, 1)[:, None]
    w = w - np.median(w, axis=0)
    turn = -np.cross(w[1:-1], u[1:-1])
    change = (u[2:] - u[:-2]) / (t[2:] - t[:-2])[:, None]
    keep = calm[1:-1] & calm[2:] & calm[:-2]
    a, b = turn[keep].ravel(), change[keep].ravel()
    aa, bb, ab = float(a @ a), float(b @ b), float(a @ b)
    if aa <= 0 or bb <= 0 or float(np.percentile(np.abs(b), 95)) < 0.03:
        return 1.0, 0.0
    return ab / aa, ab / np.sqrt(aa * bb)


def rate_unit(t_s: Array, gyro: Array, acc: Array | None) -> tuple[str, bool]:
    """Return "rad/s" or "deg/s" for a gyro (N, 3), and whether the data show it (else it is a guess by size)."""
    if acc is not None:
        factor, surety = gravity_turn_scale(t_s, gyro, acc)
        if surety > 0.5 and factor > 0:
            return ("rad/s", True) if abs(np.log(factor)) < abs(np.log(factor * 180 / np.pi)) else ("deg/s", True)
    known = gyro[np.isfinite(gyro).all(axis=1)]
    if len(known) == 0:
        return "rad/s", False
    size = np.abs(known - np.median(known, axis=0))
    if float(np.percentile(size, 99.5)) > 12.0:
        return "deg/s", True
    # A still consumer gyro wavers by some 0.05-0.3 deg/s: as rad/s that would be shaking.
    return ("deg/s", False) if float(np.median(size)) > 0.03 else ("rad/s", False)


def rate_counts(t_s: Array, gyro: Array, acc: Array | None, bits: int = 16) -> RawCounts | None:
    """Return range (deg/s) and bits of gyro counts by how gravity turns, or None where the data do not show it."""
    if acc is None:
        return None
    factor, surety = gravity_turn_scale(t_s, gyro, acc)
    if surety < 0.6 or factor <= 0:
        return None
    scale = np.degrees(factor) * 2 ** (bits - 1)
    best = min(GYRO_RANGES_DEG_S, key=lambda r: abs(np.log(scale / r)))
    return RawCounts(full_scale=best, bits=bits) if abs(np.log(scale / best)) < 0.25 else None


def time_unit(values: Array) -> tuple[str, bool]:
    """Return the unit of rising numbers by their step, and whether a wrong choice would be absurd."""
    v = values[np.isfinite(values)]
    if len(v) < 2:
        return "s", False
    steps = np.diff(v)
    steps = steps[steps > 0]
    step = float(np.median(steps)) if len(steps) else 1.0
    latest = float(np.abs(v).max())
    for unit, low, high in (("s", 5e8, 5e10), ("ms", 5e11, 5e13), ("us", 5e14, 5e16), ("ns", 5e17, 9e18)):
        if low < latest < high and latest > 1e4 * step:
            return unit, True
    if np.any(v != np.rint(v)) and step < 0.5:
        return "s", True
    # Whole numbers: a sensor board logs at some 5 to 5,000 Hz.
    if step <= 0.5:
        return "s", True
    if step < 200:
        return "ms", step >= 2
    return ("us", True) if step < 3e5 else ("ns", True)
