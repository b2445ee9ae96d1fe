"""What a simulated board writes down."""

import numpy as np
import pytest
from tests.conftest import HOME

from fusus.core.frames import quaternion
from fusus.core.frames.geodesy import geodetic_to_ned
from fusus.core.mission.motion import Waypoint, fly
from fusus.core.simulation.record import BARO_EVERY, MAG_EVERY, record
from fusus.core.simulation.scenario import Conditions, Disturbance, Suite
from fusus.core.world.site import Site


@pytest.fixture(scope="module")
def motion(site):
    """Up, 40 m north, and down again."""
    points = [
        Waypoint(0, 0, 0, 0, 0),
        Waypoint(5, 0, 0, 0, 0),
        Waypoint(10, 0, 0, 4, 0),
        Waypoint(25, 40, 0, 4, 0.8),
        Waypoint(35, 40, 0, 0, 0.8),
    ]
    return fly(points, 200.0, site.gravity_m_s2)


def taken(motion, site, **around):
    """Return the streams of a motion."""
    return record(motion, 200.0, Suite(), Conditions(rotor_hz=67.0, **around), site, HOME, 1)


def xyz(stream, name, unit):
    return np.stack([stream[f"{name}_{a}_{unit}"] for a in "xyz"], axis=1)


def test_streams_run_at_their_rates(motion, site):
    s = taken(motion, site)
    n = len(motion.t_s)
    assert len(s["imu"]["t_ns"]) == n and s["imu"]["t_ns"].dtype == np.int64
    assert len(s["mag"]["t_ns"]) == -(-n // MAG_EVERY) and len(s["baro"]["t_ns"]) == -(-n // BARO_EVERY)
    assert np.all(np.diff(s["gnss"]["t_ns"]) > 0)


def test_the_board_shakes_only_in_flight(motion, site):
    acc = xyz(taken(motion, site)["imu"], "acc", "m_s2")
    ground, air = np.diff(acc[:800], axis=0).std(), np.diff(acc[2500:4500], axis=0).std()
    assert air > 10 * ground


def test_the_field_turns_with_the_body_and_bends_near_steel(motion, site):
    clean = xyz(taken(motion, site)["mag"], "mag", "ut")
    expected = quaternion.rotate(quaternion.conjugate(motion.q_nb[::MAG_EVERY]), site.field.vector_ut)
    assert np.abs(clean - expected).max() < 4.0
    steel = Disturbance(20.0, 0.0, 4.0, 3.0, (0.0, 30.0, 0.0))
    bent = xyz(taken(motion, site, steel=(steel,))["mag"], "mag", "ut")
    change = np.linalg.norm(bent - clean, axis=1)
    nearest = np.argmin(np.linalg.norm(motion.pos_n[::MAG_EVERY] - [20.0, 0, -4.0], axis=1))
    assert abs(np.argmax(change) - nearest) <= 2 and change.max() == pytest.approx(30.0, abs=2.0)
    # (1 + (20/3)^2)^-1.5 of it is left at the start.
    assert change[0] < 0.5


def test_gnss_is_late_off_centre_and_out_in_the_outage(motion, site):
    s = taken(motion, site, outages=((12.0, 8.0),))["gnss"]
    t = s["t_ns"] * 1e-9
    assert np.diff(t).max() == pytest.approx(8.1, abs=0.06)
    model = Suite().gnss
    pos = geodetic_to_ned(s["lat_deg"], s["lon_deg"], s["height_m"], HOME)
    true = np.stack([np.interp(t - model.latency_s, motion.t_s, motion.pos_n[:, i]) for i in range(3)], axis=1)
    off = pos - true
    assert np.abs(off[:, :2]).max() < 5.0 and np.abs(off[:, 2]).max() < 8.0
    assert (s["satellites"] >= 13).all()


def test_the_barometer_sees_the_climb(motion, site):
    p = taken(motion, site)["baro"]["pressure_pa"]
    assert (p[:40].mean() - p[110:240].mean()) == pytest.approx(4.0 / 0.0835, abs=4.0)


def test_power_follows_the_flight(motion, site):
    s = taken(motion, site)
    assert s["motor"]["motor_1"][:40].max() == 0.0 and 0.3 < s["motor"]["motor_1"][150:].mean() < 0.6
    assert s["battery"]["voltage_v"][-1] < s["battery"]["voltage_v"][0] and s["battery"][
        "current_a"
    ].max() == pytest.approx(14.4)


def test_truth_is_the_motion(motion, site):
    ref = taken(motion, site)["reference"]
    q = np.stack([ref[f"q_{a}"] for a in "wxyz"], axis=1)
    assert np.allclose(np.abs(np.sum(q * motion.q_nb[::10], axis=1)), 1.0)
    assert np.allclose(ref["pos_n_m"], motion.pos_n[::10, 0])
    # The bias that the truth tells goes with the warming: one way, and towards an end.
    steps = np.diff(ref["gyro_bias_x_rad_s"])
    assert (np.sign(steps) == np.sign(steps[0])).all() and abs(steps[-1]) < abs(steps[0])


def test_a_simulation_needs_a_field(motion):
    with pytest.raises(ValueError, match="magnetic field"):
        record(motion, 200.0, Suite(), Conditions(), Site(), HOME, 1)
