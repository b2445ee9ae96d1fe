"""What numbers say of their unit by facts of physics: gravity, the earth's field, the air's pressure, and how gravity turns in the body."""

import math

import numpy as np
import pytest

from fusus.core.frames.quaternion import body_rates, conjugate, from_euler, rotate
from fusus.logs import values

G = 9.80665
RNG = np.random.default_rng(6)
DIRECTIONS = RNG.normal(size=(300, 3))
DIRECTIONS /= np.linalg.norm(DIRECTIONS, axis=1, keepdims=True)


def turning(seconds=20.0, rate_hz=200.0):
    """Return times, true body rates rad/s and specific force m/s² of a board turned by hand."""
    t = np.arange(0.0, seconds, 1.0 / rate_hz)
    roll, pitch = 0.8 * np.sin(1.1 * t), 0.5 * np.sin(0.7 * t + 0.4)
    q = from_euler(0.3 * np.sin(0.5 * t), pitch, roll)
    acc = rotate(conjugate(q), np.tile([0.0, 0.0, -G], (len(t), 1)))
    rates = body_rates(t, q)
    rates = np.vstack([rates, rates[-1:]]) if len(rates) < len(t) else rates
    return t, rates, acc


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


@pytest.mark.parametrize(("factor", "unit"), [(1.0, "rad/s"), (180 / math.pi, "deg/s")])
def test_how_gravity_turns_shows_the_gyros_unit(factor, unit):
    t, rates, acc = turning()
    assert values.rate_unit(t, factor * rates, acc) == (unit, True)
    scale, sure = values.gravity_turn_scale(t, factor * rates, acc / G)  # in whatever unit the force comes
    assert scale == pytest.approx(1.0 / factor, rel=0.1) and sure > 0.9


@pytest.mark.parametrize("full_scale", [250.0, 500.0, 1000.0, 2000.0])
def test_how_gravity_turns_shows_the_range_of_a_gyros_counts(full_scale):
    t, rates, acc = turning()
    counts = np.rint(np.degrees(rates) * 2**15 / full_scale)
    found = values.rate_counts(t, counts, acc)
    assert (found.full_scale, found.bits) == (full_scale, 16)
    assert values.rate_counts(t, counts, None) is None
    still = np.tile([0.0, 0.0, -G], (len(t), 1))
    assert values.rate_counts(t, counts, still) is None, "what does not turn shows nothing"


def test_without_turning_a_gyros_unit_is_a_guess_by_its_size():
    still = RNG.normal(0, 0.1, (500, 3))  # tenths of a degree are noise; tenths of a radian were shaking
    assert values.rate_unit(np.arange(500.0), still, None) == ("deg/s", False)
    assert values.rate_unit(np.arange(500.0), 0.01 * still, None) == ("rad/s", False)
    wild = RNG.normal(0, 90.0, (500, 3))
    assert values.rate_unit(np.arange(500.0), wild, None) == ("deg/s", True), "no hand turns ninety radians a second"
    assert values.rate_unit(np.arange(3.0), np.full((3, 3), np.nan), None) == ("rad/s", False)


@pytest.mark.parametrize(
    ("start", "step", "unit", "sure"),
    [
        (0.0, 0.005, "s", True),
        (1.79e9, 0.01, "s", True),
        (1.79e12, 5.0, "ms", True),
        (1.79e15, 5000.0, "us", True),
        (1.79e18, 5e6, "ns", True),
        (0.0, 5.0, "ms", True),
        (0.0, 1.0, "ms", False),
        (0.0, 2500.0, "us", True),
        (0.0, 5e6, "ns", True),
    ],
)
def test_steps_show_the_unit_of_time(start, step, unit, sure):
    assert values.time_unit(start + step * np.arange(400.0)) == (unit, sure)


def test_too_few_times_say_nothing():
    assert values.time_unit(np.array([3.0])) == ("s", False)
