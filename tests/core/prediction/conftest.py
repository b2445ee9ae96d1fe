"""Suites and courses that the tests of the prediction share."""

import pytest
from tests.core.known_mission import site, trajectory

from fusus.core.parts.fitting import Fitting
from fusus.core.parts.models import suite_model
from fusus.core.parts.part import complete
from fusus.project.parts_files import catalogue

__all__ = ["parts", "site", "suite", "trajectory"]


@pytest.fixture(scope="session")
def parts():
    return {p.name: complete(p) for p in catalogue()}


@pytest.fixture(scope="session")
def suite(parts):
    """Return a maker of suites by names; None leaves a sensor out."""

    def make(imu="Birch 1", baro="Fen 3", mag="Lode 3", receiver="Tern 3", ranger=None, fitting=None):
        found = [parts[n] if n else None for n in (imu, baro, mag, receiver, ranger)]
        return suite_model(*found, fitting or Fitting())

    return make
