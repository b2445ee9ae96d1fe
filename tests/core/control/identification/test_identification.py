"""Identification on made-up signals whose answers are known: filters, a simulated loop, swings, beats."""

import math

import numpy as np
import pytest
from scipy import signal

from fusus.core.control.elements import Controller, LowPass
from fusus.core.control.identification.oscillation import Known, spectrum, swings
from fusus.core.control.identification.plant import identify
from fusus.core.control.identification.response import delay_s, frequency_response
from fusus.core.control.identification.sample_period import beat
from fusus.core.control.pid import Gains, pid_step
from fusus.core.control.sections import Sampled, advance_axis, filtered, sections_of
from fusus.errors import ParameterError

RATE = 500.0
NOBODY = Known(math.nan, False, math.nan)


def noise(n, seed=1):
    return np.random.default_rng(seed).standard_normal(n)


def test_a_known_filter_is_found_with_its_error():
    x = noise(60_000)
    b, a = signal.butter(2, 20.0, fs=RATE)
    y = signal.lfilter(b, a, x) + 0.02 * noise(60_000, 2)
    found = frequency_response(x, y, RATE)
    _, truth = signal.freqz(b, a, worN=found.hz, fs=RATE)
    use = found.trusted & (found.hz < 60)
    off = np.abs(found.gain[use] / truth[use] - 1.0)
    assert use.sum() > 200 and np.median(off / found.sigma[use]) < 1.5 and np.median(off) < 0.03
    assert found.coherence[(found.hz > 1) & (found.hz < 15)].min() > 0.9


def test_coherence_falls_where_something_else_speaks():
    x, other = noise(30_000), noise(30_000, 5)
    assert np.median(frequency_response(x, other, RATE).coherence) < 0.1
    assert not frequency_response(x[:900], x[:900], RATE).trusted.any(), "one stretch alone always agrees with itself"
    with pytest.raises(ParameterError):
        frequency_response(x, other, 0.0)


def test_delays_are_found_between_samples():
    t = np.arange(20_000) / RATE
    x = signal.lfilter(*signal.butter(2, 20.0, fs=RATE), noise(20_000))
    for late in (0.0042, 0.031):
        assert delay_s(x, np.interp(t - late, t, x), RATE) == pytest.approx(late, abs=4e-4)
    assert math.isnan(delay_s(np.zeros(100), np.ones(100), RATE))


def flown(gain, lag, late_s, gains, seconds=60.0, seed=3):
    """Return wanted and true rate of a loop: the controller as it runs on a board, motors with a lag, and a delay."""
    n, parts = round(seconds * RATE), 20
    h = 1.0 / RATE / parts
    t = np.arange(n) / RATE
    wanted = 0.5 * np.sin(2 * np.pi * (0.4 * t + 0.5 * (30 - 0.4) / seconds * t * t))
    filters = (LowPass("gyro", 90.0, 2),)
    sections, memory = sections_of(filters, RATE), np.zeros((1, 1, 2))
    late = round(late_s / h)
    omega = motor = last = integral = slope = 0.0
    out, rng = np.zeros(n), np.random.default_rng(seed)
    axis = Sampled(gain, lag, math.exp(-h / lag), late, parts, h)
    queue = [0.0] * (n * parts + late)
    for i in range(n):
        out[i] = omega + 0.002 * rng.standard_normal()
        y = filtered(sections, memory, 0, out[i])
        u, integral, slope = pid_step(gains, wanted[i], 0.0, y, last, integral, slope, 1.0 / RATE)
        last = y
        for j in range(parts):
            queue[i * parts + j + late] = u
            omega, motor = advance_axis(axis, omega, motor, queue[i * parts + j])
    return wanted, out, filters


@pytest.mark.slow
@pytest.mark.parametrize(("gain", "lag", "late"), [(200.0, 0.05, 0.004), (320.0, 0.03, 0.008)])
def test_a_plant_behind_its_loop_is_found(gain, lag, late):
    gains = Gains(0.2, 0.6, 0.004, 2 * math.pi * 60, -1.0, 1.0, 0.0)
    wanted, out, filters = flown(gain, lag, late, gains)
    found = identify(
        frequency_response(wanted, out, RATE), Controller("roll", 0.2, 0.6, 0.004, 60.0), filters, 30.0, RATE
    )
    assert found is not None
    # The command is held for a period: on average it comes half a period later.
    assert found.gain == pytest.approx(gain, rel=0.03) and found.lag_s == pytest.approx(lag, rel=0.04)
    assert found.delay_s == pytest.approx(late + 0.5 / RATE, abs=3e-4)
    assert found.margins.is_stable and 0 < found.phase_sigma_rad < 0.1 and found.gain_sigma < 0.1 * gain
    assert len(found.hz) == len(found.open_loop)
    near = np.argmin(np.abs(np.abs(found.open_loop) - 1.0))
    assert found.hz[near] * 2 * math.pi == pytest.approx(found.margins.crossover_rad_s, rel=0.15)


