"""How the attitude EKF bears what flights do to it."""

from dataclasses import replace

import numpy as np
import pytest
from tests.core.estimation.test_attitude_filters import off_deg, still

from fusus.core.estimation.attitude_ekf import run as ekf
from fusus.core.estimation.attitude_ekf.parameters import Parameters
from fusus.core.estimation.attitude_math import ACC_GATED, MAG_GATED
from fusus.core.estimation.initial import start_from
from fusus.core.estimation.replay import estimator_input
from fusus.core.frames import quaternion


def result(site, t, gyro, acc, mag, p=None):
    """Return the outputs over samples."""
    given = estimator_input(t, gyro, acc, t, mag)
    start = start_from(t, gyro, acc, given.samples.mag_b, site)
    p = p or Parameters()
    c = ekf.coefficients(p, site, start)
    return ekf.run(c, ekf.initial_state(p, c, start), given.samples)[0]


def test_a_bias_that_wanders_off_is_learnt(site):
    q, t, gyro, acc, mag = still(site, n=40_000, bias=(0, 0, 0))
    gyro = gyro + np.clip(t - 40.0, 0, 60)[:, None] * np.radians([0.002, -0.001, 0.0015])
    out = result(site, t, gyro, acc, mag, Parameters(gyro_walk_rad_s2_rthz=2e-5))
    assert np.degrees(np.abs(out.gyro_bias_b[-1] - np.radians([0.12, -0.06, 0.09]))).max() < 0.03
    tilt, _ = off_deg(out.q_nb[-2000:], q)
    assert tilt.max() < 0.5


def test_jolts_and_long_pushes_hardly_tilt_it(site):
    q, t, gyro, acc, mag = still(site, n=12_000, bias=(0, 0, 0))
    push = quaternion.rotate(quaternion.conjugate(q), [2.0, 0, 0])
    acc[4000:4300] += push  # 1.5 s of 0.2 g
    acc[8000:8010] += 40.0
    out = result(site, t, gyro, acc, mag)
    tilt, _ = off_deg(out.q_nb, q)
    assert tilt.max() < 1.0 and (out.flags & ACC_GATED).any()


def test_a_bent_field_does_not_turn_it(site):
    q, t, gyro, acc, mag = still(site, n=12_000, bias=(0, 0, 0))
    mag[6000:8000] += quaternion.rotate(quaternion.conjugate(q), [4.0, 14.0, 6.0])
    out = result(site, t, gyro, acc, mag)
    _, heading = off_deg(out.q_nb, q)
    assert heading.max() < 1.5 and (out.flags[6500:7500] & MAG_GATED).any()


@pytest.mark.parametrize("scale", [1.0, 4.0])
def test_innovations_are_as_large_as_it_expects(site, scale):
    _, t, gyro, acc, mag = still(site, n=60_000, noise=scale)
    p = Parameters(
        acc_bias_sigma_m_s2=0.0,
        mag_bias_sigma_ut=0.0,
        gyro_scale_sigma=0.0,
        gyro_noise_rad_s_rthz=1e-3 * scale / np.sqrt(200),
    )
    out = result(
        site, t, gyro, acc, mag, replace(p, acc_noise_m_s2_rthz=0.02 * scale / np.sqrt(200), mag_noise_ut=0.2 * scale)
    )
    nis = out.nis_acc[np.isfinite(out.nis_acc)][100:]
    # Two degrees of freedom; 500 windows leave 9 % on the mean, its own adaptation some more.
    assert 1.2 < nis.mean() < 2.8
    field = out.nis_mag[np.isfinite(out.nis_mag)][100:]
    assert 0.5 < field.mean() < 1.5


def test_sigma_grows_without_gravity_and_shrinks_with_it(site):
    _, t, gyro, acc, mag = still(site, n=12_000, bias=(0, 0, 0))
    acc[6000:9000] *= 3.0
    sigma = result(site, t, gyro, acc, mag).sigma_rad[:, 0]
    assert sigma[8990] > 1.02 * sigma[5990] and sigma[-1] < sigma[8990]


def test_unequal_steps_are_taken_as_they_come(site):
    rng = np.random.default_rng(3)
    t = np.sort(rng.uniform(0, 40, 5000))
    t = t[np.concatenate([[True], np.diff(t) > 1e-4])]
    rocking = 0.4 * np.sin(0.8 * (t - 8)) * (t > 8)
    q = quaternion.from_euler(0.7 + 0 * t, 0 * t, rocking)
    gyro = np.vstack([np.zeros(3), quaternion.body_rates(t, q)])
    acc = quaternion.rotate(quaternion.conjugate(q), [0, 0, -site.gravity_m_s2])
    mag = quaternion.rotate(quaternion.conjugate(q), site.field.vector_ut)
    tilt, heading = off_deg(result(site, t, gyro, acc, mag).q_nb, q)
    assert tilt.max() < 0.1 and heading.max() < 0.1


def test_at_the_pole_the_sigmas_stay_numbers(site):
    _, t, gyro, acc, mag = still(site, tilt=(np.pi / 2 - 1e-3, 0.0))
    out = result(site, t, gyro, acc, mag)
    assert np.isfinite(out.sigma_rad).all() and np.degrees(out.sigma_rad[-1, 1]) < 1.5
