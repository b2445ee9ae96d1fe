"""What a place and a date mean to an estimator."""

from dataclasses import dataclass
from datetime import date

import numpy as np

from fusus.core.world.gravity import normal_gravity
from fusus.core.world.magnetic_field import FIRST_YEAR, LAST_YEAR, MagneticField, magnetic_field


def decimal_year(day: date) -> float:
    """Return the date as a year with its fraction."""
    start, end = date(day.year, 1, 1), date(day.year + 1, 1, 1)
    return day.year + (day - start).days / (end - start).days


# A field of mid latitudes, where the place is not known.
USUAL_HORIZONTAL_UT, USUAL_DIP_RAD = 19.0, 1.17


@dataclass(frozen=True, slots=True)
class Site:
    """Gravity and field where a recording was made; the field is None where the place is not known."""

    gravity_m_s2: float = 9.80665
    field: MagneticField | None = None

    @property
    def horizontal_ut(self) -> float:
        """The horizontal field, that of mid latitudes where the place is not known."""
        return self.field.horizontal_ut if self.field else USUAL_HORIZONTAL_UT

    @property
    def declination_rad(self) -> float:
        """The declination, 0 where the place is not known (headings are magnetic then)."""
        return self.field.declination_rad if self.field else 0.0


def site_at(lat_deg: float, lon_deg: float, height_m: float, day: date) -> Site:
    """Return the site of a place; a date outside the model's years takes its nearest end."""
    year = min(max(decimal_year(day), FIRST_YEAR), LAST_YEAR)
    gravity = normal_gravity(float(np.radians(lat_deg)), height_m)
    return Site(gravity, magnetic_field(lat_deg, lon_deg, height_m, year))
