"""Each fit against the stand-in's truth or a closed form, and the small rules between them."""

import numpy as np
import pytest
from tests.bench import SITE, board, imu, true_acc, xyz

from fusus.core.calibration.agreement import agreement
from fusus.core.calibration.airflow import airflow, f_test, independent
from fusus.core.calibration.apply import Corrections
from fusus.core.calibration.coverage import coverage, even_directions
from fusus.core.calibration.gnss_scatter import gnss_scatter
from fusus.core.calibration.level import level_trim
from fusus.core.calibration.lever_arm import lever_arm
from fusus.core.calibration.motor_current import motor_current
from fusus.core.calibration.mounting import axes_in_words, mounting
from fusus.core.calibration.poses import FACES, find_poses
from fusus.core.calibration.regression import regress
from fusus.core.calibration.six_face import six_face
from fusus.core.calibration.sticks import sticks
from fusus.core.calibration.thermal import evaluate
from fusus.core.calibration.vibration import vibration
from fusus.core.frames import quaternion
from fusus.core.simulation.board.board import collect
from fusus.core.simulation.board.handling import face_attitude, motions, stand_level, tumble

G = SITE.gravity_m_s2


def test_faces_read_as_they_are_called():
    made = board(1)
    for face in FACES:
        made.hands.go_to(face_attitude(face, made.specimen.mounting, made.rng))
        made.hands.rest(3.0)
    found = [FACES[p.face] for p in find_poses(*imu(collect(made, 26.0)[0]))]
    assert found[-6:] == list(FACES)


def test_free_poses_need_no_faces():
    made = board(2)
    rng = np.random.default_rng(2)
    for v in rng.normal(size=(16, 3)):
        made.hands.go_to(quaternion.from_rotation_vector(v * 1.2))
        made.hands.rest(2.5)
    c = six_face(*imu(collect(made, 60.0)[0]), G, "free poses")
    assert c.verdict == "pass"
    fixed = np.array(c.parameters["matrix"])
    assert np.abs(np.tril(fixed, -1)).max() == 0.0
    assert c.after["gravity_rms_m_s2"] < 0.005 < 0.05 < c.before["gravity_rms_m_s2"]


def test_corrections_undo_what_the_board_does():
    made = board(3)
    tumble(made.hands, made.rng, 20.0)
    streams, truth = collect(made, 20.0)
    s, warm = made.specimen, float(truth["temperature_degc"].mean())
    _, w, f = imu(streams)
    inverse = np.linalg.inv(s.acc.matrix)
    known = Corrections(
        {
            "six-face": {"offset_m_s2": s.acc.bias + (warm - 25.0) * s.acc.slope, "correction": inverse},
            "gyro-bias": {"gyro_bias_rad_s": truth["gyro_bias"].mean(axis=0)},
            "magnetometer": {
                "hard_iron_ut": s.hard_iron_ut, "correction": np.linalg.inv(s.soft_iron),
                "alignment_rad": quaternion.to_rotation_vector(quaternion.from_matrix(s.mag_alignment)),
            },
            "mounting": {"rotation": s.mounting},
        }
    )  # fmt: skip
    up = quaternion.rotate(quaternion.conjugate(truth["q_nb"]), np.array([0.0, 0.0, -G]))
    assert np.abs(known.acc(f) - up).mean() < 0.25  # noise and the hand's tremor
    assert np.abs(known.acc(f) - up)[-20:].mean() < 0.02  # at rest again
    m = streams["mag"]
    rows = np.searchsorted(truth["t_s"], m["t_ns"] * 1e-9 - 1e-6)
    field = quaternion.rotate(quaternion.conjugate(truth["q_nb"][rows]), SITE.field.vector_ut)
    assert np.abs(known.mag(xyz(m, "mag", "ut")) - field).max() < 2.0
    assert np.linalg.norm(known.gyro(w)[-1]) < 0.2 or made.hands.queue


def test_thermal_and_bias_do_not_count_twice():
    polynomial = np.array([[0.01, 1e-3], [0.0, 0.0], [-0.02, 2e-3]])
    thermal = {"gyro_polynomial": polynomial, "reference_degc": 20.0}
    at = evaluate(polynomial, 20.0, [30.0])[0]
    both = Corrections({"thermal": thermal, "gyro-bias": {"gyro_bias_rad_s": at + 0.003, "temperature_degc": 30.0}})
    assert both.gyro(np.array([at + 0.003]), [30.0])[0] == pytest.approx([0, 0, 0], abs=1e-12)
    # At another temperature the polynomial carries the bias along, and what had moved since the soak stays.
    assert both.gyro(evaluate(polynomial, 20.0, [5.0]) + 0.003, [5.0])[0] == pytest.approx([0, 0, 0], abs=1e-12)


