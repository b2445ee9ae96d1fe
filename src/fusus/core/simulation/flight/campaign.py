"""Many closed-loop flights of one scenario, each with its own craft, sensors and gusts."""

import math
from collections import Counter
from collections.abc import Sequence
from concurrent.futures import Executor
from dataclasses import dataclass, replace

import numpy as np

from fusus.core.mission.mission import Mission
from fusus.core.progress import Progress, Silent
from fusus.core.simulation.flight.craft import Craft, hover_share
from fusus.core.simulation.flight.figures import QUANTITIES, Figures, figures
from fusus.core.simulation.flight.fly import Controller, Flown, Setting, fly
from fusus.core.simulation.flight.scenarios import PlannedFlight, planned_flight
from fusus.core.simulation.flight.troubles import Troubles, by_hand, trouble_named
from fusus.core.workers import work_off


@dataclass(frozen=True, slots=True)
class FlightTask:
    """One flight: plain values, so that any worker can take it. ``as_drawn``: the craft is exactly the drawing; ``trouble``: what
    is wrong on purpose, by name."""

    scenario: str
    seed: int
    mission: Mission
    craft: Craft
    controller: Controller
    setting: Setting
    as_drawn: bool = False
    trouble: str | None = None


def planned_flight_of(task: FlightTask) -> PlannedFlight:
    """Return what is asked of a flight."""
    return planned_flight(task.scenario, task.mission, task.setting.site.gravity_m_s2, task.controller.rate_hz)


def fly_task(task: FlightTask) -> Flown:
    """Return a task's flight with all that it left."""
    course = planned_flight_of(task)
    motors = len(task.craft.mixer.motors)
    craft = replace(
        task.craft,
        weak_s=course.weak_s,
        slope_rad=course.slope_rad,
        weak=tuple(course.weak if i == 1 else 1.0 for i in range(motors)),
        charge=task.craft.charge * course.charge,
    )
    setting = replace(task.setting, around=replace(task.setting.around, outages=course.outages, steel=course.steel))
    troubles, plan = Troubles(), course.plan
    if task.trouble is not None:
        setting, troubles = _with_trouble(task, task.trouble, setting)
        plan = by_hand(plan, troubles)
    return fly(craft, task.controller, plan, setting, task.seed, task.as_drawn, troubles)


def _with_trouble(task: FlightTask, name: str, setting: Setting) -> tuple[Setting, Troubles]:
    """Return the setting that goes with a trouble, and the trouble."""
    gravity, frame, field = setting.site.gravity_m_s2, task.craft.frame, setting.site.field
    level = float(np.hypot(*field.vector_ut[:2])) if field is not None else 20.0
    found = trouble_named(name, task.seed, gravity, hover_share(task.craft, gravity) ** 2, frame.arm_m, level)
    around = replace(
        setting.around, vibration_acc_m_s2=setting.around.vibration_acc_m_s2 * found.shakes,
        vibration_gyro_rad_s=setting.around.vibration_gyro_rad_s * math.sqrt(found.shakes),
    )  # fmt: skip
    return replace(setting, around=around, wind_m_s=found.wind_m_s, gusty=True), found.troubles


def fly_figures(task: FlightTask) -> Figures:
    """Return the figures of a task's flight."""
    return figures(fly_task(task), task.seed)


def fly_all(
    tasks: Sequence[FlightTask], executor: Executor | None = None, progress: Progress | None = None
) -> tuple[Figures, ...]:
    """Return the figures of all flights in their order."""
    return tuple(work_off(fly_figures, tasks, executor, progress or Silent(), "Flying"))


@dataclass(frozen=True, slots=True)
class Spread:
    """A figure over all flights that have it: median, and what 95 % stay below."""

    median: float
    p95: float


@dataclass(frozen=True, slots=True)
class FlightSummary:
    """Over all flights: how many, how they ended, and the spread of figures by name (SI)."""

    flights: int
    ends: dict[str, int]
    spreads: dict[str, Spread]


NAMES = (
    "air_s", "tilt_rad", "held_rms_m", "held_max_m", "height_rms_m", "height_max_m", "saturated", "low_v", "mean_a", "charge_as", "lost_s",
    "lost_m",
)  # fmt: skip


def summarise_flights(found: Sequence[Figures]) -> FlightSummary:
    """Return the summary; figures that no flight has are left out. Of voltages what 95 % stay above."""
    columns = {name: [getattr(f, name) for f in found] for name in NAMES}
    columns |= {f"{q}_error": [f.rmse[q] for f in found] for q in QUANTITIES}
    spreads = {}
    for name, values in columns.items():
        known = np.array([v for v in values if np.isfinite(v)])
        if len(known):
            spreads[name] = Spread(
                float(np.median(known)), float(np.percentile(known, 5.0 if name == "low_v" else 95.0))
            )
    return FlightSummary(len(found), dict(Counter(f.end for f in found)), spreads)
