"""The surroundings: balances and inverses that hold whatever the numbers."""

from datetime import date

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from fusus.core.frames import geodesy
from fusus.core.world import atmosphere, gravity
from fusus.core.world.magnetic_field import magnetic_field
from fusus.core.world.site import Site, decimal_year, site_at
from fusus.errors import ParameterError


@given(st.floats(-400, 10_900))
def test_pressure_altitude_undoes_pressure(h):
    assert np.isclose(atmosphere.pressure_altitude_m(atmosphere.pressure_pa(h)), h, atol=1e-6)


@given(st.floats(0, 19_000))
def test_air_is_in_hydrostatic_balance(h):
    step = 0.5
    slope = (atmosphere.pressure_pa(h + step) - atmosphere.pressure_pa(h - step)) / (2 * step)
    if abs(h - 11_000) > 1:
        assert np.isclose(slope, -atmosphere.density_kg_m3(h) * atmosphere.G0_M_S2, rtol=1e-6)


def test_pressure_is_continuous_at_the_tropopause_and_scales_with_its_base():
    assert np.isclose(*atmosphere.pressure_pa([10_999.999, 11_000.001]), rtol=1e-6)
    assert np.isclose(atmosphere.pressure_pa(500.0, 102_000.0) / atmosphere.pressure_pa(500.0), 102_000 / 101_325)


@given(st.floats(-90, 90), st.floats(0, 3000))
def test_gravity_falls_with_height_by_the_free_air_rate(lat, h):
    fall = gravity.normal_gravity(np.radians(lat), h) - gravity.normal_gravity(np.radians(lat), h + 1.0)
    assert abs(fall - 3.086e-6) < 1e-8  # 0.3086 mGal a metre, common practice


@given(st.floats(-89, 89), st.floats(-180, 180), st.floats(-100, 5000))
def test_earth_centred_there_and_back(lat, lon, h):
    back = geodesy.ecef_to_geodetic(geodesy.geodetic_to_ecef(lat, lon, h))
    assert np.allclose(back[[0, 2]], [lat, h], atol=1e-6) and np.isclose(np.cos(np.radians(back[1] - lon)), 1.0)


@given(st.floats(-80, 80), st.tuples(*[st.floats(-2000, 2000)] * 3))
def test_local_coordinates_there_and_back(lat, ned):
    home = (lat, 10.0, 100.0)
    place = geodesy.ned_to_geodetic(np.array(ned), home)
    assert np.allclose(geodesy.geodetic_to_ned(*place, home), ned, atol=1e-5)


def test_earth_rate_and_coriolis_are_below_consumer_noise():
    # 0.0042 deg/s and some milligal: the design calls for showing that they may be dropped.
    assert np.degrees(np.linalg.norm(geodesy.earth_rate_n(0.7))) < 0.005
    assert np.linalg.norm(geodesy.coriolis_n(0.7, [15.0, 0, 0])) < 0.003


@pytest.mark.parametrize("year", [2019.0, 2031.0, float("nan")])
def test_the_magnetic_model_has_its_years(year):
    with pytest.raises(ParameterError, match="Year of the magnetic model"):
        magnetic_field(50.0, 10.0, 0.0, year)


def test_a_site_takes_the_models_nearest_year_and_knows_what_it_lacks():
    assert site_at(50, 10, 0, date(2020, 1, 1)) == site_at(50, 10, 0, date(2025, 1, 1))
    assert Site().declination_rad == 0.0 and Site().field is None
    assert decimal_year(date(2026, 7, 2)) == pytest.approx(2026.4986, abs=1e-3)
    f = site_at(50, 10, 0, date(2026, 1, 1)).field
    assert f.horizontal_ut == pytest.approx(np.hypot(f.north_ut, f.east_ut)) and f.inclination_rad > 1.0
