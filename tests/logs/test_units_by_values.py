"""What numbers say of their unit by facts of physics: gravity, the earth's field, the air's pressure."""

import numpy as np
import pytest

from fusus.logs import values

RNG = np.random.default_rng(6)
DIRECTIONS = RNG.normal(size=(300, 3))
DIRECTIONS /= np.linalg.norm(DIRECTIONS, axis=1, keepdims=True)


@pytest.mark.parametrize(
    ("size", "unit"),
    [(1.0, "g"), (0.98, "g"), (9.81, "m/s²"), (1000.0, "mg"), (980.0, "mg"), (64.0, None), (0.1, None), (32.2, None)],
)
def test_specific_force_has_the_size_of_gravity(size, unit):
    assert values.acceleration_unit(size * DIRECTIONS) == unit


@pytest.mark.parametrize(
    ("size", "unit"),
    [(48.0, "µT"), (22.0, "µT"), (66.0, "µT"), (0.48, "G"), (480.0, "mG"), (48_000.0, "nT"), (5.0, None)],
)
def test_a_field_has_the_size_of_the_earths(size, unit):
    # The earth's field is 22 to 67 µT strong (World Magnetic Model).
    assert values.field_unit(size * DIRECTIONS) == unit


@pytest.mark.parametrize(
    ("size", "unit"),
    [
        (101_325.0, "Pa"),
        (1013.25, "hPa"),
        (101.3, "kPa"),
        (1.013, "bar"),
        (54_020.0, "Pa"),
        (540.2, "hPa"),
        (20.0, None),
    ],
)
def test_a_pressure_has_the_size_of_the_airs(size, unit):
    # 540.2 hPa stand at 5000 m (U.S. Standard Atmosphere 1976).
    assert values.pressure_unit(np.full(50, size)) == unit
    assert values.pressure_unit(np.full(5, np.nan)) is None


@pytest.mark.parametrize("full_scale", [2.0, 4.0, 8.0, 16.0])
def test_counts_of_gravity_show_the_accelerometers_range(full_scale):
    counts = np.rint(DIRECTIONS * 2**15 / full_scale)
    found = values.acceleration_counts(counts)
    assert (found.full_scale, found.bits) == (full_scale, 16)
    assert values.acceleration_counts(0.0 * counts) is None
    # Gravity of a fifth more fits no usual range.
    assert values.acceleration_counts(1.2 * counts) is None


def test_words_above_the_middle_are_negative():
    assert values.signed_words(np.array([0.0, 32767.0, 32768.0, 65535.0])).tolist() == [0.0, 32767.0, -32768.0, -1.0]
    assert values.signed_words(np.array([2047.0, 2048.0]), bits=12).tolist() == [2047.0, -2048.0]


def test_counts_are_whole_large_and_many():
    whole = [np.rint(1000 * DIRECTIONS[:, i]) for i in range(3)]
    assert values.looks_like_counts(whole)
    assert not values.looks_like_counts([whole[0], whole[1], whole[2] + 0.5])
    assert not values.looks_like_counts([np.rint(9.8 * c) for c in DIRECTIONS.T]), "too small: rounded readings"
    assert not values.looks_like_counts([np.full(50, 4000.0)] * 3), "a constant says nothing"
    assert not values.looks_like_counts([c[:5] for c in whole])
