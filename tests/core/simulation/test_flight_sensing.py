"""What the compiled sensors read against the models that recordings are made with, and against geometry written anew."""

import math
from dataclasses import replace
from datetime import date

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from fusus.core.sensors.inertial import draw_errors
from fusus.core.sensors.quantise import quantise
from fusus.core.sensors.rangefinder import RangefinderModel
from fusus.core.simulation.flight.sensing import (
    draw_sensors,
    looked_up,
    nearest,
    read_field,
    read_fix,
    read_pressure,
    read_range,
    read_triad,
    shaken,
    to_body,
)
from fusus.core.simulation.scenario import Conditions, Disturbance, Suite
from fusus.core.world.atmosphere import geopotential_m, pressure_altitude_m, pressure_pa
from fusus.core.world.site import Site, site_at

SITE = site_at(50.0, 0.0, 10.0, date(2026, 6, 1))
T = np.arange(4000) / 500.0
Q = np.array([0.8, 0.2, -0.4, math.sqrt(1 - 0.64 - 0.04 - 0.16)])
TURN = Rotation.from_quat(np.roll(Q, -1))


def drawn(suite=None, around=None, seed=4):
    return draw_sensors(
        suite or Suite(), around or Conditions(), SITE, 10.0, T, 0.6, np.random.default_rng(seed)
    ).sensors


def motion(pos=(3.0, -2.0, -5.0), vel=(1.0, 2.0, -0.5), rate=(0.3, -0.2, 0.5)):
    return tuple(float(v) for v in (*pos, *vel, *Q, *rate))


def test_turns_into_the_body_are_those_of_another_library():
    v = np.array([1.0, -2.0, 3.0])
    np.testing.assert_allclose(to_body(*Q, *v), TURN.inv().apply(v), atol=1e-12)


def test_a_triad_reads_what_its_model_says():
    """M (u + G f) + added + shaking + rectification, in whole counts, clipped: with NumPy, from the same specimen."""
    suite = Suite()
    sensors = drawn(suite)
    errors = draw_errors(suite.gyro, np.random.default_rng(4))
    u, f, added, shake = (
        np.array([0.4, -0.7, 1.1]),
        np.array([0.5, -0.2, -9.7]),
        np.array([1e-3, -2e-3, 3e-3]),
        np.array([0.2, 0.1, -0.3]),
    )
    size = shake * sensors.gyro.shakes
    raw = errors.matrix @ (u + errors.g_matrix @ f) + added + size + suite.gyro.vibration_rectification * size**2
    x, y, z, clipped = read_triad(sensors.gyro, *(tuple(v) for v in (u, f, added, shake)))
    np.testing.assert_allclose((x, y, z), quantise(raw, suite.gyro.full_scale, suite.gyro.bits), atol=1e-12)
    assert not clipped
    *_, clipped = read_triad(sensors.gyro, (1e3, 0.0, 0.0), *(tuple(v) for v in (f, added, shake)))
    assert clipped


def test_rounding_is_to_the_nearest_even():
    values = [0.5, 1.5, 2.5, -0.5, 3.49, -7.51, 1e6 + 0.5]
    assert [nearest(v) for v in values] == [float(np.rint(v)) for v in values]


def test_what_is_added_has_the_models_noise():
    suite = Suite()
    added = np.diff(drawn(suite).gyro_added, axis=0)
    assert added.std() / math.sqrt(2) == pytest.approx(suite.gyro.noise * math.sqrt(500.0), rel=0.05)


def test_shaking_grows_with_the_square_of_the_rotors_speed():
    s = drawn().shaking
    phases = np.linspace(0, 2 * math.pi, 400, endpoint=False)
    for speed, size in ((0.6, 1.0), (0.3, 0.25), (0.0, 0.0)):
        rms = np.sqrt(np.mean(np.square([shaken(s, p, speed) for p in phases]), axis=0))
        np.testing.assert_allclose(
            rms, size * np.array([0.8, 0.8, 1.2]) * math.sqrt((1 + 0.16) / 2), rtol=1e-6, atol=1e-12
        )


