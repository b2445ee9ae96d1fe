"""Invariants of rotations; SciPy as an outside witness."""

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from fusus.core.frames import axes, quaternion

ANGLE = st.floats(-3.1, 3.1)
UNIT = (
    st.tuples(*[st.floats(-1, 1)] * 4)
    .filter(lambda q: np.linalg.norm(q) > 0.1)
    .map(lambda q: np.array(q) / np.linalg.norm(q))
)
VECTOR = st.tuples(*[st.floats(-5, 5)] * 3).map(np.array)


@given(UNIT, VECTOR)
def test_rotation_agrees_with_scipy(q, v):
    assert np.allclose(quaternion.rotate(q, v), Rotation.from_quat(np.roll(q, -1)).apply(v), atol=1e-12)


@given(UNIT)
def test_matrix_there_and_back(q):
    assert abs(abs(quaternion.from_matrix(quaternion.to_matrix(q)) @ q) - 1) < 1e-12


@given(ANGLE, st.floats(-1.5, 1.5), ANGLE)
def test_euler_there_and_back(yaw, pitch, roll):
    back = quaternion.to_euler(quaternion.from_euler(yaw, pitch, roll))
    assert np.allclose(np.exp(1j * back), np.exp(1j * np.array([yaw, pitch, roll])), atol=1e-6)


@given(ANGLE, st.sampled_from([1.0, -1.0]), ANGLE, st.sampled_from([0.0, 1e-12, 1e-9, 1e-7, 1e-5, 1e-3]))
def test_euler_angles_give_the_attitude_back_at_the_poles_too(yaw, up, roll, short):
    q = np.roll(Rotation.from_euler("ZYX", [yaw, up * (np.pi / 2 - short), roll]).as_quat(), 1)
    found = quaternion.to_euler(q)
    off = Rotation.from_euler("ZYX", found).inv() * Rotation.from_euler("ZYX", [yaw, up * (np.pi / 2 - short), roll])
    assert off.magnitude() < 1e-6 and abs(found[1] - up * (np.pi / 2 - short)) < 1e-7
    if short == 0.0:
        assert found[2] == 0.0


def test_straight_up_yaw_is_what_counts():
    """A craft that stands on its tail, turned by 40° about the vertical: the textbook's case of a lost angle."""
    for pitch, wanted in ((90.0, 40.0 - 15.0), (-90.0, 40.0 + 15.0)):
        q = quaternion.from_euler(*np.radians([40.0, pitch, 15.0]))
        assert np.allclose(np.degrees(quaternion.to_euler(q)), [wanted, pitch, 0.0], atol=1e-6)


@given(st.tuples(*[st.floats(-1.7, 1.7)] * 3).map(np.array))
def test_rotation_vector_there_and_back(v):
    assert np.allclose(quaternion.to_rotation_vector(quaternion.from_rotation_vector(v)), v, atol=1e-9)


@given(UNIT, UNIT, st.floats(0, 1))
def test_slerp_lies_between(p, q, f):
    middle = quaternion.slerp(p, q, f)

    def angle(a, b):
        return np.linalg.norm(quaternion.to_rotation_vector(quaternion.multiply(quaternion.conjugate(a), b)))

    assert abs(angle(p, middle) + angle(middle, q) - angle(p, q)) < 1e-6


def test_interpolation_holds_constant_rate():
    t = np.arange(0, 5, 0.1)
    q = quaternion.from_rotation_vector(np.stack([0.4 * t, np.zeros_like(t), np.zeros_like(t)], axis=1))
    at = np.array([0.05, 1.234, 4.87])
    expected = quaternion.from_rotation_vector(np.stack([0.4 * at, 0 * at, 0 * at], axis=1))
    assert np.allclose(quaternion.interpolate(t, q, at), expected, atol=1e-12)
    assert np.allclose(quaternion.body_rates(t, q), [0.4, 0, 0], atol=1e-12)


@given(UNIT)
def test_zero_rows_become_nan_and_signs_positive(q):
    rows = quaternion.normalise(np.stack([q, np.zeros(4)]))
    assert rows[0, 0] >= 0 and np.isnan(rows[1]).all()


def test_axes_matrices_are_rotations_and_enu_means_north_is_second():
    for name in ("frd", "flu", "rfu"):
        assert np.isclose(np.linalg.det(axes.body_matrix(name)), 1.0)
    assert np.allclose(axes.earth_matrix("enu") @ [1, 2, 3], [2, 1, -3])
    level = np.array([[1.0, 0, 0, 0]])
    assert np.isclose(np.degrees(quaternion.to_euler(axes.attitude_to_ned(level, "enu", "flu")))[0, 0], 90.0)
