"""The complementary filter against its closed forms (checks CMP-01, -03, -05; fixed point and variance of a one-pole recursion)."""

import math

import numpy as np

from fusus.core.estimation.complementary import run as filter_
from fusus.core.estimation.complementary.parameters import Parameters
from fusus.core.estimation.initial import Start
from fusus.core.estimation.samples import as_attitude_samples
from fusus.core.frames.quaternion import to_euler
from fusus.core.frames.tilt import tilt_from_acc
from fusus.core.world.site import Site

DEG = math.pi / 180
LEVEL = Start(np.array([1.0, 0, 0, 0]), np.zeros(3), True, 1.0, float("nan"), float("nan"), False)
G = 9.80665


def roll_after(gyro, acc, dt_s, tau_s):
    site = Site()
    p = Parameters(tau_acc_s=tau_s, acc_gate_m_s2=5.0)
    c = filter_.coefficients(p, site, LEVEL)
    out, _ = filter_.run(c, filter_.initial_state(p, c, LEVEL), as_attitude_samples(dt_s, gyro, acc))
    return to_euler(out.q_nb)[:, 2]


def test_gyro_bias_tilts_by_tau_times_bias():
    n, bias = 4000, 0.4 * DEG
    roll = roll_after(np.tile([bias, 0, 0], (n, 1)), np.tile([0, 0, -G], (n, 1)), 0.01, 0.5)
    # 0.2 deg; the filter steers by the sine of the error, hence 1e-5 of it.
    assert abs(roll[-1] / DEG - 0.2) < 2e-5


def test_step_response_is_that_of_alpha():
    tilt = 1e-3
    acc = np.tile([0.0, -G * math.sin(tilt), -G * math.cos(tilt)], (100, 1))
    roll = roll_after(np.zeros((100, 3)), acc, 0.01, 0.5)
    alpha = 0.98039215686  # CMP-01
    expected = tilt * (1 - alpha ** np.arange(1, 101))
    assert np.allclose(roll, expected, rtol=1e-5)
    assert np.allclose(tilt_from_acc(acc)[-1], [tilt, 0], atol=1e-12)


def test_output_noise_is_that_of_the_recursion():
    rng = np.random.default_rng(3)
    n = 400_000
    # White reference noise of 3 deg and gyro noise of 0.1 deg/s leave 0.2986 deg (CMP-05).
    noise = rng.normal(0, 3 * DEG, n)
    acc = np.stack([np.zeros(n), -G * np.sin(noise), -G * np.cos(noise)], axis=1)
    gyro = np.stack([rng.normal(0, 0.1 * DEG, n), np.zeros(n), np.zeros(n)], axis=1)
    roll = roll_after(gyro, acc, 0.01, 0.5)[2000:]
    # One standard error: a correlation time of 1 s leaves some 4000 independent values, 1.1 %.
    assert abs(np.std(roll) / DEG / 0.29855 - 1) < 0.04
