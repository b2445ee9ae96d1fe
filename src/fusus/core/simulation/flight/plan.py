"""What is asked of a flight: modes, sticks and a path over time, as a receiver or a mission hands them to the loops.

Arrays, where a function does not say otherwise (shape, unit, frame):

    rows : (R, 14) of the plan, any
    blank() : (R, 14) of the plan, any
    along() : (R, 14) of the plan, any
"""

from dataclasses import dataclass

import numpy as np

from fusus.core.arrays import Array
from fusus.core.control.cascade import PATH
from fusus.core.mission.motion import Waypoint, fly

PLAN_HZ = 50.0
# Columns of a plan: mode, motors on, sticks, throttle, then place, speed and heading of a path, and how old the radio's last packet is, s.
MODE, ON, ROLL, PITCH, YAW, THROTTLE, PATH_AT, RADIO_S = 0, 1, 2, 3, 4, 5, 6, 13
COLUMNS = 14


@dataclass(frozen=True, slots=True)
class Plan:
    """Rows (R, 14) at 50 Hz; ``extra`` (N, 3): rates added to the wanted ones at each loop, rad/s, empty for none; ``marks``: what
    begins when, s."""

    rows: Array
    extra: Array
    marks: tuple[tuple[float, str], ...]

    @property
    def seconds(self) -> float:
        """How long it lasts."""
        return len(self.rows) / PLAN_HZ


def blank(seconds: float) -> Array:
    """Return rows of a plan in which nothing is asked: motors off, sticks and throttle in their middles."""
    rows = np.zeros((round(seconds * PLAN_HZ), COLUMNS))
    rows[:, MODE], rows[:, THROTTLE] = PATH, 0.5
    return rows


def along(points: list[Waypoint], gravity_m_s2: float) -> Array:
    """Return rows that follow points with motors on, from the first point's time to the last one's."""
    motion = fly(points, PLAN_HZ, gravity_m_s2)
    n = len(motion.t_s) - 1
    rows = blank(n / PLAN_HZ)
    rows[:, ON] = 1.0
    rows[:, PATH_AT : PATH_AT + 3] = motion.pos_n[:n]
    rows[:, PATH_AT + 3 : PATH_AT + 6] = motion.vel_n[:n]
    t = np.array([p.t_s for p in points])
    rows[:, PATH_AT + 6] = np.interp(motion.t_s[:n], t, [p.yaw_rad for p in points])
    return rows


def part(rows: Array, start_s: float, end_s: float) -> slice:
    """Return the rows of a stretch of time."""
    return slice(round(start_s * PLAN_HZ), min(round(end_s * PLAN_HZ), len(rows)))
