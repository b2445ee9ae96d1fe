"""Holes that a logger filled with a straight line, or with one reading again and again, are told from a sensor that lies still."""

import numpy as np
import pytest

from fusus.core.estimation.filled import begins_at, filled

N, RATE = 3000, 100.0
T = np.arange(N) / RATE
HOLE = slice(1400, 1560)


def moving(rng):
    return rng.normal(0, 0.05, (N, 3)), np.tile([0.0, 0.0, -9.8], (N, 1)) + rng.normal(0, 0.4, (N, 3))


@pytest.mark.parametrize("digits", [4, 3])
@pytest.mark.parametrize("kind", ["line", "held"])
def test_a_hole_that_was_filled_is_found_where_it_is(kind, digits):
    gyro, acc = moving(np.random.default_rng(1))
    for values in (gyro, acc):
        for k in range(3):
            ends = values[HOLE.start, k], values[HOLE.stop, k] if kind == "line" else values[HOLE.start, k]
            values[HOLE, k] = np.linspace(*ends, HOLE.stop - HOLE.start)
    found = filled(T, np.round(gyro, digits), np.round(acc, digits))
    inside = np.flatnonzero(found)
    assert abs(inside[0] - HOLE.start) <= 2 and abs(inside[-1] - HOLE.stop) <= 2 and len(inside) > 150


@pytest.mark.parametrize("digits", [1, 2, 6])
def test_a_rest_with_coarse_digits_is_none(digits):
    rng = np.random.default_rng(2)
    gyro, acc = moving(rng)
    for values, level in ((gyro, 0.0), (acc, -9.8)):
        values[1000:1800] = level + rng.normal(0, 0.004, (800, 3))
    assert not filled(T, np.round(gyro, digits), np.round(acc, digits)).any()
    smooth = np.sin(T)[:, None] * [0.3, 0.2, 0.1]
    assert not filled(T, smooth, 10 * smooth).any()  # a motion without noise bends by little, but everywhere


def test_a_hole_at_the_very_start_is_left_behind():
    t = np.r_[0.0, 1.92 + np.arange(300) / 100]
    assert begins_at(t) == 1 and begins_at(t[1:]) == 0 and begins_at(np.r_[t[1:], 20.0 + t[1:]]) == 0
