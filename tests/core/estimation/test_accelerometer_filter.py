"""The accelerometer's filter against scipy's, and that it is one and the same in flight and in replay."""

from dataclasses import replace

import numpy as np
import pytest
from scipy import signal
from tests.firmware.kits import flown

from fusus.core.control.elements import LowPass, Notch
from fusus.core.control.sections import sections_of, through
from fusus.core.estimation.accelerometer_filter import filter_accelerometer

SHAPES = [
    (LowPass("a", 40.0, 2),),
    (LowPass("a", 15.0, 1),),
    (LowPass("a", 30.0, 2), Notch("b", 70.0, 3.0)),
]


@pytest.mark.parametrize("filters", SHAPES)
def test_it_filters_as_scipy_does_from_a_settled_start(filters):
    rng = np.random.default_rng(2)
    values = rng.normal(0.0, 2.0, (500, 3)) + np.array([1.0, -2.0, -9.8])
    sections, out = sections_of(filters, 400.0), np.empty((500, 3))
    through(sections, values, out)
    settled = signal.sosfilt_zi(sections)
    for axis in range(3):
        expected, _ = signal.sosfilt(sections, values[:, axis], zi=settled * values[0, axis])
        assert np.allclose(out[:, axis], expected, rtol=0.0, atol=1e-12)


def test_gravity_is_known_from_the_first_sample_on():
    values = np.tile([0.0, 0.0, -9.81], (100, 1))
    out = np.empty_like(values)
    through(sections_of(SHAPES[0], 1000.0), values, out)
    assert np.allclose(out, values, rtol=0.0, atol=1e-12)


def test_shaking_goes_and_the_rest_of_a_recording_stays(site):
    given = flown(site)[0]
    shaken = 3.0 * np.sin(2 * np.pi * 80.0 * given.t_s)[:, None]
    worse = replace(given, samples=given.samples._replace(acc_b=given.samples.acc_b + shaken))
    passed = filter_accelerometer((LowPass("a", 20.0, 2),), worse)
    calm = filter_accelerometer((LowPass("a", 20.0, 2),), given)
    left = (passed.samples.acc_b - calm.samples.acc_b)[200:]
    # A Butterworth filter of second order at four times its frequency lets less than a sixteenth through (bilinear: still less).
    assert 0.01 < np.abs(left).max() < 3.0 / 16.0
    assert passed.samples.gyro_b is worse.samples.gyro_b and passed.aiding is worse.aiding
    assert filter_accelerometer((), given) is given
