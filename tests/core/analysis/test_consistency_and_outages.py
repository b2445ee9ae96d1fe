"""NEES, NIS, whiteness and coverage against their own statistics; outages by hand."""

import itertools

import numpy as np
import pytest
from scipy import stats

from fusus.core.analysis.comparison import Comparison
from fusus.core.analysis.consistency import COMPONENTS, Errors, channels, coverages, nees, whiteness
from fusus.core.analysis.outage import errors_at, hidden, recorded, trials
from fusus.core.estimation.outputs import Innovations


def errors(scale=1.0, n=4000, correlated=0.0, seed=1):
    rng = np.random.default_rng(seed)
    a = rng.standard_normal((9, 9))
    p = a @ a.T + np.eye(9)
    white = rng.standard_normal((n, 9))
    if correlated:
        for k in range(1, n):
            white[k] = correlated * white[k - 1] + np.sqrt(1 - correlated**2) * white[k]
    return Errors(np.arange(n) * 0.1, scale * white @ np.linalg.cholesky(p).T, np.tile(p, (n, 1, 1)))


def test_honest_errors_lie_in_the_band_and_others_do_not():
    for part in nees(errors(n=500)):
        assert part.holds and part.value == pytest.approx(1.0, abs=0.1)
    for scale, side in ((1.5, "above"), (0.6, "below")):
        for part in nees(errors(scale)):
            assert not part.holds and (part.value > part.high) is (side == "above")


def test_errors_that_last_have_a_wider_band():
    white, lasting = nees(errors())[-1], nees(errors(correlated=0.98))[-1]
    assert lasting.high - lasting.low > 4 * (white.high - white.low)


def test_the_band_holds_as_often_as_it_says():
    """Of records with errors that last, 95 of 100 are due inside: between 80 and 100 of a hundred by chance and shape."""
    inside = sum(nees(errors(n=1500, correlated=0.9, seed=s))[0].holds for s in range(100))
    assert 80 <= inside <= 100


def test_coverage_of_a_normal_error():
    found = coverages(errors(n=20_000))
    assert set(found) == set(COMPONENTS)
    for c in found.values():
        assert c.one == pytest.approx(0.6827, abs=0.015) and c.two == pytest.approx(0.9545, abs=0.01)


def test_whiteness_finds_what_is_not_white():
    rng = np.random.default_rng(3)
    chances = [whiteness(rng.standard_normal(500))[1] for _ in range(200)]
    # The chance of white series is itself even between 0 and 1 (Ljung & Box 1978).
    assert stats.kstest(chances, "uniform").pvalue > 0.01
    walk = np.cumsum(rng.standard_normal(500))
    lag, chance = whiteness(walk)
    assert lag > 0.9 and chance < 1e-6
    assert whiteness(np.zeros(100)) == (0.0, 1.0) and whiteness(np.ones(5)) == (0.0, 1.0)


def test_channels_join_the_axes_of_a_sensor():
    rng = np.random.default_rng(4)
    n = 3000
    names = ("gnss north", "gnss east", "gnss down", "barometer")
    which = rng.integers(0, 4, n).astype(float)
    variance = np.full(n, 4.0)
    found = Innovations(
        which, np.arange(n) * 0.1, rng.standard_normal(n) * 2.0, variance, rng.random(n) > 0.1, names, ("m",) * 4
    )
    by_name = {c.name: c for c in channels(found)}
    assert set(by_name) == {"gnss_position", "barometer"}
    c = by_name["gnss_position"]
    assert c.low < c.nis < c.high and c.used == pytest.approx(0.9, abs=0.03)


def comparison():
    t = np.arange(0.0, 100.0, 0.5)
    pos = np.stack([0.1 * t, np.zeros_like(t), -0.02 * t], axis=1)
    q = np.tile([1.0, 0, 0, 0], (len(t), 1))
    zero = np.zeros(len(t))
    return Comparison(t, zero, zero, np.zeros((len(t), 2)), q, q, pos, None, None, 0.0, False)


def test_errors_at_the_end_of_an_outage():
    horizontal, height = errors_at(comparison(), 50.0)
    assert horizontal == pytest.approx(5.0) and height == pytest.approx(1.0)
    assert comparison().series("velocity") is None and comparison().series("climb") is None


def test_outages_hide_rows_and_are_found_again():
    rows = np.zeros((1000, 9))
    rows[:, 0] = 5.0 + np.arange(1000) * 0.1
    kept = hidden(rows, ((20.0, 8.0), (60.0, 4.0)), 5.0)
    assert len(kept) == 1000 - 80 - 40
    found = recorded(kept[:, 0], 5.0)
    assert [round(s) for s, _ in found] == [20, 60] and [round(d) for _, d in found] == [8, 4]


def test_trials_leave_room_and_keep_clear_of_other_outages():
    tried = trials(8.0, 30.0, 200.0, ((100.0, 8.0),), 0.0)
    assert len(tried) >= 3 and all(s + 8.0 < 200 for s, _ in tried)
    assert all(abs(s - 100.0) > 8 for s, _ in tried)
    assert all(b[0] - a[0] >= 33.0 - 1e-9 for a, b in itertools.pairwise(tried))
    assert trials(8.0, 30.0, 35.0, (), 0.0) == ()
