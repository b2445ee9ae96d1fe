"""Motors and what they take from the battery, compiled: thrust goes with the square of the speed, the speed follows late.

Arrays, where a function does not say otherwise (shape, unit, frame):

    charge : (K,) 1, any
    volts : (K,) V, any
    effect : (4, M) N and N m, b
    speed : (M,) share of full speed, any
    wanted : (M,) share of full speed, any
"""

import math
from typing import NamedTuple

from fusus.core._jit import kernel
from fusus.core.arrays import Array


class Power(NamedTuple):
    """Compiled form of what takes current: power of all motors at full thrust W, of what else is on board W; resistance Ω, capacity
    A s, cells and the voltage of a cell at which thrusts are given."""

    full_w: float
    other_w: float
    ohm: float
    capacity_as: float
    cells: float
    rated_v: float


@kernel
def rest_cell_v(charge: Array, volts: Array, share: float) -> float:
    """Return a cell's voltage at rest at a share of its charge, from a table."""
    i = 0
    while i < charge.shape[0] - 2 and charge[i + 1] < share:
        i += 1
    part = (share - charge[i]) / (charge[i + 1] - charge[i])
    return float(volts[i] + part * (volts[i + 1] - volts[i]))


@kernel
def drained(d: Power, rest_v: float, cubes: float) -> tuple[float, float]:
    """Return voltage V and current A at a rest voltage; ``cubes``: mean cube of the motors' shares of full speed, as power goes."""
    power = d.other_w + d.full_w * cubes
    if d.ohm > 0.0:
        amps = (rest_v - math.sqrt(max(rest_v * rest_v - 4.0 * d.ohm * power, 0.0))) / (2.0 * d.ohm)
    else:
        amps = power / rest_v
    return rest_v - d.ohm * amps, amps


@kernel
def rotor_wrench(effect: Array, speed: Array) -> tuple[float, float, float, float]:
    """Return thrust N and torques N m of motors at their shares of full speed (M,); ``effect`` (4, M) of full motors."""
    a, b, c, d = 0.0, 0.0, 0.0, 0.0
    for k in range(speed.shape[0]):
        share = speed[k] * speed[k]
        a += effect[0, k] * share
        b += effect[1, k] * share
        c += effect[2, k] * share
        d += effect[3, k] * share
    return a, b, c, d


@kernel
def spun(speed: Array, wanted: Array, decay: float) -> None:
    """Step the speeds (M,) over a time whose exp(-t/τ) is ``decay``: exact for a constant command."""
    for k in range(speed.shape[0]):
        speed[k] = wanted[k] + (speed[k] - wanted[k]) * decay
