"""The earth's magnetic field by the World Magnetic Model (through pygeomag)."""

from functools import lru_cache
from typing import NamedTuple

import numpy as np
from pygeomag import GeoMag

from fusus.core.arrays import Array, check_range

FIRST_YEAR, LAST_YEAR = 2025.0, 2030.0


class MagneticField(NamedTuple):
    """The field at one place and time: components in µT, angles in rad, east and down positive."""

    north_ut: float
    east_ut: float
    down_ut: float

    @property
    def vector_ut(self) -> Array:
        """The field in north-east-down, µT."""
        return np.array([self.north_ut, self.east_ut, self.down_ut])

    @property
    def horizontal_ut(self) -> float:
        """The horizontal part, µT."""
        return float(np.hypot(self.north_ut, self.east_ut))

    @property
    def strength_ut(self) -> float:
        """The whole strength, µT."""
        return float(np.linalg.norm(self.vector_ut))

    @property
    def declination_rad(self) -> float:
        """The angle from true to magnetic north, east positive."""
        return float(np.arctan2(self.east_ut, self.north_ut))

    @property
    def inclination_rad(self) -> float:
        """The dip below the horizon."""
        return float(np.arctan2(self.down_ut, self.horizontal_ut))


@lru_cache(maxsize=1)
def _model() -> GeoMag:
    return GeoMag(coefficients_file="wmm/WMM_2025.COF")


def magnetic_field(lat_deg: float, lon_deg: float, height_m: float, decimal_year: float) -> MagneticField:
    """Return the field by WMM2025, good for 2025 to 2030; other years raise ParameterError."""
    check_range("Year of the magnetic model", decimal_year, FIRST_YEAR, LAST_YEAR, "")
    r = _model().calculate(glat=lat_deg, glon=lon_deg, alt=height_m / 1000.0, time=decimal_year)
    return MagneticField(float(r.x) / 1000.0, float(r.y) / 1000.0, float(r.z) / 1000.0)
