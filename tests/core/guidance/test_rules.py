"""What the guides say of captures while they go on: good ones come to an end, bad ones are told why not."""

import numpy as np
import pytest
from tests.bench import board

from fusus.core.guidance.guides import GUIDES, guide_for
from fusus.core.guidance.watch import Watch
from fusus.core.simulation.board.board import collect
from fusus.core.simulation.board.handling import face_attitude, tumble


def watched(made, seconds, step=0.5):
    """Return the watch after so many seconds, fed in pieces as a link would."""
    watch = Watch()
    for _ in range(round(seconds / step)):
        watch.add(collect(made, step)[0])
    return watch


def test_pieces_give_the_windows_of_the_whole():
    whole, parts = Watch(), watched(board(1), 5.0, 0.13)
    whole.add(collect(board(1), 38 * 0.13)[0])
    n = min(whole.windows, parts.windows)
    assert n > 15
    assert np.abs(np.array(whole.acc[:n]) - np.array(parts.acc[:n])).max() < 0.05


def test_still_counts_rest_only_and_names_motion():
    made = board(2)
    made.hands.rest(4.0)
    made.hands.turn(np.array([1.0, 0, 0]), 1.0, 1.5)
    guide = guide_for("still")
    moving = guide.judge(watched(made, 5.0))
    assert not moving.is_enough
    assert any("moves" in w for w in moving.wrong)
    assert guide.judge(watched(board(3), 22.0)).is_enough


def test_six_faces_names_the_next_and_what_is_not_square():
    made = board(4)
    for face in ("level", "upside down"):
        made.hands.go_to(face_attitude(face, made.specimen.mounting, made.rng))
        made.hands.rest(4.5)
    status = guide_for("six-face").judge(watched(made, 11.5))
    assert status.picture["held"].tolist().count(1.0) == 2
    assert "nose up" in status.now
    made.hands.go_to(face_attitude("nose up", made.specimen.mounting, made.rng, square_rad=0.4))
    made.hands.rest(3.0)
    tilted = guide_for("six-face").judge(watched(made, 4.0))
    assert any("square" in w or "no face" in w for w in tilted.wrong)


def test_turning_needs_all_directions_and_tells_of_steel():
    guide = guide_for("rotate")
    assert guide.judge(watched(board(5), 5.0)).progress <= 0.2
    made = board(6)
    tumble(made.hands, made.rng, 60.0)
    half = guide.judge(watched(made, 18.0))
    assert not half.is_enough
    assert "Turn it" in half.now
    made = board(6)
    tumble(made.hands, made.rng, 60.0)
    assert guide.judge(watched(made, 60.0)).is_enough
    made = board(7)
    tumble(made.hands, made.rng, 60.0)
    near = watched(made, 40.0)
    made.put(steel=True)
    for _ in range(12):
        near.add(collect(made, 0.5)[0])
    assert any("bent" in w for w in guide.judge(near).wrong)


def test_soak_airflow_current_and_sticks_know_when_it_is_enough():
    soak = guide_for("soak")
    made = board(8, rate_hz=50.0, room_degc=2.0)
    assert not soak.judge(watched(made, 10.0)).is_enough
    made.put(room_degc=26.0)
    assert soak.judge(watched(made, 150.0)).is_enough
    air = board(9, rate_hz=50.0, throttle=0.4)
    assert not guide_for("airflow").judge(watched(air, 15.0)).is_enough
    assert guide_for("airflow").judge(watched(air, 42.0)).is_enough
    assert any("not logged" in w for w in guide_for("motor-current").judge(Watch()).wrong)
    fingers = board(10, rate_hz=50.0)
    still = guide_for("sticks").judge(watched(fingers, 5.0))
    assert not still.is_enough
    fingers.put(sticks=True)
    assert guide_for("sticks").judge(watched(fingers, 16.0)).progress > still.progress


def test_what_is_missing_is_named():
    watch = watched(board(11, outdoors=False), 8.0)
    for name, words in (("gnss-static", "No fixes"), ("lever-arm", "No speeds"), ("two-imu", "second IMU")):
        assert any(words in w for w in guide_for(name).judge(watch).wrong), name


@pytest.mark.parametrize("guide", GUIDES, ids=lambda g: g.name)
def test_every_guide_says_why_how_and_what_to_beware_of(guide):
    assert guide.why and guide.how
    assert "ropellers" in guide.caution
    assert guide.is_powered == ("restrained" in guide.caution)
    empty = guide.judge(Watch())
    assert not empty.is_enough
    assert empty.now
