"""Failsafes: each acts after its time and not before, does what its row says, ends as it says, and never starts motors again."""

import math
import struct

import numpy as np
import pytest

from fusus.core.control import failsafe as f
from fusus.core.control.cascade import HEIGHT, HOME, LEVEL, PATH, PLACE, RATE, Setpoint, StateEstimate, curved
from fusus.core.control.failsafe import Health, decide, forget_failures, setpoint_for
from fusus.core.control.failsafe_rules import SCHOOLS, Chosen, rules_of, table
from fusus.core.control.outer import Handling

DT = 0.002
HEALTHY = Health(0.01, 0.001, 0.05, 0.2, 0.02, True, 3.8, 9.8, 0.1, 0.1, 1.0, True)
FLIES = StateEstimate(1.0, 0.0, 0.0, 0.0, 2.0, 3.0, -5.0, 0.0, 0.0, 0.0, True)
ASKED = Setpoint(PLACE, 0.1, -0.2, 0.3, 0.6, *(0.0,) * 7)
STICKS = Handling()


def rules(**chosen):
    return rules_of(Chosen(**chosen), STICKS.down_m_s, 0.4, 0.03, 6.0)


class Guard:
    """A failsafe over time."""

    def __init__(self, **chosen):
        self.rules, self.k, self.armed = rules(**chosen), np.zeros(f.MEMORY), True

    def run(self, seconds, health=HEALTHY, estimate=FLIES, asked=ASKED):
        for _ in range(round(seconds / DT)):
            stage = decide(self.rules, self.k, health, asked.mode, estimate, self.armed, DT)
            self.armed = self.armed and stage != f.STOP
        return stage

    def flown(self, asked=ASKED):
        return setpoint_for(self.rules, self.k, asked)

    @property
    def why(self):
        return int(self.k[f.WHY])


TIPPED = FLIES._replace(w=math.cos(1.2), x=math.sin(1.2))
BLIND = FLIES._replace(pd=math.nan)
NOWHERE = FLIES._replace(knows_place=False)
ACTS = [
    ("radio", {"radio_s": 9.0}, FLIES, 0.0, f.HOLD, f.RADIO),
    ("radio NaN", {"radio_s": math.nan}, FLIES, 0.0, f.HOLD, f.RADIO),
    ("radio, on the ground", {"radio_s": 9.0, "is_flying": False}, FLIES, 0.0, f.STOP, f.RADIO),
    ("gyro", {"gyro_s": 0.2}, FLIES, 0.0, f.STOP, f.GYRO),
    ("no attitude", {}, FLIES._replace(w=math.nan), 0.5, f.STOP, f.ESTIMATE),
    ("unsound", {"is_sound": False}, FLIES, 0.5, f.LAND, f.ESTIMATE),
    ("empty", {"cell_v": 3.2}, FLIES, 3.0, f.LAND, f.EMPTY | f.LOW),
    ("over, on the ground", {"is_flying": False}, TIPPED, 1.0, f.STOP, f.TIPPED),
    ("over, in the air", {}, TIPPED, 1.0, f.STOP, f.TIPPED),
    ("falls", {"force_m_s2": 0.5}, FLIES, 0.5, f.STOP, f.FELL),
    ("spins", {"rate_rad_s": 11.0}, FLIES, 0.3, f.STOP, f.SPINS),
    ("goes astray", {"error_rad_s": 5.0}, FLIES, 0.4, f.STOP, f.SPINS),
]


@pytest.mark.parametrize(
    ("health", "estimate", "after", "stage", "why"), [a[1:] for a in ACTS], ids=[a[0] for a in ACTS]
)
def test_each_acts_after_its_time_and_not_before(health, estimate, after, stage, why):
    guard = Guard()
    bad = HEALTHY._replace(**health)
    assert guard.run(2.0) == f.FLY and guard.flown() == ASKED
    if after:
        assert guard.run(after - 2 * DT, bad, estimate) == f.FLY
    guard.run(4 * DT, bad, estimate)
    assert guard.k[f.STAGE] == stage and guard.why & why == why


