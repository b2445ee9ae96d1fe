"""Scenarios of closed-loop flight, made from a mission: what is asked when, and what goes wrong. All of it is invented."""

import math
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import lru_cache

import numpy as np

from fusus.core.arrays import Array
from fusus.core.control.cascade import HEIGHT, HOME, LEVEL, MIXED, PLACE, RATE
from fusus.core.mission.mission import Mission
from fusus.core.mission.motion import Waypoint
from fusus.core.simulation.flight.plan import (
    MODE,
    ON,
    PATH_AT,
    PITCH,
    PLAN_HZ,
    RADIO_S,
    ROLL,
    THROTTLE,
    Plan,
    along,
    blank,
    part,
)
from fusus.core.simulation.kinds import FLIGHTS
from fusus.core.simulation.scenario import Disturbance

YAW = 0.3  # rad, of the legs: into the wind
ON_S, OFF_S = 3.0, 4.0  # motors on, and off the ground
BELOW_M, SINKS_M_S = 1.0, 0.4  # asked for on the ground and for landing
WEAK = 0.75
SLOPE_RAD = math.radians(30.0)
# Sweeps: from and to, over so long on each axis, so many rad/s.
SWEEP_HZ, SWEEP_S, SWEEP_RAD_S = (0.4, 40.0), 16.0, 0.5


@dataclass(frozen=True, slots=True)
class PlannedFlight:
    """A plan with what happens on the way: outages (start, duration) s, steel, the moment a motor weakens s and what is left of its
    thrust, slope of the ground rad, the charge it begins with, whether the craft is meant to fly at all, and the moment something
    fails, s (NaN: nothing that a failsafe is for)."""

    plan: Plan
    outages: tuple[tuple[float, float], ...] = ()
    steel: tuple[Disturbance, ...] = field(default=())
    weak_s: float = 1e9
    weak: float = WEAK
    slope_rad: float = 0.0
    charge: float = 1.0
    flies: bool = True
    fails_s: float = math.nan


@lru_cache(maxsize=16)
def planned_flight(name: str, mission: Mission, gravity_m_s2: float, rate_hz: float) -> PlannedFlight:
    """Return the course of a scenario, the same for all flights of a campaign; KeyError names those that exist."""
    if name not in FLIGHTS:
        raise KeyError(f"{name} is none of {', '.join(FLIGHTS)}")
    return MAKERS[name](mission, gravity_m_s2, rate_hz)


def _up(height: float) -> list[Waypoint]:
    return [Waypoint(OFF_S, 0, 0, 0, YAW), Waypoint(OFF_S + max(3.0, height / 1.2), 0, 0, height, YAW)]


def _down(points: list[Waypoint]) -> list[Waypoint]:
    last = points[-1]
    return [*points, Waypoint(last.t_s + max(4.0, last.height_m), last.north_m, last.east_m, 0.0, last.yaw_rad)]


def _rows(points: list[Waypoint], gravity: float, lands: bool = True) -> Array:
    """Return rows from standing with motors off through points; then sinking until it stands."""
    before = blank(OFF_S)
    before[part(before, ON_S, OFF_S), ON] = 1.0
    # What is asked for on the ground lies below it: the motors idle.
    before[:, PATH_AT + 2], before[:, PATH_AT + 6] = BELOW_M, YAW
    rows = [before, along(points, gravity)]
    if lands:
        after = blank(4.0)
        after[:, ON] = 1.0
        after[:, PATH_AT], after[:, PATH_AT + 1] = points[-1].north_m, points[-1].east_m
        after[:, PATH_AT + 2], after[:, PATH_AT + 5], after[:, PATH_AT + 6] = BELOW_M, SINKS_M_S, points[-1].yaw_rad
        rows.append(after)
    return np.concatenate(rows)


def _plan(rows: Array, *marks: tuple[float, str], extra: Array | None = None) -> Plan:
    return Plan(rows, np.empty((0, 3)) if extra is None else extra, marks)


