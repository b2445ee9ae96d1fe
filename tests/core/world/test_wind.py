"""Dryden gusts: variance and spectrum of what is generated against the closed form, and the low-altitude figures."""

import numpy as np
import pytest
from scipy.signal import welch

from fusus.core.world.wind import FOOT_M, gust_series, gusts, spectrum
from fusus.errors import ParameterError


def test_low_altitude_figures():
    """MIL-F-8785C, 20 ft and 15 kn: σw 1.5 kn, σu = σw / (0.177 + 0.000823 h)^0.4; Lw = h, Lu = h / (...)^1.2 (from memory)."""
    knot = 0.514444
    g = gusts(15 * knot, 20 * FOOT_M, 10.0)
    base = 0.177 + 0.000823 * 20
    assert g.sigma[2] == pytest.approx(1.5 * knot) and g.sigma[0] == g.sigma[1] == pytest.approx(1.5 * knot / base**0.4)
    assert g.length[2] == pytest.approx(20 * FOOT_M) and g.length[0] == pytest.approx(20 * FOOT_M / base**1.2)
    assert gusts(5.0, 0.0, 5.0) == gusts(5.0, 10 * FOOT_M, 5.0), "the model begins at ten feet"
    high = gusts(5.0, 1000 * FOOT_M, 5.0)
    assert high.sigma[0] == pytest.approx(high.sigma[2]) and high.length[0] == pytest.approx(high.length[2]), (
        "alike at 1000 ft"
    )
    with pytest.raises(ParameterError):
        gusts(-1.0, 3.0, 5.0)


@pytest.mark.parametrize("axis", [0, 1, 2])
def test_the_spectrum_holds_all_of_the_variance(axis):
    g = gusts(7.0, 10.0, 7.0)
    hz = np.geomspace(1e-6, 1e4, 200_000)
    assert np.trapezoid(spectrum(g, axis, hz), hz) == pytest.approx(g.sigma[axis] ** 2, rel=1e-3)


def test_series_have_the_spectrum_from_the_first_sample_on():
    g = gusts(7.0, 10.0, 7.0)
    y = gust_series(g, 20.0, 400_000, np.random.default_rng(3))
    for axis in range(3):
        hz, density = welch(y[:, axis], 20.0, nperseg=4096)
        ratio = density / spectrum(g, axis, hz)
        for low, high in ((2, 20), (20, 200), (200, 600)):
            assert ratio[low:high].mean() == pytest.approx(1.0, abs=0.1), (axis, low)
    starts = np.array([gust_series(g, 20.0, 2, np.random.default_rng(k))[0] for k in range(600)])
    np.testing.assert_allclose(starts.std(axis=0), g.sigma, rtol=0.12)


def test_seeds_decide_and_still_air_is_still():
    g = gusts(5.0, 3.0, 5.0)
    a, b = (gust_series(g, 50.0, 100, np.random.default_rng(1)) for _ in range(2))
    np.testing.assert_array_equal(a, b)
    assert not gust_series(gusts(0.0, 3.0, 5.0), 50.0, 100, np.random.default_rng(1)).any()
