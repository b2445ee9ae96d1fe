"""Made-up motions are exact: rates integrate to attitudes, forces to velocities."""

import numpy as np
import pytest
from tests.conftest import HOME, short_flight

from fusus.core.frames import quaternion
from fusus.core.mission.motion import Air, Waypoint, fly, pose


@pytest.fixture(scope="module")
def flight(site):
    motion, _ = short_flight(site, rate_hz=500.0)
    return motion


def test_body_rates_integrate_to_the_attitude(flight):
    dt = np.diff(flight.t_s)[:, None]
    q = flight.q_nb[0]
    for step in quaternion.from_rotation_vector(0.5 * (flight.rate_b[1:] + flight.rate_b[:-1]) * dt):
        q = quaternion.multiply(q, step)
    off = quaternion.to_rotation_vector(quaternion.multiply(quaternion.conjugate(q), flight.q_nb[-1]))
    # The trapezoid rule leaves some dt^2/12 of the rate's change.
    assert np.degrees(np.linalg.norm(off)) < 0.01


def test_specific_force_integrates_to_the_velocity(flight, site):
    acc_n = quaternion.rotate(flight.q_nb, flight.force_b) + [0, 0, site.gravity_m_s2]
    dt = np.diff(flight.t_s)[:, None]
    vel = np.cumsum(0.5 * (acc_n[1:] + acc_n[:-1]) * dt, axis=0)
    assert np.abs(vel - flight.vel_n[1:]).max() < 2e-3


def test_velocity_is_the_derivative_of_position(flight):
    assert np.abs(np.gradient(flight.pos_n, flight.t_s, axis=0)[2:-2] - flight.vel_n[2:-2]).max() < 5e-3


def test_rest_on_the_ground_is_level_and_still(flight, site):
    still = flight.t_s < 7.5
    assert np.allclose(flight.rate_b[still], 0, atol=1e-9)
    assert np.allclose(flight.force_b[still], [0, 0, -site.gravity_m_s2], atol=1e-9)


def test_steady_flight_into_wind_leans_by_the_drag(site):
    points = [Waypoint(0, 0, 0, 10, 0), Waypoint(30, 0, 0, 10, 0)]
    motion = fly(points, 50.0, site.gravity_m_s2, Air(wind_n_m_s=-4.0, drag_per_s=0.25))
    # Holding still in 4 m/s: nose down by atan(c v / g) = 5.8 deg.
    pitch = np.degrees(quaternion.to_euler(motion.q_nb))[700, 1]
    assert abs(pitch + np.degrees(np.arctan(0.25 * 4.0 / site.gravity_m_s2))) < 1e-6


def test_pose_holds_its_angles_and_rates(site):
    a = np.radians
    motion = pose(
        [(0, 0, 0, 0), (2, 0, 0, 0), (5, a(90), a(20), a(-30)), (8, a(90), a(20), a(-30))], 200.0, site.gravity_m_s2
    )
    assert np.allclose(np.degrees(quaternion.to_euler(motion.q_nb[-1])), [90, 20, -30], atol=1e-9)
    rates = quaternion.body_rates(motion.t_s, motion.q_nb)
    middle = 0.5 * (motion.rate_b[1:] + motion.rate_b[:-1])
    assert np.abs(rates - middle).max() < 1e-3


def test_recordings_are_the_same_for_the_same_seed(site):
    _, first = short_flight(site, seed=3)
    _, again = short_flight(site, seed=3)
    _, other = short_flight(site, seed=4)
    assert all(np.array_equal(first[s][c], again[s][c]) for s in first for c in first[s])
    assert not np.array_equal(first["imu"]["gyro_x_rad_s"][:100], other["imu"]["gyro_x_rad_s"][:100])
    assert set(first) == {"imu", "mag", "baro", "gnss", "motor", "battery", "reference"}
    assert abs(first["gnss"]["lat_deg"].mean() - HOME[0]) < 1e-3
