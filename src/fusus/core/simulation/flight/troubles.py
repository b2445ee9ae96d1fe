"""Flights that drift on purpose: one thing is wrong, its size drawn by the seed. To practise on, and to test what names causes.

Arrays, where a function does not say otherwise (shape, unit, frame):

    t_s : (N,) s, any
"""

import math
from dataclasses import dataclass, replace

import numpy as np

from fusus.core.arrays import Array
from fusus.core.control.cascade import PATH
from fusus.core.simulation.flight.craft import Craft
from fusus.core.simulation.flight.plan import MODE, PITCH, ROLL, Plan
from fusus.core.simulation.flight.sensing import DrawnSensors
from fusus.core.simulation.kinds import TROUBLES

Pair = tuple[float, float]
Triple = tuple[float, float, float]
# A bias that was not there on the bench comes up to so many seconds after the motors start.
ARISES_S, WITHIN_S = 4.0, 5.0
# These show in a craft that holds its place.
HOLDING = ("magnetometer", "airflow", "multipath")


@dataclass(frozen=True, slots=True)
class Troubles:
    """What is wrong with a flight: added to accelerometer m/s², gyro rad/s (arising in flight) and magnetometer µT; airflow Pa per
    (m/s)²; how far, m north and east, fixes are dragged away and back, from when and for how long, s; sticks' centres; factor of
    the mass; centre of gravity forward and right, m."""

    acc_b: Triple = (0.0, 0.0, 0.0)
    gyro_b: Triple = (0.0, 0.0, 0.0)
    hard_ut: Triple = (0.0, 0.0, 0.0)
    airflow_pa: float = 0.0
    dragged_m: Pair = (0.0, 0.0)
    dragged_s: Pair = (0.0, 1.0)
    stick: Pair = (0.0, 0.0)
    mass: float = 1.0
    centre_m: Pair = (0.0, 0.0)


@dataclass(frozen=True, slots=True)
class Troubled:
    """A flight's troubles with what surrounds it: mean wind m/s, and by how much more it shakes."""

    troubles: Troubles
    wind_m_s: float
    shakes: float = 1.0


def trouble_named(
    name: str, seed: int, gravity_m_s2: float, hover_thrust: float, arm_m: float, level_ut: float
) -> Troubled:
    """Return a trouble of a size that makers meet, drawn by the seed; KeyError names those that exist.

    ``hover_thrust``: share of full thrust in the hover; ``arm_m`` of the craft; ``level_ut``: horizontal part of the field.
    """
    if name not in TROUBLES:
        raise KeyError(f"{name} is none of {', '.join(TROUBLES)}")
    rng = np.random.default_rng([seed, list(TROUBLES).index(name)])
    angle, size = rng.uniform(0.0, 2.0 * math.pi), rng.uniform(0.0, 1.0)
    north, east = math.cos(angle), math.sin(angle)
    calm = rng.uniform(0.0, 0.6)

    def between(low: float, high: float) -> float:
        return low + size * (high - low)

    if name == "level":
        push = gravity_m_s2 * math.sin(math.radians(between(1.5, 4.0)))
        return Troubled(Troubles(acc_b=(push * north, push * east, 0.0)), calm)
    if name == "sticks":
        off = between(0.06, 0.14)
        return Troubled(Troubles(stick=(off * north, off * east)), calm)
    if name == "gyro":
        rate = math.radians(between(0.25, 0.9))
        return Troubled(Troubles(gyro_b=(rate * north, rate * east, 0.3 * rate)), calm)
    if name == "magnetometer":
        off, side = between(0.7, 1.3) * level_ut, 1.0 if east > 0 else -1.0
        return Troubled(Troubles(hard_ut=(-0.3 * off, side * off, 0.2 * off)), calm + 1.0)
    if name == "wind":
        return Troubled(Troubles(), between(3.5, 8.0))
    if name == "airflow":
        return Troubled(Troubles(airflow_pa=between(0.4, 1.0)), rng.uniform(4.0, 6.0))
    if name == "centre":
        off = between(0.1, 0.2) * arm_m
        return Troubled(Troubles(centre_m=(off * north, off * east)), calm)
    if name == "saturation":
        return Troubled(Troubles(mass=between(0.96, 1.0) / hover_thrust), calm + 0.4)
    if name == "vibration":
        return Troubled(Troubles(), calm, between(4.0, 8.0))
    reach = between(5.0, 12.0)
    return Troubled(Troubles(dragged_m=(reach * north, reach * east), dragged_s=(10.0, rng.uniform(14.0, 22.0))), calm)


def spoiled(drawn: DrawnSensors, t_s: Array, troubles: Troubles) -> DrawnSensors:
    """Return the sensors of a flight with its troubles in them."""
    rises = np.clip((t_s - ARISES_S) / WITHIN_S, 0.0, 1.0)[:, None]
    sensors = drawn.sensors
    slow = sensors.slow
    fixes_s = t_s[np.minimum(slow.gnss_at, len(t_s) - 1)]
    begins, lasts = troubles.dragged_s
    # Away and back again: the reflections of one wall come and go.
    share = np.clip((fixes_s - begins) / lasts, 0.0, 1.0)
    dragged = slow.gnss_pos.copy()
    dragged[:, :2] += np.outer(np.sin(math.pi * share) ** 2, troubles.dragged_m)
    worse = sensors._replace(
        gyro_added=sensors.gyro_added + rises * np.array(troubles.gyro_b),
        acc_added=sensors.acc_added + np.array(troubles.acc_b),
        slow=slow._replace(
            hard=slow.hard + np.array(troubles.hard_ut), airflow_pa=slow.airflow_pa + troubles.airflow_pa, gnss_pos=dragged
        ),
    )  # fmt: skip
    return replace(drawn, sensors=worse)


def by_hand(plan: Plan, troubles: Troubles) -> Plan:
    """Return the plan with sticks whose centres have shifted, where they are flown by."""
    rows = plan.rows.copy()
    flown = rows[:, MODE] != PATH
    rows[flown, ROLL] += troubles.stick[0]
    rows[flown, PITCH] += troubles.stick[1]
    return replace(plan, rows=rows)


def built(craft: Craft, troubles: Troubles) -> Craft:
    """Return the craft as it truly is with its troubles."""
    forward, right = craft.centre_m
    return replace(
        craft, mass=craft.mass * troubles.mass, centre_m=(forward + troubles.centre_m[0], right + troubles.centre_m[1])
    )
