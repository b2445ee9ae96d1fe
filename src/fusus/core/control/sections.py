"""Filters as they run on a board, sample by sample; and one axis of the craft behind its motors.

Arrays, where a function does not say otherwise (shape, unit, frame):

    sections : (S, 6) 1, any
    memory : (axes, S, 2) any, any
    values : (N, axes) any, any
    out : (N, axes) any, any
"""

import math
from typing import NamedTuple

import numpy as np
from scipy import signal

from fusus.core._jit import kernel
from fusus.core.arrays import Array, check_range
from fusus.core.control.elements import LowPass, Notch, Plant

# No accelerometer reads more, m/s².
MOST_M_S2 = 1e4
FINEST_S = 1e-4  # steps of the body; a loop's period is cut into equal ones no longer than this


def parts_of(rate_hz: float) -> int:
    """Return into how many steps of the body a loop's period is cut."""
    return max(1, math.ceil(1.0 / rate_hz / FINEST_S))


def sections_of(filters: tuple[LowPass | Notch, ...], rate_hz: float) -> Array:
    """Return filters as they run at a sample rate: second-order sections (S, 6), by the bilinear transform, pre-warped."""
    out = []
    for f in filters:
        if isinstance(f, Notch):
            # What lies above half the sample rate cannot be told from what lies below it.
            check_range(f"Middle of {f.name} in a loop of {rate_hz:g} Hz", f.middle_hz, 0.1, 0.49 * rate_hz, "Hz")
            b, a = signal.iirnotch(f.middle_hz, f.quality, rate_hz)
            out.append(signal.tf2sos(b, a))
        else:
            out.append(signal.butter(f.order, min(f.cutoff_hz, 0.49 * rate_hz), "low", fs=rate_hz, output="sos"))
    return np.ascontiguousarray(np.concatenate(out) if out else np.empty((0, 6)))


@kernel
def filtered(sections: Array, memory: Array, axis: int, y: float) -> float:
    """Return a sample of an axis through all sections; ``memory`` (axes, S, 2) is changed."""
    for k in range(sections.shape[0]):
        out = sections[k, 0] * y + memory[axis, k, 0]
        memory[axis, k, 0] = sections[k, 1] * y - sections[k, 4] * out + memory[axis, k, 1]
        memory[axis, k, 1] = sections[k, 2] * y - sections[k, 5] * out
        y = out
    return y


@kernel
def prime(sections: Array, memory: Array, axis: int, y: float) -> None:
    """Fill an axis's memory as if it had always been ``y``: a low-pass that begins at zero would take a while to know gravity."""
    for k in range(sections.shape[0]):
        memory[axis, k, 0] = (1.0 - sections[k, 0]) * y
        memory[axis, k, 1] = (sections[k, 2] - sections[k, 5]) * y


@kernel
def is_force(x: float, y: float, z: float) -> bool:
    """Return whether three figures are a specific force that a sensor may read, m/s²: what is none goes into no filter's memory."""
    return abs(x) <= MOST_M_S2 and abs(y) <= MOST_M_S2 and abs(z) <= MOST_M_S2


@kernel
def low_passed(
    sections: Array, memory: Array, is_first: bool, x: float, y: float, z: float
) -> tuple[float, float, float]:
    """Return three axes behind their filter; the first sample settles it, and what is no reading passes by."""
    if not is_force(x, y, z):
        return x, y, z
    if is_first:
        prime(sections, memory, 0, x)
        prime(sections, memory, 1, y)
        prime(sections, memory, 2, z)
    return filtered(sections, memory, 0, x), filtered(sections, memory, 1, y), filtered(sections, memory, 2, z)


@kernel
def through(sections: Array, values: Array, out: Array) -> None:
    """Write samples of three axes (N, 3), passed through all sections, to ``out``; they begin settled, and pass by where they are none."""
    memory = np.zeros((3, sections.shape[0], 2))
    runs = False
    for i in range(values.shape[0]):
        is_sample = is_force(values[i, 0], values[i, 1], values[i, 2])
        for axis in range(3):
            if not is_sample:
                out[i, axis] = values[i, axis]
                continue
            if not runs:
                prime(sections, memory, axis, values[i, axis])
            out[i, axis] = filtered(sections, memory, axis, values[i, axis])
        runs = runs or is_sample


class Sampled(NamedTuple):
    """One axis of the craft in steps of ``h`` s, ``parts`` of them a sample of the loop: torque over inertia rad/s², motor lag s and its
    decay in a step, delay from sample to motor in steps."""

    gain: float
    tau_s: float
    decay: float
    delay: int
    parts: int
    h: float


def sampled(plant: Plant, delay_s: float, rate_hz: float) -> Sampled:
    """Return an axis in steps as fine as its motors ask for."""
    parts, tau = parts_of(rate_hz), max(plant.motor_tau_s, 1e-6)
    h = 1.0 / rate_hz / parts
    return Sampled(plant.gain, tau, math.exp(-h / tau), max(0, round(delay_s / h)), parts, h)


@kernel
def advance_axis(p: Sampled, omega: float, motor: float, acts: float) -> tuple[float, float]:
    """Return rate and motor after a step of a command ``acts``: exact."""
    left = motor - acts
    return omega + p.gain * (acts * p.h + left * p.tau_s * (1.0 - p.decay)), acts + left * p.decay