def _hover_rows(m: Mission, gravity: float, seconds: float, height: float | None = None) -> tuple[Array, float]:
    """Return rows of a hover with take-off and landing, and when it begins."""
    points = _up(m.height_m if height is None else height)
    begins = points[-1].t_s
    points.append(Waypoint(begins + seconds, 0, 0, points[-1].height_m, YAW))
    return _rows(_down(points), gravity), begins


def _take_off(m: Mission, gravity: float, _rate: float) -> PlannedFlight:
    rows, begins = _hover_rows(m, gravity, 10.0)
    return PlannedFlight(_plan(rows, (OFF_S, "take-off"), (begins, "hover"), (begins + 10.0, "landing")))


def _hover_wind(m: Mission, gravity: float, _rate: float) -> PlannedFlight:
    rows, begins = _hover_rows(m, gravity, 30.0)
    return PlannedFlight(_plan(rows, (begins, "hover"), (begins + 30.0, "landing")))


def _held(mode: int) -> Callable[[Mission, float, float], PlannedFlight]:
    """Return the maker of half a minute in a mode with sticks let go."""

    def make(m: Mission, gravity: float, _rate: float) -> PlannedFlight:
        rows, begins = _hover_rows(m, gravity, 42.0, max(m.height_m, 4.0))
        begins, ends = begins + 1.0, begins + 31.0
        rows[part(rows, begins, ends), MODE] = mode
        return PlannedFlight(_plan(rows, (begins, "sticks let go"), (ends, "back to its place")))

    return make


def _step(m: Mission, gravity: float, _rate: float) -> PlannedFlight:
    rows, begins = _hover_rows(m, gravity, 20.0, max(m.height_m, 8.0))
    t = begins + 1.0
    rows[part(rows, t, begins + 16.0), MODE] = HEIGHT
    for column in (ROLL, PITCH):
        for sign in (1.0, -1.0, -1.0, 1.0):
            t += 0.6
            rows[part(rows, t, t + 0.8), column] = 0.8 * sign
            t += 0.8
        t += 0.8
    return PlannedFlight(_plan(rows, (begins + 1.0, "steps of roll, then pitch"), (begins + 16.0, "back to its place")))


def _stick_modes(m: Mission, gravity: float, _rate: float) -> PlannedFlight:
    rows, begins = _hover_rows(m, gravity, 20.0, max(m.height_m, 15.0))
    level, mixed, end = begins + 1.0, begins + 5.0, begins + 8.0
    rows[part(rows, level, mixed), MODE] = LEVEL
    rows[part(rows, mixed, end), MODE] = MIXED
    # By hand: a battery that is nearly full gives more than the throttle's middle promises.
    rows[part(rows, level, end), THROTTLE] = 0.43
    for at, sign in ((level + 0.5, 1.0), (level + 1.3, -1.0), (mixed + 0.5, 1.0), (mixed + 1.3, -1.0)):
        rows[part(rows, at, at + 0.8), PITCH] = 0.5 * sign
    # At the end of its stick mixed mode goes over, and let go it levels itself.
    rows[part(rows, mixed + 2.2, mixed + 2.5), ROLL] = 1.0
    return PlannedFlight(_plan(rows, (level, "self-level"), (mixed, "mixed"), (end, "back to its place")))


def _flip(m: Mission, gravity: float, _rate: float) -> PlannedFlight:
    rows, begins = _hover_rows(m, gravity, 16.0, 18.0)
    t = begins + 2.0
    rows[part(rows, t, t + 0.6), MODE] = HEIGHT
    rows[part(rows, t, t + 0.6), THROTTLE] = 1.0
    turns = slice(round((t + 0.6) * PLAN_HZ), round((t + 1.6) * PLAN_HZ))
    rows[turns, MODE], rows[turns, ROLL], rows[turns, THROTTLE] = RATE, 1.0, 0.35
    level = part(rows, t + 1.6, t + 5.0)
    rows[level, MODE] = HEIGHT
    return PlannedFlight(_plan(rows, (t + 0.6, "flip"), (t + 1.6, "level")))


