"""The tuning ladders on a project's own loop: learned before a craft is risked."""

import math

from fusus.core.control.elements import Controller, LowPass, Notch
from fusus.core.control.pid import Gains
from fusus.core.control.relay import Relay, relay_experiment
from fusus.core.control.step import Step, step_response
from fusus.core.control.tuning_steps import Bench, TuningStep, play
from fusus.study.loops.axes import STEP_RAD_S, STEP_S, Axis, LoopStudy

# A usual gyro, and what a frame shakes into it on top: common practice.
NOISE_RAD_S_RTHZ = 5e-4


def play_tuning_steps(study: LoopStudy, axis_name: str, ladder: str) -> tuple[TuningStep, ...]:
    """Return the steps of a ladder on one axis; KeyError names what exists."""
    axis = next((a for a in study.axes if a.name == axis_name), None)
    if axis is None:
        raise KeyError(f"{axis_name} is none of {', '.join(a.name for a in study.axes)}")
    return play(ladder, _bench(study, axis))


def _bench(study: LoopStudy, axis: Axis) -> Bench:
    loops = study.project.loops
    filters = tuple(e for e in axis.rest if isinstance(e, (LowPass, Notch)))
    held = study.timing.latency_s - 0.5 * study.timing.period_s

    def step(c: Controller) -> Step:
        gains = Gains(c.kp, c.ki, c.kd, 2.0 * math.pi * loops.derivative_hz, -1.0, 1.0, 0.0)
        return step_response(axis.plant, gains, filters, held, loops.rate_hz, STEP_RAD_S, STEP_S)

    def relay() -> Relay:
        return relay_experiment(axis.plant, filters, held, loops.rate_hz)

    return Bench(axis.rest, step, relay, loops.derivative_hz, NOISE_RAD_S_RTHZ, axis.name)
