"""What an identified flight says, in words with numbers, a reason and a next step."""

import math
from collections.abc import Mapping

from fusus.core.control.elements import Delay, LowPass, Notch, Plant
from fusus.core.control.identification.oscillation import Oscillation
from fusus.core.control.identification.plant import FlownAxis
from fusus.core.control.identification.sample_period import SamplePeriod
from fusus.core.judgement.finding import Finding
from fusus.study.loops.axes import Axis, LoopStudy
from fusus.study.loops.findings import what_to_lower

# Common practice: a loop bears a tenth of its period of jitter; margins move by some 10° from craft to craft.
JITTER_SHARE, OFF_RAD = 0.1, math.radians(12.0)
# A full battery gives a quarter more than the voltage at which thrusts are given.
OFF_GAIN = 1.45
LITTLE_RAD = math.radians(35.0)
HARD_RAD_S = 0.5


def identify_findings(
    study: LoopStudy, found: SamplePeriod, axes: Mapping[str, FlownAxis | None], seen: tuple[Oscillation, ...]
) -> tuple[Finding, ...]:
    """Return the findings of an identified flight, worst first."""
    out = [*_beat(study, found), *(_swing(s) for s in seen)]
    # A craft that swings hard leaves the range in which loops are straight lines: its axes tell nothing of their margins.
    swings_hard = any(s.is_loop and s.rms_rad_s > HARD_RAD_S for s in seen)
    for axis in study.axes:
        flown = axes.get(axis.name)
        if flown is not None and not swings_hard:
            out.append(_margin(axis, flown))
    if all(a is None for a in axes.values()) and not swings_hard:
        out.append(
            Finding(
                "The loops are not shaken enough", "mind", "No axis shows how it follows: wanted rates are missing, or too calm.",
                "Frequencies count where the flown rate agrees with the wanted one to 60 % and more.",
                "Log the wanted rates (stream setpoint), and fly the scenario “sweep”, or stir the sticks for half a minute.",
                "fusion.recording",
            )
        )  # fmt: skip
    order = {"stop": 0, "mind": 1, "fine": 2}
    return tuple(sorted(out, key=lambda f: order[f.severity]))


def _beat(study: LoopStudy, b: SamplePeriod) -> list[Finding]:
    period_us = b.period_s * 1e6
    jitter = max(b.jitter_s, 0.5 * b.spread_s)
    off = b.rate_hz / study.project.loops.rate_hz
    if b.late or jitter > JITTER_SHARE * b.period_s:
        rule = f", as a rule every {b.every} samples" if b.every else ""
        return [
            Finding(
                "The loop does not beat evenly", "mind",
                f"Samples come every {period_us:.0f} µs ± {b.jitter_s * 1e6:.0f} µs; {b.late} come late{rule}, the longest wait is "
                f"{b.longest_s * 1e6:.0f} µs, {b.missing} are missing.",
                "What comes at that beat holds the loop up: telemetry, logging or a slow bus." if b.every
                else "Something now and then holds the loop up.",
                "Make the message compact, move it behind the loop, or let hardware send it.", "loops.telemetry_s",
            )
        ]  # fmt: skip
    words = "" if abs(off - 1.0) < 0.02 else f" The loop of the project runs at {study.project.loops.rate_hz:.0f} Hz."
    return [
        Finding(
            "Loop period is regular", "fine",
            f"{b.rate_hz:.1f} samples a second, ± {b.jitter_s * 1e6:.1f} µs; none comes late.{words}",
            "A tenth of the period would still do.", "Nothing to change.", "loops.rate_hz",
        )
    ]  # fmt: skip


def _swing(s: Oscillation) -> Finding:
    return Finding(
        f"{s.axis.capitalize()} swings at {s.hz:.1f} Hz" if s.is_loop else f"{s.axis.capitalize()} shakes at {s.hz:.1f} Hz",
        "stop" if s.is_loop else "mind",
        f"{math.degrees(s.rms_rad_s):.1f} °/s RMS at {s.hz:.1f} ± {s.resolution_hz:.1f} Hz.", f"Likely: {s.cause}.", s.next_step,
        f"loops.{s.axis}", size=s.rms_rad_s,
    )  # fmt: skip


def _margin(axis: Axis, f: FlownAxis) -> Finding:
    m, d = f.margins, axis.margins
    name = axis.name.capitalize()
    gain = f.gain / axis.plant.gain
    off = abs(m.phase_rad - d.phase_rad) > max(OFF_RAD, 2.0 * f.phase_sigma_rad)
    off = off or not 1.0 / OFF_GAIN < gain < OFF_GAIN
    little = m.phase_rad < LITTLE_RAD
    statement = (
        f"In flight it crosses over at {m.crossover_rad_s / 2 / math.pi:.1f} Hz with {math.degrees(m.phase_rad):.0f}° ± "
        f"{math.degrees(f.phase_sigma_rad):.1f}°; designed: {d.crossover_rad_s / 2 / math.pi:.1f} Hz with {math.degrees(d.phase_rad):.0f}°."
    )
    reason = (
        f"A full command turns it at {f.gain:.0f} ± {f.gain_sigma:.0f} rad/s², {gain:.2f} times the design; motors lag by "
        f"{f.lag_s * 1e3:.0f} ± {f.lag_sigma_s * 1e3:.0f} ms, {f.delay_s * 1e3:.1f} ± {f.delay_sigma_s * 1e3:.1f} ms pass besides."
    )
    if little:
        flown = (Plant(axis.name, f.gain, 1.0, min(f.lag_s, 2.0)), Delay("delay", f.delay_s))
        step = what_to_lower(axis.controller, (*flown, *(e for e in axis.rest if isinstance(e, LowPass | Notch))))
        return Finding(f"{name}: little margin in flight", "stop", statement, reason, step, f"loops.{axis.name}")
    if off:
        return Finding(
            f"{name} flies otherwise than designed", "mind", statement, reason,
            "Take gain and lag over into the project (inertia, motor lag) and design anew.", f"loops.{axis.name}",
        )  # fmt: skip
    return Finding(f"{name} flies as designed", "fine", statement, reason, "Keep the gains.", f"loops.{axis.name}")