def _crossing(m: Mission, gravity: float, _rate: float) -> PlannedFlight:
    points = _up(m.height_m)
    begins = points[-1].t_s + 3.0
    points.append(Waypoint(begins, 0, 0, m.height_m, YAW))
    leg = 14.0
    reach = m.speed_m_s * (leg - 5.0)
    north, east = reach * math.cos(YAW), reach * math.sin(YAW)
    points.append(Waypoint(begins + leg, north, east, m.height_m, YAW))
    points.append(Waypoint(begins + leg + 3.0, north, east, m.height_m, YAW))
    points.append(Waypoint(begins + 2 * leg + 3.0, 0, 0, m.height_m, YAW))
    points.append(Waypoint(begins + 2 * leg + 6.0, 0, 0, m.height_m, YAW))
    middle = begins + 0.5 * leg
    share = m.steel_ut / math.sqrt(2)
    steel = (
        Disturbance(0.5 * north, 0.5 * east, m.height_m, max(2.0, 0.4 * m.speed_m_s), (share, share, 0.0)),
    ) if m.steel_ut > 0 else ()  # fmt: skip
    start = middle - 0.5 * m.outage_s
    return PlannedFlight(
        _plan(_rows(_down(points), gravity), (begins, "there"), (start, "no fixes"), (begins + leg + 3.0, "back")),
        ((start, m.outage_s),) if m.outage_s > 0 else (), steel,
    )  # fmt: skip


def _gnss_loss(m: Mission, gravity: float, _rate: float) -> PlannedFlight:
    rows, begins = _hover_rows(m, gravity, 40.0, max(m.height_m, 6.0))
    holds = part(rows, begins + 1.0, begins + 60.0)
    rows[holds, MODE] = PLACE
    lost = begins + 8.0
    # In the end the pilot brings it down by hand.
    rows[part(rows, begins + 34.0, begins + 60.0), THROTTLE] = 0.2
    return PlannedFlight(_plan(rows, (lost, "fixes stop"), (begins + 34.0, "brought down")), ((lost, 1e6),))


def _weak_motor(m: Mission, gravity: float, _rate: float) -> PlannedFlight:
    rows, begins = _hover_rows(m, gravity, 20.0, max(m.height_m, 5.0))
    return PlannedFlight(_plan(rows, (begins + 6.0, "a motor weakens")), weak_s=begins + 6.0)


def _return(m: Mission, gravity: float, _rate: float) -> PlannedFlight:
    points = _up(m.height_m)
    begins = points[-1].t_s
    reach = 5.0 * m.speed_m_s
    points.append(Waypoint(begins + 10.0, reach * math.cos(YAW), reach * math.sin(YAW), m.height_m, YAW))
    points.append(Waypoint(begins + 12.0, reach * math.cos(YAW), reach * math.sin(YAW), m.height_m, YAW))
    rows = _rows(points, gravity, lands=False)
    home = blank(20.0 + reach / max(m.speed_m_s, 1.0) + 2.0 * max(m.height_m, 5.0) / 0.6)
    home[:, MODE], home[:, ON] = HOME, 1.0
    return PlannedFlight(_plan(np.concatenate([rows, home]), (begins, "out"), (begins + 12.0, "home")))


def _sweep(m: Mission, gravity: float, rate: float) -> PlannedFlight:
    rows, begins = _hover_rows(m, gravity, 3 * SWEEP_S + 6.0, max(m.height_m, 8.0))
    extra = np.zeros((round(len(rows) / PLAN_HZ * rate), 3))
    t = np.arange(round(SWEEP_S * rate)) / rate
    low, high = SWEEP_HZ
    growth = math.log(high / low) / SWEEP_S
    # Frequencies grow by the same factor in each second; the ends are faded in and out.
    phase = 2.0 * math.pi * low / growth * np.expm1(growth * t)
    fade = np.clip(np.minimum(t, SWEEP_S - t) / 0.5, 0.0, 1.0)
    marks = []
    for axis, name in enumerate(("roll", "pitch", "yaw")):
        first = begins + 2.0 + axis * (SWEEP_S + 1.0)
        extra[round(first * rate) : round(first * rate) + len(t), axis] = SWEEP_RAD_S * fade * np.sin(phase)
        marks.append((first, f"sweep of {name}"))
    return PlannedFlight(_plan(rows, *marks, extra=extra))


