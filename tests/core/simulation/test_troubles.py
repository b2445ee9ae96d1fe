"""Troubles on purpose: each changes what it names and nothing else, by a size that its seed alone decides."""

import math
from dataclasses import replace

import numpy as np
import pytest
from tests.core.simulation.flying import SITE, task_of

from fusus.core.control.cascade import PATH
from fusus.core.simulation.flight.campaign import fly_task, planned_flight_of
from fusus.core.simulation.flight.plan import MODE, PITCH, ROLL
from fusus.core.simulation.flight.troubles import HOLDING, Troubles, built, by_hand, trouble_named
from fusus.core.simulation.kinds import FLIGHTS, TROUBLES

G = SITE.gravity_m_s2


def named(name, seed):
    return trouble_named(name, seed, G, 0.4, 0.21, 18.0)


@pytest.mark.parametrize("name", TROUBLES)
def test_a_trouble_touches_one_thing_and_comes_again_with_its_seed(name):
    sound = Troubles()
    touched = {
        "level": "acc_b", "sticks": "stick", "gyro": "gyro_b", "magnetometer": "hard_ut", "airflow": "airflow_pa", "centre": "centre_m",
        "saturation": "mass", "multipath": "dragged_m",
    }  # fmt: skip
    found = [named(name, seed) for seed in range(30)]
    assert found == [named(name, seed) for seed in range(30)] and len({str(f) for f in found}) == 30
    for f in found:
        changed = {k for k in Troubles.__slots__ if getattr(f.troubles, k) != getattr(sound, k)} - {"dragged_s"}
        assert changed == ({touched[name]} if name in touched else set())
        assert (f.shakes > 1) == (name == "vibration") and 0 <= f.wind_m_s <= 8
        assert (f.wind_m_s > 3) == (name in ("wind", "airflow"))


def test_sizes_are_such_as_makers_meet():
    for seed in range(50):
        t = {name: named(name, seed).troubles for name in TROUBLES}
        assert 1.4 < math.degrees(math.asin(math.hypot(*t["level"].acc_b[:2]) / G)) < 4.1
        assert (
            0.05 < math.hypot(*t["sticks"].stick) < 0.15 and 0.2 < math.degrees(math.hypot(*t["gyro"].gyro_b[:2])) < 1.0
        )
        assert 0.09 * 0.21 < math.hypot(*t["centre"].centre_m) < 0.21 * 0.21 and 0.9 < 0.4 * t["saturation"].mass <= 1.0
        assert 5.0 <= math.hypot(*t["multipath"].dragged_m) <= 12.0
    with pytest.raises(KeyError, match="none of"):
        named("gremlins", 1)
    assert set(HOLDING) < set(TROUBLES)


def test_sticks_move_only_where_they_are_flown_by_and_the_craft_changes_by_its_factor():
    plan = planned_flight_of(task_of("hover-level")).plan
    moved = by_hand(plan, Troubles(stick=(0.1, -0.05)))
    by_path = plan.rows[:, MODE] == PATH
    assert (moved.rows[by_path] == plan.rows[by_path]).all() and not by_path.all()
    change = (moved.rows - plan.rows)[~by_path]
    assert np.allclose(change[:, ROLL], 0.1) and np.allclose(change[:, PITCH], -0.05)
    craft = replace(task_of().craft, mass=1.1, centre_m=(0.01, 0.0))
    heavy = built(craft, Troubles(mass=1.5, centre_m=(0.02, -0.01)))
    assert heavy.mass == pytest.approx(1.65) and heavy.centre_m == pytest.approx((0.03, -0.01))


@pytest.mark.slow
def test_what_sensors_read_differs_by_the_trouble_alone():
    task = task_of("hover-level", 7, "attitude-ekf", wind_m_s=0.0)
    level = named_for(task, "level")
    spoilt, sound = fly_task(replace(task, trouble="level")), fly_task(replace(task, trouble="sticks"))
    first = spoilt.first
    off = (spoilt.sensors.readings.acc[:first] - sound.sensors.readings.acc[:first]).mean(axis=0)
    assert off == pytest.approx(np.array(level.acc_b), abs=0.01), "standing, before anything moves"
    bias = named_for(task, "gyro").gyro_b
    turned = fly_task(replace(task, trouble="gyro"))
    late = turned.sensors.gyro_added[-1] - sound.sensors.gyro_added[-1]
    assert late == pytest.approx(np.array(bias), abs=1e-9)
    assert turned.sensors.gyro_added[: 3 * 500] == pytest.approx(sound.sensors.gyro_added[: 3 * 500]), (
        "not there on the bench"
    )


def named_for(task, name):
    level = float(np.hypot(*SITE.field.vector_ut[:2]))
    craft = task.craft
    share = craft.frame.mass_kg * G / (craft.frame.motor_thrust_n * len(craft.mixer.motors))
    return trouble_named(name, task.seed, G, share, craft.frame.arm_m, level).troubles


@pytest.mark.slow
@pytest.mark.parametrize("estimator", ["attitude-ekf", "navigation-ekf"])
def test_a_craft_holds_its_height_when_the_path_hands_over_to_the_sticks(estimator):
    flown = fly_task(task_of("hover-level", 3, estimator, wind_m_s=0.0))
    begins, ends = (t for t, _ in flown.plan.marks)
    rows = (flown.t_s > begins + 1) & (flown.t_s < ends - 1)
    height = -flown.log.truth[rows, 2]
    assert height.min() > 3.0 and np.ptp(height) < 1.6, "it once sank to the ground, for want of a held height"
    assert {"hover-level", "hover-hold"} <= set(FLIGHTS)
