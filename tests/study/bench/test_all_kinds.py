"""Every kind of calibration from a recording of the stand-in, against its hidden truth, in the order of a bench day."""

from datetime import UTC, datetime

import numpy as np
import pytest

from fusus.core.frames import quaternion
from fusus.core.simulation.board.board import collect
from fusus.core.simulation.board.handling import stand_level, tumble
from fusus.devices.standin import SCENARIOS, obey
from fusus.logs.create import create_recording
from fusus.logs.info import RecordingInfo, load_info
from fusus.project import store
from fusus.project.commands import TakeCalibration
from fusus.project.records import Bench
from fusus.study.bench.calibrating import calibrate, stored
from fusus.study.bench.measured import fitting_from, from_calibration
from fusus.study.bench.standin import standin_board

SEED = 5


def played(board, scenario, seconds):
    """Return the streams of a scenario as the stand-in's process would play it, block by block."""
    plan, parts = list(SCENARIOS[scenario]), []
    while board.t_s < seconds - 1e-9:
        while plan and plan[0][0] <= board.t_s + 1e-9:
            obey(board, plan.pop(0)[1])
        parts.append(collect(board, 0.5)[0])
    names = {n for p in parts for n in p}
    return {
        n: {k: np.concatenate([p[n][k] for p in parts if n in p]) for k in next(p[n] for p in parts if n in p)}
        for n in names
    }


@pytest.fixture(scope="module")
def shed(tmp_path_factory):
    """A project with the demo's parts and no recording yet."""
    from fusus.demo.build import demo_project

    folder = tmp_path_factory.mktemp("shed") / "craft"
    project = demo_project()
    store.create(folder, project.model_copy(update={"bench": Bench()}))
    return folder


@pytest.fixture
def record(shed):
    def make(name, kind, streams):
        info = RecordingInfo(
            name=name,
            kind=kind,
            when=datetime(2026, 9, 12, tzinfo=UTC),
            place=store.load(shed).brief.place,
            temperature_degc=20.0,
        )
        return create_recording(shed, info, streams)

    return make


def board_of(folder, rate_hz=100.0):
    board = standin_board(store.load(folder), SEED, rate_hz)
    board.settle()
    return board


def z_of(found, sigma, truth):
    return np.abs((np.array(found, dtype=float) - truth) / np.array(sigma, dtype=float)).max()


def test_soak(shed, record):
    board = board_of(shed, 40.0)
    board.put(room_degc=2.0)
    board.settle()
    record("soak", "soak", played(board, "soak", 460.0))
    c = calibrate(shed, store.load(shed), "thermal", "soak")
    assert c.verdict == "pass"
    assert (
        z_of(c.parameters["gyro_slope_rad_s_k"], c.standard_errors["gyro_slope_rad_s_k"], board.specimen.gyro.slope) < 4
    )
    assert c.after["bias_rms_rad_s"] < 0.5 * c.before["bias_rms_rad_s"]
    assert c.parameters["low_degc"] < 12 < 25 < c.parameters["high_degc"]


def test_motor_current_reaches_the_fitting(shed, record):
    board = board_of(shed)
    record("amps", "motor-current", played(board, "motor-current", 32.0))
    project = store.load(shed)
    c = calibrate(shed, project, "motor-current", "amps")
    assert c.verdict == "pass"
    assert z_of(c.parameters["slope_ut_a"], c.standard_errors["slope_ut_a"], board.specimen.motor_ut_a) < 4
    entry = stored(c, load_info(shed, "amps"), project)
    ((path, value, sigma),) = fitting_from(entry)
    assert path == "parts.fitting.motor_ut_a"
    assert value == pytest.approx(np.linalg.norm(board.specimen.motor_ut_a), abs=0.05)
    assert sigma > 0


def test_scatter_becomes_the_receivers_figure(shed, record):
    board = board_of(shed, 20.0)
    record("sky", "gnss-static", played(board, "gnss-static", 900.0))
    project = store.load(shed)
    c = calibrate(shed, project, "gnss-scatter", "sky")
    assert c.parameters["cep50_m"] == pytest.approx(c.parameters["counted_cep50_m"], rel=0.3)
    figures = {
        f.field: f
        for f in from_calibration(project, stored(c, load_info(shed, "sky"), project), load_info(shed, "sky"))
    }
    model = board.model.gnss
    assert figures["position_horizontal"].value == pytest.approx(
        np.hypot(model.white_horizontal_m, model.correlated_horizontal_m), rel=0.6
    )
    assert figures["position_vertical"].standard_error > 0


