"""Tables without names: columns told by what their values can be; tables that give a counter its rate; the board's claimed sigmas."""

import numpy as np
import pytest

from fusus.logs.clock_table import counts_per_second, is_clock_table
from fusus.logs.conclusions import Findings
from fusus.logs.detect import detect
from fusus.logs.headers import Meaning
from fusus.logs.importer import ImportRequest, import_recording
from fusus.logs.positions import by_position, name_unit_quaternion
from fusus.logs.recording import load_stream

RNG = np.random.default_rng(9)
N = 400


def quaternions():
    q = RNG.normal(size=(N, 4))
    return q / np.linalg.norm(q, axis=1, keepdims=True)


def table_of(*blocks):
    columns = np.column_stack(blocks)
    return {i: columns[:, i] for i in range(columns.shape[1])}


def targets(meanings):
    return {i: m.target for i, m in meanings.items()}


ACC = RNG.normal(0, 0.05, (N, 3)) + [0.0, 0.0, -9.81]
GYRO = RNG.normal(0, 0.8, (N, 3))
FIELD = RNG.normal(0, 0.3, (N, 3)) + [20.0, 2.0, 43.0]


def test_triples_are_told_by_size_and_steadiness():
    found = targets(by_position(table_of(ACC, GYRO, FIELD)))
    assert [found[i] for i in (0, 3, 6)] == ["imu.acc_x_m_s2", "imu.gyro_x_rad_s", "mag.mag_x_ut"]
    found = targets(by_position(table_of(GYRO, ACC, FIELD)))
    assert [found[i] for i in (0, 3, 6)] == ["imu.gyro_x_rad_s", "imu.acc_x_m_s2", "mag.mag_x_ut"]


def test_four_columns_of_unit_length_are_an_attitude():
    found = targets(by_position(table_of(ACC, GYRO, quaternions())))
    assert [found[i] for i in range(6, 10)] == [f"reference.q_{a}" for a in "wxyz"]
    meanings: dict[int, Meaning] = {}
    name_unit_quaternion(("X", "Y", "Z", "W"), table_of(quaternions()), meanings)
    assert targets(meanings) == {0: "reference.q_x", 1: "reference.q_y", 2: "reference.q_z", 3: "reference.q_w"}
    meanings = {}
    name_unit_quaternion(("a", "b", "c", "d"), table_of(2.0 * quaternions()), meanings)
    assert meanings == {}, "of length two it is none"


def test_counts_and_constants_are_left_alone():
    counts = np.rint(RNG.normal(0, 4000, (N, 3)))
    assert by_position(table_of(counts)) == {}
    assert by_position(table_of(RNG.normal(0, 1e6, (N, 3)))) == {}


def clock_table(tmp_path, rows):
    path = tmp_path / "clock.csv"
    path.write_text("Count,Hours,Minutes,Seconds\n" + "\n".join(",".join(str(v) for v in r) for r in rows) + "\n")
    return detect(path, None, Findings())[0]


def test_a_table_of_hours_minutes_and_seconds_gives_a_counter_its_rate(tmp_path):
    rows = [(1000 + 256 * s, 10 + (3590 + s) // 3600, (3590 + s) // 60 % 60, (3590 + s) % 60) for s in range(60)]
    found = clock_table(tmp_path, rows)
    assert is_clock_table(found) and counts_per_second(found) == pytest.approx(256.0, rel=1e-6)


def test_a_clock_that_stands_or_is_too_short_gives_none(tmp_path):
    assert counts_per_second(clock_table(tmp_path, [(i, 10, 0, 0) for i in range(60)])) is None
    assert counts_per_second(clock_table(tmp_path, [(i * 256, 10, 0, i) for i in range(5)])) is None


def test_a_table_of_readings_is_no_clock(tmp_path):
    path = tmp_path / "imu.csv"
    path.write_text(
        "t_s,gyro_x (deg/s),gyro_y (deg/s),gyro_z (deg/s)\n" + "\n".join(f"{i / 100},1,2,3" for i in range(60))
    )
    assert not is_clock_table(detect(path, None, Findings())[0])


def test_sigmas_are_the_boards_claims_and_no_second_estimate(project, tmp_path):
    names = ("t_s", "gx (deg/s)", "gy (deg/s)", "gz (deg/s)", "ax (g)", "ay (g)", "az (g)")
    told = (
        "est_roll (deg)",
        "est_pitch (deg)",
        "est_yaw (deg)",
        "est_sigma_roll (deg)",
        "est_std_yaw (deg)",
        "est_sigma_pos_n (m)",
        "vel_d std (m/s)",
    )
    rows = [
        [
            i / 100,
            *RNG.normal(0, 5, 3),
            *RNG.normal(0, 0.01, 2),
            -1.0,
            1.0 + 0.1 * i,
            -2.0,
            90.0 + i,
            0.5,
            1.5,
            0.02,
            0.07,
        ]
        for i in range(200)
    ]
    path = tmp_path / "board.csv"
    path.write_text("\n".join(",".join(str(v) for v in r) for r in [[*names, *told], *rows]))
    info = import_recording(ImportRequest((path,), project, "boarded", "flight"))
    board = load_stream(project, "boarded", "board")
    assert "reference" not in info.streams
    assert np.degrees(board.matrix("sigma_roll_rad")[0, 0]) == pytest.approx(0.5)
    assert np.degrees(board.matrix("sigma_yaw_rad")[0, 0]) == pytest.approx(1.5)
    assert board.matrix("sigma_pos_n_m")[0, 0] == 0.02 and board.matrix("sigma_vel_d_m_s")[0, 0] == 0.07
