"""What a suite gives the recursion, and properties that any suite must keep."""

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.core.prediction import twin

from fusus.core.mission.mission import Mission
from fusus.core.mission.trajectory import PROFILES, lay_out
from fusus.core.parts.fitting import Fitting
from fusus.core.prediction import design as d
from fusus.core.prediction import kernel as k
from fusus.core.prediction.predict import Recursion
from fusus.core.world.site import Site

SHORT = lay_out(Mission(hover_s=5.0, outage_s=4.0), Site())


def test_measurements_come_at_their_rates(suite, trajectory):
    found = d.design(suite(), trajectory)
    assert found.due[:, k.BARO].all() and found.due[:, k.POSITION][trajectory.visible].all()
    assert not found.due[~trajectory.visible][:, k.POSITION : k.BARO].any()
    slow = replace(suite().gnss, rate_hz=1.0)
    rare = d.design(replace(suite(), gnss=slow), trajectory).due[:, k.POSITION]
    assert rare[trajectory.visible].mean() == pytest.approx(0.5, abs=0.02), "once a second on steps of half a second"
    # Ten fixes a second, five to a step: white noise falls by five.
    assert found.r_true[0, k.POSITION] == pytest.approx(suite().gnss.white_horizontal_m ** 2 / 5)


def test_a_rangefinder_counts_within_its_range_only(suite, site):
    high = lay_out(Mission(height_m=20.0), site)
    due = d.design(suite(ranger="Reed 1"), high).due[:, k.RANGE].astype(bool)
    assert due.any() and high.height_m[due].max() < 4.0 and high.height_m[due].min() > 0.04


def test_gravity_helps_only_where_there_is_no_gnss(suite, trajectory):
    assert not d.design(suite(), trajectory).due[:, k.GRAVITY :].any()
    alone = d.design(suite(receiver=None), trajectory).due
    assert alone[~trajectory.rests][:, k.GRAVITY].all() and not alone[:, : k.BARO].any()


def test_heading_has_one_source_at_a_time(suite, trajectory):
    magnetic, by_course = d.design(suite(), trajectory).due, d.design(suite(), trajectory, course_heading=True).due
    assert magnetic[:, k.HEADING].any() and not magnetic[:, k.COURSE].any()
    assert by_course[:, k.COURSE].any() and not by_course[:, k.HEADING].any()
    moving = np.hypot(trajectory.vel_n[:, 0], trajectory.vel_n[:, 1]) > d.SLOWEST_COURSE_M_S
    assert not by_course[~moving][:, k.COURSE].any(), "a trajectory is known only while moving"


def test_sources_are_those_of_the_sensors_on_board(suite, trajectory):
    full = {s.group for s in d.design(suite(), trajectory).sources}
    assert {
        "GNSS drift",
        "weather",
        "airflow on the barometer",
        "magnetometer calibration",
        "steel",
        "lever arm",
    } <= full
    bare = {s.group for s in d.design(suite(receiver=None, baro=None, mag=None), trajectory).sources}
    assert not {g for g in bare if g.startswith(("GNSS", "baro", "magn", "weather", "steel", "lever", "motor"))}
    kinds = [s.kind for s in d.design(suite(), trajectory).sources]
    assert kinds == sorted(kinds) and all(s.profile in PROFILES for s in d.design(suite(), trajectory).sources)


def test_tables_keep_constants_and_let_processes_settle(suite, trajectory):
    found = d.design(suite(), trajectory)
    for s, (start, rho, drive) in zip(found.sources, found.tables(0.5), strict=True):
        if math.isfinite(s.tau_s):
            assert rho == pytest.approx(math.exp(-0.5 / s.tau_s)) and drive == pytest.approx(s.sigma**2 * (1 - rho**2))
            assert start == (0.0 if s.grows else pytest.approx(s.sigma**2))
        else:
            assert (start, rho, drive) == (pytest.approx(s.sigma**2), 1.0, 0.0)


