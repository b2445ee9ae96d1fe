"""Scenarios to fly by simulation: each a motion with its surroundings, made from a mission. All of it is invented."""

import math
from collections.abc import Callable
from dataclasses import dataclass

from fusus.core.mission.mission import Mission
from fusus.core.mission.motion import Air, Motion, Waypoint, fly
from fusus.core.mission.trajectory import waypoints
from fusus.core.simulation.kinds import KINDS
from fusus.core.simulation.scenario import Conditions, Disturbance

YAW = 0.3  # rad, of the legs: into the wind


@dataclass(frozen=True, slots=True)
class Flight:
    """A simulated flight: what moves how, around what."""

    name: str
    motion: Motion
    rate_hz: float
    around: Conditions


@dataclass(frozen=True, slots=True)
class Scenario:
    """A kind of flight: its name, what it is for, and its points with its surroundings."""

    name: str
    about: str
    make: Callable[[Mission], tuple[list[Waypoint], Conditions]]

    def flight(self, mission: Mission, gravity_m_s2: float, rate_hz: float = 500.0) -> Flight:
        """Return the flight of a mission's craft in its wind."""
        points, around = self.make(mission)
        air = Air(wind_n_m_s=-mission.wind_m_s * math.cos(YAW), wind_e_m_s=-mission.wind_m_s * math.sin(YAW))
        return Flight(self.name, fly(points, rate_hz, gravity_m_s2, air), rate_hz, around)


def _around(
    m: Mission, outages: tuple[tuple[float, float], ...] = (), steel: tuple[Disturbance, ...] = ()
) -> Conditions:
    return Conditions(
        outages, steel, vibration_acc_m_s2=m.vibration_acc_m_s2, vibration_gyro_rad_s=m.vibration_gyro_rad_s,
        warming_k=m.warming_k, hover_current_a=m.hover_current_a,
    )  # fmt: skip


def _mission(m: Mission) -> tuple[list[Waypoint], Conditions]:
    points, phases = waypoints(m)
    outages = tuple((p.start_s, p.end_s - p.start_s) for p in phases if p.name == "outage")
    steel: tuple[Disturbance, ...] = ()
    if m.steel_ut > 0:
        # In the middle of the way back: where the points before and after it lie.
        middle = next(0.5 * (p.start_s + p.end_s) for p in phases if p.name == "steel")
        after = next(i for i, p in enumerate(points) if p.t_s >= middle)
        a, b = points[after - 1], points[after]
        share = m.steel_ut / math.sqrt(2)
        steel = (
            Disturbance(
                0.5 * (a.north_m + b.north_m),
                0.5 * (a.east_m + b.east_m),
                m.height_m,
                max(2.0, 0.4 * m.speed_m_s),
                (share, share, 0.0),
            ),
        )
    return points, _around(m, outages, steel)


def _start(m: Mission) -> tuple[list[Waypoint], float]:
    climb = max(4.0, m.height_m)
    return [
        Waypoint(0, 0, 0, 0, YAW),
        Waypoint(10, 0, 0, 0, YAW),
        Waypoint(10 + climb, 0, 0, m.height_m, YAW),
    ], 10 + climb


def _land(points: list[Waypoint], t: float, m: Mission, yaw: float) -> list[Waypoint]:
    down = max(4.0, m.height_m) + 2
    end = math.ceil(t + down + 3)
    return [*points, Waypoint(t + down, 0, 0, 0, yaw), Waypoint(end, 0, 0, 0, yaw)]


def _hover(m: Mission) -> tuple[list[Waypoint], Conditions]:
    points, t = _start(m)
    for k in range(int(max(m.hover_s, 60.0) / 3.0)):
        t += 3.0
        points.append(
            Waypoint(
                t,
                0.3 * math.sin(1.3 * k),
                0.3 * math.cos(1.7 * k),
                m.height_m + 0.1 * math.sin(2.1 * k),
                YAW,
                holds=False,
            )
        )
    points.append(Waypoint(t + 3, 0, 0, m.height_m, YAW))
    return _land(points, t + 3, m, YAW), _around(m)


def _lanes(m: Mission) -> tuple[list[Waypoint], float]:
    points, t = _start(m)
    length = 9.0 * m.speed_m_s
    for lane in range(4):
        ahead = lane % 2 == 0
        yaw = YAW if ahead else YAW + math.pi
        reach = length if ahead else 0.0
        aside = 4.0 * lane
        last = points[-1]
        points.append(Waypoint(t + 3.0, last.north_m, last.east_m, m.height_m, yaw))
        t += 3.0
        points.append(
            Waypoint(
                t + 14.0, reach * math.cos(YAW) - aside * math.sin(YAW), reach * math.sin(YAW) + aside * math.cos(YAW),
                m.height_m, yaw,
            )
        )  # fmt: skip
        t += 14.0
    points += [
        Waypoint(t + 3, points[-1].north_m, points[-1].east_m, m.height_m, YAW),
        Waypoint(t + 15, 0, 0, m.height_m, YAW),
    ]
    return points, t + 15


def _transit(m: Mission) -> tuple[list[Waypoint], Conditions]:
    points, t = _lanes(m)
    return _land(points, t, m, YAW), _around(m)


def _outage(m: Mission) -> tuple[list[Waypoint], Conditions]:
    points, t = _lanes(m)
    length = max(m.outage_s, 8.0)
    return _land(points, t, m, YAW), _around(m, ((35.0, length), (35.0 + length + 20.0, length)))


def _turns(m: Mission) -> tuple[list[Waypoint], Conditions]:
    points, t = _start(m)
    radius = max(3.0, m.speed_m_s)
    turn = 2 * math.pi * radius / m.speed_m_s * 1.5
    for k in range(1, 25):
        a = 2 * math.pi * k / 8
        x, y = radius * math.sin(a), radius * (1 - math.cos(a))
        t += turn / 8 + (2.0 if k == 1 else 0.0)
        points.append(
            Waypoint(
                t,
                x * math.cos(YAW) - y * math.sin(YAW),
                x * math.sin(YAW) + y * math.cos(YAW),
                m.height_m,
                YAW + a,
                holds=False,
            )
        )
    yaw = YAW + 6 * math.pi
    points.append(Waypoint(t + 5, 0, 0, m.height_m, yaw))
    return _land(points, t + 5, m, yaw), _around(m)


MAKERS: dict[str, Callable[[Mission], tuple[list[Waypoint], Conditions]]] = {
    "mission": _mission, "hover": _hover, "transit": _transit, "turns": _turns, "outage": _outage,
}  # fmt: skip
SCENARIOS = tuple(Scenario(name, about, MAKERS[name]) for name, about in KINDS.items())


def scenario_named(name: str) -> Scenario:
    """Return a scenario; KeyError names those that exist."""
    for scenario in SCENARIOS:
        if scenario.name == name:
            return scenario
    raise KeyError(f"{name} is none of {', '.join(s.name for s in SCENARIOS)}")
