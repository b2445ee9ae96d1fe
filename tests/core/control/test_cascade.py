"""The loops above the rate loops: signs, limits, holding, modes; and their gains by the loops inside."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fusus.core.control import cascade
from fusus.core.control.cascade import (
    BEFORE,
    HEIGHT,
    HELD,
    HOME,
    INTEGRAL,
    LEVEL,
    MEMORY,
    MIXED,
    PATH,
    PLACE,
    RATE,
    Setpoint,
    StateEstimate,
    curved,
    wanted_rates,
    wrapped,
)
from fusus.core.control.customs import gains_from
from fusus.core.control.outer import Handling, RateLoop, cascade_of
from fusus.core.control.pid import Gains
from fusus.core.control.rate_loops import rate_loops
from fusus.core.derived_requirements.modes import MODES
from fusus.core.frames import quaternion
from fusus.errors import ParameterError

AXIS = RateLoop(Gains(0.2, 0.6, 0.01, 400.0, -1.0, 1.0, 0.0), 31.4, 2.0, 200.0)
YAW = RateLoop(Gains(1.0, 1.0, 0.0, 400.0, -1.0, 1.0, 0.0), 12.6, 0.2, 10.0)
C = cascade_of((AXIS, AXIS, YAW), Handling(), 0.05, 1.35, 9.81, 32.0)
DT = 0.002


def setpoint(mode, roll=0.0, pitch=0.0, yaw=0.0, throttle=0.5, pos=(0, 0, 0), vel=(0, 0, 0), heading=0.0):
    return Setpoint(mode, roll, pitch, yaw, throttle, *(float(v) for v in (*pos, *vel)), heading)


def estimate(pos=(0, 0, -3), vel=(0, 0, 0), yaw=0.0, pitch=0.0, roll=0.0, knows=True):
    q = quaternion.from_euler(yaw, pitch, roll)
    return StateEstimate(*(float(v) for v in np.ravel(q)), *(float(v) for v in (*pos, *vel)), knows)


def ask(w, s, seconds=2.0, k=None):
    k = np.zeros(MEMORY) if k is None else k
    out = None
    for _ in range(round(seconds / DT)):
        out = wanted_rates(C, k, w, s, DT)
    return out, k


def test_modes_are_numbered_as_they_are_listed():
    assert [list(MODES).index(m) for m in ("rate", "self-level", "mixed", "altitude-hold", "position-hold", "return", "follow-path")] == [
        RATE, LEVEL, MIXED, HEIGHT, PLACE, HOME, PATH,
    ]  # fmt: skip


@settings(deadline=None)  # the first one compiles
@given(st.floats(-1, 1))
def test_sticks_are_odd_bounded_and_rising(stick):
    value = curved(C, stick)
    assert abs(value) <= 1 and curved(C, -stick) == -value
    assert curved(C, min(stick + 0.01, 1.0)) >= value
    assert curved(C, 0.02) == 0.0 and curved(C, 1.0) == pytest.approx(1.0)
    assert -math.pi <= wrapped(20 * stick) <= math.pi
    assert math.cos(wrapped(20 * stick)) == pytest.approx(math.cos(20 * stick))


def test_rate_mode_asks_for_rates_and_level_mode_for_angles():
    (p, q, r, thrust, mode), _ = ask(setpoint(RATE, 1.0, -1.0, 1.0), estimate(roll=2.0))
    assert (p, q, r) == pytest.approx((C.rate_rad_s, -C.rate_rad_s, C.yaw_rate_rad_s), rel=1e-3) and mode == RATE
    assert thrust == pytest.approx(1.35 * 9.81), "the middle of the throttle hovers"
    (p, q, r, _, _), _ = ask(setpoint(LEVEL), estimate(roll=0.2))
    assert p == pytest.approx(-0.2 * C.tilt_p, rel=1e-6) and abs(q) < 1e-9 and abs(r) < 1e-9
    (p, _, _, _, _), _ = ask(setpoint(LEVEL, roll=1.0), estimate(roll=C.tilt_rad))
    assert abs(p) < 1e-3, "full stick asks for the limit"
    (p, *_), _ = ask(setpoint(LEVEL), estimate(roll=math.pi))
    assert abs(p) == pytest.approx(C.rate_rad_s), "upside down it turns back, whichever way"
    (p, *_), _ = ask(setpoint(MIXED, roll=1.0), estimate(roll=1.2))
    assert p == pytest.approx(C.rate_rad_s, rel=1e-2), "at the end of the stick mixed mode goes over"


@pytest.mark.parametrize("yaw", [0.0, 1.3, -2.8])
def test_it_leans_towards_where_it_is_to_go(yaw):
    """North of it: from the body's view ahead or aside as it faces; nose down flies forward."""
    k = np.zeros(MEMORY)
    (p, q, _, _, mode), _ = ask(setpoint(PATH, pos=(2, 0, -3), heading=yaw), estimate(yaw=yaw), DT, k)
    assert mode == PATH
    assert p == pytest.approx(-math.sin(yaw) * abs(complex(p, q)), abs=1e-6), (
        "what lies north, one who faces east has on the left"
    )
    assert q == pytest.approx(-math.cos(yaw) * abs(complex(p, q)), abs=1e-6), "nose down for what lies ahead"


