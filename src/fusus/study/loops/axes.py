"""The rate loops of a project: each axis with its true delays, its gains, margins and step."""

import math
from dataclasses import dataclass

from fusus.core.control.design import Design, design
from fusus.core.control.elements import (
    Controller,
    Delay,
    Element,
    LowPass,
    Notch,
    Plant,
    group_delay_s,
    open_loop,
    phase_cost_deg,
)
from fusus.core.control.margins import Margins, margins
from fusus.core.control.pid import Gains
from fusus.core.control.step import Step, StepFigures, step_figures, step_response
from fusus.core.vehicle.airframe import AXES, inertia
from fusus.core.vehicle.mixer import Mixer, mixer_of
from fusus.project.records import Loops, Project
from fusus.study.brief.brief import airframe_of
from fusus.study.loops.timing import Timing, timing_of

STEP_RAD_S, STEP_S = math.radians(60.0), 1.0


@dataclass(frozen=True, slots=True)
class Axis:
    """One axis: what stands in the loop beside the controller, the controller, and what comes of it.

    ``designed`` is None where the gains were given. ``costs``: (element, phase it costs at the crossover in degrees, delay s).
    """

    name: str
    plant: Plant
    rest: tuple[Element, ...]
    controller: Controller
    designed: Design | None
    margins: Margins
    step: Step
    figures: StepFigures
    costs: tuple[tuple[str, float, float], ...]


@dataclass(frozen=True, slots=True)
class LoopStudy:
    """Timing, mixer and the three axes of a project."""

    project: Project
    timing: Timing
    mixer: Mixer
    axes: tuple[Axis, ...]


def study_loops(project: Project) -> LoopStudy:
    """Return what a project's loops come to."""
    timing = timing_of(project)
    frame = airframe_of(project.brief.craft)
    mixer = mixer_of(frame)
    moments = inertia(frame)
    axes = tuple(
        _axis(project, timing, name, mixer.authority_nm[i], moments[i], given)
        for i, (name, given) in enumerate(
            zip(AXES, (project.loops.roll, project.loops.pitch, project.loops.yaw), strict=True)
        )
    )
    return LoopStudy(project, timing, mixer, axes)


def filters_of(loops: Loops) -> tuple[LowPass | Notch, ...]:
    """Return what the gyro passes through on its way to the controller."""
    filters: tuple[LowPass | Notch, ...] = (LowPass("gyro low-pass", loops.gyro_lowpass_hz, 2),)
    return filters if loops.notch_hz is None else (*filters, Notch("notch", loops.notch_hz, loops.notch_quality))


def gains_of(controller: Controller, loops: Loops) -> Gains:
    """Return a controller as it runs on a board, its command limited to a full one."""
    return Gains(controller.kp, controller.ki, controller.kd, 2.0 * math.pi * loops.derivative_hz, -1.0, 1.0, 0.0)


def _axis(
    project: Project,
    timing: Timing,
    name: str,
    torque_nm: float,
    inertia_kg_m2: float,
    given: tuple[float, float, float] | None,
) -> Axis:
    loops = project.loops
    plant = Plant(name, torque_nm, inertia_kg_m2, loops.motor_tau_s)
    filters = filters_of(loops)
    delays = tuple(Delay(what, s) for what, s in timing.latency)
    rest: tuple[Element, ...] = (plant, *filters, *delays)
    wanted = loops.yaw_crossover_hz if name == "yaw" else loops.crossover_hz
    designed = design(rest, wanted, loops.phase_margin_rad, loops.derivative_hz, name) if given is None else None
    controller = (
        designed.controller
        if designed is not None
        else Controller(name, *(given or (0.0, 0.0, 0.0)), loops.derivative_hz)
    )
    found = margins(lambda w: open_loop((controller, *rest), w))
    gains = gains_of(controller, loops)
    # The hold is in the discrete loop itself: only the other delays are put before the motors.
    held = timing.latency_s - 0.5 * timing.period_s
    step = step_response(plant, gains, filters, held, loops.rate_hz, STEP_RAD_S, STEP_S)
    at = found.crossover_rad_s / (2.0 * math.pi)
    costs = (
        tuple((e.name, phase_cost_deg(e, at), group_delay_s(e, at)) for e in (*filters, *delays))
        if math.isfinite(at)
        else ()
    )
    return Axis(
        name, plant, rest, controller, designed, found, step, step_figures(step.t_s, step.rate, STEP_RAD_S), costs
    )
