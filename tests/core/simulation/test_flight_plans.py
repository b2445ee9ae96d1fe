"""Plans of closed-loop flight: they begin on the ground with motors off, ask for what a craft can do, and end on the ground."""

import math
from dataclasses import replace

import numpy as np
import pytest

from fusus.core.control.cascade import HEIGHT, HOME, LEVEL, MIXED, PATH, PLACE, RATE
from fusus.core.mission.mission import Mission
from fusus.core.mission.motion import Waypoint
from fusus.core.simulation.flight.craft import Craft, drawn, hover_share, true_craft
from fusus.core.simulation.flight.plan import (
    COLUMNS,
    MODE,
    ON,
    PATH_AT,
    PITCH,
    PLAN_HZ,
    RADIO_S,
    ROLL,
    THROTTLE,
    YAW,
    along,
    blank,
    part,
)
from fusus.core.simulation.flight.scenarios import SWEEP_HZ, SWEEP_RAD_S, planned_flight
from fusus.core.simulation.kinds import FLIGHTS, KINDS
from fusus.core.vehicle.airframe import Airframe
from fusus.core.vehicle.battery import Battery
from fusus.core.vehicle.mixer import mixer_of

MISSION = Mission(height_m=4.0, speed_m_s=5.0, outage_s=8.0)
G = 9.81


@pytest.mark.parametrize("name", list(FLIGHTS))
def test_every_plan_is_one_that_can_be_asked_for(name):
    course = planned_flight(name, MISSION, G, 500.0)
    rows = course.plan.rows
    assert course.plan is planned_flight(name, MISSION, G, 500.0).plan, "one plan for all flights of a campaign"
    assert rows.shape[1] == COLUMNS and np.isfinite(rows).all() and course.plan.seconds == len(rows) / PLAN_HZ
    assert not rows[part(rows, 0.0, 3.0), ON].any(), "motors are off while the board aligns itself"
    assert set(np.unique(rows[:, MODE])) <= {RATE, LEVEL, MIXED, HEIGHT, PLACE, HOME, PATH}
    sticks = rows[:, [ROLL, PITCH, YAW]]
    assert np.abs(sticks).max() <= 1.0 and rows[:, THROTTLE].min() >= 0.0 and rows[:, THROTTLE].max() <= 1.0
    speed = np.linalg.norm(rows[:, PATH_AT + 3 : PATH_AT + 6], axis=1)
    assert speed.max() < 2.2 * MISSION.speed_m_s
    assert all(0.0 <= at <= course.plan.seconds and words for at, words in course.plan.marks)
    assert (rows[:, RADIO_S] >= 0.0).all() and rows[:, RADIO_S].any() == name.startswith("radio"), (
        "silent only where that is tried"
    )
    times = [at for at, _ in course.plan.marks]
    assert times == sorted(times)
    assert course.flies == (name not in ("arming-tilted", "radio-on-ground"))


def test_names_do_not_clash_and_what_goes_wrong_does():
    assert not set(FLIGHTS) & set(KINDS)
    crossing = planned_flight("crossing", MISSION, G, 500.0)
    (start, length), (steel,) = crossing.outages[0], crossing.steel
    assert length == 8.0 and 5.0 < start < crossing.plan.seconds
    row = crossing.plan.rows[round((start + 0.5 * length) * PLAN_HZ)]
    assert math.hypot(row[PATH_AT] - steel.north_m, row[PATH_AT + 1] - steel.east_m) < 1.0, (
        "under the steel in the middle of it"
    )
    assert planned_flight("crossing", replace(MISSION, outage_s=0.0, steel_ut=0.0), G, 500.0).outages == ()
    assert planned_flight("gnss-loss", MISSION, G, 500.0).outages[0][1] > 1e5
    assert planned_flight("weak-motor", MISSION, G, 500.0).weak_s < 30.0
    assert math.degrees(planned_flight("arming-tilted", MISSION, G, 500.0).slope_rad) == pytest.approx(30.0)


def test_a_sweep_goes_through_its_frequencies_axis_by_axis():
    extra = planned_flight("sweep", MISSION, G, 500.0).plan.extra
    busy = [np.flatnonzero(extra[:, a]) for a in range(3)]
    assert busy[0][-1] < busy[1][0] and busy[1][-1] < busy[2][0], "one after the other"
    assert np.abs(extra).max() == pytest.approx(SWEEP_RAD_S, rel=0.02)
    x = extra[busy[0][0] : busy[0][-1] + 1, 0]
    crossings = np.flatnonzero(np.diff(np.sign(x)) > 0)
    first, last = 500.0 / np.diff(crossings)[0], 500.0 / np.diff(crossings)[-3]
    assert SWEEP_HZ[0] < first < 2.5 * SWEEP_HZ[0], "its second period: frequencies grow by a third in a second"
    assert last == pytest.approx(SWEEP_HZ[1], rel=0.15)


def test_rows_along_a_path_and_blank_ones():
    rows = along([Waypoint(0, 0, 0, 0, 0.2), Waypoint(4, 8, 0, 3, 0.6)], G)
    assert len(rows) == 4 * PLAN_HZ and rows[:, ON].all()
    assert rows[100, PATH_AT + 2] == pytest.approx(-1.5) and rows[100, PATH_AT + 6] == pytest.approx(0.4)
    speed = np.gradient(rows[:, PATH_AT], 1 / PLAN_HZ)
    np.testing.assert_allclose(speed[5:-5], rows[5:-5, PATH_AT + 3], atol=0.02)
    assert blank(2.0)[:, THROTTLE].min() == 0.5 and not blank(2.0)[:, ON].any()


FRAME = Airframe("X-quad", 1.35, 0.21)
CRAFT = Craft(FRAME, mixer_of(FRAME), 0.05, Battery())


def test_crafts_differ_as_parts_do():
    many = [drawn(CRAFT, np.random.default_rng(k)) for k in range(400)]
    masses = np.array([c.mass for c in many])
    assert masses.mean() == pytest.approx(1.0, abs=0.004) and masses.std() == pytest.approx(0.02, rel=0.15)
    assert all(len(c.motors) == 4 and c.lag > 0 and 0.85 <= c.charge <= 1.0 for c in many)
    assert drawn(CRAFT, np.random.default_rng(3)) == drawn(CRAFT, np.random.default_rng(3))


def test_the_true_craft_is_the_drawing_times_its_factors():
    plain = true_craft(CRAFT, G, 1.22)
    np.testing.assert_allclose(plain.effect, CRAFT.mixer.effect)
    assert plain.body.mass_kg == 1.35 and plain.tau_s == 0.05
    odd = true_craft(
        replace(CRAFT, mass=1.1, motors=(1.0, 0.9, 1.0, 1.0), centre_m=(0.01, 0.0), weak=(1, 0.5, 1, 1)), G, 1.22
    )
    assert odd.body.mass_kg == pytest.approx(1.485) and odd.effect[0, 1] == pytest.approx(0.9 * plain.effect[0, 1])
    assert odd.weak_effect[0, 1] == pytest.approx(0.45 * plain.effect[0, 1])
    full = odd.effect @ np.array([1.0, 1 / 0.9, 1.0, 1.0])
    assert full[2] == pytest.approx(-0.01 * full[0]), "a centre of gravity ahead pulls the nose down"
    assert hover_share(CRAFT, G) == pytest.approx(math.sqrt(1.35 * G / 32.0))
