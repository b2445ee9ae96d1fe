"""Closed-loop flights as plain figures."""

import math
from typing import Any

from fusus.core.simulation.flight.campaign import Spread
from fusus.core.simulation.flight.figures import Figures
from fusus.study.flying.closed_loop import Flights
from fusus.study.fusion.summary import finding
from fusus.study.plain import plain

DEGREES = ("tilt_rad", "tilt_error", "heading_error")
UNITS = {"velocity_error": "velocity_error_m_s"}


def flights_report(found: Flights) -> dict[str, Any]:
    """Return what ``fusus simulate --json`` prints of closed-loop flights; None for what a flight does not have."""
    report: dict[str, Any] = plain(
        {
            "scenario": found.scenario, "seed": found.seed, "runs": len(found.found), "closed_loop": True, "estimator": found.estimator,
            "loop_rate_hz": found.first.controller.rate_hz, "x_real_time": found.x_real_time,
            "ends": found.summary.ends, "sensors": found.sensors,
            "summary": {_named(k): _spread(k, v) for k, v in found.summary.spreads.items()},
            "flights": [_flight(f) for f in found.found],
            "marks": [{"time_s": t, "what": what} for t, what in found.first.plan.marks],
        }
    )  # fmt: skip
    return report | {"findings": [finding(f) for f in found.findings]}


def _named(name: str) -> str:
    if name in DEGREES:
        return f"{name.removesuffix('_rad')}_deg"
    if name.endswith("_error"):
        return UNITS.get(name, f"{name}_m")
    return name


def _scaled(name: str, value: float) -> float:
    return math.degrees(value) if name in DEGREES else value


def _spread(name: str, s: Spread) -> dict[str, float]:
    return {"median": _scaled(name, s.median), "p95": _scaled(name, s.p95)}


def _flight(f: Figures) -> dict[str, Any]:
    errors = {_named(f"{q}_error"): _scaled(f"{q}_error", v) for q, v in f.rmse.items()}
    return {
        "seed": f.seed, "end": f.end, "refused": list(f.refused), "air_s": f.air_s, "tilt_max_deg": math.degrees(f.tilt_rad),
        "held_rms_m": f.held_rms_m, "held_max_m": f.held_max_m, "height_rms_m": f.height_rms_m, "height_max_m": f.height_max_m,
        "errors": errors, "saturated": f.saturated, "lowest_voltage_v": f.low_v, "mean_current_a": f.mean_a,
        "charge_mah": f.charge_as / 3.6, "lost_s": f.lost_s, "carried_m": f.lost_m,
    }  # fmt: skip
