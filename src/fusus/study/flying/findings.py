"""What closed-loop flights say, in words with numbers, a reason and a next step."""

import math
from collections.abc import Mapping, Sequence

import numpy as np

from fusus.core.control.cascade import PATH
from fusus.core.judgement.finding import Finding
from fusus.core.simulation.flight.figures import Figures
from fusus.core.simulation.flight.fly import Flown
from fusus.core.simulation.flight.plan import MODE
from fusus.core.simulation.kinds import BY_STICKS
from fusus.study.flying.lacking import CARRIED_M, lacking_findings

# Common practice: a motor that is full for more than this share of the time has nothing left to steer with.
FULL_SHARE = 0.02


def flight_findings(
    scenario: str, found: Sequence[Figures], first: Flown, sensors: Mapping[str, str | None]
) -> tuple[Finding, ...]:
    """Return the findings of a scenario's flights, worst first; ``sensors``: which part of each kind flies."""
    flies = scenario != "arming-tilted"
    lacks = lacking_findings(scenario, found, first, sensors) if flies else []
    fails = any(f.severity == "stop" for f in lacks)
    out = [*_endings(found, flies, first, fails), *lacks]
    if any(f.air_s > 0 for f in found):
        out += [*([] if fails else _holding(scenario, found, first)), *_motors(found), *_battery(found, first)]
    order = {"stop": 0, "mind": 1, "fine": 2}
    return tuple(sorted(out, key=lambda f: order[f.severity]))


def _endings(found: Sequence[Figures], flies: bool, first: Flown, fails: bool) -> list[Finding]:
    count = len(found)
    refused = [f for f in found if f.end == "motors refused"]
    limit = math.degrees(first.controller.rules.tilt_rad)
    if not flies:
        if len(refused) == count:
            return [
                Finding(
                    "The motors refuse", "fine", f"On a slope of 30° none of {count} starts: {', '.join(refused[0].refused)}.",
                    f"The limit is {limit:.0f}°.", "Keep the limit: a craft that starts tilted runs away over the ground.",
                    "loops.arm_tilt_rad",
                )
            ]  # fmt: skip
        return [
            Finding(
                "The motors start on a slope", "stop", f"On a slope of 30° {count - len(refused)} of {count} start.",
                f"The limit is {limit:.0f}°: beyond 30° it refuses nothing that matters.", "Set the limit to some 25°.",
                "loops.arm_tilt_rad",
            )
        ]  # fmt: skip
    out = []
    crashed = [f for f in found if f.end == "crashed"]
    if crashed:
        out.append(
            Finding(
                "It crashes", "stop", f"{len(crashed)} of {count} flights end on the ground in pieces (seeds {_seeds(crashed)}).",
                f"Tilt reached {math.degrees(max(f.tilt_rad for f in crashed)):.0f}°; a motor was full for "
                f"{max(f.saturated for f in crashed):.0%} of the time.",
                "Look at the first of them in Fusion; lower gains, or more thrust to spare.", "loops.crossover_hz",
            )
        )  # fmt: skip
    if refused:
        reasons = dict.fromkeys(r for f in refused for r in f.refused)
        out.append(
            Finding(
                "The motors refuse to start", "stop", f"{len(refused)} of {count}: {', '.join(reasons)}.",
                "A rule of arming refuses; rules are there for a reason.", "Remove the reason, not the rule.", "loops.arm_tilt_rad",
            )
        )  # fmt: skip
    grounded = [f for f in found if f.end == "stayed on the ground"]
    if grounded:
        out.append(
            Finding(
                "It does not lift off", "stop", f"{len(grounded)} of {count} stay on the ground (seeds {_seeds(grounded)}).",
                "What the motors give is less than it weighs.", "Lighter, or stronger motors.", "brief.craft.motor_thrust_n",
            )
        )  # fmt: skip
    if not out and not fails:
        landed = sum(f.end == "landed" for f in found)
        out.append(
            Finding(
                "It flies", "fine", f"{landed} of {count} flights land whole; the rest is still in the air when time is up."
                if landed < count else f"All of {count} flights land whole.",
                "In simulation, on its own estimate, with parts that differ as parts do.",
                "A simulation is no airworthiness: fly low, over soft ground, away from people.", "loops.crossover_hz",
            )
        )  # fmt: skip
    return out


def _seeds(found: Sequence[Figures]) -> str:
    names = [str(f.seed) for f in found[:5]]
    return ", ".join(names) + (", …" if len(found) > 5 else "")


def _holding(scenario: str, found: Sequence[Figures], first: Flown) -> list[Finding]:
    out = []
    carried = np.array([f.lost_m for f in found if f.lost_s > 0])
    if len(carried):
        out.append(
            Finding(
                "Without fixes the wind carries it away", "mind",
                f"For {np.median([f.lost_s for f in found if f.lost_s > 0]):.0f} s the position is unknown, and it drifts "
                f"{np.median(carried):.0f} m (95 %: {np.percentile(carried, 95):.0f} m).",
                "It holds its height and stays level, and so moves with the air: often taken for a fly-away.",
                "Steer by hand, or land; practise it where there is room down the wind.", "loops.lost_m",
            )
        )  # fmt: skip
    held = np.array([f.held_max_m for f in found if np.isfinite(f.held_max_m)])
    if len(held) and not len(carried):
        drifts = scenario in BY_STICKS and float(np.median(held)) > CARRIED_M
        way = "from its path" if (first.plan.rows[:, MODE] == PATH).all() else "from its place"
        out.append(
            Finding(
                "It drifts" if drifts else "How well it holds", "mind" if drifts else "fine",
                f"Half of the flights at most {np.median(held):.1f} m {way} (95 %: {np.percentile(held, 95):.1f} m), in a wind of "
                f"{first.setting.wind_m_s:.0f} m/s with gusts.",
                "In this mode nothing holds it against the wind." if drifts else "Error of the estimate and of the loops together.",
                "Hold against it with the sticks, or fly a mode that holds its place." if drifts
                else "Compare with the requirement on position.", "fusion.estimators",
            )
        )  # fmt: skip
    return out


def _motors(found: Sequence[Figures]) -> list[Finding]:
    full = max(found, key=lambda f: f.saturated)
    if full.saturated <= FULL_SHARE:
        return []
    return [
        Finding(
            "Motors are full", "mind", f"In the worst flight (seed {full.seed}) one is full or idle for {full.saturated:.0%} of the time.",
            "What does not fit gives way: yaw first, then height, then tilt.", "Ask for less, or leave more thrust to spare.",
            "brief.craft.motor_thrust_n", size=full.saturated,
        )
    ]  # fmt: skip


def _battery(found: Sequence[Figures], first: Flown) -> list[Finding]:
    b = first.craft.battery
    stop = b.cells * b.stop_v
    low = min(found, key=lambda f: f.low_v)
    if low.low_v >= stop:
        return []
    return [
        Finding(
            "The battery sags below its stop voltage", "mind",
            f"{low.low_v:.1f} V under load (seed {low.seed}); one lands at {stop:.1f} V.",
            f"{low.mean_a:.0f} A through {1e3 * b.cells * b.cell_ohm:.0f} mΩ, from a battery that is not full.",
            "A larger battery, or one with less resistance; end the flight earlier.", "brief.craft.cell_ohm",
        )
    ]  # fmt: skip