def test_height_is_held_and_stick_climbs():
    (*_, thrust, _), _ = ask(setpoint(HEIGHT), estimate(), DT)
    assert thrust == pytest.approx(1.35 * 9.81, rel=1e-6)
    low = ask(setpoint(PATH, pos=(0, 0, -4)), estimate(), DT)[0][3]
    high = ask(setpoint(PATH, pos=(0, 0, -2)), estimate(), DT)[0][3]
    assert low > 1.35 * 9.81 > high, "below its path it pushes"
    k = np.zeros(MEMORY)
    ask(setpoint(HEIGHT, throttle=1.0), estimate(), 0.5, k)
    assert k[HELD + 2] < -3.0, "the height that is held rises with the stick"
    tilted = ask(setpoint(HEIGHT), estimate(roll=0.5), DT)[0][3]
    assert tilted == pytest.approx(1.35 * 9.81 / math.cos(0.5), rel=1e-3), "leaning takes more thrust"


def test_place_is_held_where_the_sticks_let_go():
    k = np.zeros(MEMORY)
    ask(setpoint(PLACE), estimate(pos=(5, 6, -3)), DT, k)
    assert tuple(k[HELD : HELD + 3]) == (5, 6, -3)
    ask(setpoint(PLACE, pitch=-1.0), estimate(pos=(5, 6, -3), vel=(4, 0, 0)), 1.0, k)
    assert k[HELD] > 5.5, "it will stand where it has stopped"
    (_, q, *_), _ = ask(setpoint(PLACE), estimate(pos=(5, 6, -3), vel=(3, 0, 0)), DT, np.zeros(MEMORY))
    assert q > 0, "nose up to brake"


def test_without_a_place_only_height_is_held():
    (p, q, _r, thrust, mode), k = ask(setpoint(PLACE), estimate(pos=(9, 9, -3), vel=(5, 0, 0), knows=False), DT)
    assert mode == HEIGHT and abs(p) < 1e-9 and abs(q) < 1e-9 and thrust == pytest.approx(1.35 * 9.81, rel=1e-6)
    assert k[BEFORE] == HEIGHT
    *_, thrust, mode = ask(setpoint(PATH, pos=(0, 0, -4)), estimate(knows=False), DT)[0]
    assert mode == HEIGHT and thrust > 1.35 * 9.81, "a path's height can still be followed"


def test_coming_home_rises_first_and_sinks_only_there():
    k = np.zeros(MEMORY)
    (_, q, _, thrust, _), _ = ask(setpoint(HOME), estimate(pos=(-20, 0, -2)), DT, k)
    assert q < 0 and thrust > 1.35 * 9.81 and k[HELD + 2] == -C.home_m
    ask(setpoint(HOME), estimate(pos=(0.2, 0, -C.home_m)), 1.0, k)
    assert k[HELD + 2] > -C.home_m, "over home it sinks"


def test_rate_loops_stop_summing_up_on_the_ground():
    k = np.zeros(MEMORY)
    for _ in range(100):
        torques = rate_loops(C, k, 1.0, 0.0, 0.0, 0.0, 0.0, 0.0, DT, False)
    assert torques[0] > 0.2 * C.roll_nm and k[INTEGRAL] > 0 and torques[1] == torques[2] == 0
    rate_loops(C, k, 1.0, 0.0, 0.0, 0.0, 0.0, 0.0, DT, True)
    assert k[INTEGRAL] <= 0.6 * DT + 1e-12


def test_each_loop_is_slower_than_the_one_inside():
    assert (
        pytest.approx(31.4 / 4) == C.tilt_p
        and pytest.approx(C.tilt_p / 4) == C.speed_p
        and pytest.approx(C.speed_p / 3) == C.place_p
    )
    assert C.climb_p <= 1 / (4 * 0.05) and C.heading_p == pytest.approx(12.6 / 4)
    by_hand = cascade_of((AXIS, AXIS, YAW), Handling(tilt_p=5.0, place_p=0.5), 0.05, 1.35, 9.81, 32.0)
    assert by_hand.tilt_p == 5.0 and by_hand.place_p == 0.5
    with pytest.raises(ParameterError, match="Thrust over weight"):
        cascade_of((AXIS, AXIS, YAW), Handling(), 0.05, 4.0, 9.81, 32.0)


def test_gains_by_hand_are_read_or_refused_in_words():
    assert gains_from("0.2 0.6 0,01") == (0.2, 0.6, 0.01) and gains_from("  ") is None
    for text, says in (("1 2", "three numbers"), ("a b c", "is not three"), ("1 -2 3", "zero or more")):
        with pytest.raises(ValueError, match=says):
            gains_from(text)


@pytest.mark.parametrize(("stick", "axis"), [("roll", 0), ("pitch", 1), ("yaw", 2)])
def test_sticks_turn_the_craft_as_their_documentation_says(stick, axis):
    """Right, nose up, clockwise from above: in axes forward, right, down all three are positive rates."""
    from tests.firmware.kits import made_up_controls

    c, k = made_up_controls().cascade, np.zeros(cascade.MEMORY)
    level = cascade.StateEstimate(1.0, 0.0, 0.0, 0.0, 0.0, 0.0, -5.0, 0.0, 0.0, 0.0, True)
    asked = cascade.Setpoint(cascade.RATE, 0.0, 0.0, 0.0, 0.5, *(0.0,) * 7)._replace(**{stick: 0.5})
    cascade.begin_anew(k)
    for _ in range(500):
        rates = cascade.wanted_rates(c, k, asked, level, 0.002)[:3]
    assert rates[axis] > 0.3 and all(abs(r) < 1e-9 for i, r in enumerate(rates) if i != axis)
