"""Suites and courses that the tests of the prediction share."""

from datetime import date

import pytest

from fusus.core.mission.mission import Mission
from fusus.core.mission.trajectory import lay_out
from fusus.core.parts.fitting import Fitting
from fusus.core.parts.models import suite_model
from fusus.core.parts.part import complete
from fusus.core.world.site import site_at
from fusus.project.parts_files import catalogue


@pytest.fixture(scope="session")
def parts():
    return {p.name: complete(p) for p in catalogue()}


@pytest.fixture(scope="session")
def site():
    return site_at(53.02, 0.61, 3.0, date(2026, 9, 12))


@pytest.fixture(scope="session")
def trajectory(site):
    return lay_out(Mission(weather_pa=30.0), site)


@pytest.fixture(scope="session")
def suite(parts):
    """Return a maker of suites by names; None leaves a sensor out."""

    def make(imu="Birch 1", baro="Fen 3", mag="Lode 3", receiver="Tern 3", ranger=None, fitting=None):
        found = [parts[n] if n else None for n in (imu, baro, mag, receiver, ranger)]
        return suite_model(*found, fitting or Fitting())

    return make
