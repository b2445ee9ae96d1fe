"""Filters, cascade, mixer and arming in C."""

from typing import Any

from fusus.core.control import arming, cascade, failsafe, rate_loops, soundness
from fusus.core.vehicle import motor_command, motor_limits
from fusus.firmware.translation.unit import Unit
from fusus.firmware.writing import constants
from fusus.firmware.writing.constants import Constant
from fusus.firmware.writing.layout import layout_for
from fusus.firmware.writing.plan import Plan
from fusus.firmware.writing.render import constants_file, declared, render


def control_unit(plan: Plan) -> Unit:
    """Return filters, cascade, mixer and arming in C."""
    c = plan.controls
    unit = Unit(layout_for(len(c.table), len(c.sections)), plan.precision)
    kernels: list[Any] = [
        cascade.wanted_rates, rate_loops.rate_loops, rate_loops.measured_rate, cascade.begin_anew, motor_limits.mix_into, arming.refusals,
        soundness.cos_of_tilt, motor_command.command_for, failsafe.forget_failures, failsafe.decide,
        failsafe.setpoint_for,
    ]  # fmt: skip
    for kernel in kernels:
        unit.add(kernel)
    return unit


def control_constants(plan: Plan) -> list[Constant]:
    """Return what the loops are tuned to."""
    c, precision = plan.controls, plan.precision
    said = {f: plan.evidence(f"cascade.{f}") for f in c.cascade._fields}
    e = plan.evidence
    rows = f"The gyro's filters as second-order sections b0 b1 b2 a0 a1 a2 at the loop's rate: {e('filters')}."
    shares = f"Share of full thrust of each motor per N of thrust and N m of roll, pitch, yaw: {e('mixer')}."
    idle = f"Least thrust of a motor that is on, as a share: {e('idle')}."
    tilt = f"Tilt beyond which motors do not start: {e('loops.arm_tilt_rad')}."
    due = f"Whether motors start with a calibration due: {e('loops.arm_when_due')}."
    about = "Gains, limits and the craft that they are made for."
    return [
        constants.struct("KIT_CASCADE", "Cascade", c.cascade, said, about, precision),
        constants.struct(
            "KIT_FAILSAFE", "FailsafeRules", c.failsafe, {}, f"When failsafes act: {e('loops.failsafe')}.", precision
        ),
        constants.flat_table("KIT_GYRO_SECTIONS", c.sections, rows, precision),
        constants.flat_table("KIT_MIXER", c.table, shares, precision),
        constants.number("KIT_IDLE", float(c.idle), idle, precision),
        constants.number("KIT_ARM_TILT_RAD", float(c.arm_tilt_rad), tilt, precision),
        constants.number("KIT_ARM_WHEN_DUE", bool(c.arm_when_due), due, precision),
    ]


MODE_WORDS: dict[int, str] = {
    cascade.RATE: "sticks ask for rates",
    cascade.LEVEL: "sticks ask for tilt",
    cascade.MIXED: "tilt, and rates towards the end of the sticks",
    cascade.HEIGHT: "tilt by the sticks, the height is held",
    cascade.PLACE: "place and height are held, sticks ask for speeds",
    cascade.HOME: "comes home and lands",
    cascade.PATH: "follows place, speed and heading of the setpoint",
}


def _named(module: Any, names: str, words: dict[int, str]) -> list[tuple[str, int, str]]:
    """Return names of a module's figures, the figures, and what each means."""
    found = [(name, getattr(module, name)) for name in names.split()]
    assert {value for _, value in found} == set(words), "each figure has a name, and each name a meaning"
    return [(name, value, words[value]) for name, value in found]


def control_files(plan: Plan) -> dict[str, str]:
    """Return the loops: header, source, constants."""
    c, precision, unit = plan.controls, plan.precision, control_unit(plan)
    header = render(
        precision, "control.h.j2", motors=len(c.table), sections=len(c.sections), declarations=declared(unit), memory=cascade.MEMORY,
        modes=_named(cascade, "RATE LEVEL MIXED HEIGHT PLACE HOME PATH", MODE_WORDS),
        refusals=_named(
            arming, "THROTTLE TILT MOVES CALIBRATION SENSOR PLACE ATTITUDE MODE FAILSAFE", arming.REASONS
        ),
        stages=_named(failsafe, "FLY HOLD RETURN LAND SINK STOP", failsafe.STAGES),
        causes=_named(
            failsafe, "RADIO GYRO ESTIMATE BARO GNSS MAG LOW EMPTY TIPPED FELL CRASHED SPINS", failsafe.CAUSES
        ),
        guard=failsafe.MEMORY, most_s=soundness.MOST_S,
        idle_words="at least the idle one while armed.",
    )  # fmt: skip
    source = render(precision, "control.c.j2", definitions=unit.definitions(), sections=len(c.sections))
    return {
        "control.h": header,
        "control.c": source,
        "control_constants.h": constants_file(
            plan, "control", "control.h", "What the loops are tuned to.", control_constants(plan)
        ),
    }
