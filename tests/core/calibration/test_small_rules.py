"""The small rules under the fits: rest, regression, circles, corrections; and the verdicts between good and bad."""

import re

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.stats import chi, rayleigh

from fusus.core.calibration.apply import Corrections
from fusus.core.calibration.gnss_scatter import circle_probability, circle_radius, sphere_radius
from fusus.core.calibration.gyro_bias import gyro_bias
from fusus.core.calibration.level import level_trim
from fusus.core.calibration.regression import SlowNoise, blocks, regress, standard_errors
from fusus.core.calibration.result import CaptureProblem, judged, plain, worst_word
from fusus.core.calibration.screening import screen
from fusus.core.calibration.stillness import cut_windows, still_spans
from fusus.core.calibration.thermal import evaluate, thermal
from fusus.core.calibration.vibration import alias_hz, vibration
from fusus.core.sensors.inertial import InertialModel


def at_rest(seconds=20.0, rate=100.0, seed=1, bias=(0.0, 0.0, 0.0), noise=(1e-3, 0.02), lean=(0.0, 0.0)):
    rng = np.random.default_rng(seed)
    n = round(seconds * rate)
    up = np.array([lean[0], lean[1], -1.0])
    gyro = rng.normal(0, noise[0], (n, 3)) + np.array(bias)
    return np.arange(n) / rate, gyro, rng.normal(0, noise[1], (n, 3)) + 9.81 * up / np.linalg.norm(up)


@pytest.mark.parametrize("rate", [20.0, 100.0, 1000.0])
@pytest.mark.parametrize("bias", [0.0, 0.3])
def test_a_rest_is_found_whatever_rate_and_bias(rate, bias):
    t, w, f = at_rest(10.0, rate, bias=(bias, 0.0, -bias))
    (span,) = still_spans(t, w, f)
    assert span.length_s == pytest.approx(10.0, abs=0.1)
    assert span.rows == slice(span.first, span.last)


def test_a_slow_turn_is_no_rest():
    """3 °/s is less than a hand's tremor: it shows in the mean of the gyro and in where gravity points."""
    t, w, f = at_rest(30.0)
    turning = (t > 10) & (t < 20)
    angle = np.where(turning, np.radians(3.0) * (t - 10), np.where(t >= 20, np.radians(30.0), 0.0))
    w[turning, 0] += np.radians(3.0)
    f = np.stack([f[:, 0], f[:, 1] - 9.81 * np.sin(angle), -9.81 * np.cos(angle) + f[:, 2] + 9.81], axis=1)
    spans = still_spans(t, w, f)
    assert len(spans) == 2
    assert spans[0].end_s <= 10.3
    assert spans[1].start_s >= 19.7


def test_too_few_samples_for_a_window():
    with pytest.raises(ValueError, match="too few"):
        cut_windows(np.arange(5) / 100, np.zeros((5, 3)), np.zeros((5, 3)))


def test_the_bias_asks_for_the_time_that_it_needs():
    t, w, f = at_rest(60.0, noise=(5e-3, 0.02))
    steady = InertialModel(5e-4, 1e-9, 1e-7, 100.0, 0.01, 0.01, 0.01, 0.0, 35.0, 16)
    later = max(gyro_bias(t, w, f, datasheet=steady).standard_errors["gyro_bias_rad_s"])
    c = gyro_bias(t, w, f, wanted_rad_s=0.95 * later, datasheet=steady)
    assert c.verdict == "close"
    # Here noise alone is too much: longer helps.
    needed = float(re.findall(r"Record (\d+) s at rest", c.reason)[0])
    assert 60.0 < needed < 300.0
    # Where the drift is, it does not, and no time is promised.
    t, w, f = at_rest(5.0, noise=(5e-3, 0.02))
    assert "ten times as long to see whether it does" in gyro_bias(t, w, f, wanted_rad_s=5e-5).reason
    assert gyro_bias(t, w, f, np.linspace(20, 26, len(t))).problems[-1].kind in ("warming", "short")


def test_level_is_not_anything_that_lies_still():
    t, w, f = at_rest(6.0, lean=(0.5, 0.0))
    c = level_trim(t, w, f)
    assert c.verdict == "fail"
    assert "27° off level" in c.reason
    good = level_trim(*at_rest(6.0, lean=(0.02, -0.01)))
    # A nose that points up reads gravity forward; a right side that points down reads it to the left.
    assert good.parameters["trim_rad"] == pytest.approx([np.arctan(-0.01 * -1), np.arctan(0.02)], abs=2e-3)


@given(a=st.floats(-5, 5), b=st.floats(-5, 5))
@settings(deadline=None, max_examples=20)
def test_a_line_without_noise_comes_back(a, b):
    t = np.linspace(0, 100, 40)
    x = np.stack([np.ones(40), np.sin(t)], axis=1)
    fit = regress(t, x, x @ [a, b] + 1e-9 * np.cos(7 * t))
    assert fit.coefficients == pytest.approx([a, b], abs=1e-6)


def test_white_noise_alone_gives_the_textbook_error():
    """σ/√n for a mean, σ/√Σx² for a centred slope (any text on linear regression)."""
    t = np.arange(100.0)
    x = np.stack([np.ones(100), t - t.mean()], axis=1)
    found = [
        regress(t, x, np.random.default_rng(s).standard_normal(100), SlowNoise(0.0, 0.0)).standard_errors
        for s in range(30)
    ]
    assert np.mean(found, axis=0) == pytest.approx([0.1, 1 / np.sqrt(np.sum(x[:, 1] ** 2))], rel=0.05)


