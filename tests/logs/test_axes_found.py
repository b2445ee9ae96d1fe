"""A gyro's axis that is reversed or swapped is named at import, and one that is right is not. Motion by scipy's rotations."""

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from fusus.logs.physics.arrangement import fitting_arrangement

RATE_HZ, SECONDS = 100, 40
SWAPS = {"x as y": (1, 0, 2), "y as z": (0, 2, 1), "z as x": (2, 1, 0)}


def motion(seed, shaking_m_s2=0.3, bias=0.01):
    """Return times, rates and specific forces of a board turned by hand, with accelerations, noise and a bias of the gyro."""
    rng, n = np.random.default_rng(seed), RATE_HZ * SECONDS
    t = np.arange(n) / RATE_HZ
    rates = sum(
        rng.uniform(0.3, 0.9, 3) * np.sin(2 * np.pi * hz * t[:, None] + rng.uniform(0, 6, 3))
        for hz in (0.13, 0.31, 0.53)
    )
    turned, attitude = [], Rotation.identity()
    for rate in rates:
        turned.append(attitude)
        attitude = attitude * Rotation.from_rotvec(rate / RATE_HZ)
    moved = shaking_m_s2 * np.sin(2 * np.pi * 0.7 * t[:, None] + rng.uniform(0, 6, 3))
    forces = Rotation.concatenate(turned).inv().apply(moved - [0.0, 0.0, 9.81])
    return t, rates + bias + rng.normal(0, 0.003, (n, 3)), forces + rng.normal(0, 0.05, (n, 3))


@pytest.mark.parametrize("seed", [1, 2, 3])
@pytest.mark.parametrize("axis", [0, 1, 2])
def test_a_reversed_axis_is_named(seed, axis):
    t, rates, forces = motion(seed)
    rates[:, axis] *= -1
    assert fitting_arrangement(t, rates, {"gravity": forces}) == (f"{'xyz'[axis]} reversed", "gravity")


@pytest.mark.parametrize("seed", [4, 5, 6])
@pytest.mark.parametrize("swap", SWAPS)
def test_swapped_axes_are_named(seed, swap):
    t, rates, forces = motion(seed)
    words, _ = fitting_arrangement(t, rates[:, SWAPS[swap]], {"gravity": forces})
    assert swap in words and "reversed" not in words and "-" not in words


@pytest.mark.parametrize("seed", range(7, 13))
@pytest.mark.parametrize("shaking", [0.0, 0.5, 3.0])
def test_axes_that_are_right_are_not_named(seed, shaking):
    t, rates, forces = motion(seed, shaking, 0.03)
    assert fitting_arrangement(t, rates, {"gravity": forces}) is None


@pytest.mark.parametrize("seed", [20, 21, 22])
def test_a_board_that_lies_still_shows_nothing(seed):
    rng, n = np.random.default_rng(seed), 3000
    rates, forces = rng.normal(0.01, 0.003, (n, 3)), rng.normal(0, 0.05, (n, 3)) - [0.0, 0.0, 9.81]
    assert fitting_arrangement(np.arange(n) / RATE_HZ, rates, {"gravity": forces}) is None