def test_level_turned_round_cancels_the_table():
    made = board(4)
    made.specimen.acc.bias[:] = 0.0
    stand_level(made.hands, made.rng)
    made.hands.rest(5.0)
    made.hands.turn(np.array([0.0, 0.0, 1.0]), np.pi, 3.0)  # it stays flat on the table
    made.hands.rest(6.0)
    streams, truth = collect(made, 15.0)
    t, w, f = imu(streams)
    f = true_acc(made, f, truth["temperature_degc"].mean()) @ made.specimen.mounting.T
    w = w @ made.specimen.mounting.T
    c = level_trim(t, w, f)
    assert "cancels" in c.reason
    assert c.parameters["trim_rad"] == pytest.approx([0.0, 0.0], abs=np.radians(0.1))
    assert "half round" in level_trim(t[:1000], w[:1000], f[:1000]).reason


def test_mounting_is_told_in_words():
    made = board(6)
    motions(made.hands, made.rng)
    streams, truth = collect(made, 18.5)
    t, w, f = imu(streams)
    c = mounting(t, w, true_acc(made, f, truth["temperature_degc"].mean()))
    off = np.array(c.parameters["rotation"]) @ made.specimen.mounting.T
    assert np.degrees(np.linalg.norm(quaternion.to_rotation_vector(quaternion.from_matrix(off)))) < 6
    assert c.parameters["margin"] > 0.3
    assert axes_in_words(np.diag([-1.0, -1.0, 1.0])) == "The board's axes point: x tail, y left, z down"


def test_foam_is_worth_what_the_f_test_says():
    made = board(7, throttle=0.5)
    off, _ = collect(made, 20.0)
    made.put(foam=True)
    on, _ = collect(made, 20.0)
    a, b = off["baro"], on["baro"]
    c = airflow(a["t_ns"] * 1e-9, a["pressure_pa"], b["t_ns"] * 1e-9, b["pressure_pa"])
    assert c.verdict == "pass"
    assert c.parameters["probability"] < 0.01
    joined = np.concatenate([a["pressure_pa"], b["pressure_pa"]])
    t = np.arange(len(joined)) / 25
    one = airflow(t, joined)
    assert one.parameters["noise_off_pa"] == pytest.approx(c.parameters["noise_off_pa"], rel=0.25)
    quiet = airflow(t, np.random.default_rng(1).normal(101325, 1, len(t)))
    assert quiet.verdict == "close"
    assert "chance" in quiet.reason


def test_f_test_against_the_normal_theory():
    rng = np.random.default_rng(3)
    low = [f_test(rng.normal(size=40), rng.normal(size=60), 39, 59)[1] < 0.05 for _ in range(600)]
    assert 0.03 < np.mean(low) < 0.08
    correlated = np.convolve(rng.normal(size=4000), np.ones(4), "same")
    # ρ = 3/4, 1/2, 1/4: 1 + 2 Σ ρ² = 2.75.
    assert independent(correlated) == pytest.approx(4000 / 2.75, rel=0.12)


def test_motor_current_slope():
    made = board(8)
    parts = []
    for u in np.tile([0.0, 0.4, 0.7, 0.3, 0.6, 0.1], 2):
        made.put(throttle=float(u))
        parts.append(collect(made, 3.0)[0])
    streams = {n: {k: np.concatenate([p[n][k] for p in parts]) for k in parts[0][n]} for n in ("mag", "battery")}
    m, b = streams["mag"], streams["battery"]
    c = motor_current(m["t_ns"] * 1e-9, xyz(m, "mag", "ut"), b["t_ns"] * 1e-9, b["current_a"], SITE.horizontal_ut)
    assert c.verdict == "pass"
    z = (np.array(c.parameters["slope_ut_a"]) - made.specimen.motor_ut_a) / c.standard_errors["slope_ut_a"]
    assert np.abs(z).max() < 4


def test_scatter_of_a_receiver_at_rest():
    made = board(9, rate_hz=50.0)
    s, _ = collect(made, 1800.0)
    gnss = s["gnss"]
    p = np.stack([gnss[f"pos_{a}_m"] for a in "ned"], axis=1)
    c = gnss_scatter(gnss["t_ns"] * 1e-9, p)
    assert c.parameters["counted_cep50_m"] == pytest.approx(c.parameters["cep50_m"], rel=0.25)
    model = made.model.gnss
    sigma = np.hypot(model.white_horizontal_m, model.correlated_horizontal_m)
    assert c.parameters["sigma_north_m"] == pytest.approx(sigma, rel=0.5)
    short = gnss_scatter(gnss["t_ns"][:400] * 1e-9, p[:400])
    assert short.verdict == "close"


