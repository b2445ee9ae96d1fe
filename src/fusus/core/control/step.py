"""The step of a closed loop in time, with the discrete controller, its limits and all delays; and what a step is judged by.

Arrays, where a function does not say otherwise (shape, unit, frame):

    t_s : (N,) s, any
    y : (N,) any, any
"""

import math
from dataclasses import dataclass

import numpy as np

from fusus.core._jit import kernel
from fusus.core.arrays import Array
from fusus.core.control.elements import LowPass, Notch, Plant
from fusus.core.control.pid import Gains, pid_step
from fusus.core.control.sections import Sampled, advance_axis, filtered, sampled, sections_of


@dataclass(frozen=True, slots=True)
class Step:
    """Rate, as measured and true, rad/s, and command (N,) at times (N,) s after the setpoint of ``wanted`` rad/s."""

    t_s: Array
    rate: Array
    seen: Array
    command: Array
    wanted: float


@dataclass(frozen=True, slots=True)
class StepFigures:
    """What a step is judged by: 10 to 90 % rise s, overshoot as a share, time of the peak s, time after which it stays within 2 %."""

    rise_s: float
    overshoot: float
    peak_s: float
    settling_s: float


def step_response(
    plant: Plant,
    gains: Gains,
    filters: tuple[LowPass | Notch, ...],
    delay_s: float,
    rate_hz: float,
    wanted: float,
    seconds: float,
) -> Step:
    """Return how the rate of one axis follows a step of the setpoint, rad/s, at rest before."""
    p = sampled(plant, delay_s, rate_hz)
    n = max(2, round(seconds / p.h))
    rate, seen, command = np.zeros(n), np.zeros(n), np.zeros(n)
    _run(gains, sections_of(filters, rate_hz), p, wanted, rate, seen, command)
    return Step(np.asarray(np.arange(n) * p.h, dtype=np.float64), rate, seen, command, wanted)


@kernel
def _run(g: Gains, sections: Array, p: Sampled, wanted: float, rate: Array, seen: Array, command: Array) -> None:
    """Fill rate, what the loop sees of it, and the command; the motor's lag is stepped exactly."""
    memory = np.zeros((1, sections.shape[0], 2))
    omega = motor = last = integral = slope = u = 0.0
    for i in range(rate.shape[0]):
        if i % p.parts == 0:
            y = filtered(sections, memory, 0, omega)
            u, integral, slope = pid_step(g, wanted, 0.0, y, last, integral, slope, p.parts * p.h)
            last = y
        command[i], seen[i], rate[i] = u, last, omega
        acts = command[i - p.delay] if i >= p.delay else 0.0
        omega, motor = advance_axis(p, omega, motor, acts)


def step_figures(t_s: Array, y: Array, wanted: float) -> StepFigures:
    """Return the figures of a recorded or computed step (N,) from zero to ``wanted``; NaN for what is never reached.

    Crossings of 10 and 90 % lie on straight lines between samples; settling is the first sample after which all stay within 2 %.
    """
    share = np.asarray(y, dtype=float) / wanted
    peak = int(np.argmax(share))
    inside = np.abs(share - 1.0) <= 0.02
    outside = np.flatnonzero(~inside)
    first = int(outside[-1]) + 1 if len(outside) else 0
    settling = float(t_s[first]) if first < len(t_s) else math.nan
    rise = _crossing(t_s, share, 0.9) - _crossing(t_s, share, 0.1)
    return StepFigures(rise, max(0.0, float(share[peak]) - 1.0), float(t_s[peak]), settling)


def _crossing(t_s: Array, share: Array, level: float) -> float:
    over = np.flatnonzero(share >= level)
    if not len(over):
        return math.nan
    i = int(over[0])
    if i == 0:
        return float(t_s[0])
    part = (level - share[i - 1]) / (share[i] - share[i - 1])
    return float(t_s[i - 1] + part * (t_s[i] - t_s[i - 1]))