def test_standard_errors_and_condition_do_not_depend_on_units():
    j = np.random.default_rng(1).standard_normal((50, 3))
    sigma, condition = standard_errors(j)
    scaled, same = standard_errors(j * [1.0, 1e6, 1e-6])
    assert scaled * [1.0, 1e6, 1e-6] == pytest.approx(sigma)
    assert same == pytest.approx(condition)
    assert standard_errors(np.stack([j[:, 0], j[:, 0]], axis=1))[1] > 1e6


def test_blocks_are_means():
    at, means = blocks(np.arange(10.0), np.arange(20.0).reshape(10, 2), 5)
    assert at.tolist() == [0.5, 2.5, 4.5, 6.5, 8.5]
    assert means[0].tolist() == [1.0, 2.0]


def test_circles_and_spheres_of_equal_axes_are_rayleigh_and_chi():
    for share in (0.1, 0.5, 0.95, 0.999):
        assert circle_radius(share, 2.0, 2.0) == pytest.approx(2.0 * rayleigh.ppf(share), rel=1e-8)
        assert sphere_radius(share, [2.0, 2.0, 2.0]) == pytest.approx(2.0 * chi.ppf(share, 3), rel=1e-6)
    assert circle_probability(1.96, 1.0, 0.0) == pytest.approx(0.95, abs=1e-4)  # a line: the normal distribution's own


def test_a_curved_bias_gets_a_second_power_and_hysteresis_is_told():
    t = np.arange(0, 900, 0.5)
    warm = 20 + 14 * np.sin(np.pi * t / 900)
    rng = np.random.default_rng(2)
    still = np.tile([0.0, 0.0, -9.81], (len(t), 1)) + rng.normal(0, 0.01, (len(t), 3))
    curve = evaluate(np.array([[0.0, 1e-4, 8e-6]] * 3), 27.0, warm)
    c = thermal(t, curve + rng.normal(0, 2e-4, curve.shape), still, warm)
    assert c.verdict == "pass"
    assert np.array(c.parameters["gyro_polynomial"]).shape == (3, 3)
    assert np.array(c.parameters["gyro_polynomial"])[:, 2] == pytest.approx([8e-6] * 3, rel=0.2)
    late = curve + np.where(np.gradient(warm) > 0, 1.5e-3, -1.5e-3)[:, None]
    told = thermal(t, late + rng.normal(0, 2e-4, curve.shape), still, warm)
    assert any(p.kind == "hysteresis" for p in told.problems)


def test_corrections_leave_alone_what_they_do_not_know():
    nothing = Corrections({})
    w = np.array([[0.1, -0.2, 0.3]])
    assert nothing.gyro(w).tolist() == nothing.acc(w).tolist() == nothing.mag(w).tolist() == w.tolist()
    assert nothing.kinds == ()
    warm = Corrections({"thermal": {"gyro_polynomial": [[1.0, 0.0]] * 3, "reference_degc": 20.0}})
    assert warm.gyro(w, [np.nan]).tolist() == w.tolist()  # no temperature: nothing to go by
    assert warm.gyro(np.vstack([w, w]), [np.nan, 25.0])[0] == pytest.approx(w[0] - 1.0)
    amps = Corrections({"motor-current": {"slope_ut_a": [1.0, 0.0, -1.0]}})
    assert amps.mag(w, [2.0])[0] == pytest.approx([-1.9, -0.2, 2.3])
    assert amps.mag(w)[0].tolist() == w[0].tolist()
    trim = Corrections({"level": {"trim_rad": [0.1, -0.05]}})
    level = np.array([[np.sin(-0.05), -np.sin(0.1) * np.cos(-0.05), -np.cos(0.1) * np.cos(-0.05)]])
    assert trim.acc(9.81 * level)[0] == pytest.approx([0.0, 0.0, -9.81], abs=1e-9)


def test_vibration_has_its_grades():
    t = np.arange(4000) / 1000
    rng = np.random.default_rng(3)
    gyro = rng.normal(0, 0.01, (4000, 3))

    def of(size):
        line = size * np.sqrt(2) * np.sin(2 * np.pi * 120 * t)
        return vibration(
            t, gyro, np.stack([line, 0 * t, 0 * t], axis=1) + rng.normal(0, 0.05, (4000, 3)) + [0, 0, -9.81]
        )

    assert [of(s).verdict for s in (2.0, 8.0, 30.0)] == ["pass", "close", "fail"]
    assert of(2.0).parameters["line_hz"][0] == pytest.approx(120.0, abs=0.6)
    assert of(2.0).parameters["line_m_s2"][0] == pytest.approx(2.0, rel=0.1)
    assert alias_hz([120.0, 1120.0, 880.0], 1000.0).tolist() == [120.0, 120.0, 120.0]


def test_verdicts_take_the_worst_and_numbers_are_plain():
    bad = ("fail", CaptureProblem("b", "B.", "Do b."))
    soso = ("close", CaptureProblem("s", "S.", "Do s."))
    assert judged([soso, bad], "good")[:2] == ("fail", "B. Do b.")
    assert judged([soso], "good")[:2] == ("close", "S. Do s.")
    assert judged([], "good") == ("pass", "good", ())
    assert worst_word(["pass", "close"]) == "close"
    assert plain(np.array([[1.0, np.nan], [np.inf, 2.0]])) == [[1.0, None], [None, 2.0]]
    assert screen(np.random.default_rng(1).normal(size=(200, 3)), "gyro") == []