@pytest.mark.parametrize(
    ("health", "why"),
    [({"baro_s": 3.0}, f.BARO), ({"gnss_s": 9.0}, f.GNSS), ({"mag_s": 2.0}, f.MAG), ({"cell_v": 3.4}, f.LOW)],
)
def test_what_is_only_told_changes_nothing(health, why):
    guard = Guard()
    assert guard.run(5.0, HEALTHY._replace(**health)) == f.FLY and guard.why == why and guard.flown() == ASKED


def test_a_voltage_that_is_not_measured_is_no_empty_battery():
    assert Guard().run(20.0, HEALTHY._replace(cell_v=math.nan)) == f.FLY


@pytest.mark.parametrize("mode", range(7))
def test_a_sound_craft_flies_as_it_is_asked_to(mode):
    guard, asked = Guard(), ASKED._replace(mode=mode)
    assert guard.run(5.0, asked=asked) == f.FLY and guard.flown(asked) == asked


@pytest.mark.parametrize("mode", [RATE, 2])
def test_modes_that_let_go_may_turn_over(mode):
    assert Guard().run(3.0, estimate=TIPPED, asked=ASKED._replace(mode=mode)) == f.FLY


@pytest.mark.parametrize(
    ("radio", "health", "estimate", "then"),
    [
        ("land", {}, FLIES, f.LAND), ("return", {}, FLIES, f.RETURN), ("return", {"mag_s": 5.0}, FLIES, f.LAND),
        ("return", {}, NOWHERE, f.LAND), ("land", {}, BLIND, f.SINK), ("return", {}, BLIND, f.SINK),
    ],
)  # fmt: skip
def test_a_silent_radio_in_three_schools(radio, health, estimate, then):
    guard = Guard(radio=radio)
    silent = HEALTHY._replace(radio_s=1.0, **health)
    guard.run(2.9, silent, estimate)
    assert guard.k[f.STAGE] == (f.SINK if estimate is BLIND else f.HOLD)
    guard.run(0.3, silent, estimate)
    assert guard.k[f.STAGE] == then
    flown = guard.flown()
    assert (flown.roll, flown.pitch, flown.yaw) == (0.0, 0.0, 0.0)
    assert flown.mode == {f.LAND: PLACE, f.RETURN: HOME, f.SINK: LEVEL}[then]
    assert flown.throttle <= 0.5


def test_the_school_that_stops_stops_at_once():
    guard = Guard(radio="stop")
    guard.run(2 * DT, HEALTHY._replace(radio_s=1.0))
    assert guard.k[f.STAGE] == f.STOP and not guard.armed


def test_the_pilot_has_it_back_after_a_second_of_radio_and_not_after_single_packets():
    guard = Guard()
    silent = HEALTHY._replace(radio_s=1.0)
    guard.run(4.0, silent)
    for _ in range(5):
        guard.run(0.5)
        guard.run(0.1, silent)
    assert guard.k[f.STAGE] == f.LAND
    guard.run(0.9)
    assert guard.k[f.STAGE] == f.LAND
    guard.run(0.2)
    assert guard.k[f.STAGE] == f.FLY and guard.flown() == ASKED


def test_an_empty_battery_lands_though_its_voltage_comes_back_and_the_pilot_steers():
    guard = Guard()
    guard.run(3.1, HEALTHY._replace(cell_v=3.2))
    guard.run(10.0, HEALTHY._replace(cell_v=3.7))
    assert guard.k[f.STAGE] == f.LAND
    flown = guard.flown()
    assert (flown.mode, flown.roll, flown.pitch, flown.yaw) == (PLACE, ASKED.roll, ASKED.pitch, ASKED.yaw)
    assert flown.throttle == guard.rules.sink_throttle
    assert guard.flown(ASKED._replace(mode=LEVEL)).mode == HEIGHT
    assert guard.flown(ASKED._replace(mode=PATH)).roll == 0.0