def test_lever_arm_and_its_sign():
    made = board(10)
    made.hands.turn(np.array([0.0, 0.0, 1.0]), 150.0, 100.0)
    s, truth = collect(made, 100.0)
    gnss = s["gnss"]
    v = np.stack([gnss[f"vel_{a}_m_s"] for a in "ned"], axis=1)
    half = quaternion.body_rates(truth["t_s"], truth["q_nb"])
    rate = np.vstack([half, half[-1:]])
    wrong = np.array([0.05, -0.02, -0.115])
    c = lever_arm(gnss["t_ns"] * 1e-9, v, truth["t_s"], truth["q_nb"], rate, wrong)
    found, sigma = c.parameters["lever_arm_m"], c.standard_errors["lever_arm_m"]
    assert found[2] is None  # a level turn says nothing about the height
    assert np.abs((np.array(found[:2]) - [-0.05, 0.02]) / sigma[:2]).max() < 4
    assert c.parameters["latency_s"] == pytest.approx(made.model.gnss.latency_s, abs=0.05)
    assert "sign is likely wrong" in " ".join(p.message for p in c.problems)


def test_sticks():
    made = board(11)
    rest, _ = collect(made, 6.0)
    made.put(sticks=True)
    moved, _ = collect(made, 16.0)
    names = ("roll", "pitch", "yaw")
    s = np.vstack([np.stack([part["stick"][k] for k in names], axis=1) for part in (rest, moved)])
    t = np.concatenate([part["stick"]["t_ns"] for part in (rest, moved)]) * 1e-9
    c = sticks(t, s)
    assert c.parameters["centre"] == pytest.approx(made.specimen.stick_centre.tolist(), abs=0.003)
    assert min(c.parameters["high"]) > 0.95


def test_two_imus():
    made = board(12)
    made.has_second_imu = True
    made.hands.rest(3.0)
    tumble(made.hands, made.rng, 20.0)
    s, _ = collect(made, 23.0)
    t, w, f = imu(s)
    c = agreement(t, w, f, *imu(s, "imu2"))
    truth = made.specimen.gyro.bias - made.specimen.second_gyro.bias
    assert c.parameters["gyro_difference_rad_s"] == pytest.approx(truth.tolist(), abs=0.004)
    turned = agreement(t, w, f, t, w[:, [1, 0, 2]] * [1, -1, 1], f[:, [1, 0, 2]] * [1, -1, 1])
    assert np.linalg.norm(turned.parameters["rotation_rad"]) == pytest.approx(np.pi / 2, abs=0.05)
    assert agreement(t, w, f, t, 2 * w, f).verdict == "fail"


def test_vibration_lines_and_aliasing():
    made = board(13, rate_hz=1000.0, throttle=0.5)
    s, _ = collect(made, 8.0)
    turns = made.around.rotor_hz
    c = vibration(*imu(s), rotor_hz=turns)
    assert min(abs(f - turns) for f in c.parameters["line_hz"]) < 1.0
    assert c.parameters["notch_hz"] == pytest.approx(turns)
    assert not any(p.kind == "aliasing" for p in c.problems)
    slow = vibration(*imu(s), rotor_hz=turns, planned_hz=200.0)
    assert any(p.kind == "aliasing" for p in slow.problems)


def test_coverage_names_the_gaps():
    whole = coverage(even_directions(2000))
    assert whole.share == 1.0
    assert whole.gaps == ()
    assert whole.eigenvalues == pytest.approx([1 / 3] * 3, abs=0.01)
    d = even_directions(2000)
    upper = coverage(d[d[:, 2] > -0.2])
    assert "upside down" in upper.gaps[0]


def test_regression_allows_for_a_walk():
    """Plain least squares would claim a tenth of the real spread; this one is honest within its sampling error."""
    t = np.arange(80.0)
    design = np.stack([np.ones(80), t / 80], axis=1)
    z, plain = [], []
    for seed in range(60):
        rng = np.random.default_rng(seed)
        y = rng.normal(0, 1, 80) + np.cumsum(rng.normal(0, 0.5, 80))
        fit = regress(t, design, y)
        z.append(fit.coefficients[1] / fit.standard_errors[1])
        inverse = np.linalg.inv(design.T @ design)
        beta = inverse @ design.T @ y
        plain.append(beta[1] / np.sqrt(inverse[1, 1] * np.var(y - design @ beta)))
    assert 0.6 < np.std(z) < 1.6
    assert np.std(plain) > 3 * np.std(z)