def test_what_no_plant_explains_is_not_told():
    x = noise(30_000)
    c = Controller("roll", 0.2, 0.6, 0.0, 60.0)
    assert identify(frequency_response(x, noise(30_000, 9), RATE), c, (), 30.0, RATE) is None, "nothing is trusted"
    assert identify(frequency_response(x, np.roll(x, 150), RATE), c, (), 30.0, RATE) is None, "no such delay"


def swinging(hz, size, axis=0, seconds=40.0, floor=0.004):
    n = round(seconds * RATE)
    y = floor * np.random.default_rng(7).standard_normal((n, 3)) * math.sqrt(RATE)
    y[:, axis] += size * math.sqrt(2) * np.sin(2 * np.pi * hz * np.arange(n) / RATE)
    return y


@pytest.mark.parametrize(
    ("hz", "known", "rotor", "says", "is_loop"),
    [
        (28.0, Known(30.0, True, 1.2), 118.0, "D of the roll rate loop too high", True),
        (9.3, Known(10.0, False, 1.2), 118.0, "P of the roll rate loop too high", True),
        (1.4, Known(30.0, False, 1.2), 118.0, "the tilt loop over it", True),
        (112.0, Known(30.0, False, 1.2), 118.0, "the rotors' own turning", False),
        (61.0, Known(20.0, False, 1.2), 30.0, "twice the rotors' turning", False),
        (60.0, Known(20.0, False, 1.2), math.nan, "no loop of the design", False),
    ],
)
def test_swings_are_named_with_frequency_axis_and_cause(hz, known, rotor, says, is_loop):
    wanted = np.zeros((round(40.0 * RATE), 3))
    (found,) = swings(swinging(hz, 0.5), RATE, (known, NOBODY, NOBODY), rotor, wanted)
    assert found.axis == "roll" and found.hz == pytest.approx(hz, abs=2 * found.resolution_hz)
    assert found.rms_rad_s == pytest.approx(0.5, rel=0.1) and says in found.cause and found.is_loop == is_loop


def test_a_yaw_swing_is_the_heading_loops():
    known, slow = (NOBODY, NOBODY, Known(20.0, False, 0.6)), swinging(0.9, 0.4, 2)
    (found,) = swings(slow, RATE, known, 118.0, np.zeros_like(slow))
    assert swings(slow, RATE, known, 118.0) == (), "without the wanted rates it may be steering"
    assert found.axis == "yaw" and "heading" in found.cause


def test_noise_and_what_is_asked_for_are_no_swings():
    known = (Known(30.0, True, 1.2),) * 3
    assert swings(swinging(10.0, 0.0), RATE, known, 118.0) == ()
    assert swings(swinging(10.0, 0.03), RATE, known, 118.0) == (), "nobody minds that little"
    wanted = np.zeros((20_000, 3))
    wanted[:, 0] = 0.5 * math.sqrt(2) * np.sin(2 * np.pi * 10.0 * np.arange(20_000) / RATE)
    assert swings(swinging(10.0, 0.5), RATE, known, 118.0, wanted) == ()
    assert swings(np.zeros((100, 3)), RATE, known, 118.0) == ()
    hz, density = spectrum(swinging(10.0, 0.5)[:, 0], RATE)
    assert np.sqrt(density.sum() * hz[1]) == pytest.approx(math.sqrt(0.25 + (0.004**2 * RATE)), rel=0.05)


def test_beats():
    t = np.arange(5000) * 2_000_000
    even = beat(t)
    assert (
        even is not None
        and even.rate_hz == 500.0
        and even.jitter_s == 0.0
        and even.late == even.missing == even.every == 0
    )
    late = t.copy()
    late[50::50] += 1_200_000
    found = beat(np.sort(late))
    assert found is not None and found.late == 99 and found.every == 50 and found.longest_s == pytest.approx(3.2e-3)
    gone = beat(np.delete(t, [100, 101, 900]))
    assert gone is not None and gone.missing == 3 and gone.jitter_s == 0.0 and gone.late == 2
    jitter = beat(t + np.random.default_rng(1).normal(0, 20_000, 5000).astype(int))
    assert jitter is not None and jitter.jitter_s == pytest.approx(20e-6 * math.sqrt(2), rel=0.05) and jitter.late == 0
    assert beat(t[:5]) is None and beat(np.zeros(20, dtype=int)) is None
