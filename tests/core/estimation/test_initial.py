"""The first attitude."""

import numpy as np
import pytest

from fusus.core.estimation.initial import attitude_from_vectors, rest_at_start, start_from
from fusus.core.frames import quaternion
from fusus.core.frames.tilt import tilt_from_acc
from fusus.core.world.site import Site


def test_zero_acceleration_is_refused():
    with pytest.raises(ValueError, match="zero"):
        tilt_from_acc([[0, 0, 0]])


def test_a_bias_of_a_tenth_tilts_by_ten_milliradians():
    assert np.allclose(tilt_from_acc([[0.1, 0, -9.81]])[0], [0, 0.0102], atol=1e-4)


def test_heading_counts_the_declination():
    q = attitude_from_vectors([0, 0, -9.81], [20.0, 0, 40.0], np.radians(7.5))
    assert np.allclose(np.degrees(quaternion.to_euler(q)), [7.5, 0, 0], atol=1e-9)


def test_field_along_gravity_still_gives_an_attitude():
    assert np.isfinite(attitude_from_vectors([0, 0, -9.81], [0, 0, 40.0], 0.0)).all()
    assert np.isfinite(attitude_from_vectors([9.81, 0, 0], None, 0.0)).all()


def test_rest_ends_before_the_motion():
    t = np.arange(2000) / 200
    gyro, acc = np.zeros((2000, 3)), np.tile([0, 0, -9.81], (2000, 1))
    gyro[900:, 0] = 0.3
    assert 700 < rest_at_start(gyro, acc, t) <= 900
    start = start_from(t, gyro + 0.01, acc, np.full((2000, 3), np.nan), Site())
    assert start.is_still and np.allclose(start.gyro_bias_b, 0.01) and not start.has_heading


def test_motion_from_the_first_sample_leaves_the_bias_unknown():
    rng = np.random.default_rng(1)
    t = np.arange(400) / 100
    gyro, acc = rng.normal(0, 0.5, (400, 3)), rng.normal(0, 2, (400, 3)) + [0, 0, -9.81]
    start = start_from(t, gyro, acc, np.tile([20.0, 0, 40.0], (400, 1)), Site())
    assert not start.is_still and np.all(start.gyro_bias_b == 0) and start.has_heading
    assert abs(start.field_ut - np.hypot(20, 40)) < 1e-9
