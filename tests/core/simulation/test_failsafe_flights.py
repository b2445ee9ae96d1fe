"""Failsafes in flight: the craft gets to where it harms nobody, motors stay off, and flights without a failure are left alone."""

import math
import sys
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from tests.runs import LONG, long_run

from fusus.core.control import failsafe
from fusus.core.control.failsafe_rules import Chosen, rules_of
from fusus.core.simulation.flight import groups
from fusus.core.simulation.flight.campaign import fly_task, planned_flight_of
from fusus.core.simulation.flight.safe_state import fly_to_safety, safe_state
from fusus.core.simulation.kinds import FAILSAFES, FLIGHTS

sys.path.insert(0, str(Path(__file__).parent))
from flying import task_of

SEEDS = range(1, 101) if LONG else (1, 2)


def guarded(scenario, seed=1, **chosen):
    task = task_of(scenario, seed=seed)
    c = task.controller.cascade
    rules = rules_of(Chosen(**chosen), c.down_m_s, c.curve, c.dead, c.rate_rad_s)
    return replace(task, controller=replace(task.controller, failsafe=rules))


@pytest.mark.slow
@pytest.mark.parametrize("scenario", FAILSAFES)
def test_each_failure_ends_with_motors_off_for_good(scenario):
    for seed in SEEDS:
        found = fly_to_safety(guarded(scenario, seed))
        assert math.isfinite(found.stopped_s) and not found.restarted, (scenario, seed)
        if scenario == "motor-lost":
            assert found.stopped_s < 1.5, (seed, found)
            continue
        assert found.is_safe and not found.ground_m_s > 1.5, (scenario, seed, found)
        if scenario != "battery-empty":
            assert found.acts_s == pytest.approx(0.5, abs=0.04)
            assert found.distance_m < 15.0 and found.stages[-1] in (failsafe.STOP, failsafe.LAND, failsafe.FLY)


def test_without_failsafes_a_silent_radio_carries_it_away():
    """What the receiver told last is flown on: the distance that failsafes save."""
    task = task_of("radio-loss")
    found = safe_state(fly_task(task), 1, planned_flight_of(task).fails_s)
    assert math.isnan(found.acts_s) and not found.is_safe
    assert found.distance_m > 20.0 * fly_to_safety(guarded("radio-loss")).distance_m


@pytest.mark.parametrize("scenario", [s for s in FLIGHTS if s not in FAILSAFES])
def test_a_flight_in_which_nothing_fails_is_the_same_with_failsafes(scenario):
    for seed in SEEDS if LONG else (1,):
        with_them = fly_task(guarded(scenario, seed))
        assert groups.FAILSAFE not in [n for n, _, _ in with_them.events], (scenario, seed, with_them.events)
        if seed == 1:
            assert np.array_equal(with_them.log.truth, fly_task(task_of(scenario, seed=seed)).log.truth)


def test_the_school_that_comes_home_lands_at_home():
    task = guarded("radio-loss", radio="return")
    flown = fly_task(task)
    found = safe_state(flown, 1, planned_flight_of(task).fails_s)
    assert found.is_safe and failsafe.RETURN in found.stages
    assert np.hypot(*flown.log.truth[-1, 0:2]) < 3.0


def test_the_school_that_stops_falls_where_it_is():
    found = fly_to_safety(guarded("radio-loss", radio="stop"))
    assert found.stages == (failsafe.STOP,) and found.stopped_s < 0.6 and found.broke and not found.restarted


@long_run
def test_three_schools_over_a_hundred_seeds():
    for radio in ("land", "return"):
        for seed in SEEDS:
            for scenario in ("radio-loss", "radio-and-fixes"):
                found = fly_to_safety(guarded(scenario, seed, radio=radio))
                assert math.isfinite(found.stopped_s) and not found.restarted and not found.broke, (
                    radio,
                    scenario,
                    seed,
                    found,
                )