def test_it_stops_on_the_ground_and_not_while_it_sinks():
    guard = Guard()
    empty = HEALTHY._replace(cell_v=3.2)
    guard.run(3.1, empty)
    assert guard.run(20.0, empty._replace(thrust=0.9), FLIES._replace(vd=0.7)) == f.LAND
    assert guard.run(20.0, empty._replace(thrust=0.9), FLIES) == f.LAND
    assert guard.run(0.6, empty._replace(thrust=0.3), FLIES) == f.STOP


def test_without_a_height_it_does_not_sink_for_ever():
    guard = Guard(blind_s=10.0)
    silent = HEALTHY._replace(radio_s=1.0)
    assert guard.run(9.9, silent, BLIND) == f.SINK
    assert guard.run(0.3, silent, BLIND) == f.STOP


def test_a_blow_alone_stops_nothing_and_one_that_tips_it_does():
    guard = Guard()
    guard.run(DT, HEALTHY._replace(force_m_s2=90.0))
    assert guard.run(3.0) == f.FLY
    guard.run(DT, HEALTHY._replace(force_m_s2=90.0))
    guard.run(0.5)
    guard.run(2 * DT, estimate=TIPPED)
    assert guard.k[f.STAGE] == f.STOP and guard.why & f.CRASHED


def test_motors_that_were_stopped_stay_so_until_somebody_disarms():
    guard = Guard()
    guard.run(0.01, HEALTHY._replace(gyro_s=1.0))
    assert not guard.armed
    why = guard.why
    assert guard.run(60.0) == f.STOP and guard.why == why & ~0
    forget_failures(guard.k)
    guard.armed = True
    assert guard.run(1.0) == f.FLY and guard.why == 0


def test_the_throttle_that_sinks_is_the_stick_curve_turned_round():
    """Held against the cascade's own curve, for many sticks."""
    from tests.firmware.kits import made_up_controls

    base = made_up_controls().cascade
    rng = np.random.default_rng(1)
    for _ in range(200):
        down, curve, dead = rng.uniform(0.5, 3.0), rng.uniform(0, 1), rng.uniform(0, 0.3)
        sinks = rng.uniform(0.05, 1.0) * down
        cascade = base._replace(curve=curve, dead=dead, down_m_s=down)
        lever = curved(cascade, 2.0 * f.sink_throttle(sinks, down, curve, dead) - 1.0)
        assert -lever * down == pytest.approx(sinks, rel=1e-6)


def test_any_bits_leave_a_stage_and_a_setpoint_that_can_be_flown():
    rng = np.random.default_rng(2)

    def any_bits():
        kind = rng.integers(4)
        if kind == 0:
            return struct.unpack("<d", rng.bytes(8))[0]
        return float(rng.choice([0.0, -1.0, math.nan, math.inf, -math.inf, 1e300, 3.0, 9.8]))

    guard = Guard(radio="return")
    for i in range(20_000):
        health = Health(
            *(any_bits() for _ in range(5)),
            bool(rng.integers(2)),
            *(any_bits() for _ in range(5)),
            bool(rng.integers(2)),
        )
        estimate = StateEstimate(*(any_bits() for _ in range(10)), bool(rng.integers(2)))
        asked = Setpoint(int(rng.integers(-9, 99)), *(any_bits() for _ in range(11)))
        stage = decide(guard.rules, guard.k, health, asked.mode, estimate, guard.armed, any_bits())
        assert f.FLY <= stage <= f.STOP and np.isfinite(guard.k).all()
        flown = setpoint_for(guard.rules, guard.k, asked)
        if stage not in (f.FLY,):
            assert 0 <= flown.mode <= 6 and 0.0 <= flown.throttle <= 0.5
        if stage == f.STOP:
            guard.armed = False
        if i % 50 == 49:
            forget_failures(guard.k)
            guard.armed = True


def test_the_table_names_every_cause_with_what_it_does_and_never_does():
    for radio in SCHOOLS:
        rows = table(rules(radio=radio), Chosen(radio=radio))
        assert len({r.cause for r in rows}) == len(rows) >= 15
        assert all(r.told_by and r.does and r.ends and r.never for r in rows)
        said = " ".join(r.does for r in rows)
        assert ("comes home" in rows[0].does) == (radio == "return") and "stops the motors" in said
