"""Design by margin, ultimate gain, windup, filters in the loop: against closed forms, and against themselves in time."""

import math

import numpy as np
import pytest
from scipy import signal

from fusus.core.control.design import design, ultimate
from fusus.core.control.elements import (
    Controller,
    Delay,
    LowPass,
    Notch,
    Plant,
    group_delay_s,
    open_loop,
    phase_cost_deg,
)
from fusus.core.control.margins import margins
from fusus.core.control.pid import Gains
from fusus.core.control.sections import sections_of
from fusus.core.control.step import step_figures, step_response
from fusus.errors import ParameterError

PLANT = Plant("roll", 2.0, 0.02, 0.05)
REST = (PLANT, LowPass("gyro", 90.0, 2), Delay("time", 0.004))


@pytest.mark.parametrize("hz", [1.5, 3.0, 5.0, 8.0])
@pytest.mark.parametrize("degrees", [45.0, 60.0])
def test_a_design_crosses_over_where_it_should_with_its_margin(hz, degrees):
    made = design(REST, hz, math.radians(degrees), 80.0)
    found = margins(lambda w: open_loop((made.controller, *REST), w))
    assert found.crossover_rad_s == pytest.approx(2 * math.pi * hz, rel=1e-3)
    assert found.phase_rad == pytest.approx(made.phase_rad, abs=1e-3) and found.is_stable
    if made.reached:
        assert math.degrees(found.phase_rad) >= degrees - 0.6


def test_what_no_derivative_can_reach_is_said():
    made = design(REST, 40.0, math.radians(60.0), 80.0)
    assert not made.reached and "lower bandwidth" in made.reason


def test_a_loop_at_its_ultimate_gain_swings_with_its_period():
    """At 1.05 of the gain the swing grows, at 0.95 it dies; its period is the one that was told."""
    found = ultimate(REST)
    for share, grows in ((0.95, False), (1.05, True)):
        gains = Gains(share * found.gain, 0.0, 0.0, 0.0, -1e9, 1e9, 0.0)
        step = step_response(PLANT, gains, (LowPass("gyro", 90.0, 2),), 0.004, 20_000.0, 1.0, 40 * found.period_s)
        half = len(step.rate) // 2
        early, late = np.ptp(step.rate[half // 4 : half]), np.ptp(step.rate[half:])
        assert (late > early) == grows
        ups = np.flatnonzero(np.diff(np.sign(step.rate[half:] - step.rate[half:].mean())) > 0) * (
            step.t_s[1] - step.t_s[0]
        )
        assert np.diff(ups).mean() == pytest.approx(found.period_s, rel=0.03)


def test_delay_margin_is_the_delay_that_makes_it_swing():
    made = design(REST, 4.0, math.radians(50.0), 80.0).controller
    found = margins(lambda w: open_loop((made, *REST), w))
    for share, stable in ((0.9, True), (1.1, False)):
        more = (made, *REST, Delay("more", share * found.delay_s))
        assert margins(lambda w, more=more: open_loop(more, w)).is_stable is stable


@pytest.mark.parametrize("tracking", [0.0, 0.05])
def test_neither_school_winds_up(tracking):
    """A step too large for the motors: the integral must not hold the rate above its setpoint for long."""
    weak = Plant("yaw", 0.1, 0.02, 0.05)
    gains = Gains(0.5, 2.0, 0.0, 0.0, -1.0, 1.0, tracking)
    found = step_figures(*_rate(step_response(weak, gains, (), 0.002, 1000.0, 3.0, 4.0)), 3.0)
    wound = Gains(0.5, 2.0, 0.0, 0.0, -1e9, 1e9, 0.0)
    assert found.overshoot < 0.45 and math.isfinite(found.settling_s)
    assert step_figures(*_rate(step_response(weak, wound, (), 0.002, 1000.0, 3.0, 4.0)), 3.0).overshoot >= 0.0


def _rate(step):
    return step.t_s, step.rate


def test_filters_run_as_they_are_drawn():
    """The discrete sections' response is the continuous one well below the Nyquist rate."""
    for f in (LowPass("a", 30.0), LowPass("b", 30.0, 2), Notch("c", 80.0, 4.0)):
        sections = sections_of((f,), 8000.0)
        hz = np.array([5.0, 20.0, 60.0, 75.0, 150.0])
        _, at = signal.sosfreqz(sections, worN=hz, fs=8000.0)
        assert np.allclose(at, f.response(2 * np.pi * hz), atol=0.02)


def test_what_filters_cost():
    """A delay costs 360° f τ; a low-pass of first order 45° at its corner, one of second 90°; near DC √2/ωc of delay."""
    assert phase_cost_deg(Delay("d", 0.005), 20.0) == pytest.approx(36.0)
    assert phase_cost_deg(LowPass("l", 40.0), 40.0) == pytest.approx(45.0)
    assert phase_cost_deg(LowPass("l", 40.0, 2), 40.0) == pytest.approx(90.0)
    assert group_delay_s(LowPass("l", 40.0, 2), 0.01) == pytest.approx(math.sqrt(2) / (2 * math.pi * 40.0), rel=1e-3)
    assert abs(Notch("n", 80.0, 3.0).response(np.array([2 * math.pi * 80.0]))[0]) < 1e-12


def test_a_heavier_craft_crosses_over_lower():
    made = design(REST, 5.0, math.radians(55.0), 80.0).controller
    heavy = (made, Plant("roll", 2.0, 0.04, 0.05), *REST[1:])
    assert margins(lambda w: open_loop(heavy, w)).crossover_rad_s < 0.7 * 2 * math.pi * 5.0


@pytest.mark.parametrize(
    ("make", "what"),
    [
        (lambda: Plant("roll", 2.0, -0.02, 0.05), "Inertia"), (lambda: Plant("roll", 0.0, 0.02, 0.05), "Torque"),
        (lambda: Controller("c", -1.0, 0.0, 0.0, 60.0), "P of c"), (lambda: LowPass("l", 0.0), "l"),
        (lambda: Delay("late", -0.1), "late"), (lambda: Controller("c", math.nan, 0.0, 0.0, 60.0), "P of c"),
    ],
)  # fmt: skip
def test_what_cannot_be_is_refused(make, what):
    with pytest.raises(ParameterError, match=what):
        make()
