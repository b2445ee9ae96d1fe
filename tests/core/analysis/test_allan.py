"""Allan deviation: plain twins of the kernels, invariants, and what it refuses."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fusus.core.analysis.allan import kernel
from fusus.core.analysis.allan.deviation import (
    LEAST_SAMPLES,
    allan_curve,
    averaging_factors,
    degrees_of_freedom,
    noise_powers,
)
from fusus.core.analysis.allan.reading import read_curve


def twin(y, m):
    """The overlapping Allan deviation as its definition reads: means of neighbouring stretches, at every start."""
    means = np.convolve(y, np.ones(m) / m, "valid")
    return np.sqrt(0.5 * np.mean((means[m:] - means[:-m]) ** 2))


@pytest.mark.parametrize("m", [1, 2, 7, 100, 333])
def test_the_deviation_is_its_definition(m):
    y = np.cumsum(np.random.default_rng(m).standard_normal(1000)) + 50.0
    assert allan_curve(y, 10.0, [m]).adev[0] == pytest.approx(twin(y, m), rel=1e-9)


@pytest.mark.parametrize("length", [9, 4096, 4097, 9001])
def test_kernels_equal_their_plain_twins(length):
    """Tiles of the walk end in the middle of sums: lengths round the tile's size show whether all terms are counted."""
    y = np.random.default_rng(length).standard_normal(length)
    x = np.empty(length + 1)
    kernel.running_sum(y, x)
    assert x == pytest.approx(np.concatenate([[0], np.cumsum(y - y.mean())]), abs=1e-9)
    m = np.unique(np.geomspace(1, length // 2, 7).astype(np.int64))
    sums = np.empty(len(m))
    kernel.squared_differences(x, m, sums)
    plain = [np.sum((x[2 * k :] - 2 * x[k:-k] + x[: -2 * k]) ** 2) for k in m]
    assert sums == pytest.approx(plain, rel=1e-10)
    uncompiled = np.empty(len(m))
    kernel.squared_differences.py_func(x, m, uncompiled)
    assert uncompiled == pytest.approx(sums, rel=1e-10)


@given(scale=st.floats(1e-6, 1e6), offset=st.floats(-1e3, 1e3))
@settings(deadline=None, max_examples=25)
def test_scale_goes_through_and_an_offset_does_not_show(scale, offset):
    y = np.random.default_rng(1).standard_normal(300)
    a, b = allan_curve(y, 1.0, [1, 10, 50]), allan_curve(y * scale + offset * scale, 1.0, [1, 10, 50])
    assert b.adev == pytest.approx(a.adev * scale, rel=1e-6)


def test_what_cannot_be_averaged_is_refused():
    y = np.random.default_rng(2).standard_normal(100)
    for bad in (
        y[: LEAST_SAMPLES - 1],
        np.full(50, np.nan),
        np.append(y, np.inf),
        np.where(np.arange(100) == 40, np.nan, y),
    ):
        with pytest.raises(ValueError, match="Allan deviation needs"):
            allan_curve(bad, 1.0)
    for factors in ([0], [51], [], [-3]):
        with pytest.raises(ValueError, match="averaging factors"):
            allan_curve(y, 1.0, factors)


def test_usual_factors_reach_a_third_and_never_repeat():
    for n in (9, 100, 12345):
        m = averaging_factors(n)
        assert m[0] == 1
        assert m[-1] == n // 3
        assert (np.diff(m) > 0).all()
    assert len(averaging_factors(7_200_000)) <= 60


def test_slopes_tell_the_kind_of_noise():
    m = averaging_factors(100_000)
    for power in (-2.0, -1.0, 0.0, 1.0):
        assert noise_powers(np.sqrt(m**power), m) == pytest.approx(np.full(len(m), power), abs=1e-6)
    assert noise_powers([1.0], [1]).tolist() == [-1.0]


def test_a_chance_slope_at_long_times_claims_no_freedom():
    slopes = np.array([-1.0, -1.0, -2.0])
    edf = degrees_of_freedom(100_001, [1, 100, 30_000], slopes)
    assert edf[2] < 10
    assert degrees_of_freedom(100_001, [1, 2], [-2.0, -2.0])[1] > 40_000


def test_a_constant_series_shows_nothing():
    r = read_curve(allan_curve(np.full(500, 3.0), 10.0))
    assert (r.noise, r.instability, r.walk, r.ramp, r.quantisation) == (None,) * 5
    assert r.floor == 0.0


def test_a_falling_curve_gives_a_bound_only():
    r = read_curve(allan_curve(np.random.default_rng(3).standard_normal(5000), 100.0))
    assert r.instability.is_bound
    assert r.noise.value == pytest.approx(0.1, rel=0.05)
    assert np.sqrt(sum(v**2 for v in r.parts.values())) == pytest.approx(r.fitted)
