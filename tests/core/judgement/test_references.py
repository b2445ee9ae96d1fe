"""References with their own uncertainty, deciding stretches, other axes, clocks; intervals that cover what they claim."""

import math

import numpy as np
import pytest

from fusus.core.analysis.alignment import align_attitudes, align_speeds
from fusus.core.analysis.comparison import Track, compare
from fusus.core.analysis.statistics import Interval, error_interval, measure, pooled_interval, stretches_interval
from fusus.core.frames.axes import attitude_to_ned, earth_matrix
from fusus.core.frames.quaternion import conjugate, from_euler
from fusus.core.judgement.deciding import deciding
from fusus.core.judgement.reference_findings import OTHER_AXES, covers, other_axes
from fusus.core.judgement.verdicts import SIDES, judge, widened
from fusus.core.requirements import Requirement
from fusus.errors import AlignmentError


def swinging(t, seed=0):
    """Return attitudes that swing slowly about all axes."""
    rng = np.random.default_rng(seed)
    angles = [
        sum(a * np.sin(w * t + p) for a, w, p in zip(*rng.uniform(0.1, 0.9, (3, 4)), strict=True)) for _ in range(3)
    ]
    return from_euler(2.0 * angles[0], 0.4 * angles[1], 0.4 * angles[2])


def drifting(t, seed=0):
    """Return a way north-east-down."""
    rng = np.random.default_rng(seed)
    return np.stack(
        [
            sum(4 * a * np.sin(w * t + p) for a, w, p in zip(*rng.uniform(0.1, 0.9, (3, 4)), strict=True))
            for _ in range(3)
        ],
        axis=1,
    )


def slow_errors(rng, count, correlation=50, sigma=1.0):
    """Return errors that last for some samples, of known RMS."""
    keep = math.exp(-1.0 / correlation)
    out = np.empty(count)
    out[0] = rng.normal(0, sigma)
    pushes = rng.normal(0, sigma * math.sqrt(1 - keep**2), count)
    for i in range(1, count):
        out[i] = keep * out[i - 1] + pushes[i]
    return out


def test_intervals_cover_what_they_claim():
    rng = np.random.default_rng(4)
    held = []
    for _ in range(120):
        found = error_interval(slow_errors(rng, 4000), "rmse")
        held.append(found.low <= 1.0 <= found.high)
    assert 0.90 <= np.mean(held) <= 0.99


def test_intervals_over_several_flights_hold_what_flights_differ_by():
    rng = np.random.default_rng(5)
    held, alone = [], []
    for _ in range(60):
        # Each flight's errors are as large as its own specimen of the sensor makes them.
        sizes = rng.uniform(0.6, 1.4, 6)
        flights = [slow_errors(rng, 1500, 30, s) for s in sizes]
        truth = math.sqrt(np.mean(rng.uniform(0.6, 1.4, 200_000) ** 2))
        found = pooled_interval(flights, "rmse")
        assert found.value == pytest.approx(measure(np.concatenate(flights), "rmse"))
        held.append(found.low <= truth <= found.high)
        one = error_interval(np.concatenate(flights), "rmse")
        alone.append(one.low <= truth <= one.high)
    assert np.mean(held) >= 0.78 and np.mean(held) >= np.mean(alone)
    assert math.isnan(pooled_interval([np.ones(50)], "p95").low), "one flight says nothing of others"