def test_every_share_of_a_source_is_the_derivative_of_its_residual(suite, trajectory):
    found = d.design(suite(), trajectory)
    ranges = d.ranges_of(found.sources)
    table = d.direct_table(trajectory, found.sources, ranges)
    for t in (5, 90, 160):
        for m in range(k.MEASUREMENTS):
            for j, s in enumerate(found.sources):
                inside = ranges[m, 0] <= j < ranges[m, 1]
                expected = twin.direct(s, m, trajectory, t) * trajectory.profiles[t, PROFILES.index(s.profile)]
                value = table[t, m, j - ranges[m, 0]] if inside else 0.0
                assert value == pytest.approx(expected, abs=1e-12), (m, s)


def test_the_antennas_motion_is_that_of_a_turning_arm(trajectory):
    found = d.arms(trajectory, (-0.05, 0.02, -0.115))
    arm = np.array([-0.05, 0.02, -0.115])
    assert np.allclose(np.linalg.norm(found[:, :3], axis=1), np.linalg.norm(arm))
    for t in (100, 130, 150):
        expected = trajectory.rot_end[t] @ np.cross(trajectory.rate_end[t], arm)
        assert np.allclose(found[t, 3:], expected) and abs(found[t, :3] @ found[t, 3:]) < 1e-12


def test_what_is_left_uncalibrated_costs(suite, trajectory):
    rough, fine = (
        Recursion(suite(fitting=Fitting(calibrated=c)), trajectory, keeps=False).true[trajectory.airborne]
        for c in (False, True)
    )
    assert rough[:, 8].mean() > 4 * fine[:, 8].mean() and rough[:, 6:8].mean() > 2 * fine[:, 6:8].mean()


@given(st.integers(0, 12), st.integers(0, 5), st.integers(0, 5), st.integers(0, 5), st.booleans())
@settings(max_examples=30, deadline=None)
def test_any_suite_stays_finite_and_positive(parts, suite, i, b, m, r, on_course):
    def nth(kind, n):
        found = [p for p, c in parts.items() if c.part.kind == kind]
        return found[n % len(found)]

    model = suite(nth("imu", i), nth("barometer", b), nth("magnetometer", m), nth("receiver", r))
    found = Recursion(model, SHORT, on_course)
    for table in (found.true, found.claimed):
        assert np.isfinite(table).all() and (table[:, :9] > -1e-15).all()
        # A covariance holds no correlation beyond one.
        assert np.all(table[:, 9] ** 2 <= table[:, 0] * table[:, 1] * (1 + 1e-6) + 1e-18)
        assert np.all(table[:, 10] ** 2 <= table[:, 6] * table[:, 7] * (1 + 1e-6) + 1e-18)


@given(
    st.sampled_from(
        ["gyro noise", "GNSS drift", "weather", "magnetometer calibration", "barometer noise", "lever arm"]
    ),
    st.floats(0.1, 10),
)
@settings(max_examples=15, deadline=None)
def test_with_fixed_gains_a_source_scales_as_its_square(suite, group, factor):
    r = Recursion(suite(), SHORT)
    before = r.by_group()
    scaled = replace(
        r.design,
        sources=tuple(replace(s, sigma=s.sigma * factor) if s.group == group else s for s in r.design.sources),
        q_true=r.design.q_true * (np.array([factor**2, 1, 1, 1, 1]) if group == "gyro noise" else 1.0),
        r_true=np.where(np.arange(k.MEASUREMENTS) == k.BARO, factor**2 if group == "barometer noise" else 1.0, 1.0)
        * r.design.r_true,
    )
    r.design = scaled
    after = r.by_group()
    grown = before[group] * factor**2
    # Ever smaller differences of large numbers: what cancels is rounded.
    assert np.allclose(after[group], grown, rtol=1e-9, atol=1e-7 * np.abs(grown).max(axis=0))
    for other in before:
        if other != group:
            assert np.array_equal(after[other], before[other])


@given(st.floats(0.05, 0.95))
@settings(max_examples=10, deadline=None)
def test_a_filter_that_is_told_of_better_sensors_claims_less(suite, share):
    base = suite()
    better = replace(base, baro=replace(base.baro, noise_pa=base.baro.noise_pa * share),
                     gnss=replace(base.gnss, velocity_horizontal_m_s=base.gnss.velocity_horizontal_m_s * share))  # fmt: skip
    a, b = (Recursion(m, SHORT, keeps=False).claimed[:, :9] for m in (base, better))
    assert np.all(b <= a * (1 + 1e-9))
