"""Whether pressure, height and place agree with the project's place, and a stated speed with the fixes' steps.

Arrays, where a function does not say otherwise (shape, unit, frame):
lat, lon : (N,) deg; t : (N,) s; speed : (N,) as logged; height : (N,) m; pressure : (N,) Pa
"""

import numpy as np

from fusus.core.arrays import Array

EARTH_M = 6_371_000.0
# Weather moves the pressure of a place by some 30 hPa, a pressure's height by 300 m: further off is another place, or unit.
FAR_PRESSURE_M, FAR_HEIGHT_M, FAR_PLACE_M = 900.0, 3000.0, 200_000.0
SPEEDS = {"m/s": 1.0, "km/h": 3.6, "kn": 1.943844, "cm/s": 100.0, "mm/s": 1000.0, "ft/s": 3.28084}
LEAST_MOVED_M, LEAST_SPEED_M_S, LEAST_FIXES = 30.0, 0.5, 12
SURE_OF_SPEED = 0.15


def pressure_height(pressure: Array) -> float:
    """Return the height of the median pressure in the standard atmosphere, m (ICAO Doc 7488, below 11 km)."""
    return float(44_330.77 * (1.0 - (np.nanmedian(pressure) / 101_325.0) ** 0.190263))


def distance_m(lat: float, lon: float, other_lat: float, other_lon: float) -> float:
    """Return how far two places are apart on a sphere, m."""
    a, b, d = np.radians(lat), np.radians(other_lat), np.radians(other_lon - lon)
    half = np.sin((b - a) / 2) ** 2 + np.cos(a) * np.cos(b) * np.sin(d / 2) ** 2
    return float(2 * EARTH_M * np.arcsin(np.sqrt(np.clip(half, 0, 1))))


def speed_unit(t: Array, lat: Array, lon: Array, speed: Array) -> tuple[str, float] | None:
    """Return the unit in which a speed fits the steps of the fixes, and the ratio seen; None where they hardly move, or fit none."""
    good = np.isfinite(t) & np.isfinite(lat) & np.isfinite(lon) & np.isfinite(speed)
    t, lat, lon, speed = t[good], lat[good], lon[good], np.abs(speed[good])
    if len(t) < LEAST_FIXES:
        return None
    new = np.concatenate([[True], (np.diff(lat) != 0) | (np.diff(lon) != 0)])
    t, lat, lon, speed = t[new], lat[new], lon[new], speed[new]
    if len(t) < LEAST_FIXES:
        return None
    north = np.radians(lat - lat[0]) * EARTH_M
    east = np.radians(lon - lon[0]) * EARTH_M * np.cos(np.radians(lat[0]))
    # Over two steps and more, so that the noise of a fix counts less.
    span = t[2:] - t[:-2]
    moved = np.hypot(north[2:] - north[:-2], east[2:] - east[:-2])
    fast = (span > 0) & (moved > LEAST_SPEED_M_S * span)
    if fast.sum() < LEAST_FIXES // 2 or float(moved[fast].sum()) < LEAST_MOVED_M:
        return None
    ratio = float(np.sum(speed[1:-1][fast] * span[fast]) / np.sum(moved[fast]))
    unit = min(SPEEDS, key=lambda u: abs(np.log(max(ratio, 1e-9) / SPEEDS[u])))
    return (unit, ratio) if abs(ratio / SPEEDS[unit] - 1) < SURE_OF_SPEED else None
