"""A mission laid out at a known place: fixtures of the tests of missions and of predictions."""

from datetime import date

import pytest

from fusus.core.mission.mission import Mission
from fusus.core.mission.trajectory import lay_out
from fusus.core.world.site import site_at


@pytest.fixture(scope="session")
def site():
    return site_at(53.02, 0.61, 3.0, date(2026, 9, 12))


@pytest.fixture(scope="session")
def trajectory(site):
    return lay_out(Mission(weather_pa=30.0), site)
