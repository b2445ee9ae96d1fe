"""Errors, intervals, clocks."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from fusus.core.analysis import alignment, comparison, statistics
from fusus.core.analysis.attitude_error import (
    attitude_error,
    circular_mean,
    circular_spread,
    compass_heading,
    turn_heading,
)
from fusus.core.frames import quaternion
from fusus.errors import AlignmentError

ANGLE = st.floats(-3.0, 3.0)


@given(ANGLE, st.floats(-1.3, 1.3), ANGLE, st.floats(0, 1.2), ANGLE)
def test_tilt_and_heading_come_apart(yaw, pitch, roll, tilt, heading):
    reference = quaternion.from_euler(yaw, pitch, roll)
    lean = quaternion.from_rotation_vector([tilt * 0.6, tilt * 0.8, 0.0])
    turn = quaternion.from_rotation_vector([0.0, 0.0, heading])
    estimate = quaternion.multiply(quaternion.multiply(turn, lean), reference)
    e = attitude_error(estimate[None], reference[None])
    assert abs(e.tilt[0] - tilt) < 1e-7
    assert abs(np.angle(np.exp(1j * (e.heading[0] - heading)))) < 1e-7


def test_heading_error_ignores_the_euler_pole():
    down = quaternion.from_euler(0.3, np.pi / 2, 0.0)
    e = attitude_error(turn_heading(down[None], 0.2), down[None])
    assert np.isclose(e.heading[0], 0.2) and e.tilt[0] < 1e-7


def test_circular_statistics_wrap():
    a = np.radians([350.0, 10.0, 355.0, 5.0])
    assert abs(circular_mean(a)) < 1e-12 and abs(np.degrees(circular_spread(a)) - 7.906) < 1e-3
    assert np.isnan(circular_mean([]))


def test_compass_does_not_depend_on_tilt():
    field = np.array([18.0, 1.0, 46.0])
    for angles in ((0.5, 0.2, -0.4), (2.0, -0.7, 1.0)):
        q = quaternion.from_euler(*angles)
        body = quaternion.rotate(quaternion.conjugate(q), field)
        assert np.isclose(compass_heading(q, body, np.arctan2(1, 18)), angles[0])


def test_measures():
    e = np.array([3.0, -4.0, 0.0, np.nan])
    assert np.isclose(statistics.measure(e, "rmse"), np.sqrt(25 / 3)) and statistics.measure(e, "max") == 4.0
    assert np.isnan(statistics.measure([], "p95"))


@pytest.mark.parametrize("statistic", ["rmse", "p95"])
def test_interval_covers_the_truth(statistic):
    """95 % intervals of correlated errors must hold the true value in some 95 of 100 records."""
    rng = np.random.default_rng(1)
    a, n, hits = np.exp(-1 / 40), 4000, 0
    truth = 1.0 if statistic == "rmse" else 1.959964
    for _ in range(80):
        drive = rng.normal(0, np.sqrt(1 - a * a), n)
        x = np.empty(n)
        x[0] = rng.normal()
        for i in range(1, n):
            x[i] = a * x[i - 1] + drive[i]
        found = statistics.error_interval(x, statistic)
        hits += found.low <= truth <= found.high
    assert hits >= 0.9 * 80


def test_an_interval_is_the_same_each_time_and_wide_for_few_samples():
    x = np.sin(np.arange(500) / 30)
    assert statistics.error_interval(x, "rmse") == statistics.error_interval(x, "rmse")
    assert np.isnan(statistics.error_interval(x[:5], "rmse").low)
    top = statistics.error_interval(x, "max")
    assert top.low <= top.value <= top.high


def test_coverage_of_gaussian_errors():
    rng = np.random.default_rng(2)
    c = statistics.coverage(rng.normal(0, 2.0, 50_000), np.full(50_000, 2.0))
    assert abs(c.one - 0.6827) < 0.01 and abs(c.two - 0.9545) < 0.005 and abs(c.ratio - 1) < 0.01


def moving(t, seed=1):
    """Return attitudes of a board that is rocked: a sum of sines."""
    rng = np.random.default_rng(seed)
    angles = sum(a * np.sin(2 * np.pi * f * t[:, None] + p) for a, f, p in zip(
        rng.uniform(0.1, 0.4, (6, 3)), rng.uniform(0.1, 1.1, (6, 1)), rng.uniform(0, 6, (6, 3)), strict=True))  # fmt: skip
    return quaternion.from_euler(angles[:, 0], angles[:, 1], angles[:, 2])


def test_two_clocks_are_found_through_attitudes():
    ta, tb = np.arange(0, 150, 0.01), np.arange(0, 150, 0.02)
    true = 0.35 + 1.0003 * 0  # second clock reads 0.35 s more
    qa = moving(ta)
    qb = moving((tb - true) / 1.0003)
    found = alignment.align_attitudes(ta, qa, tb, qb)
    assert abs(found.clock.offset_s - 0.35) < 0.005 and abs(found.clock.drift - 3e-4) < 6e-5


def test_clocks_of_still_or_strange_records_are_not_guessed():
    t = np.arange(0, 60, 0.02)
    still = np.tile([1.0, 0, 0, 0], (len(t), 1))
    with pytest.raises(AlignmentError, match="hardly move"):
        alignment.align_attitudes(t, still, t, still)
    with pytest.raises(AlignmentError, match="At least 20"):
        alignment.align_attitudes(t[:5], still[:5], t, still)
    with pytest.raises(AlignmentError, match="further than"):
        alignment.align_attitudes(t, moving(t), t + 30.0, moving(t), longest_s=5.0)


def test_comparison_measures_at_the_references_times():
    t = np.arange(0, 40, 0.01)
    q = moving(t)
    reference = comparison.Track(t[::7] + 0.0, q[::7], np.zeros((len(t[::7]), 3)), None)
    lean = quaternion.from_rotation_vector([0.02, 0, 0])
    estimate = comparison.Track(t, turn_heading(quaternion.multiply(lean, q), 0.3), np.ones((len(t), 3)), None)
    c = comparison.compare(estimate, reference)
    assert np.isclose(c.value("tilt", "rmse"), 0.02, atol=1e-5) and np.isclose(
        c.value("heading", "rmse"), 0.3, atol=1e-3
    )
    assert np.isclose(c.value("position", "max"), np.sqrt(3)) and np.isclose(c.value("height", "rmse"), 1.0)
    assert np.isclose(c.value("horizontal", "p95"), np.sqrt(2)) and c.value("velocity", "rmse") is None
    assert c.series("outage") is None
    aligned = comparison.compare(estimate, reference, align_yaw=True)
    assert aligned.value("heading", "rmse") < 1e-3 and np.isclose(aligned.heading_offset_rad, 0.3, atol=1e-3)


def test_comparison_needs_common_time_and_says_why_clocks_stay():
    t = np.arange(0, 30, 0.02)
    still = np.tile([1.0, 0, 0, 0], (len(t), 1))
    with pytest.raises(AlignmentError, match="do not overlap"):
        comparison.compare(comparison.Track(t, still), comparison.Track(t + 100, still))
    c = comparison.compare(comparison.Track(t, still), comparison.Track(t, still), align_time=True)
    assert c.alignment is None and "hardly move" in c.notes[0]
