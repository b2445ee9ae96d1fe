"""The loops as plain figures: what the command line prints and scripts read."""

import math
from typing import Any

from fusus.core.control.tuning_steps import TuningStep
from fusus.study.fusion.summary import finding
from fusus.study.loops.axes import Axis, LoopStudy
from fusus.study.loops.findings import findings
from fusus.study.loops.spread import spread
from fusus.study.loops.timing import Timing
from fusus.study.plain import plain


def loops_report(study: LoopStudy) -> dict[str, Any]:
    """Return what ``fusus loops --json`` prints; None for margins that are without bound."""
    report: dict[str, Any] = plain(
        {
            **_timing(study.timing),
            "axes": {axis.name: _axis(axis) for axis in study.axes},
            "hover_throttle": study.timing.throttle, "thrust_to_weight": 1.0 / study.timing.throttle,
            "authority": {
                a.name: {"torque_nm": torque, "turns_at_rad_s2": a.plant.gain}
                for a, torque in zip(study.axes, study.mixer.authority_nm, strict=True)
            },
            "spread": [
                {
                    "what": c.what,
                    "axes": {
                        a.name: {
                            "phase_margin_deg": math.degrees(m.phase_rad), "gain_margin_db": m.gain_db, "modulus_margin": m.modulus,
                            "crossover_hz": m.crossover_rad_s / (2.0 * math.pi),
                        }
                        for a, m in zip(study.axes, c.margins, strict=True)
                    },
                }
                for c in spread(study)
            ],
            "motors": [
                {
                    "round": m.round_number, "by_diagonals": m.diagonal_number,
                    "turns": "clockwise" if m.is_clockwise else "counter-clockwise",
                    "forward_m": m.place[0], "right_m": m.place[1],
                    "mix": dict(zip(("thrust", "roll", "pitch", "yaw"), row.tolist(), strict=True)),
                }
                for m, row in zip(study.mixer.motors, study.mixer.mix, strict=True)
            ],
        }
    )  # fmt: skip
    return report | {"findings": [finding(f) for f in findings(study)]}


def tuning_steps_report(steps: tuple[TuningStep, ...]) -> list[dict[str, Any]]:
    """Return the steps of a ladder as plain figures."""
    found: list[dict[str, Any]] = plain(
        [
            {
                "done": r.done, "gains": {"p": r.controller.kp, "i": r.controller.ki, "d": r.controller.kd}, "seen": r.seen,
                "is_wild": r.is_wild, "is_kept": r.is_kept, "phase_margin_deg": math.degrees(r.margins.phase_rad),
                "modulus_margin": r.margins.modulus, "overshoot": r.figures.overshoot, "noise": r.noise,
            }
            for r in steps
        ]
    )  # fmt: skip
    return found


def _timing(t: Timing) -> dict[str, Any]:
    return {
        "schedule": t.schedule, "period_us": t.period_s * 1e6, "fits": t.fits,
        "signal": t.signal.name, "signal_keeps_up": t.signal_keeps_up, "most_commands_hz": t.signal.highest_rate_hz,
        "tasks": [
            {
                "name": x.name, "duration_us": x.duration_s * 1e6, "period_us": x.period_s * 1e6, "place": x.place,
                "share": x.share, "every_cycle": x.is_loop,
            }
            for x in t.tasks
        ],
        "utilisation": t.utilisation, "utilisation_bound": t.bound,
        "response": {r.task.name: None if r.worst_s is None else r.worst_s * 1e6 for r in t.responses},
        "longest_cycle_us": t.superloop.worst.work_s * 1e6, "loop_rate_hz": t.superloop.rate_hz,
        "jitter_us": t.superloop.jitter_s * 1e6,
        "overruns": [{"cycle": k, "by_us": late * 1e6, "cause": cause} for k, late, cause in t.superloop.overruns],
        "latency_us": t.latency_s * 1e6, "latency": [{"part": name, "us": s * 1e6} for name, s in t.latency],
    }  # fmt: skip


def _axis(axis: Axis) -> dict[str, Any]:
    m, f, c = axis.margins, axis.figures, axis.controller
    return {
        "crossover_hz": m.crossover_rad_s / (2.0 * math.pi), "phase_margin_deg": math.degrees(m.phase_rad),
        "gain_margin_db": m.gain_db, "delay_margin_ms": m.delay_s * 1e3, "modulus_margin": m.modulus, "is_stable": m.is_stable,
        "gains": {"p": c.kp, "i": c.ki, "d": c.kd}, "designed": axis.designed is not None,
        "step": {
            "rise_ms": f.rise_s * 1e3, "overshoot": f.overshoot, "peak_ms": f.peak_s * 1e3, "settling_ms": f.settling_s * 1e3,
        },
        "costs": [{"element": name, "phase_deg": deg, "delay_ms": s * 1e3} for name, deg, s in axis.costs],
    }  # fmt: skip
