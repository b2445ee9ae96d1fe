"""The gyro's bias from a rest anywhere in a recording: what it is worth, and what is no rest."""

import numpy as np
import pytest
from tests.outside.motions import made

from fusus.core.estimation.catalogue import info_for
from fusus.core.estimation.initial import start_from
from fusus.core.estimation.replay import estimator_input, run_estimator
from fusus.core.estimation.rests import longest_rest
from fusus.core.world.site import Site

SITE = Site(gravity_m_s2=9.81)
BIAS = np.array([0.08, -0.05, 0.03])


def with_rest(seed=1, at=(20.0, 24.0)):
    """Return times, rates and forces of a hand that holds still for four seconds, and the true down direction in the body."""
    log = made("hand", seed, seconds=40.0, gyro_bias=0.0, acc_bias=0.0)
    rng, t = np.random.default_rng(seed), log.motion.t
    gyro, acc = log.gyro.copy(), log.acc.copy()
    i, j = np.searchsorted(t, at)
    down = log.motion.rotation.inv().apply([0.0, 0.0, 1.0])
    # It stands where it is for a while, and goes on from there: the motion is put off by as much.
    n = j - i
    gyro = np.insert(gyro, i, rng.normal(0, 0.002, (n, 3)), axis=0) + BIAS
    acc = np.insert(acc, i, -9.81 * down[i - 1] + rng.normal(0, 0.02, (n, 3)), axis=0)
    down = np.insert(down, i, np.repeat(down[i - 1 : i], n, axis=0), axis=0)
    return np.arange(len(gyro)) * 0.01 + t[0], gyro, acc, down, t[i]


def test_a_rest_in_the_middle_gives_the_bias_with_its_error():
    t, gyro, acc, _, at = with_rest()
    rest = longest_rest(t, gyro, acc)
    assert abs(rest.begins_s - at) < 0.6 and rest.lasts_s > 2.5
    assert np.all(np.abs(rest.bias_b - BIAS) < 4 * rest.sigma_b + 1e-4) and rest.sigma_b.max() < 1e-3
    start = start_from(t, gyro, acc, np.full_like(acc, np.nan), SITE)
    assert not start.is_still and np.abs(start.gyro_bias_b - BIAS).max() < 1e-3 and start.bias_sigma_rad_s > 0


@pytest.mark.parametrize("name", ["complementary", "mahony", "madgwick", "attitude-ekf"])
def test_filters_begin_with_it(name):
    t, gyro, acc, down, _ = with_rest()
    out = run_estimator(name, info_for(name).parameters(), estimator_input(t, gyro, acc), SITE).outputs
    w, x, y, z = out.q_nb.T
    found = np.stack([2 * (x * z - w * y), 2 * (y * z + w * x), 1 - 2 * (x**2 + y**2)], axis=1)
    off = np.degrees(np.arccos(np.clip(np.sum(found * down, axis=1), -1, 1)))[500:]
    assert np.sqrt(np.mean(off**2)) < 6.0


@pytest.mark.parametrize("carrier", ["car", "hand", "walking", "multirotor", "turning"])
def test_what_moves_is_no_rest(carrier):
    for seed in range(4):
        log = made(carrier, seed, seconds=60.0)
        rest = longest_rest(log.motion.t, log.gyro, log.acc)
        assert rest is None or np.abs(rest.bias_b - log.gyro_bias).max() < 0.01, seed
