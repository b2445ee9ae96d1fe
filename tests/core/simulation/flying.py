"""A craft, its controller and a setting for the tests of closed-loop flight."""

import math
from dataclasses import replace
from datetime import date

from fusus.core.control.arming import ArmingRules
from fusus.core.control.design import design
from fusus.core.control.elements import Delay, LowPass, Plant
from fusus.core.control.outer import Handling, RateLoop, cascade_of
from fusus.core.control.pid import Gains
from fusus.core.control.sections import sections_of
from fusus.core.estimation.catalogue import info_for
from fusus.core.mission.mission import Mission
from fusus.core.simulation.flight.campaign import FlightTask
from fusus.core.simulation.flight.craft import Craft
from fusus.core.simulation.flight.fly import Controller, Setting
from fusus.core.simulation.scenario import Conditions, Suite
from fusus.core.vehicle.airframe import AXES, Airframe, inertia
from fusus.core.vehicle.battery import Battery
from fusus.core.vehicle.mixer import mixer_of
from fusus.core.world.site import site_at

RATE, LATE_S, LAG_S = 500.0, 0.003, 0.05
SITE = site_at(50.0, 0.0, 10.0, date(2026, 6, 1))
MISSION = Mission(hover_s=10.0, outage_s=8.0, wind_m_s=4.0)


def frame_of(layout="X-quad", mass_kg=1.35, **more):
    return Airframe(layout, mass_kg, 0.21, **more)


def task_of(
    scenario="take-off", seed=1, estimator="navigation-ekf", frame=None, crossover_hz=5.0, parameters=None, as_drawn=True, suite=None,
    gains=None, rules=None, wind_m_s=4.0,
):  # fmt: skip
    """Return one flight: rate loops designed for the frame, outer loops by them."""
    frame = frame or frame_of()
    mixer, filters = mixer_of(frame), (LowPass("gyro low-pass", 90.0, 2),)
    loops = []
    for name, torque, moment in zip(AXES, mixer.authority_nm, inertia(frame), strict=True):
        plant = Plant(name, torque, moment, LAG_S)
        hz = 2.0 if name == "yaw" else crossover_hz
        c = design((plant, *filters, Delay("delays", LATE_S + 0.5 / RATE)), hz, 1.0, 60.0, name).controller
        p, i, d = gains if gains is not None and name != "yaw" else (c.kp, c.ki, c.kd)
        loops.append(RateLoop(Gains(p, i, d, 2 * math.pi * 60, -1.0, 1.0, 0.0), 2 * math.pi * hz, torque, plant.gain))
    gravity = SITE.gravity_m_s2
    full = max(float(mixer.effect[0].sum()), 1.05 * frame.mass_kg * gravity)
    cascade = cascade_of(tuple(loops), Handling(), LAG_S + LATE_S, frame.mass_kg, gravity, full)
    controller = Controller(
        RATE, LATE_S, cascade, sections_of(filters, RATE), estimator, parameters or info_for(estimator).parameters(),
        rules or ArmingRules(), 6.0,
    )  # fmt: skip
    setting = Setting(SITE, (50.0, 0.0, 10.0), 1.22, wind_m_s, wind_m_s > 0, 3.0, Conditions(), suite or Suite())
    return FlightTask(scenario, seed, MISSION, Craft(frame, mixer, LAG_S, Battery()), controller, setting, as_drawn)


def with_seeds(task, seeds):
    """Return the task once for each seed."""
    return [replace(task, seed=s) for s in seeds]
