"""What the loops of a project ask for, in words with numbers, a reason and a next step."""

import math

from fusus.core.control.elements import Controller, Element
from fusus.core.control.relief import relief
from fusus.core.judgement.finding import Finding
from fusus.study.brief.brief import endurance_of
from fusus.study.loops.axes import Axis, LoopStudy
from fusus.study.loops.timing import READ

# Common practice: less leaves too little to steer with, more makes a light craft leap on arming.
LEAST_THRUST_TO_WEIGHT, MOST_HOVER = 1.6, 0.65
BUSY = 0.75
# Idle gives less than this share of the weight; a full battery gives a quarter more thrust than the voltage of a datasheet.
MOST_IDLE, FULL_BATTERY, SHORT_MIN = 0.35, 1.25, 4.0


def findings(study: LoopStudy) -> tuple[Finding, ...]:
    """Return the findings on timing, thrust and margins, worst first."""
    found = [*_timing(study), *_thrust(study), *_idle(study), _endurance(study)]
    for axis in study.axes:
        found += _axis(axis, study)
    order = {"stop": 0, "mind": 1, "fine": 2}
    return tuple(sorted(found, key=lambda f: order[f.severity]))


def _timing(study: LoopStudy) -> list[Finding]:
    t = study.timing
    period_us = t.period_s * 1e6
    out: list[Finding] = []
    if not t.signal_keeps_up:
        most = t.signal.highest_rate_hz
        out.append(
            Finding(
                "The motor signal is slower than the loop", "stop",
                f"A {t.signal.name} lasts up to {t.signal.most_s * 1e6:.0f} µs: {most:.0f} a second can be sent, and the loop works "
                f"{1.0 / t.period_s:.0f} commands a second out.",
                "A pulse that the next one cuts off is a fault to a motor controller, at full throttle first.",
                f"Take a faster signal, or a loop rate of at most {most:.0f} Hz.", "loops.signal",
            )
        )  # fmt: skip
    if t.schedule == "superloop" and t.superloop.overruns:
        worst = max(t.superloop.overruns, key=lambda o: o[1])
        out.append(
            Finding(
                "The loop does not fit", "stop",
                f"{len(t.superloop.overruns)} of {len(t.superloop.cycles)} cycles overrun {period_us:.0f} µs, by up to "
                f"{worst[1] * 1e6:.0f} µs; the work of the longest is {t.superloop.worst.work_s * 1e6:.0f} µs.",
                f"What pushes it over is “{worst[2]}”: {_duration(study, worst[2]):.0f} µs.",
                _relief(study, worst[2]), "loops.rate_hz", size=worst[1],
            )
        )  # fmt: skip
    late = [r for r in t.responses if not r.is_in_time]
    if t.schedule == "fixed priorities" and late:
        r = late[0]
        out.append(
            Finding(
                "A task is never done in time", "stop",
                f"“{r.task.name}” is not done before it is due again, every {r.task.period_s * 1e6:.0f} µs.",
                f"“{r.held_up_by}” and others go before it; the processor is busy for {t.utilisation:.0%} of the time.",
                _relief(study, r.held_up_by), "loops.rate_hz",
            )
        )  # fmt: skip
    if t.fits:
        longest = (
            t.superloop.worst.work_s if t.schedule == "superloop" else max(r.worst_s or 0.0 for r in t.responses[:1])
        )
        tight = longest > BUSY * t.period_s
        out.append(
            Finding(
                "The loop fits narrowly" if tight else "The loop fits", "mind" if tight else "fine",
                f"The longest cycle takes {longest * 1e6:.0f} of {period_us:.0f} µs; the processor is busy for {t.utilisation:.0%}.",
                "Interrupts, cache misses and a longer message come on top." if tight else "There is room for what comes on top.",
                _relief(study, READ) if tight else "Keep a quarter of the cycle free.", "loops.rate_hz",
            )
        )  # fmt: skip
    return out


def _duration(study: LoopStudy, name: str) -> float:
    return next((x.duration_s * 1e6 for x in study.timing.tasks if x.name == name), 0.0)


def _relief(study: LoopStudy, cause: str) -> str:
    loops = study.project.loops
    if cause == "telemetry":
        return "Make the message compact, or send a part of it in each cycle."
    if cause == "logging":
        return "Log fewer values, or in blocks that a bus carries beside the processor."
    if cause in (READ, "control cycle") and loops.bus == "I2C":
        return "Put the IMU on SPI, read it in one burst, or let hardware read it beside the processor."
    if cause == "estimator":
        return "Run the estimator at every second cycle, or in groups of samples; rates need the gyro alone."
    return "Lower the loop rate, take a faster processor, or leave something out."


def _thrust(study: LoopStudy) -> list[Finding]:
    hover = study.timing.throttle
    ratio = 1.0 / hover if hover > 0 else math.inf
    if hover >= 1.0:
        severity, title, step = "stop", "It does not lift off", "Lighter, or stronger motors, or larger propellers."
    elif hover > MOST_HOVER or ratio < LEAST_THRUST_TO_WEIGHT:
        severity, title, step = (
            "mind",
            "Little thrust to spare",
            "Lighter, or stronger motors: half throttle or less should hover it.",
        )
    else:
        severity, title, step = "fine", "Thrust to spare", "Set idle low enough that it stays on the ground when armed."
    return [
        Finding(
            title, severity, f"{hover_words(hover)}: thrust-to-weight {ratio:.2g}.",  # type: ignore[arg-type]
            "Steering takes from the same motors; a battery that sags takes more.", step, "brief.craft.motor_thrust_n",
        )
    ]  # fmt: skip


