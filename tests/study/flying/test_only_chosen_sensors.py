"""Only chosen sensors fly: what is not chosen leaves no stream, and a mode that needs it fails with the reason."""

import json

import numpy as np
import pytest
from tests.cli.command import fusus

from fusus.core.frames import quaternion
from fusus.core.simulation.flights import scenario_named
from fusus.core.simulation.record import REFERENCE_EVERY, record
from fusus.project import store
from fusus.project.records import Brief, Craft, Parts, Project
from fusus.study.brief.brief import mission_of
from fusus.study.flying.closed_loop import Conditions, keep_closed_flight, simulate_flights
from fusus.study.flying.open_loop import USUAL, keep_flight, place_of, sensors_of, suite_of

PARTS = {"imu": "Birch 1", "barometer": "Mere 1", "magnetometer": "Needle 1", "receiver": "Plover 1"}
STREAMS = {"imu": "imu", "barometer": "baro", "magnetometer": "mag", "receiver": "gnss"}


def project(*kinds):
    return Project(name="Heron", brief=Brief(craft=Craft(mass_kg=1.2)), parts=Parts(**{k: PARTS[k] for k in kinds}))


def told(found):
    return {f.subject: f for f in found.findings}


SUITES = [
    (), ("barometer",), ("magnetometer",), ("receiver",), ("barometer", "magnetometer"), ("barometer", "receiver"),
    ("magnetometer", "receiver"), ("barometer", "magnetometer", "receiver"),
]  # fmt: skip


@pytest.mark.parametrize("kinds", SUITES)
def test_what_is_not_chosen_leaves_no_stream(tmp_path, kinds):
    made = project("imu", *kinds)
    store.create(tmp_path, made)
    for name, keep in (
        ("open", lambda: keep_flight(tmp_path, made, "hover", 1, "open", 200.0)),
        ("closed", lambda: keep_closed_flight(tmp_path, made, "hover-hold", 1, "closed")),
    ):
        keep()
        left = {p.stem for p in (tmp_path / "recordings" / name).iterdir()}
        for kind, stream in STREAMS.items():
            assert (stream in left) is (kind == "imu" or kind in kinds), (name, kind)


@pytest.mark.parametrize("kinds", SUITES)
def test_a_place_is_held_with_a_receiver_alone(kinds):
    found = simulate_flights(project("imu", *kinds), "hover-hold", 1, 2)
    assert found.estimator == "navigation-ekf", "a new project flies on what can answer its requirements"
    subjects = told(found)
    if "receiver" in kinds:
        assert "It cannot hold its place" not in subjects
        heading = subjects.get("Its heading comes from motion alone")
        if "magnetometer" in kinds:
            assert "It flies" in subjects and heading is None and max(f.held_max_m for f in found.found) < 1.0
        else:
            # It begins to hold its place before it knows where north is: it may leave its place, and crash.
            assert heading is not None and (heading.severity == "stop") is ("It crashes" in subjects)
    else:
        said = subjects["It cannot hold its place"]
        assert said.severity == "stop" and "No receiver is chosen" in said.reason and "It flies" not in subjects
        assert ("It cannot hold its height" in subjects) is ("barometer" not in kinds)


@pytest.mark.parametrize("estimator", ["attitude-ekf", "mahony", "complementary"])
def test_an_estimator_without_a_place_holds_none(estimator):
    found = simulate_flights(
        project("imu", "barometer", "magnetometer", "receiver"), "hover-hold", 1, 1, conditions=Conditions(estimator)
    )
    said = told(found)["It cannot hold its place"]
    assert estimator in said.reason and said.severity == "stop"


@pytest.mark.parametrize("scenario", ["hover-level", "stick-modes", "flip"])
def test_modes_that_ask_for_no_place_do_not_fail_for_want_of_a_receiver(scenario):
    subjects = told(simulate_flights(project("imu", "barometer", "magnetometer"), scenario, 1, 1))
    assert "It cannot hold its place" not in subjects and "It flies" in subjects


@pytest.mark.parametrize("seed", range(3))
def test_without_a_magnetometer_no_filter_starts_at_the_right_heading_by_chance(seed):
    """The truth is the same motion, turned; with a magnetometer it is not turned."""
    made = project("imu", "receiver")
    place, site = place_of(made)
    flight = scenario_named("hover").flight(mission_of(made), site.gravity_m_s2, 200.0)
    home = (place.lat_deg, place.lon_deg, place.height_m)
    truth = record(flight.motion, flight.rate_hz, suite_of(made), flight.around, site, home, seed)["reference"]
    q = np.stack([truth[f"q_{a}"] for a in "wxyz"], axis=1)
    turn = quaternion.multiply(q, quaternion.conjugate(flight.motion.q_nb[::REFERENCE_EVERY]))
    vector = quaternion.to_rotation_vector(turn)
    assert np.abs(vector[:, :2]).max() < 1e-6 and np.ptp(vector[:, 2]) < 1e-6 and abs(vector[0, 2]) > 0.02
    straight = record(
        flight.motion, flight.rate_hz, suite_of(project("imu", "magnetometer")), flight.around, site, home, seed
    )
    assert np.abs(straight["reference"]["q_w"] - flight.motion.q_nb[::REFERENCE_EVERY, 0]).max() < 1e-6


def test_without_an_imu_usual_sensors_fly_and_it_is_said(tmp_path):
    store.create(tmp_path, project())
    assert sensors_of(project())["imu"] == USUAL
    closed = json.loads(fusus("simulate", "--project", tmp_path, "--scenario", "take-off", "--json").stdout)
    along = json.loads(fusus("simulate", "--project", tmp_path, "--scenario", "hover", "--json").stdout)
    assert closed["sensors"] == along["sensors"] == sensors_of(project())
    assert any(f["subject"] == "No parts are chosen" for f in closed["findings"])


def test_a_position_hold_without_a_receiver_fails_on_the_command_line(tmp_path):
    store.create(tmp_path, project("imu", "barometer", "magnetometer"))
    out = fusus("simulate", "--project", tmp_path, "--scenario", "hover-hold")
    assert out.returncode == 1 and "No receiver is chosen" in out.stdout and "without receiver" in out.stdout
