"""Starting, stopping, leaving the ground, landing and breaking: each noticed once, by its own rule."""

import math

import numpy as np
import pytest

from fusus.core.control.arming import words
from fusus.core.control.cascade import HEIGHT, LEVEL, PLACE, Setpoint
from fusus.core.control.failsafe import NO_FAILSAFE
from fusus.core.simulation.flight import groups
from fusus.core.simulation.flight.watching import ArmingState, Sinking, is_quiet, note, start_or_stop, watch_ground
from fusus.core.vehicle.body import body_of

G = 9.80665
BODY = body_of(1.0, (0.01, 0.01, 0.02), 0.2, G, 0.1, 0.0)
RULES = groups.Rules(math.radians(25.0), False, True, 1.0, G, NO_FAILSAFE)


class Watched:
    """A memory with its list of events."""

    def __init__(self, **begins):
        self.mem = np.zeros(groups.MEMORY)
        for name, value in begins.items():
            self.mem[getattr(groups, name)] = value
        self.events = np.full((groups.EVENTS, 3), np.nan)

    def told(self):
        return [(int(n), d) for n, _, d in self.events if not math.isnan(n)]

    def switch(self, on, mode=HEIGHT, throttle=0.0, tilt_deg=0.0, rate=0.0, knows=True, rules=RULES):
        setpoint = Setpoint(mode, 0.0, 0.0, 0.0, throttle, *[0.0] * 7)
        turned = ArmingState(math.cos(math.radians(tilt_deg)), rate, knows)
        start_or_stop(rules, self.mem, self.events, setpoint, on, turned, 1.0)
        return self.told()

    def at(self, height=0.0, sinks=0.0, tilt_deg=0.0, thrust=0.0, sinking=False, dt=0.01):
        half = math.radians(tilt_deg) / 2
        m = (0.0, 0.0, -height, 0.0, 0.0, sinks, math.cos(half), math.sin(half), 0.0, 0.0, 0.0, 0.0, 0.0)
        watch_ground(BODY, RULES, self.mem, self.events, m, Sinking(sinking, -sinks, thrust), dt, 2.0)
        return self.told()


def test_motors_start_once_and_stop_at_once():
    w = Watched()
    assert w.switch(True) == [(groups.STARTED, 0.0)] and w.mem[groups.ON] == 1.0
    assert w.switch(True) == [(groups.STARTED, 0.0)], "a switch that stays on starts nothing again"
    assert w.switch(False)[-1] == (groups.STOPPED, 0.0) and w.mem[groups.ON] == 0.0
    assert w.switch(True)[-1] == (groups.STARTED, 0.0) and len(w.told()) == 3


@pytest.mark.parametrize(
    ("how", "word"),
    [
        ({"tilt_deg": 30.0}, "tilt"),
        ({"throttle": 0.5, "mode": LEVEL}, "throttle"),
        ({"rate": 3.0}, "turn"),
        ({"mode": PLACE, "knows": False}, "position"),
        ({"rules": RULES._replace(due=True)}, "calibration"),
        ({"rules": RULES._replace(healthy=False)}, "sensor"),
    ],
)
def test_a_refusal_says_why_and_is_told_once(how, word):
    w = Watched()
    ((number, detail),) = w.switch(True, **how)
    assert number == groups.REFUSED and w.mem[groups.ON] == 0.0
    assert any(word in x.lower() for x in words(int(detail))), words(int(detail))
    assert len(w.switch(True, **how)) == 1, "not at each loop again"
    w.switch(False)
    assert w.switch(True)[-1][0] == groups.STARTED, "switched off and on it is asked anew"


def test_throttle_counts_only_where_it_is_thrust():
    assert Watched().switch(True, mode=HEIGHT, throttle=0.5)[0][0] == groups.STARTED


def test_the_ground_is_left_and_touched_once_each():
    w = Watched(ON=1.0)
    assert w.at(0.05) == [] and w.at(0.2) == [(groups.LEFT_GROUND, 0.0)] and len(w.at(1.0)) == 1
    assert w.at(0.1, sinks=0.5)[-1][0] == groups.LEFT_GROUND, "a decimetre is still air"
    assert w.at(0.01, sinks=0.5)[-1] == (groups.TOUCHED_DOWN, pytest.approx(0.5)) and w.mem[groups.FLIES] == 0.0


@pytest.mark.parametrize(
    ("sinks", "tilt_deg", "breaks"), [(3.9, 0.0, False), (4.1, 0.0, True), (0.5, 59.0, False), (0.5, 61.0, True)]
)
def test_touching_it_fast_or_tilted_breaks(sinks, tilt_deg, breaks):
    w = Watched(ON=1.0, FLIES=1.0)
    number = w.at(0.01, sinks=sinks, tilt_deg=tilt_deg)[0][0]
    assert (number == groups.CRASHED) == breaks and (w.mem[groups.ON] == 0.0) == breaks


def test_on_its_back_it_does_not_get_up():
    w = Watched(ON=1.0)
    assert w.at(0.05, tilt_deg=170.0)[0][0] == groups.CRASHED and w.mem[groups.BROKEN] == 1.0
    assert len(w.at(0.05, tilt_deg=170.0)) == 1


def test_landed_means_half_a_second_of_calm_with_little_thrust_while_sinking():
    w = Watched(ON=1.0)
    for _ in range(49):
        w.at(0.0, thrust=0.3 * G, sinking=True)
    assert w.told() == []
    w.at(0.0, sinks=0.5, thrust=0.3 * G, sinking=True)  # it still moves: the count begins anew
    for _ in range(49):
        w.at(0.0, thrust=0.3 * G, sinking=True)
    assert w.told() == [] and w.mem[groups.ON] == 1.0
    for _ in range(3):
        w.at(0.0, thrust=0.3 * G, sinking=True)
    assert w.told() == [(groups.STOPPED, 1.0)] and w.mem[groups.ON] == 0.0
    hovers = Watched(ON=1.0)
    for _ in range(200):
        hovers.at(0.0, thrust=0.9 * G, sinking=True)
    assert hovers.told() == [], "what carries itself has not landed"


def test_a_full_list_keeps_what_came_first():
    w = Watched()
    for i in range(groups.EVENTS + 5):
        note(w.mem, w.events, groups.STARTED, float(i), 0.0)
    assert len(w.told()) == groups.EVENTS and w.events[-1, 1] == groups.EVENTS - 1


def test_quiet_is_a_craft_that_stands():
    gyro, acc = np.zeros((3, 3)), np.tile([0.0, 0.0, -G], (3, 1))
    gyro[1, 0], acc[2, 2] = 0.2, -G - 1.0
    assert [bool(is_quiet(gyro, acc, i, G)) for i in range(3)] == [True, False, False]
