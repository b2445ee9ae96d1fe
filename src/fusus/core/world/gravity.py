"""Normal gravity of WGS 84: Somigliana's closed form and the free-air term."""

import numpy as np

from fusus.core.frames.geodesy import A_M, E2, EARTH_RATE_RAD_S, F

GAMMA_E_M_S2 = 9.7803253359  # normal gravity at the equator, NGA.STND.0036 (2014)
K = 0.001931852652458  # Somigliana's constant, NGA.STND.0036 (2014)
GM_M3_S2 = 3.986004418e14  # NGA.STND.0036 (2014)
_B_M = A_M * (1 - F)
_M = EARTH_RATE_RAD_S**2 * A_M**2 * _B_M / GM_M3_S2


def normal_gravity(lat_rad: float, height_m: float = 0.0) -> float:
    """Return gravity in m/s^2 at a latitude and a height above the ellipsoid.

    Notes
    -----
    The height formula drops terms in f^2: within 1e-6 m/s^2 up to 3 km.
    """
    sine2 = np.sin(lat_rad) ** 2
    surface = GAMMA_E_M_S2 * (1 + K * sine2) / np.sqrt(1 - E2 * sine2)
    free_air = 1 - 2 * height_m / A_M * (1 + F + _M - 2 * F * sine2) + 3 * (height_m / A_M) ** 2
    return float(surface * free_air)
