"""Estimates and references as files."""

import numpy as np
import polars as pl
import pytest
from tests.logs.tables import truth

from fusus.core.estimation.catalogue import info_for
from fusus.core.estimation.replay import estimator_input, run_estimator
from fusus.core.frames import quaternion
from fusus.core.world.site import Site
from fusus.errors import LogError, ProjectError
from fusus.logs.estimates import read_track, write_estimate


@pytest.fixture(scope="module")
def replay():
    """An estimate of a rocked board."""
    t, gyro, acc = truth()
    return run_estimator("attitude-ekf", info_for("attitude-ekf").parameters(), estimator_input(t, gyro, acc), Site())


@pytest.mark.parametrize("ending", ["csv", "parquet"])
def test_an_estimate_there_and_back(replay, ending, tmp_path):
    path = tmp_path / f"e.{ending}"
    write_estimate(replay, path)
    track = read_track(path)
    assert np.allclose(track.t_s, replay.t_s) and np.allclose(
        track.q_nb, quaternion.normalise(replay.outputs.q_nb), atol=1e-9
    )


def test_an_estimate_that_cannot_be_written_is_told(replay, tmp_path):
    with pytest.raises(LogError, match="parquet or .csv"):
        write_estimate(replay, tmp_path / "e.xlsx")
    with pytest.raises(ProjectError, match="does not exist"):
        write_estimate(replay, tmp_path / "none" / "e.csv")


def test_euler_angles_and_position_are_read(tmp_path):
    path = tmp_path / "jig.csv"
    path.write_text(
        "t_s,yaw_deg,pitch_deg,roll_deg,pos_n_m,pos_e_m,pos_d_m\n"
        + "".join(f"{i},90,10,-5,{i},0,-3\n" for i in range(5))
    )
    track = read_track(path)
    assert np.allclose(np.degrees(quaternion.to_euler(track.q_nb)), [90, 10, -5])
    assert np.allclose(track.pos_n[:, 0], range(5)) and track.vel_n is None


def test_rows_out_of_order_and_without_numbers_are_passed_over(tmp_path):
    path = tmp_path / "e.csv"
    path.write_text("t_s,q_w,q_x,q_y,q_z\n0,1,0,0,0\n2,1,0,0,0\n1,1,0,0,0\n1,1,0,0,0\n3,nan,0,0,0\n4,1,0,0,0\n")
    assert read_track(path).t_s.tolist() == [0, 1, 2, 4]


@pytest.mark.parametrize(
    ("name", "content", "message"),
    [("a.csv", "t_s,x\n1,2\n2,3\n", "no attitude"), ("b.csv", "q_w,q_x,q_y,q_z\n1,0,0,0\n0,1,0,0\n", "time"), ("c.parquet", "rubbish", "Parquet"),
     ("d.csv", "t_s,q_w,q_x,q_y,q_z\n1,1,0,0,0\n", "fewer than two")],
)  # fmt: skip
def test_files_without_an_attitude_are_refused(name, content, message, tmp_path):
    path = tmp_path / name
    path.write_text(content)
    with pytest.raises(LogError, match=message):
        read_track(path)


def test_parquet_needs_a_time_and_may_be_single_precision(tmp_path):
    path = tmp_path / "e.parquet"
    frame = pl.DataFrame({"q_w": [1.0, 1.0], "q_x": [0.0, 0.0], "q_y": [0.0, 0.0], "q_z": [0.0, 0.0]})
    frame.write_parquet(path)
    with pytest.raises(LogError, match="t_s nor t_ns"):
        read_track(path)
    frame.with_columns(pl.Series("t_ns", [0, 10**9]), pl.col("q_w").cast(pl.Float32)).write_parquet(path)
    assert read_track(path).t_s.tolist() == [0.0, 1.0]
    with pytest.raises(LogError, match="does not exist"):
        read_track(tmp_path / "none.parquet")
