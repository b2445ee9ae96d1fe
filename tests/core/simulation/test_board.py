"""The stand-in board: what it prints follows from its hidden errors, its handling and its surroundings."""

import numpy as np
import pytest
from tests.bench import SITE, board, imu, suite, true_acc, xyz

from fusus.core.calibration.poses import FACE_VECTORS, FACES
from fusus.core.frames import quaternion
from fusus.core.simulation.board.board import SELF_HEATING_K, WARM_UP_S, collect
from fusus.core.simulation.board.handling import Hands, face_attitude, motions
from fusus.core.simulation.board.slow import SlowBias
from fusus.core.simulation.board.specimen import draw_specimen


def test_the_same_seed_gives_the_same_board_and_another_one_another():
    a, b, c = (draw_specimen(suite(), (0.0, 0.0, -0.1), s) for s in (1, 1, 2))
    assert np.array_equal(a.gyro.bias, b.gyro.bias)
    assert np.array_equal(a.mounting, b.mounting)
    assert not np.array_equal(a.hard_iron_ut, c.hard_iron_ut)
    assert np.linalg.det(a.mounting) == pytest.approx(1.0)


def test_blocks_of_any_size_make_one_run():
    a, b = board(1), board(1)
    whole = collect(a, 2.0, block=400)[0]
    parts = collect(b, 2.0, block=37)[0]
    for name in ("imu", "mag", "baro"):
        assert np.array_equal(whole[name]["t_ns"], parts[name]["t_ns"]), name
    # The noise is drawn block by block: it differs, and is as large.
    assert whole["imu"]["gyro_x_rad_s"].std() == pytest.approx(parts["imu"]["gyro_x_rad_s"].std(), rel=0.2)


def test_each_face_reads_gravity_on_its_axis():
    made = board(2)
    for i, face in enumerate(FACES):
        made.hands.go_to(face_attitude(face, made.specimen.mounting, made.rng, square_rad=0.0))
        collect(made, 1.5)
        streams, truth = collect(made, 1.0)
        mean = true_acc(made, imu(streams)[2], truth["temperature_degc"].mean()).mean(axis=0)
        assert mean == pytest.approx(SITE.gravity_m_s2 * FACE_VECTORS[i], abs=0.01), face


def test_rates_are_the_derivative_of_the_attitude():
    hands = Hands()
    hands.turn(np.array([0.0, 0.6, 0.8]), 1.2, 1.0)
    hands.rest(0.3)
    hands.turn(np.array([1.0, 0.0, 0.0]), -0.5, 0.7)
    q, rate, moving = hands.move(1e-3, 2200)
    between = quaternion.body_rates(np.arange(2200) * 1e-3, q)
    assert np.abs(between - 0.5 * (rate[1:] + rate[:-1])).max() < 5e-3
    assert not moving[1100:1290].any()
    assert moving[500]
    assert np.abs(quaternion.to_rotation_vector(q[-1])).max() > 0.1


def test_hands_go_on_where_the_last_block_ended():
    once, twice = Hands(), Hands()
    for hands in (once, twice):
        hands.turn(np.array([0.0, 0.0, 1.0]), 2.0, 1.0)
    whole = once.move(0.01, 150)[0]
    parts = np.vstack([twice.move(0.01, n)[0] for n in (13, 87, 50)])
    assert np.abs(whole - parts).max() < 1e-12
    assert once.is_resting


def test_the_three_motions_end_at_the_nose_to_the_right():
    hands = Hands()
    motions(hands, np.random.default_rng(1))
    yaw = np.degrees(quaternion.to_euler(hands.last_attitude())[0])
    assert 15 < yaw < 70


def test_wander_has_the_spread_and_growth_of_its_model():
    rng = np.random.default_rng(3)
    many = SlowBias.start(2e-3, 5e-3, 20.0, 4000, rng)
    first = many.advance(1, 1.0, rng)[0]
    assert first.std() == pytest.approx(np.hypot(5e-3, 2e-3), rel=0.05)
    for _ in range(9):
        last = many.advance(11, 1.0, rng)[-1]
    # After 100 s: the walk has grown with the root of time, the Gauss-Markov part stays as it was.
    assert last.std() == pytest.approx(np.hypot(5e-3, 2e-3 * 10), rel=0.05)


def test_it_warms_up_as_a_first_order_lag():
    made = board(4, room_degc=10.0)
    assert collect(made, 0.5)[1]["temperature_degc"][-1] == pytest.approx(10.0 + SELF_HEATING_K, abs=0.01)
    made.put(room_degc=30.0)
    warm = collect(made, WARM_UP_S, block=400)[1]["temperature_degc"][-1]
    assert warm == pytest.approx(10.0 + SELF_HEATING_K + 20.0 * (1 - np.exp(-1)), abs=0.05)


def test_motors_shake_blow_and_bend_the_field():
    made = board(5)
    quiet, _ = collect(made, 4.0)
    made.put(throttle=0.6)
    loud, _ = collect(made, 4.0)
    assert imu(loud)[2].std() > 3 * imu(quiet)[2][:, 0].std()
    assert loud["baro"]["pressure_pa"].std() > 1.3 * quiet["baro"]["pressure_pa"].std()
    moved = xyz(loud["mag"], "mag", "ut").mean(axis=0) - xyz(quiet["mag"], "mag", "ut").mean(axis=0)
    assert moved == pytest.approx(made.around.current_a * made.specimen.motor_ut_a, abs=0.3)
    assert loud["motor"]["rpm_1"][0] == round(60 * made.around.rotor_hz)


def test_steel_building_and_sky():
    made = board(6, outdoors=False)
    inside, _ = collect(made, 2.0)
    assert "gnss" not in inside
    made.put(outdoors=True)
    outside, _ = collect(made, 2.0)
    assert len(outside["gnss"]["t_ns"]) == 10
    made.put(steel=True)
    near, _ = collect(made, 2.0)
    means = [xyz(s["mag"], "mag", "ut").mean(axis=0) for s in (inside, outside, near)]
    assert np.linalg.norm(means[2] - means[1]) > 10 > np.linalg.norm(means[0] - means[1]) > 1


def test_foam_keeps_the_wind_off():
    made = board(7, throttle=0.7)
    bare = collect(made, 20.0)[0]["baro"]["pressure_pa"]
    made.put(foam=True)
    foam = collect(made, 20.0)[0]["baro"]["pressure_pa"]
    assert foam.std() < 0.8 * bare.std()
    assert foam.mean() > bare.mean()  # moving air lowers the pressure


def test_fixes_come_late_and_turn_with_the_lever_arm():
    made = board(8)
    made.hands.turn(np.array([0.0, 0.0, 1.0]), 40.0, 20.0)
    gnss = collect(made, 20.0)[0]["gnss"]
    delay = (gnss["t_ns"] * 1e-9) % 0.2
    assert np.median(delay) == pytest.approx(made.model.gnss.latency_s % 0.2, abs=1e-6)
    speed = np.hypot(gnss["vel_n_m_s"], gnss["vel_e_m_s"])
    assert speed[40:60].mean() > speed[:5].mean()