def test_the_field_is_earths_and_steels_turned_and_disturbed():
    steel = Disturbance(3.0, -2.0, 4.0, 2.0, (10.0, 0.0, 5.0))
    sensors = drawn(around=Conditions(steel=(steel,)))
    o, r, m = sensors.slow, sensors.readings, motion()
    read_field(o, r, 7, m, 12.0)
    away2 = 1.0**2  # a metre over it
    field = np.array(SITE.field.vector_ut) + np.array(steel.field_ut) / (1 + away2 / 4.0) ** 1.5
    truth = o.soft @ TURN.inv().apply(field) + o.hard + 12.0 * o.motor + o.mag_noise[7]
    np.testing.assert_allclose(r.mag[7, 1:4], truth, atol=1e-10)


def test_the_barometer_is_the_standard_atmosphere_with_its_errors():
    sensors = drawn()
    o, r = sensors.slow, sensors.readings
    read_pressure(o, r, 0, -25.0, 9.0, 2.0)
    true = float(pressure_pa(geopotential_m(35.0))) + o.baro_added[0] + o.baro_noise[0] - o.airflow_pa * 9.0
    assert r.pressure[0] == pytest.approx(true, abs=2e-3), "a straight line between a metre's steps"
    assert r.baro[0, 1] == pytest.approx(float(pressure_altitude_m(true)) - 2.0, abs=2e-3)
    read_pressure(o, r, 1, -25.0, 9.0, 2.0)
    raw = float(pressure_pa(geopotential_m(35.0))) + o.baro_added[1] + o.baro_noise[1] - o.airflow_pa * 9.0
    assert r.pressure[1] - r.pressure[0] == pytest.approx(o.baro_follows * (raw - r.pressure[0]), abs=2e-3)
    assert (
        looked_up(np.array([0.0, 1.0, 4.0]), 10.0, 2.0, 13.0) == 2.5
        and looked_up(np.array([0.0, 1.0]), 0.0, 1.0, -5.0) == 0.0
    )


def test_a_fix_is_the_antennas_place_and_speed():
    sensors = drawn()
    o, r, m = sensors.slow, sensors.readings, motion()
    read_fix(o, r, 3, m)
    arm = TURN.apply(o.arm)
    swing = TURN.apply(np.cross(m[10:13], o.arm))
    np.testing.assert_allclose(r.gnss[3, 1:4], np.array(m[:3]) + arm + o.gnss_pos[3], atol=1e-12)
    np.testing.assert_allclose(r.gnss[3, 4:7], np.array(m[3:6]) + swing + o.gnss_vel[3], atol=1e-12)
    latency = Suite().gnss.latency_s
    assert r.gnss[3, 0] - T[o.gnss_at[3]] == pytest.approx(latency), "it comes late"


def test_outages_hold_fixes_back_and_a_rangefinder_has_limits():
    finder = RangefinderModel(0.02, 0.01, 0.2, 12.0, 30.0)
    sensors = drawn(replace(Suite(), rangefinder=finder), Conditions(outages=((2.0, 3.0),)))
    estimate = T[sensors.slow.gnss_at]
    assert not ((estimate >= 2.0) & (estimate < 5.0)).any() and len(estimate) > 20
    o, r = sensors.slow, sensors.readings
    read_range(o, r, 0, 3.0, 0.95)
    assert r.ranges[0, 1] == pytest.approx(3.0 / 0.95, abs=0.3)
    for height, cos in ((3.0, 0.5), (20.0, 1.0), (0.05, 1.0)):
        read_range(o, r, 1, height, cos)
        assert math.isnan(r.ranges[1, 1])


def test_a_site_without_a_field_is_refused():
    with pytest.raises(ValueError, match="magnetic field"):
        draw_sensors(Suite(), Conditions(), Site(), 0.0, T, 0.6, np.random.default_rng(1))
