"""What the kit's tests share."""

from datetime import date

import pytest
from tests.firmware.kits import HOME

from fusus.core.world.site import site_at


@pytest.fixture(scope="session")
def place():
    """A place with some declination."""
    return site_at(*HOME, date(2026, 6, 1))
