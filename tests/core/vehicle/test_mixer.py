"""The mixer of every layout: what it asks for comes out, signs are the craft's, and what does not fit gives way in order."""

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fusus.core.vehicle.airframe import Airframe
from fusus.core.vehicle.mixer import Motor, mix, mixer_of, motors_of
from fusus.errors import ParameterError

LAYOUTS = ("X-quad", "plus-quad", "H-quad", "hexa", "octo", "coaxial X8", "other")


def frame(layout="X-quad"):
    return Airframe(layout, 1.2, 0.2, 0.25, 8.0)


@pytest.mark.parametrize("layout", LAYOUTS)
def test_what_is_asked_for_comes_out(layout):
    mixer = mixer_of(frame(layout))
    wanted = np.array([12.0, 0.3, -0.2, 0.05])
    assert np.allclose(mixer.effect @ (mixer.mix @ wanted), wanted, atol=1e-9)
    shares = mix(mixer, 12.0, (0.3, -0.2, 0.05))
    assert np.allclose(mixer.effect @ shares, wanted, atol=1e-9) and (shares >= 0).all() and (shares <= 1).all()


@pytest.mark.parametrize("layout", LAYOUTS)
def test_numbers_and_turns_are_balanced(layout):
    motors = motors_of(frame(layout))
    n = len(motors)
    assert sorted(m.round_number for m in motors) == sorted(m.diagonal_number for m in motors) == list(range(1, n + 1))
    assert sum(m.is_clockwise for m in motors) * 2 == n
    mixer = mixer_of(frame(layout))
    assert np.allclose(mixer.effect.sum(axis=1)[1:], 0.0, atol=1e-9), "all alike: thrust and no torque"


def test_signs_are_those_of_a_craft_with_down_positive():
    """Right motors down rolls left side up: to roll right (positive) the left ones push; nose up takes the front ones."""
    mixer = mixer_of(frame())
    for i, m in enumerate(mixer.motors):
        x, y, _ = m.place
        assert np.sign(mixer.mix[i, 1]) == -np.sign(y) and np.sign(mixer.mix[i, 2]) == np.sign(x)
        assert (mixer.mix[i, 3] < 0) == m.is_clockwise, "a propeller drags the body against its own turn"


def test_both_customs_of_numbering_name_the_same_places():
    by_place = {(m.place[0] > 0, m.place[1] > 0): m for m in motors_of(frame())}
    assert by_place[(True, True)].round_number == 1 and by_place[(False, True)].round_number == 2
    assert [by_place[k].diagonal_number for k in ((False, True), (True, True), (False, False), (True, False))] == [
        1,
        2,
        3,
        4,
    ]


def test_yaw_gives_way_first_then_thrust_then_roll_and_pitch():
    mixer = mixer_of(frame())
    full = 4 * 8.0
    much_yaw = mix(mixer, 0.5 * full, (1.0, 0.0, 5.0))
    out = mixer.effect @ much_yaw
    assert out[1] == pytest.approx(1.0) and out[0] == pytest.approx(0.5 * full) and 0 < out[3] < 5.0
    high = mixer.effect @ mix(mixer, full, (1.5, 0.5, 0.0))
    assert high[1:3] == pytest.approx([1.5, 0.5]) and high[0] < full
    low = mixer.effect @ mix(mixer, 0.0, (1.5, 0.0, 0.0))
    assert low[1] == pytest.approx(1.5) and low[0] > 0.0
    both = mixer.effect @ mix(mixer, 0.5 * full, (20.0, 10.0, 0.0))
    assert both[1] / both[2] == pytest.approx(2.0), "what roll and pitch lose, they lose alike"


@pytest.mark.parametrize("seed", range(30))
def test_shares_stay_in_range_whatever_is_asked(seed):
    rng = np.random.default_rng(seed)
    mixer = mixer_of(frame(LAYOUTS[seed % len(LAYOUTS)]))
    shares = mix(mixer, float(rng.uniform(-50, 100)), tuple(rng.normal(0, 10, 3)))
    assert np.isfinite(shares).all() and (shares >= 0).all() and (shares <= 1).all()


def test_authority_is_the_torque_of_opposite_motors():
    wide, narrow = mixer_of(frame()), mixer_of(replace(frame(), arm_m=0.1))
    roll, pitch, yaw = wide.authority_nm
    assert roll == pytest.approx(4 * 8.0 * 0.2 / np.sqrt(2) / 2) and pitch == pytest.approx(roll)
    assert yaw < roll / 5 and narrow.authority_nm[0] == pytest.approx(roll / 2)


@pytest.mark.parametrize(
    ("places", "what"),
    [
        ([(0.2, 0.0, 0.0), (-0.2, 0.0, 0.0)], "Roll"),
        ([(0.2, 0.2, 0.0), (-0.2, -0.2, 0.0), (0.1, 0.1, 0.0), (-0.1, -0.1, 0.0)], "Independent axes"),
    ],
)
def test_a_geometry_that_cannot_be_flown_is_refused(places, what):
    motors = tuple(Motor(p, i % 2 == 0, i + 1, i + 1) for i, p in enumerate(places))
    with pytest.raises(ParameterError, match=what):
        mixer_of(frame(), motors)


def test_more_motors_than_outputs_and_an_inertia_that_cannot_be_are_refused():
    own = tuple((0.2 * math.cos(i), 0.2 * math.sin(i), i % 2 == 0) for i in range(13))
    with pytest.raises(ParameterError, match="Number of motors is 13"):
        mixer_of(Airframe("other", 1.35, 0.21, own=own))
    assert len(mixer_of(Airframe("other", 1.35, 0.21, own=own[:12])).motors) == 12


@settings(max_examples=200, deadline=None)
@given(
    st.sampled_from(["X-quad", "plus-quad", "hexa", "octo", "coaxial X8"]), st.floats(0.0, 40.0), st.floats(-3.0, 3.0),
    st.floats(-3.0, 3.0), st.floats(-0.6, 0.6), st.sampled_from([0.0, 0.02, 0.1]),
)  # fmt: skip
def test_motors_stay_within_their_range_and_level_comes_first(layout, thrust, roll, pitch, yaw, least):
    mixer = mixer_of(Airframe(layout, 1.35, 0.21))
    shares = mix(mixer, thrust, (roll, pitch, yaw), least)
    assert shares.min() >= least - 1e-12 and shares.max() <= 1.0 + 1e-12
    got = mixer.effect @ shares
    level = mixer.mix[:, 1] * roll + mixer.mix[:, 2] * pitch
    if np.ptp(level) <= 1.0 - least - 1e-9:
        np.testing.assert_allclose(got[1:3], (roll, pitch), atol=1e-6)
    assert got[3] * yaw >= -1e-9 and abs(got[3]) <= abs(yaw) + 1e-9, (
        "yaw is given in part or in full, never the other way"
    )
