"""The relay experiment: a loop that is switched to and fro swings at its ultimate period and shows its ultimate gain."""

import math
from dataclasses import dataclass

import numpy as np

from fusus.core._jit import kernel
from fusus.core.arrays import Array, check_range
from fusus.core.control.design import Ultimate
from fusus.core.control.elements import LowPass, Notch, Plant
from fusus.core.control.sections import Sampled, advance_axis, filtered, sampled, sections_of


@dataclass(frozen=True, slots=True)
class Relay:
    """What a relay of a size made of a loop: rate rad/s and command (N,) at times (N,) s, and what follows from the swing.

    ``found`` is None where it does not swing evenly. The gain is that of the relay's first harmonic, 4 d / (π a) (Åström & Hägglund
    1984): some 5 % off, more where the loop passes higher harmonics.
    """

    t_s: Array
    rate: Array
    command: Array
    found: Ultimate | None


def relay_experiment(
    plant: Plant,
    filters: tuple[LowPass | Notch, ...],
    delay_s: float,
    rate_hz: float,
    size: float = 0.1,
    seconds: float = 6.0,
) -> Relay:
    """Return the swing under a relay that gives ``size`` of a full command against the sign of the measured rate."""
    check_range("Relay", size, 1e-4, 1.0, "")
    p = sampled(plant, delay_s, rate_hz)
    n = round(seconds / p.h)
    rate, seen, command = np.zeros(n), np.zeros(n), np.zeros(n)
    _oscillate(sections_of(filters, rate_hz), p, size, rate, seen, command)
    t = np.asarray(np.arange(n) * p.h, dtype=np.float64)
    return Relay(t, rate, command, _read(t, seen, size))


def _read(t: Array, seen: Array, size: float) -> Ultimate | None:
    late = slice(len(t) // 2, None)
    y, times = seen[late], t[late]
    ups = np.flatnonzero((y[:-1] < 0.0) & (y[1:] >= 0.0))
    if len(ups) < 4:
        return None
    at = times[ups] - y[ups] * (times[ups + 1] - times[ups]) / (y[ups + 1] - y[ups])
    periods = np.diff(at)
    if periods.std() > 0.1 * periods.mean():
        return None
    omega = 2.0 * math.pi / float(periods.mean())
    whole = (times >= at[0]) & (times < at[-1])
    # The first harmonic alone: a gain is asked for at one frequency.
    first = 2.0 * float(abs(np.mean(y[whole] * np.exp(-1j * omega * times[whole]))))
    return Ultimate(4.0 * size / (math.pi * first), float(periods.mean())) if first > 0.0 else None


@kernel
def _oscillate(sections: Array, p: Sampled, size: float, rate: Array, seen: Array, command: Array) -> None:
    """Fill rate, what the relay sees of it, and what it commands."""
    memory = np.zeros((1, sections.shape[0], 2))
    omega = motor = 0.0
    y, u = 0.0, size
    for i in range(rate.shape[0]):
        if i % p.parts == 0:
            y = filtered(sections, memory, 0, omega)
            u = -size if y > 0.0 else size if y < 0.0 else u
        command[i], seen[i], rate[i] = u, y, omega
        acts = command[i - p.delay] if i >= p.delay else 0.0
        omega, motor = advance_axis(p, omega, motor, acts)
