"""ISO 2533 standard atmosphere up to 20 km, and barometric height.

Arrays, where a function does not say otherwise (shape, unit, frame):

    geopotential_m : (N,) m, up
    geometric_m : (N,) m, up
    pressure : (N,) Pa, any
    bottom_pa : (N,) Pa, any
    top_pa : (N,) Pa, any
    temperature_k() : (N,) K, any
    pressure_pa() : (N,) Pa, any
    density_kg_m3() : (N,) kg/m^3, any
    sound_speed_m_s() : (N,) m/s, any
    geopotential_m() : (N,) m, up
    pressure_altitude_m() : (N,) m, up
    layer_thickness_m() : (N,) m, up
"""

import numpy as np
from numpy.typing import ArrayLike

from fusus.core.arrays import Array

# ISO 2533:1975, defining constants.
P0_PA = 101325.0
T0_K = 288.15
LAPSE_K_M = -0.0065
TROPOPAUSE_M = 11000.0
G0_M_S2 = 9.80665
R_J_KG_K = 287.05287
KAPPA = 1.4
NOMINAL_RADIUS_M = 6356766.0

_EXPONENT = -G0_M_S2 / (R_J_KG_K * LAPSE_K_M)
_T11_K = T0_K + LAPSE_K_M * TROPOPAUSE_M
_P11_PA = P0_PA * (_T11_K / T0_K) ** _EXPONENT


def temperature_k(geopotential_m: ArrayLike) -> Array:
    """Return the standard temperature in K at a geopotential altitude."""
    return np.asarray(T0_K + LAPSE_K_M * np.minimum(np.asarray(geopotential_m, dtype=float), TROPOPAUSE_M))


def pressure_pa(geopotential_m: ArrayLike, p0_pa: float = P0_PA) -> Array:
    """Return the standard pressure in Pa; ``p0_pa`` is the pressure at altitude zero."""
    h = np.asarray(geopotential_m, dtype=float)
    below = P0_PA * (temperature_k(h) / T0_K) ** _EXPONENT
    above = _P11_PA * np.exp(-G0_M_S2 * (h - TROPOPAUSE_M) / (R_J_KG_K * _T11_K))
    return np.asarray(np.where(h <= TROPOPAUSE_M, below, above) * (p0_pa / P0_PA))


def density_kg_m3(geopotential_m: ArrayLike) -> Array:
    """Return the standard density in kg/m^3."""
    return np.asarray(pressure_pa(geopotential_m) / (R_J_KG_K * temperature_k(geopotential_m)))


def sound_speed_m_s(geopotential_m: ArrayLike) -> Array:
    """Return the speed of sound in m/s."""
    return np.asarray(np.sqrt(KAPPA * R_J_KG_K * temperature_k(geopotential_m)))


def geopotential_m(geometric_m: ArrayLike) -> Array:
    """Return the geopotential altitude of a geometric one: h = r H / (r - H) turned round."""
    h = np.asarray(geometric_m, dtype=float)
    return np.asarray(NOMINAL_RADIUS_M * h / (NOMINAL_RADIUS_M + h))


def pressure_altitude_m(pressure: ArrayLike, reference_pa: float = P0_PA) -> Array:
    """Return the altitude, m, above the level of ``reference_pa`` in the standard atmosphere (below 11 km)."""
    ratio = np.asarray(pressure, dtype=float) / reference_pa
    return np.asarray(T0_K / LAPSE_K_M * (ratio ** (1.0 / _EXPONENT) - 1.0))


def layer_thickness_m(bottom_pa: ArrayLike, top_pa: ArrayLike, mean_temperature_k: float) -> Array:
    """Return the thickness of a layer by the hypsometric equation, m (Wallace & Hobbs, section 3.2, from memory)."""
    return np.asarray(
        R_J_KG_K * mean_temperature_k / G0_M_S2 * np.log(np.asarray(bottom_pa, dtype=float) / np.asarray(top_pa))
    )


def metres_per_pascal(geopotential_m: float) -> float:
    """Return how far one pascal moves the height, m/Pa: 1/(ρ g0)."""
    return float(1.0 / (density_kg_m3(geopotential_m) * G0_M_S2))
