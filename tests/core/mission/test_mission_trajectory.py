"""The mission laid out: what happens when, and what sources scale with."""

import math
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fusus.core.frames import quaternion
from fusus.core.mission.mission import Mission
from fusus.core.mission.trajectory import PROFILES, lay_out, waypoints
from fusus.core.world.site import USUAL_DIP_RAD, USUAL_HORIZONTAL_UT, Site


def profile(trajectory, name):
    return trajectory.profiles[:, PROFILES.index(name)]


def test_phases_follow_one_another_and_overlays_lie_on_the_way_back():
    _, phases = waypoints(Mission())
    main = [p for p in phases if p.name not in ("outage", "steel")]
    assert [p.name for p in main] == [
        "rest",
        "take-off",
        "hover",
        "transit",
        "turns",
        "transit",
        "hover",
        "landing",
        "rest",
    ]
    for a, b in pairwise(main):
        assert b.start_s >= a.end_s and b.start_s - a.end_s <= 4.0, "a turn on the spot may lie between"
    back = main[5]
    for overlay in (p for p in phases if p not in main):
        assert back.start_s <= overlay.start_s < overlay.end_s <= back.end_s


def test_overlays_are_left_out_where_there_are_none():
    _, phases = waypoints(Mission(outage_s=0.0, steel_ut=0.0))
    assert {p.name for p in phases} == {"rest", "take-off", "hover", "transit", "turns", "landing"}
    trajectory = lay_out(Mission(outage_s=0.0, steel_ut=0.0), Site())
    assert trajectory.visible.all() and not profile(trajectory, "steel n").any() and trajectory.outage is None


def test_craft_rests_on_the_ground_at_both_ends_and_flies_between(trajectory):
    assert trajectory.rests[0] and trajectory.rests[-1] and not trajectory.rests[trajectory.airborne].any()
    first = np.flatnonzero(~trajectory.rests)[0]
    assert trajectory.t_s[first] == pytest.approx(10.5, abs=0.51)
    assert np.linalg.norm(trajectory.vel_n[trajectory.rests], axis=1).max() < 1e-6
    hover = next(p for p in trajectory.phases if p.name == "hover")
    inside = (trajectory.t_s > hover.start_s + 1) & (trajectory.t_s < hover.end_s - 1)
    assert trajectory.height_m[inside] == pytest.approx(np.full(inside.sum(), 3.0), abs=1e-6)


def test_transit_reaches_the_missions_speed_and_the_turn_its_rate(trajectory):
    speed = np.linalg.norm(trajectory.vel_n[:, :2], axis=1)
    assert 4.0 < speed.max() < 11.0
    assert np.abs(profile(trajectory, "rate z")).max() > math.radians(20)


def test_outage_is_as_long_as_asked(trajectory):
    hidden = trajectory.t_s[~trajectory.visible]
    assert len(hidden) * trajectory.step_s == pytest.approx(8.0, abs=0.51) and np.all(
        np.diff(hidden) <= trajectory.step_s + 1e-9
    )


def test_steel_swells_to_its_field_and_fades(trajectory):
    size = np.hypot(profile(trajectory, "steel n"), profile(trajectory, "steel e"))
    assert size.max() == pytest.approx(trajectory.mission.steel_ut, rel=0.05)
    assert size[0] == size[-1] == 0.0 and 4 <= (size > 0).sum() * trajectory.step_s <= 5.5


def test_rotations_are_such_and_the_force_holds_the_craft_up(trajectory):
    eye = np.einsum("nji,njk->nik", trajectory.rot_end, trajectory.rot_end)
    assert np.allclose(eye, np.eye(3), atol=1e-9)
    rests = trajectory.rests & np.roll(trajectory.rests, 1)  # at rest from one end to the other
    assert np.allclose(trajectory.force_n[rests], [0, 0, -trajectory.site.gravity_m_s2], atol=1e-6)
    # The mean force of a step is the change of velocity less gravity.
    change = np.diff(trajectory.vel_n, axis=0) / trajectory.step_s - [0, 0, trajectory.site.gravity_m_s2]
    assert np.allclose(trajectory.force_n[1:], change, atol=0.03)


