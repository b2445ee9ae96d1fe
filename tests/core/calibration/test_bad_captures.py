"""What no calibration can be made of is refused with its reason, and never fitted in silence."""

import numpy as np
import pytest
from tests.bench import SITE, board, imu, xyz

from fusus.core.calibration.airflow import airflow
from fusus.core.calibration.gnss_scatter import gnss_scatter
from fusus.core.calibration.gyro_bias import gyro_bias
from fusus.core.calibration.level import level_trim
from fusus.core.calibration.magnetometer import magnetometer
from fusus.core.calibration.motor_current import motor_current
from fusus.core.calibration.mounting import mounting
from fusus.core.calibration.poses import FACES
from fusus.core.calibration.screening import saturated
from fusus.core.calibration.six_face import six_face
from fusus.core.calibration.sticks import sticks
from fusus.core.calibration.thermal import thermal
from fusus.core.calibration.vibration import vibration
from fusus.core.simulation.board.board import collect
from fusus.core.simulation.board.handling import face_attitude, motions, tumble

G = SITE.gravity_m_s2


def still(seconds=20.0, seed=1, **around):
    return collect(board(seed, **around), seconds)[0]


def on_faces(faces, seed=1):
    made = board(seed)
    for face in faces:
        made.hands.go_to(face_attitude(face, made.specimen.mounting, made.rng))
        made.hands.rest(3.0)
    return imu(collect(made, 4.3 * len(faces))[0])


def kinds(c):
    return {p.kind for p in c.problems}


def failed(c, kind, words=""):
    assert c.verdict == "fail"
    assert kind in kinds(c), (kinds(c), c.reason)
    assert words in c.reason
    return True


def test_three_samples_are_too_few():
    t, w, f = (v[:3] for v in imu(still(1.0)))
    for c in (gyro_bias(t, w, f), six_face(t, w, f, G), level_trim(t, w, f), mounting(t, w, f), vibration(t, w, f)):
        failed(c, "too few samples", "3 samples")
    failed(magnetometer(np.ones((3, 3)), 49.0), "too few samples")
    failed(thermal(t, w, f, np.full(3, 20.0)), "too few samples")


def test_equal_samples_are_named_stuck():
    t, w, f = imu(still(10.0))
    failed(gyro_bias(t, np.ones_like(w), f), "stuck", "equal")
    failed(six_face(t, w, np.ones_like(f), G), "stuck")
    failed(magnetometer(np.full((200, 3), 20.0), 49.0), "stuck")
    failed(airflow(t, np.full(len(t), 101325.0)), "stuck")
    failed(gnss_scatter(t, np.zeros((len(t), 3))), "stuck")


def test_one_stuck_axis_is_named():
    t, w, f = imu(still(10.0))
    w[:, 1] = 0.25
    failed(gyro_bias(t, w, f), "stuck", "y axis")


def test_a_moving_board_gives_no_bias():
    made = board(2)
    tumble(made.hands, made.rng, 20.0)
    failed(gyro_bias(*imu(collect(made, 20.0)[0])), "moved")


def test_a_knock_in_the_middle_leaves_the_longer_rest():
    made = board(3)
    made.hands.rest(6.0)
    made.hands.turn(np.array([0.0, 1.0, 0.0]), 0.3, 0.6)
    made.hands.rest(20.0)
    streams, truth = collect(made, 26.0)
    c = gyro_bias(*imu(streams))
    assert c.parameters["rest_s"] == pytest.approx(19.4, abs=0.6)
    z = (np.array(c.parameters["gyro_bias_rad_s"]) - truth["gyro_bias"][-2000:].mean(axis=0)) / c.standard_errors[
        "gyro_bias_rad_s"
    ]
    assert np.abs(z).max() < 4


def test_a_missing_face_is_named_and_five_are_a_school():
    five = on_faces([f for f in FACES if f != "upside down"])
    failed(six_face(*five, G), "face missing", "upside down")
    assert six_face(*five, G, "five faces").verdict != "fail"
    failed(six_face(*on_faces(FACES[:4]), G), "few poses", "level")
    failed(six_face(*on_faces(["level"]), G), "few poses")


def test_few_free_poses_are_counted():
    failed(six_face(*on_faces(FACES), G, "free poses"), "few poses", "6 different")


def test_wrong_range_shows_as_scale():
    t, w, f = on_faces(FACES)
    failed(six_face(t, w, f * 2.0, G), "scale", "range")


def test_saturation_is_told_from_a_smooth_peak():
    t = np.arange(2000) / 200
    smooth = np.round(3.0 * np.sin(2 * np.pi * 0.3 * t) / 0.001) * 0.001
    assert saturated(smooth) == 0
    assert saturated(np.clip(smooth, -2.0, 2.0)) > 200
    _, w, _ = imu(still(10.0))
    assert saturated(w[:, 0]) == 0
    made = board(4)
    tumble(made.hands, made.rng, 20.0)
    m = xyz(collect(made, 20.0)[0]["mag"], "mag", "ut")
    failed(magnetometer(np.clip(m, -25, 25), SITE.field.strength_ut), "saturated")


def test_turning_about_one_axis_only_is_not_enough():
    made = board(5)
    made.hands.turn(np.array([0.0, 0.0, 1.0]), 12.0, 30.0)
    c = magnetometer(xyz(collect(made, 30.0)[0]["mag"], "mag", "ut"), SITE.field.strength_ut)
    failed(c, "one plane", "hard iron")


def test_no_rotation_at_all():
    m = xyz(still(20.0)["mag"], "mag", "ut")
    assert magnetometer(m, SITE.field.strength_ut).verdict == "fail"
    failed(mounting(*imu(still(10.0))), "no rests")


def test_wrong_strength_names_unit_and_place():
    made = board(6)
    tumble(made.hands, made.rng, 40.0)
    m = xyz(collect(made, 40.0)[0]["mag"], "mag", "ut")
    failed(magnetometer(m * 10.0, SITE.field.strength_ut), "wrong strength", "unit")


def test_two_motions_are_counted():
    made = board(7)
    motions(made.hands, made.rng)
    t, w, f = imu(collect(made, 12.5)[0])
    failed(mounting(t, w, f), "motions", "2 motions")


def test_a_soak_without_warming():
    s = still(60.0, rate_hz=50.0)
    failed(thermal(*imu(s), s["imu"]["temperature_degc"]), "no warming")
    failed(thermal(*imu(s), np.full(len(s["imu"]["t_ns"]), np.nan)), "no temperature")


def test_steady_current_shows_no_slope():
    s = still(20.0)
    m, b = s["mag"], s["battery"]
    c = motor_current(m["t_ns"] * 1e-9, xyz(m, "mag", "ut"), b["t_ns"] * 1e-9, b["current_a"], 18.0)
    failed(c, "no current")


def test_sticks_that_never_move():
    failed(sticks(np.arange(400) / 20, np.zeros((400, 3))), "no motion")


def test_pressure_in_hectopascal_is_noticed():
    t = np.arange(400) / 25
    failed(airflow(t, 1013.0 + np.random.default_rng(1).normal(0, 0.02, 400)), "unit")
