"""Errors and bounds of N, B and K hold: against white, flicker and walk that share nothing with the product's noises."""

import numpy as np
import pytest
from tests.noises import DEG_H, DEG_RT_H, rate_noise
from tests.runs import LONG, seeds

from fusus.core.analysis.allan.deviation import allan_curve
from fusus.core.analysis.allan.reading import read_curve

# N in °/√h, B in °/h, K in °/h/√s; seconds at 20 Hz.
CASES = ((0.15, 0.0, 0.0, 1800.0), (0.3, 10.0, 0.0, 3600.0), (0.15, 3.0, 0.3, 7200.0), (0.15, 0.0, 1.0, 7200.0))
RATE = 20.0


def readings(case):
    n, b, k, span = case
    for seed in seeds(100, 25):
        y, _ = rate_noise(seed, int(span * RATE), RATE, n * DEG_RT_H, b * DEG_H, k * DEG_H)
        yield read_curve(allan_curve(y, RATE))


@pytest.mark.parametrize("case", CASES, ids=str)
def test_the_truth_lies_where_it_is_claimed(case):
    n, b, k, _ = case
    found = list(readings(case))
    few = 0.0 if LONG else 0.08
    noise = np.array([abs(r.noise.value - n * DEG_RT_H) / r.noise.sigma for r in found])
    assert (noise < 1).mean() >= 0.58 - few and (noise < 2).mean() >= 0.9 - few
    walk = np.array([abs(r.walk.value - k * DEG_H) / r.walk.sigma for r in found if r.walk is not None])
    # A walk that a record makes up by chance stands within two of its own errors of none at all.
    assert len(walk) == 0 or (walk < 2).mean() >= 0.9 - few
    values = [r.instability for r in found if r.instability is not None and not r.instability.is_bound]
    flat = np.array([abs(i.value - b * DEG_H) / i.sigma for i in values])
    assert len(flat) == 0 or (flat < 2).mean() >= 0.85 - few
    # Half of the bounds, the minimum over 0.664, lay below the truth: its median was 0.57 of it.
    bounds = np.array([r.instability.value for r in found if r.instability is not None and r.instability.is_bound])
    assert len(bounds) == 0 or (bounds >= b * DEG_H).mean() >= 0.9 - few


def test_a_sensors_own_filter_and_rounding_do_not_spoil_what_is_read_of_slow_noise():
    """What a low-pass filter takes from the shortest averages is no instability, and what rounding adds is no noise."""
    from fusus.core.analysis.allan.slow_noise import slow_noise

    y, _ = rate_noise(3, 60000, 100.0, 0.3 * DEG_RT_H, 0.0, 0.0)
    smooth = np.convolve(y, np.ones(8) / 8, mode="valid")
    plain, filtered = (slow_noise(allan_curve(v, 100.0).blocks) for v in (y, smooth))
    for s in (plain, filtered):
        assert s.root_mean_square(s.noise) == pytest.approx(0.3 * DEG_RT_H, rel=0.15)
    # Left in, the bent octaves make 2.8 times as much.
    assert filtered.root_mean_square(filtered.instability) < 1.6 * plain.root_mean_square(plain.instability)
    coarse = np.round(y / (200 * DEG_H)) * (200 * DEG_H)
    rounded = slow_noise(allan_curve(coarse, 100.0).blocks)
    assert rounded.root_mean_square(rounded.noise) == pytest.approx(0.3 * DEG_RT_H, rel=0.1)