def _arming_tilted(_m: Mission, _gravity: float, _rate: float) -> PlannedFlight:
    rows = blank(8.0)
    rows[part(rows, ON_S, 8.0), ON] = 1.0
    rows[:, PATH_AT + 2] = BELOW_M
    return PlannedFlight(_plan(rows, (ON_S, "asked to start")), slope_rad=SLOPE_RAD, flies=False)


def _led_away(m: Mission, gravity: float, seconds: float, stick: float = 0.0) -> tuple[Array, float]:
    """Return rows of holding a place for so long after it has been reached, a stick held from two seconds on; and when that is."""
    rows, begins = _hover_rows(m, gravity, seconds, min(max(m.height_m, 5.0), 12.0))
    rows[part(rows, begins + 1.0, 1e6), MODE] = PLACE
    # What the receiver told last stays.
    rows[part(rows, begins + 2.0, 1e6), PITCH] = -stick
    return rows, begins


def _silent_from(rows: Array, lost_s: float) -> None:
    """Let the radio's last packet grow old from a moment on."""
    rows[:, RADIO_S] = np.maximum(np.arange(len(rows)) / PLAN_HZ - lost_s, 0.0)


def _radio_loss(m: Mission, gravity: float, _rate: float) -> PlannedFlight:
    rows, begins = _led_away(m, gravity, 75.0, 0.5)
    lost = begins + 5.0
    _silent_from(rows, lost)
    return PlannedFlight(_plan(rows, (lost, "radio silent")), fails_s=lost)


def _radio_and_fixes(m: Mission, gravity: float, _rate: float) -> PlannedFlight:
    rows, begins = _led_away(m, gravity, 75.0, 0.5)
    lost = begins + 5.0
    _silent_from(rows, lost)
    return PlannedFlight(_plan(rows, (lost, "radio and fixes silent")), ((lost, 1e6),), fails_s=lost)


def _radio_on_ground(_m: Mission, _gravity: float, _rate: float) -> PlannedFlight:
    rows = blank(12.0)
    rows[part(rows, ON_S, 12.0), ON] = 1.0
    rows[:, PATH_AT + 2] = BELOW_M
    _silent_from(rows, ON_S + 2.0)
    return PlannedFlight(_plan(rows, (ON_S + 2.0, "radio silent")), flies=False, fails_s=ON_S + 2.0)


def _battery_empty(m: Mission, gravity: float, _rate: float) -> PlannedFlight:
    rows, begins = _led_away(m, gravity, 200.0)
    return PlannedFlight(_plan(rows), charge=0.12, fails_s=begins)


def _motor_lost(m: Mission, gravity: float, _rate: float) -> PlannedFlight:
    rows, begins = _led_away(m, gravity, 12.0)
    lost = begins + 4.0
    return PlannedFlight(_plan(rows, (lost, "a motor gives nothing")), weak_s=lost, weak=0.0, fails_s=lost)


MAKERS: dict[str, Callable[[Mission, float, float], PlannedFlight]] = {
    "take-off": _take_off, "hover-wind": _hover_wind, "hover-level": _held(HEIGHT), "hover-hold": _held(PLACE), "step": _step,
    "stick-modes": _stick_modes, "flip": _flip, "crossing": _crossing, "gnss-loss": _gnss_loss,
    "weak-motor": _weak_motor, "return": _return, "sweep": _sweep, "arming-tilted": _arming_tilted,
    "radio-loss": _radio_loss, "radio-and-fixes": _radio_and_fixes, "radio-on-ground": _radio_on_ground,
    "battery-empty": _battery_empty, "motor-lost": _motor_lost,
}  # fmt: skip