def hover_words(hover: float) -> str:
    """Return what share of full thrust the hover takes; above one it takes more than there is."""
    if hover >= 1.0:
        return f"Full thrust carries {1.0 / hover:.0%} of its weight"
    return f"It hovers at {hover:.0%} of full thrust"


def _idle(study: LoopStudy) -> list[Finding]:
    """Return what idle does: what it gives is its share of full speed squared, on a full battery a quarter more."""
    share = study.project.brief.craft.idle_share
    lifts = share**2 / study.timing.throttle * FULL_BATTERY if study.timing.throttle > 0 else 0.0
    if lifts < MOST_IDLE:
        return []
    leaves = lifts >= 1.0
    return [
        Finding(
            "It leaves the ground on arming" if leaves else "Idle is high", "stop" if leaves else "mind",
            f"Idle at {share:.0%} of full speed gives {lifts:.0%} of the craft's weight on a full battery.",
            "A light craft with strong motors needs a low idle: else it skips over the ground, or does not come down.",
            f"Set idle below {math.sqrt(MOST_IDLE * study.timing.throttle / FULL_BATTERY):.0%} of full speed.", "brief.craft.idle_share",
        )
    ]  # fmt: skip


def _endurance(study: LoopStudy) -> Finding:
    craft = study.project.brief.craft
    e = endurance_of(study.project)
    minutes = e.seconds / 60.0
    by = "by the measured mean current" if craft.mean_current_a is not None else "by momentum theory, to some 20 %"
    if not minutes > 0:
        return Finding(
            "The battery is empty at once", "stop", f"Under {e.first_v:.1f} V at the first moment: below the stop voltage.",
            "Its resistance takes too much.", "A battery with less resistance, or more cells beside each other.", "brief.craft.cell_ohm",
        )  # fmt: skip
    short = minutes < SHORT_MIN
    return Finding(
        "It does not stay up for long" if short else "How long it stays up", "mind" if short else "fine",
        f"{minutes:.1f} min in the hover from full to {craft.cells * craft.stop_cell_v:.1f} V under load, at {e.mean_a:.1f} A, {by}.",
        f"{e.charge_as / 3.6:.0f} of {craft.capacity_as / 3.6:.0f} mAh; the voltage sags from {e.first_v:.1f} V.",
        "Fly circles to the stop voltage once, note minutes and mean current, and enter it.", "brief.craft.mean_current_a",
    )  # fmt: skip


def _axis(axis: Axis, study: LoopStudy) -> list[Finding]:
    m = axis.margins
    name = axis.name.capitalize()
    if axis.designed is not None and not axis.designed.reached:
        return [
            Finding(
                f"{name}: the wanted margin is out of reach", "mind",
                f"{math.degrees(axis.designed.phase_rad):.0f}° of {math.degrees(study.project.loops.phase_margin_rad):.0f}° are reached: "
                f"{axis.designed.reason}.",
                _costliest(axis), "Ask for less bandwidth, or take delay out where it costs most.", "loops.crossover_hz",
            )
        ]  # fmt: skip
    if not m.is_stable:
        return [
            Finding(
                f"{name} swings by itself", "stop",
                f"Its gains miss a phase of {abs(math.degrees(m.phase_rad)):.0f}°: it shakes at "
                f"{m.crossover_rad_s / 2 / math.pi:.0f} Hz, and motors run hot.",
                _costliest(axis), what_to_lower(axis.controller, axis.rest), f"loops.{axis.name}",
            )
        ]  # fmt: skip
    weak = not m.is_sound
    return [
        Finding(
            f"{name}: {'little' if weak else 'sound'} margin", "mind" if weak else "fine",
            f"Crosses over at {m.crossover_rad_s / 2 / math.pi:.1f} Hz with {math.degrees(m.phase_rad):.0f}°, {m.gain_db:.1f} dB, "
            f"{m.delay_s * 1e3:.0f} ms and {m.modulus:.2f} from swinging; overshoot {axis.figures.overshoot:.0%}.",
            _costliest(axis) if weak else "40°, 6 dB and 0.5 are usually enough.",
            what_to_lower(axis.controller, axis.rest)
            if weak
            else "Fly it low and listen: what a step shows, motors sing.",
            f"loops.{axis.name}",
        )
    ]  # fmt: skip


def what_to_lower(controller: Controller, rest: tuple[Element, ...]) -> str:
    """Return which gain to lower, to what, and what that leaves; by trying, since it is not always P."""
    found = relief(controller, rest)
    if found is None:
        return "No lower gain helps: shorten the costliest delay, or ask for less."
    m = found.margins
    leaves = (
        f"{math.degrees(m.phase_rad):.0f}°, {m.gain_db:.1f} dB and {m.modulus:.2f}"
        if m.is_stable
        else "it swinging less"
    )
    return f"Lower {found.gains} to {found.share:.0%}, which leaves {leaves}; or shorten the costliest delay."


def _costliest(axis: Axis) -> str:
    if not axis.costs:
        return "The loop never reaches a gain of one."
    what, degrees, _ = max(axis.costs, key=lambda c: c[1])
    return f"Most phase goes to “{what}”: {degrees:.0f}° at the crossover."
