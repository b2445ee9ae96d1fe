"""WGS 84: radii, earth-centred and local north-east-down coordinates (through pymap3d).

Arrays, where a function does not say otherwise (shape, unit, frame):

    lat_deg : (N,) °, e
    lon_deg : (N,) °, e
    height_m : (N,) m, e
    ecef_m : (N, 3) m, e
    ned_m : (N, 3) m, n
    vel_n : (N, 3) m/s, n
    geodetic_to_ecef() : (N, 3) m, e
    ecef_to_geodetic() : (N, 3) °, °, m, e
    geodetic_to_ned() : (N, 3) m, n
    ned_to_geodetic() : (N, 3) °, °, m, e
    earth_rate_n() : (3,) rad/s, n
    transport_rate_n() : (N, 3) rad/s, n
    coriolis_n() : (N, 3) m/s^2, n
"""

import numpy as np
import pymap3d
from numpy.typing import ArrayLike

from fusus.core.arrays import Array

A_M = 6378137.0  # semi-major axis, NIMA TR8350.2
F = 1 / 298.257223563  # flattening, NIMA TR8350.2
E2 = F * (2 - F)
EARTH_RATE_RAD_S = 7.292115e-5  # NIMA TR8350.2


def curvature_radii(lat_rad: float) -> tuple[float, float]:
    """Return the meridian and prime-vertical radii of curvature in m."""
    root = np.sqrt(1 - E2 * np.sin(lat_rad) ** 2)
    return float(A_M * (1 - E2) / root**3), float(A_M / root)


def geodetic_to_ecef(lat_deg: ArrayLike, lon_deg: ArrayLike, height_m: ArrayLike) -> Array:
    """Return earth-centred coordinates in m, last axis x, y, z."""
    return np.stack(pymap3d.geodetic2ecef(lat_deg, lon_deg, height_m), axis=-1)


def ecef_to_geodetic(ecef_m: ArrayLike) -> Array:
    """Return latitude and longitude in degrees and height in m, last axis of length 3."""
    x, y, z = np.moveaxis(np.asarray(ecef_m, dtype=float), -1, 0)
    return np.stack(pymap3d.ecef2geodetic(x, y, z), axis=-1)


def geodetic_to_ned(
    lat_deg: ArrayLike, lon_deg: ArrayLike, height_m: ArrayLike, home: tuple[float, float, float]
) -> Array:
    """Return north, east, down in m in the tangent plane at ``home`` (latitude, longitude in degrees, height in m)."""
    return np.stack(pymap3d.geodetic2ned(lat_deg, lon_deg, height_m, *home), axis=-1)


def ned_to_geodetic(ned_m: ArrayLike, home: tuple[float, float, float]) -> Array:
    """Return latitude and longitude in degrees and height in m of points in the tangent plane at ``home``."""
    n, e, d = np.moveaxis(np.asarray(ned_m, dtype=float), -1, 0)
    return np.stack(pymap3d.ned2geodetic(n, e, d, *home), axis=-1)


def earth_rate_n(lat_rad: float) -> Array:
    """Return the earth's rotation in north-east-down, rad/s (Groves 2013, eq. 2.123, from memory)."""
    return EARTH_RATE_RAD_S * np.array([np.cos(lat_rad), 0.0, -np.sin(lat_rad)])


def transport_rate_n(lat_rad: float, height_m: float, vel_n: ArrayLike) -> Array:
    """Return the rotation of the local frame by travel at ``vel_n``, rad/s (Groves 2013, eq. 5.44, from memory)."""
    meridian, vertical = curvature_radii(lat_rad)
    v = np.asarray(vel_n, dtype=float)
    east = v[1] / (vertical + height_m)
    return np.array([east, -v[0] / (meridian + height_m), -east * np.tan(lat_rad)])


def coriolis_n(lat_rad: float, vel_n: ArrayLike) -> Array:
    """Return the Coriolis acceleration -2 ω x v in north-east-down, m/s^2; below a consumer sensor's noise."""
    return np.asarray(-2.0 * np.cross(earth_rate_n(lat_rad), np.asarray(vel_n, dtype=float)))
