"""Silence and outliers together: after nothing came for long, one reading far off moves nothing; several that agree do."""

import sys
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from fusus.core.estimation.aiding import Aiding, gnss_rows, mag_rows, range_rows
from fusus.core.estimation.navigation_ekf.parameters import Parameters
from fusus.core.estimation.replay import estimator_input, run_estimator
from fusus.core.simulation.flight.fly import fly
from fusus.core.simulation.flight.scenarios import planned_flight
from fusus.core.simulation.flight.troubles import Troubles
from fusus.core.world.site import Site

sys.path.insert(0, str(Path(__file__).parents[1] / "simulation"))
from flying import MISSION, RATE, SITE, task_of

T = np.arange(0.0, 40.0, 0.01)
SILENT = (15.0, 22.0)


def standing(**changed):
    """Return the estimate of a craft that stands at home, all sensors telling so but for what is changed."""
    rng = np.random.default_rng(3)
    gyro, acc = (
        rng.normal(0, 0.002, (len(T), 3)),
        np.tile([0, 0, -9.81], (len(T), 1)) + rng.normal(0, 0.03, (len(T), 3)),
    )
    fix_t, other_t = np.arange(0.0, 40.0, 0.2), np.arange(0.0, 40.0, 0.04)
    pos, vel = rng.normal(0, 0.3, (len(fix_t), 3)), rng.normal(0, 0.05, (len(fix_t), 3))
    height, distance = rng.normal(0, 0.1, len(other_t)), np.full(len(other_t), 0.3)
    field = np.tile([20.0, 0.0, 44.0], (len(other_t), 1)) + rng.normal(0, 0.3, (len(other_t), 3))
    values = {"pos": pos, "vel": vel, "height": height, "distance": distance, "field": field}
    shown = {"pos": np.ones(len(fix_t), bool), "height": np.ones(len(other_t), bool), "distance": np.ones(len(other_t), bool),
             "field": np.ones(len(other_t), bool)}  # fmt: skip
    for name, (offset, times) in changed.items():
        t = fix_t if name in ("pos", "vel") else other_t
        quiet = "pos" if name == "vel" else name
        shown[quiet] &= ~((t > SILENT[0]) & (t < SILENT[1]))
        at = np.flatnonzero(t >= SILENT[1])[:times]
        values[name][at] += offset
    a = Aiding(
        gnss=gnss_rows(fix_t[shown["pos"]], values["pos"][shown["pos"]], values["vel"][shown["pos"]]),
        baro=np.column_stack([other_t, values["height"]])[shown["height"]],
        mag=mag_rows(other_t[shown["field"]], values["field"][shown["field"]]),
        ranges=range_rows(other_t[shown["distance"]], values["distance"][shown["distance"]]),
    )
    given = estimator_input(T, gyro, acc, a.mag[:, 0], a.mag[:, 1:4], a)
    return run_estimator(
        "navigation-ekf", replace(Parameters(), home_sigma_m=0.1), given, Site(gravity_m_s2=9.81)
    ).motion


@pytest.mark.parametrize(
    ("channel", "offset"),
    [
        ("pos", [30.0, 0, 0]),
        ("pos", [0, 0, 25.0]),
        ("vel", [8.0, 0, 0]),
        ("height", 40.0),
        ("distance", 15.0),
        ("field", [0, 40.0, 0]),
    ],
)
def test_one_outlier_after_silence_moves_nothing_and_the_good_ones_after_it_count(channel, offset):
    clean, spoilt = standing(**{channel: (0.0, 0)}), standing(**{channel: (np.array(offset), 1)})
    after = SILENT[1] < T
    assert (
        np.abs(spoilt.pos_n - clean.pos_n)[after].max() < 0.5 and np.abs(spoilt.vel_n - clean.vel_n)[after].max() < 0.3
    )
    used = spoilt.innovations.used[spoilt.innovations.t_s > SILENT[1] + 0.5]
    assert used.mean() > 0.98


def test_many_that_agree_are_believed_within_ten_seconds():
    """The receiver jumps by 30 m and stays there: whoever is right, the filter must not hold out for ever."""
    moved = standing(pos=(np.array([30.0, 0, 0]), 10_000))
    assert np.abs(moved.pos_n[T < 24.0, 0]).max() < 3.0
    assert np.abs(moved.pos_n[SILENT[1] + 11.0 < T, 0] - 30.0).max() < 3.0


@pytest.mark.slow
def test_in_closed_loop_one_wrong_fix_after_an_outage_moves_the_craft_by_nothing():
    """Holding its place: 6 s without fixes, then one that is 30 m off."""
    task = task_of("hover-wind")
    begins = 20.0
    course = planned_flight("hover-wind", MISSION, SITE.gravity_m_s2, RATE)
    outage = replace(course, outages=((begins, 6.0),))
    setting = replace(task.setting, around=replace(task.setting.around, outages=outage.outages))
    found = {}
    for name, metres in (("clean", 0.0), ("spoilt", 30.0)):
        troubles = Troubles(dragged_m=(metres, 0.0), dragged_s=(begins + 5.95, 0.15))
        flown = fly(task.craft, task.controller, course.plan, setting, task.seed, task.as_drawn, troubles)
        found[name] = flown
    t = found["clean"].t_s
    after = (t > begins) & (t < begins + 15.0)
    off = np.linalg.norm((found["spoilt"].log.truth[:, :2] - found["clean"].log.truth[:, :2])[after], axis=1)
    assert off.max() < 1.5


def test_two_noisy_fixes_in_a_row_of_ten_a_second_are_no_motion():
    """Chance gives two surprising fixes in a row every few minutes: they threw a flight of the demo's off by a metre and a half."""
    moved = []
    for two in (0.0, 3.0):
        rng = np.random.default_rng(5)
        t = np.arange(0.0, 60.0, 0.01)
        gyro = rng.normal(0, 0.002, (len(t), 3))
        acc = np.tile([0, 0, -9.81], (len(t), 1)) + rng.normal(0, 0.03, (len(t), 3))
        fix_t = np.arange(0.0, 60.0, 0.1)
        pos, vel = rng.normal(0, 0.8, (len(fix_t), 3)), rng.normal(0, 0.1, (len(fix_t), 3))
        pos[400:402, 0] = two  # at 40.0 and 40.1 s
        a = Aiding(gnss=gnss_rows(fix_t, pos, vel))
        given = estimator_input(t, gyro, acc, aiding=a)
        motion = run_estimator("navigation-ekf", Parameters(), given, Site(gravity_m_s2=9.81)).motion
        moved.append(motion.pos_n[:, 0])
    assert np.abs(moved[1] - moved[0])[4000:].max() < 0.4