def test_body_rates_turn_the_attitude(trajectory):
    """The mean rate between two samples is the turn from one to the next, to second order."""
    q, rate = trajectory.motion.q_nb, trajectory.motion.rate_b
    dt = trajectory.step_s / trajectory.sub_steps
    turned = quaternion.to_rotation_vector(quaternion.multiply(quaternion.conjugate(q[:-1]), q[1:])) / dt
    off = np.abs(turned - 0.5 * (rate[1:] + rate[:-1]))
    assert np.percentile(off, 99) < 0.02 and off.max() < 0.2, "short legs of the turn have sharp rates"
    mean = np.stack([profile(trajectory, f"rate {a}") for a in "xyz"], axis=1)
    assert np.allclose(
        mean.sum(axis=0) * trajectory.step_s, turned[: len(mean) * trajectory.sub_steps].sum(axis=0) * dt, atol=0.05
    )


def test_field_profile_is_the_field_seen_by_the_body(trajectory):
    seen = np.stack([profile(trajectory, f"field {a}") for a in "xyz"], axis=1)
    assert np.linalg.norm(seen, axis=1) == pytest.approx(
        np.full(len(seen), trajectory.site.field.strength_ut), rel=1e-9
    )
    back = np.einsum("nij,nj->ni", trajectory.rot_end, seen)
    assert np.allclose(back, trajectory.site.field.vector_ut, atol=1e-9)


def test_warming_airflow_and_current_start_from_nothing(trajectory):
    assert profile(trajectory, "warming")[0] < 0.1 and np.all(np.diff(profile(trajectory, "warming")) > 0)
    assert profile(trajectory, "warming")[-1] < trajectory.mission.warming_k
    for name in ("airflow", "current", "shake"):
        assert profile(trajectory, name)[0] == 0.0 and profile(trajectory, name)[trajectory.airborne].min() > 0.0


def test_airflow_is_the_dynamic_pressure_in_metres(trajectory):
    """v²/2g at the relative wind (BAR: full dynamic pressure at an unshielded port)."""
    speed = trajectory.motion.airspeed_m_s[trajectory.sub_steps :: trajectory.sub_steps]
    high = trajectory.height_m > 2.5
    expected = speed[: len(high)][high] ** 2 / (2 * 9.80665)
    assert profile(trajectory, "airflow")[high] == pytest.approx(expected, rel=2e-3)


def test_without_a_place_a_usual_field_stands_in():
    trajectory = lay_out(Mission(), Site())
    assert trajectory.place[4] == USUAL_HORIZONTAL_UT and trajectory.place[2] == pytest.approx(math.tan(USUAL_DIP_RAD))


@given(
    st.floats(5, 120),
    st.floats(1, 60),
    st.floats(1, 15),
    st.floats(0, 40),
    st.floats(0, 12),
    st.sampled_from([0.5, 1.0]),
)
@settings(max_examples=25, deadline=None)
def test_any_mission_can_be_laid_out(hover_s, height_m, speed_m_s, outage_s, wind_m_s, step_s):
    mission = Mission(hover_s=hover_s, height_m=height_m, speed_m_s=speed_m_s, outage_s=outage_s, wind_m_s=wind_m_s)
    trajectory = lay_out(mission, Site(), step_s=step_s)
    n = len(trajectory.t_s)
    assert trajectory.profiles.shape == (n, len(PROFILES)) and np.isfinite(trajectory.profiles).all()
    assert np.allclose(np.diff(trajectory.t_s), step_s) and trajectory.rests[0] and trajectory.airborne.sum() > 20
    assert (~trajectory.visible).sum() * step_s == pytest.approx(outage_s, abs=step_s + 1e-9)
