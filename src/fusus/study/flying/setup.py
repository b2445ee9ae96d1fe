"""From a project to what flies: craft, flight controller, setting."""

import math
from dataclasses import replace

from fusus.core.control.arming import ArmingRules
from fusus.core.control.cascade import Cascade
from fusus.core.control.failsafe import FailsafeRules
from fusus.core.control.failsafe_rules import Chosen, rules_of
from fusus.core.control.outer import Handling, RateLoop, cascade_of
from fusus.core.control.pid import Gains
from fusus.core.control.sections import sections_of
from fusus.core.simulation.flight.campaign import FlightTask
from fusus.core.simulation.flight.craft import Craft
from fusus.core.simulation.flight.fly import KINDS, Controller, Setting
from fusus.core.simulation.flight.scenarios import planned_flight
from fusus.core.simulation.kinds import TROUBLES
from fusus.core.simulation.scenario import Conditions
from fusus.core.vehicle.airframe import hover
from fusus.errors import ParameterError
from fusus.project.records import Loops, Project
from fusus.study.brief.brief import airframe_of, battery_of, density_of, mission_of
from fusus.study.flying.open_loop import place_of, suite_of
from fusus.study.loops.axes import Axis, LoopStudy, filters_of, gains_of, study_loops
from fusus.study.loops.timing import ROUNDING
from fusus.study.recording.accelerometer_filter import acc_filters_of

# Fixes would show a drifting craft its level: in this scenario nothing does.
BY_ATTITUDE = "hover-level"


def handling_of(loops: Loops) -> Handling:
    """Return what sticks ask for and what the craft is allowed."""
    return Handling(
        loops.rate_rad_s, loops.yaw_rate_rad_s, loops.tilt_rad, loops.speed_m_s, loops.up_m_s, loops.down_m_s, loops.shaping_s,
        loops.stick_curve, loops.dead_band, loops.home_height_m, loops.feed_forward, loops.tilt_p, loops.heading_p, loops.climb_p,
        loops.speed_p, loops.place_p,
    )  # fmt: skip


def chosen_failsafe(project: Project) -> Chosen:
    """Return what the maker chose of failsafes."""
    f = project.loops.failsafe
    low = project.brief.craft.stop_cell_v
    return Chosen(f.radio, f.radio_s, f.hold_s, f.sink_m_s, low, min(f.empty_cell_v, low), f.blind_s)


def failsafe_rules(project: Project) -> FailsafeRules:
    """Return when failsafes act, and what they do."""
    loops = project.loops
    most = max(loops.rate_rad_s, loops.yaw_rate_rad_s)
    return rules_of(chosen_failsafe(project), loops.down_m_s, loops.stick_curve, loops.dead_band, most)


def cascade(study: LoopStudy) -> Cascade:
    """Return a project's cascade: its rate loops with the loops above them."""
    loops = study.project.loops

    def one(axis: Axis, torque_nm: float) -> RateLoop:
        crossover = axis.margins.crossover_rad_s
        if not math.isfinite(crossover):
            raise ParameterError(f"Gain of {axis.name} at any frequency", 0.0, 1.0, math.inf, "to close the loop")
        gains: Gains = gains_of(axis.controller, loops)
        return RateLoop(gains, crossover, torque_nm, axis.plant.gain)

    roll, pitch, yaw = (one(a, t) for a, t in zip(study.axes, study.mixer.authority_nm, strict=True))
    frame = airframe_of(study.project.brief.craft)
    _, site = place_of(study.project)
    full = float(study.mixer.effect[0].sum())
    return cascade_of(
        (roll, pitch, yaw),
        handling_of(loops),
        loops.motor_tau_s + study.timing.latency_s,
        frame.mass_kg,
        site.gravity_m_s2,
        full,
    )


def controller_of(study: LoopStudy, estimator: str | None = None, calibration_due: bool = False) -> Controller:
    """Return a project's flight controller with an estimator by name, the project's judged one without it, if it can fly.

    A loop that does not fit runs as fast as its work lets it. KeyError names the estimators that can fly; ParameterError where the motor
    signal is slower than the loop: commands that cannot be sent are not flown on.
    """
    project, timing = study.project, study.timing
    loops = project.loops
    chosen = project.fusion.estimators[0]
    name = estimator or (chosen if chosen in KINDS else "navigation-ekf")
    if name not in KINDS:
        raise KeyError(f"{name} cannot fly a craft: {', '.join(KINDS)} can")
    rate = loops.rate_hz if timing.fits else min(loops.rate_hz, timing.superloop.rate_hz)
    if rate > timing.signal.highest_rate_hz * ROUNDING:
        raise ParameterError(
            f"Loop rate with the motor signal “{timing.signal.name}”",
            round(rate, 3),
            10.0,
            timing.signal.highest_rate_hz,
            "Hz",
        )
    return Controller(
        rate, timing.latency_s - 0.5 * timing.period_s, cascade(study), sections_of(filters_of(loops), rate), name,
        project.fusion.parameters_of(name), ArmingRules(loops.arm_tilt_rad, calibration_due and not loops.arm_when_due), loops.lost_m,
        sections_of(acc_filters_of(loops), rate), project.fusion.altitude, failsafe_rules(project),
    )  # fmt: skip


def craft_of(study: LoopStudy) -> Craft:
    """Return a project's craft as drawn."""
    craft = study.project.brief.craft
    return Craft(
        airframe_of(craft), study.mixer, study.project.loops.motor_tau_s, battery_of(craft), idle=craft.idle_share,
        drag_per_s=craft.drag_per_s,
    )  # fmt: skip


def setting_of(project: Project) -> Setting:
    """Return where and through what a project's craft flies."""
    place, site = place_of(project)
    m = mission_of(project)
    density = density_of(project)
    around = Conditions(
        rotor_hz=hover(airframe_of(project.brief.craft), site.gravity_m_s2, density).rotor_hz, vibration_acc_m_s2=m.vibration_acc_m_s2,
        vibration_gyro_rad_s=m.vibration_gyro_rad_s, warming_k=m.warming_k, hover_current_a=m.hover_current_a,
    )  # fmt: skip
    return Setting(
        site,
        (place.lat_deg, place.lon_deg, place.height_m),
        density,
        m.wind_m_s,
        True,
        m.height_m,
        around,
        suite_of(project),
    )


def flight_tasks(
    project: Project,
    scenario: str,
    seed: int,
    runs: int,
    estimator: str | None = None,
    as_drawn: bool = False,
    calibration_due: bool = False,
    trouble: str | None = None,
) -> list[FlightTask]:
    """Return the flights of a scenario, one a seed; KeyError where there is no such scenario or the estimator cannot fly it.

    ``trouble``: what is wrong on purpose, by name; a craft in plain self-level flies on an attitude filter where nobody says otherwise.
    """
    study = study_loops(project)
    if estimator is None and scenario == BY_ATTITUDE and project.fusion.estimators[0] == "navigation-ekf":
        estimator = "attitude-ekf"
    if trouble is not None and trouble not in TROUBLES:
        raise KeyError(f"{trouble} is none of {', '.join(TROUBLES)}")
    controller = controller_of(study, estimator, calibration_due)
    task = FlightTask(
        scenario, seed, mission_of(project), craft_of(study), controller, setting_of(project), as_drawn, trouble
    )
    planned_flight(scenario, task.mission, task.setting.site.gravity_m_s2, controller.rate_hz)
    return [replace(task, seed=seed + i) for i in range(runs)]