def test_stretches_count_once_each_however_often_they_are_sampled():
    errors = np.concatenate([np.full(1000, v) for v in (0.1, 0.2, 0.3, 0.25)])
    number = np.repeat(np.arange(4), 1000)
    found = stretches_interval(errors, "rmse", number)
    assert found.value == pytest.approx(math.sqrt(np.mean(np.array([0.1, 0.2, 0.3, 0.25]) ** 2)))
    assert found.low < 0.2 and found.high > 0.24
    assert math.isnan(stretches_interval(errors, "rmse", number // 2).high)


def test_the_references_own_uncertainty_widens_the_interval():
    assert widened(Interval(1.0, 0.9, 1.2), 0.0) == Interval(1.0, 0.9, 1.2)
    found = widened(Interval(1.0, 0.9, 1.2), 0.3)
    assert found.low == pytest.approx(1.0 - math.hypot(0.1, 0.3 * SIDES)) and found.high == pytest.approx(
        1.0 + math.hypot(0.2, 0.3 * SIDES)
    )
    t = np.arange(0, 40, 0.02)
    q = swinging(t)
    leans = from_euler(0.0, math.radians(1.0), 0.0)
    estimate = Track(t, np.array([leans] * len(t)))
    level = np.array([from_euler(0.0, 0.0, 0.0)] * len(t))
    requirement = Requirement("tilt", math.radians(1.5))
    sharp = judge(requirement, compare(estimate, Track(t, level)))
    rough = judge(requirement, compare(estimate, Track(t, level, sigmas={"tilt": math.radians(0.5)})))
    assert sharp.word == "pass" and rough.word == "close" and "reference is itself too uncertain" in rough.reason
    over = judge(
        Requirement("tilt", math.radians(0.8)), compare(estimate, Track(t, level, sigmas={"tilt": math.radians(0.5)}))
    )
    assert over.word == "fail" and "no more than the interval" in over.reason and q.shape == (len(t), 4)


@pytest.mark.parametrize("statistic", ["rmse", "p95", "max"])
def test_the_stretch_that_decides_is_where_the_errors_are(statistic):
    t = np.arange(0.0, 100.0, 0.1)
    errors = 0.1 * np.sin(t)
    errors[(t > 61) & (t < 66)] = 2.0
    found = deciding(t, errors, statistic)
    assert found.start_s <= 61.1 and found.end_s >= 65.9 and found.end_s - found.start_s == pytest.approx(9.99, abs=0.2)
    assert found.share > 0.95 and found.without == pytest.approx(
        measure(errors[(t < found.start_s) | (t > found.end_s)], statistic)
    )
    # Samples that lie closer together weigh no more than the time they stand for.
    dense = np.sort(np.concatenate([t, np.arange(10.0, 12.0, 0.001)]))
    again = deciding(dense, np.interp(dense, t, errors), statistic)
    assert again.start_s <= 61.1 and again.end_s >= 65.9
    assert deciding(t[:2], errors[:2], statistic) is None


def test_attitudes_in_other_axes_are_named():
    t = np.arange(0, 60, 0.05)
    truth = swinging(t, 3)
    estimate = Track(t, truth)
    # Axes turned back: what such a program would have written.
    written = {
        "east-north-up (ENU), body forward-left-up (FLU)": attitude_to_ned(truth, "enu", "flu"),
        "north-west-up (NWU), body forward-left-up (FLU)": attitude_to_ned(truth, "nwu", "flu"),
        "turned the other way, from navigation to body": conjugate(truth),
        "a quaternion whose last figure is the real one": truth[:, [1, 2, 3, 0]],
    }
    for name, q in written.items():
        (found,) = other_axes(compare(estimate, Track(t, q)))
        assert found.subject == OTHER_AXES and found.severity == "stop" and name in found.statement
    assert other_axes(compare(estimate, Track(t, truth))) == []
    still = np.array([truth[0]] * len(t))
    assert other_axes(compare(Track(t, still), Track(t, attitude_to_ned(still, "enu", "flu")))) == [], (
        "what does not turn fits many axes"
    )


def test_places_in_other_axes_are_named():
    t = np.arange(0, 60, 0.1)
    way, q = drifting(t), swinging(t)
    for axes, name in (("enu", "east-north-up"), ("nwu", "north-west-up")):
        there = Track(t, np.full((len(t), 4), np.nan), way @ earth_matrix(axes))
        (found,) = other_axes(compare(Track(t, q, way), there))
        assert found.subject == OTHER_AXES and name in found.statement and "--axes" in found.next_step
    up = way * [1, 1, -1]
    (found,) = other_axes(compare(Track(t, q, way), Track(t, np.full((len(t), 4), np.nan), up)))
    assert "heights with the wrong sign" in found.statement
    assert other_axes(compare(Track(t, q, way), Track(t, np.full((len(t), 4), np.nan), way + 5.0))) == []


def test_a_reference_that_is_too_short_is_told_and_one_beside_the_log_refused():
    t = np.arange(0, 60, 0.1)
    q = swinging(t)
    part = (t > 10) & (t < 20)
    (found,) = covers(0.0, 60.0, compare(Track(t, q), Track(t[part], q[part])))
    assert found.subject == "Reference is shorter than the log" and "10 s of 60 s" in found.statement
    assert covers(0.0, 60.0, compare(Track(t, q), Track(t, q))) == []
    with pytest.raises(AlignmentError, match="do not overlap"):
        compare(Track(t, q), Track(t + 100.0, q))


def test_clocks_are_found_to_a_millisecond_and_ten_ppm():
    t = np.arange(0.0, 300.0, 0.01)
    for offset, ppm, seed in ((1.237, 60.0, 1), (-0.412, -120.0, 2)):
        # The other clock reads offset + (1 + drift) t: its rows show the attitude of the true time.
        other = np.arange(5.0, 290.0, 0.02)
        true = (other - offset) / (1.0 + ppm * 1e-6)
        rng = np.random.default_rng(seed)

        def body(x, s=seed):
            return swinging(3.0 * x, s)

        noise = from_euler(*(rng.normal(0, 2e-4, len(other)) for _ in range(3)))
        assert noise.shape == (len(other), 4)
        found = align_attitudes(t, body(t), other, body(true))
        assert found.clock.offset_s == pytest.approx(offset, abs=1e-3) and found.clock.drift * 1e6 == pytest.approx(
            ppm, abs=10
        )
        speed = np.linalg.norm(np.gradient(drifting(2.0 * t, seed), t, axis=0)[:, :2], axis=1)
        slow = np.arange(5.0, 290.0, 0.1)
        there = np.interp((slow - offset) / (1.0 + ppm * 1e-6), t, speed)
        found = align_speeds(t, speed, slow, there)
        assert found.clock.offset_s == pytest.approx(offset, abs=1e-3) and found.clock.drift * 1e6 == pytest.approx(
            ppm, abs=10
        )
    with pytest.raises(AlignmentError, match="hardly change"):
        align_speeds(t, np.ones(len(t)), t, np.ones(len(t)))
    with pytest.raises(AlignmentError, match="20 speeds"):
        align_speeds(t[:5], t[:5], t, t)


def test_what_counts_from_a_datum_says_nothing_of_it():
    t = np.arange(0, 30, 0.1)
    q = np.array([from_euler(0.3, 0.0, 0.0)] * len(t))
    way = np.zeros((len(t), 3))
    way[:, 2] = -0.02 * t - 7.0  # it believes to climb
    rows = (t < 3) | (t > 27)
    stretch = (t[rows] > 15).astype(np.int64)
    reference = Track(
        t[rows], np.full((rows.sum(), 4), np.nan), np.zeros((rows.sum(), 3)), None, {"height": 0.02}, stretch, (), ("place", "height"),
        stretch == 0,
    )  # fmt: skip
    c = compare(Track(t, q, way), reference)
    assert not c.has_attitude and c.series("tilt") is None and np.isnan(c.pos[stretch == 0]).all()
    assert np.nanmean(c.pos[:, 2]) == pytest.approx(-0.02 * 27.0, abs=0.05)
    found = judge(Requirement("height", 1.0), c)
    assert found.word == "close" and "too few stretches" in found.reason
    with pytest.raises(AlignmentError, match="counts from"):
        compare(Track(t[100:], q[100:], way[100:]), reference)
