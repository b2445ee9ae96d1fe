"""One cell of the verdict table in full, of Fusus' estimate and of the board's; what notes, report and comparison say of references."""

import math
from dataclasses import replace

import numpy as np
import pytest
from tests.conftest import flown_project, short_flight

from fusus.core.analysis.comparison import Track, compare, speed_of
from fusus.core.analysis.statistics import measure
from fusus.core.progress import Silent
from fusus.errors import AlignmentError, RecordingError
from fusus.logs.create import create_recording
from fusus.logs.info import RecordingInfo
from fusus.logs.recording import Stream, load_stream
from fusus.project.commands import DeclareReference
from fusus.project.records import Fusion
from fusus.project.references import DeclaredReference
from fusus.report import gather
from fusus.study.fusion.run import request_for, run
from fusus.study.proof.boards import board_track, claims
from fusus.study.proof.stretch import stretch_of


@pytest.fixture(scope="module")
def flown(tmp_path_factory, site):
    """A flight whose board logged the truth turned by three degrees of heading, with a claim of one degree."""
    folder = tmp_path_factory.mktemp("stretch") / "Heron"
    _, streams = short_flight(site, seed=5, rate_hz=100.0)
    truth = streams["reference"]
    w, x, y, z = (truth[f"q_{a}"] for a in "wxyz")
    c, s = math.cos(math.radians(1.5)), math.sin(math.radians(1.5))
    board = {
        "t_ns": truth["t_ns"],
        "q_w": c * w - s * z,
        "q_x": c * x - s * y,
        "q_y": c * y + s * x,
        "q_z": c * z + s * w,
    }
    board |= {f"sigma_{a}_rad": np.full(len(w), math.radians(1.0)) for a in ("roll", "pitch", "yaw")}
    made = flown_project(folder, streams | {"board": board}, fusion=Fusion(estimators=("navigation-ekf",)))
    return folder, made


def test_the_curve_of_a_cell_gives_its_figure(flown):
    folder, made = flown
    study = run(request_for(folder, made, "hop"))
    for r in made.brief.requirements:
        if r.quantity == "outage":
            continue
        found = stretch_of(folder, made, "hop", r.key, "fusus", Silent(), study)
        assert measure(found.errors, r.statistic) == pytest.approx(found.verdict.value)
        assert found.verdict.requirement == r and found.t_s[0] >= 0 and found.deciding.start_s >= 0
        inside = (found.t_s >= found.deciding.start_s) & (found.t_s <= found.deciding.end_s)
        assert 0 < found.deciding.share <= 1 and inside.any()
        if r.statistic == "rmse":
            share = (found.errors[inside] ** 2).sum() / (found.errors**2).sum()
            assert found.deciding.share == pytest.approx(share, abs=0.02)


def test_the_boards_heading_is_off_by_what_it_was_turned(flown):
    folder, made = flown
    found = stretch_of(folder, made, "hop", "heading", "board", Silent())
    assert np.degrees(found.errors) == pytest.approx(np.full(len(found.errors), 3.0), abs=1e-3)
    assert found.verdict.value == pytest.approx(math.radians(3.0), rel=1e-4)
    board, c = load_stream(folder, "hop", "board"), run(request_for(folder, made, "hop")).judged.comparison
    mine = replace(c, estimate_q_nb=board_track(board).q_nb[: len(c.t_s)], reference_q_nb=c.reference_q_nb)
    said = {x["claim"]: x for x in claims(board, compare(board_track(board), Track(c.t_s, mine.reference_q_nb)))}
    assert said["yaw"]["word"] == "too good" and said["yaw"]["ratio"] == pytest.approx(3.0, rel=0.05)
    assert said["roll"]["word"] == "too modest"


def test_what_cannot_be_shown_says_why(flown):
    folder, made = flown
    with pytest.raises(RecordingError, match="no requirement"):
        stretch_of(folder, made, "hop", "smell", "fusus", Silent())
    board = load_stream(folder, "hop", "board").frame
    only = Stream("hop", "board", board.select("t_ns"))
    assert board_track(only) is None
    angles = board.select("t_ns").with_columns(roll_rad=board["q_x"] * 0 + 0.1, pitch_rad=board["q_x"] * 0 - 0.2)
    track = board_track(Stream("hop", "board", angles))
    assert track.q_nb.shape == (len(board), 4) and np.ptp(track.q_nb, axis=0).max() < 1e-12
    bare = {
        n: {c: f[c].to_numpy() for c in f.columns}
        for n in ("imu", "mag")
        for f in (load_stream(folder, "hop", n).frame,)
    }
    create_recording(folder, RecordingInfo(name="bare", kind="flight"), bare)
    for source in ("fusus", "board"):
        with pytest.raises(RecordingError):
            stretch_of(folder, made, "bare", "tilt", source, Silent())


def test_the_report_says_what_each_recording_was_held_against(flown):
    folder, made = flown
    declared = DeclaredReference(
        recording="hop", sigmas={"tilt": math.radians(0.3), "position": 0.05}, note="checked twice"
    )
    content = gather.gather(folder, DeclareReference("hop", declared).apply(made))
    text = str(content)
    assert (
        "held against" in text
        and "checked twice" in text
        and "tilt 0.3°, position 0.05 m" in text
        and "the board's own" in text
    )


def test_tracks_without_attitude_are_put_on_one_clock_by_their_speed():
    t = np.arange(0.0, 120.0, 0.05)
    speed = 2.0 + np.sin(0.4 * t) + 0.5 * np.sin(1.7 * t + 1.0)
    way = np.stack([np.cumsum(speed) * 0.05, 0 * t, 0 * t], axis=1)
    q = np.tile([1.0, 0.0, 0.0, 0.0], (len(t), 1))
    vel = np.stack([speed, 0 * t, 0 * t], axis=1)
    nowhere = np.full((len(t), 4), np.nan)
    estimate = Track(t, q, way, vel)
    by_place = speed_of(Track(t, nowhere, way))
    assert by_place[1] == pytest.approx(np.interp(by_place[0], t, speed), abs=0.05)
    late = Track(t + 0.8, nowhere, way, vel)
    apart, together = compare(estimate, late), compare(estimate, late, align_time=True)
    assert together.alignment.clock.offset_s == pytest.approx(0.8, abs=2e-3)
    assert np.nanmax(np.abs(together.pos)) < 0.02 < 1.0 < np.nanmax(np.abs(apart.pos))
    stands = Track(t, nowhere, 0 * way, 0 * vel)
    told = compare(estimate, stands, align_time=True)
    assert told.alignment is None and "hardly change" in told.notes[0], "clocks stay as they are, and a note says why"
    with pytest.raises(AlignmentError, match="do not overlap"):
        compare(estimate, Track(t + 500.0, nowhere, way))
    assert speed_of(Track(t[:5], nowhere[:5])) is None
