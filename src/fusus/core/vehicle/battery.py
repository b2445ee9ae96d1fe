"""The battery: voltage over charge, sag under load, and how long it lasts. Light to import: the brief shows it."""

import math
from dataclasses import dataclass

import numpy as np

from fusus.core.arrays import check_range

# A lithium cell at rest over the share of its charge that is left, V: usual values, common practice.
CHARGE = np.array([0.0, 0.05, 0.1, 0.2, 0.3, 0.5, 0.7, 0.85, 1.0])
REST_V = np.array([3.30, 3.52, 3.62, 3.70, 3.75, 3.83, 3.95, 4.06, 4.20])
# Thrusts are given at this voltage of a cell.
RATED_V = 3.7


@dataclass(frozen=True, slots=True)
class Battery:
    """Cells in series, capacity A s, resistance of a cell Ω, and the voltage of a cell under load at which one lands."""

    cells: float = 4.0
    capacity_as: float = 14400.0
    cell_ohm: float = 0.006
    stop_v: float = 3.5

    def __post_init__(self) -> None:
        check_range("Cells", self.cells, 1, 24, "")
        check_range("Capacity", self.capacity_as, 1.0, 1e6, "A s")
        check_range("Resistance of a cell", self.cell_ohm, 0.0, 1.0, "Ω")
        check_range("Stop voltage of a cell", self.stop_v, 2.5, 4.1, "V")


@dataclass(frozen=True, slots=True)
class Endurance:
    """Time in the air s, charge taken A s, mean current A, and voltages V at the first and the last moment under load."""

    seconds: float
    charge_as: float
    mean_a: float
    first_v: float
    last_v: float


def rest_voltage(battery: Battery, share: float) -> float:
    """Return the voltage of the whole battery without load at a share of its charge."""
    return battery.cells * float(np.interp(share, CHARGE, REST_V))


def current_a(rest_v: float, ohm: float, power_w: float) -> float:
    """Return the current that gives a power: the smaller root of (V - I R) I = P; at most what gives the most power, V / 2R."""
    if ohm <= 0.0:
        return power_w / rest_v
    root = rest_v * rest_v - 4.0 * ohm * power_w
    return (rest_v - math.sqrt(max(root, 0.0))) / (2.0 * ohm)


def endurance(battery: Battery, power_w: float, mean_a: float | None = None) -> Endurance:
    """Return how long a full battery lasts down to its stop voltage, at constant power or at a measured mean current.

    The voltage sinks as the charge does: the current that a power takes rises towards the end. Steps of a thousandth of the charge.
    """
    ohm = battery.cells * battery.cell_ohm
    step = battery.capacity_as / 1000.0
    time = taken = 0.0
    first = last = math.nan
    for k in range(1000):
        rest = rest_voltage(battery, 1.0 - (k + 0.5) / 1000.0)
        amps = current_a(rest, ohm, power_w) if mean_a is None else mean_a
        volts = rest - ohm * amps
        if volts < battery.cells * battery.stop_v:
            break
        first = volts if k == 0 else first
        last = volts
        time += step / amps
        taken += step
    return Endurance(time, taken, taken / time if time > 0 else math.nan, first, last)