def test_sticks_vibration_and_two_imus(shed, record):
    record("sticks", "sticks", played(board_of(shed), "sticks", 24.0))
    board = board_of(shed)
    c = calibrate(shed, store.load(shed), "sticks", "sticks")
    assert c.parameters["centre"] == pytest.approx(board.specimen.stick_centre.tolist(), abs=0.004)
    assert c.parameters["throttle_ends"][1] > 0.95

    fast = board_of(shed, 1000.0)
    record("shake", "vibration", played(fast, "vibration", 8.0))
    c = calibrate(shed, store.load(shed), "vibration", "shake")
    assert c.parameters["rotor_hz"] == pytest.approx(fast.around.rotor_hz, abs=0.5)
    assert any(seen for *_, seen in c.details["named"])

    record("pair", "two-imu", played(board_of(shed), "two-imu", 40.0))
    c = calibrate(shed, store.load(shed), "two-imu", "pair")
    difference = board.specimen.gyro.bias - board.specimen.second_gyro.bias
    assert c.parameters["gyro_difference_rad_s"] == pytest.approx(difference.tolist(), abs=0.01)


def test_the_day_in_order_ends_with_a_craft_that_sees_level_and_north(shed, record):
    """Bias, faces, turns, mounting, level, each put in force before the next: then attitude and heading come out right."""

    def use(kind, recording):
        project = store.load(shed)
        c = calibrate(shed, project, kind, recording)
        assert c.verdict != "fail", (kind, c.reason)
        store.save(shed, TakeCalibration(stored(c, load_info(shed, recording), project)).apply(project))
        return c

    record("still", "still", played(board_of(shed), "still", 30.0))
    use("gyro-bias", "still")
    record("faces", "six-face", played(board_of(shed), "six-face", 38.0))
    use("six-face", "faces")
    record("turns", "rotate", played(board_of(shed), "rotate", 62.0))
    use("magnetometer", "turns")
    board = board_of(shed)
    record("hands", "mounting", played(board, "mounting", 20.0))
    c = use("mounting", "hands")
    off = np.array(c.parameters["rotation"]) @ board.specimen.mounting.T
    assert np.degrees(np.linalg.norm(quaternion.to_rotation_vector(quaternion.from_matrix(off)))) < 8
    record("level", "level", played(board_of(shed), "level", 20.0))
    c = use("level", "level")
    assert "cancels" in c.reason

    final = board_of(shed)
    final.put(outdoors=True)
    stand_level(final.hands, final.rng)
    final.hands.rest(8.0)
    final.hands.turn(np.array([0.0, 0.0, 1.0]), np.pi / 2, 4.0)
    final.hands.rest(6.0)
    streams, truth = collect(final, 20.0)
    record("proof", "other", streams)
    from fusus.core.estimation.attitude_ekf.parameters import Parameters
    from fusus.core.estimation.replay import run_estimator
    from fusus.study.recording.loading import load

    loaded = load(shed, store.load(shed), "proof")
    found = quaternion.to_euler(run_estimator("attitude-ekf", Parameters(), loaded.given, loaded.site).outputs.q_nb)
    true = quaternion.to_euler(truth["q_nb"])
    assert np.degrees(np.abs(found[-100:, 1:] - true[-100:, 1:]).max()) < 1.0
    heading = np.degrees(np.angle(np.exp(1j * (found[-100:, 0] - true[-100:, 0]))))
    assert np.abs(heading).max() < 6.0  # the hands' yaw of the mounting is known to some 2.5°

    # With all that in force the antenna is found through the estimator.
    board = board_of(shed)
    record("spin", "lever-arm", played(board, "lever-arm", 70.0))
    c = calibrate(shed, store.load(shed), "lever-arm", "spin")
    assert c.verdict != "fail", c.reason
    arm = np.array(c.parameters["lever_arm_m"][:2], dtype=float)
    assert np.abs(arm - board.specimen.lever_arm_b_m[:2]).max() < 0.03
    assert c.parameters["latency_s"] == pytest.approx(board.model.gnss.latency_s, abs=0.06)


def test_a_tumbling_check_of_the_guide_is_the_boards_own(shed):
    board = board_of(shed)
    tumble(board.hands, board.rng, 10.0)
    assert not board.hands.is_resting
    collect(board, 12.0)
    assert board.hands.is_resting
