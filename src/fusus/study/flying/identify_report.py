"""An identified flight as plain figures."""

import math
from typing import Any

import numpy as np

from fusus.core.control.identification.plant import FlownAxis
from fusus.core.control.identification.response import MeasuredResponse
from fusus.study.flying.identify import HIGHEST_HZ, AxisFlown, Identified
from fusus.study.fusion.summary import finding
from fusus.study.plain import plain


def identified_report(found: Identified) -> dict[str, Any]:
    """Return what ``fusus loops --recording --json`` adds; None for what cannot be told."""
    b = found.period
    report: dict[str, Any] = plain(
        {
            "recording": found.recording, "air_s": found.air_s,
            "beat": None if b is None else {
                "rate_hz": b.rate_hz, "period_us": b.period_s * 1e6, "jitter_us": b.jitter_s * 1e6, "spread_us": b.spread_s * 1e6,
                "longest_us": b.longest_s * 1e6, "late": b.late, "missing": b.missing, "late_every": b.every or None,
            },
            "axes": {a.name: _axis(a) for a in found.axes},
            "swings": [
                {
                    "axis": s.axis, "frequency_hz": s.hz, "resolution_hz": s.resolution_hz, "rms_deg_s": math.degrees(s.rms_rad_s),
                    "cause": s.cause, "is_loop": s.is_loop,
                }
                for s in found.oscillations
            ],
        }
    )  # fmt: skip
    return report | {"findings": [finding(f) for f in found.findings]}


def _axis(a: AxisFlown) -> dict[str, Any]:
    r = a.response
    out: dict[str, Any] = {
        "follows_ms": a.follows_s * 1e3, "trusted": None, "flown": None, "response": None if a.response is None else _response(a.response),
        "noise_rad_s_rthz": math.sqrt(float(a.density[len(a.density) // 2 :].mean())),
    }  # fmt: skip
    if r is not None and r.trusted.any():
        hz = r.hz[r.trusted]
        out["trusted"] = {"from_hz": float(hz[0]), "to_hz": float(hz[-1]), "frequencies": len(hz)}
    if a.axis is not None:
        out["flown"] = _flown(a.axis)
    return out


def _response(r: MeasuredResponse) -> dict[str, Any]:
    """Return the response from wanted to flown rate up to where loops act, with coherence and one sigma of the gain's relative error."""
    use = r.hz <= HIGHEST_HZ
    return {
        "hz": r.hz[use], "gain_db": 20.0 * np.log10(np.maximum(np.abs(r.gain[use]), 1e-9)),
        "phase_deg": np.degrees(np.unwrap(np.angle(r.gain[use]))), "coherence": r.coherence[use], "relative_sigma": r.sigma[use],
    }  # fmt: skip


def _flown(f: FlownAxis) -> dict[str, Any]:
    m = f.margins
    return {
        "gain_rad_s2": f.gain, "gain_standard_error": f.gain_sigma, "motor_lag_ms": f.lag_s * 1e3,
        "motor_lag_standard_error_ms": f.lag_sigma_s * 1e3, "delay_ms": f.delay_s * 1e3, "delay_standard_error_ms": f.delay_sigma_s * 1e3,
        "crossover_hz": m.crossover_rad_s / (2.0 * math.pi), "phase_margin_deg": math.degrees(m.phase_rad),
        "phase_margin_standard_error_deg": math.degrees(f.phase_sigma_rad), "gain_margin_db": m.gain_db, "modulus_margin": m.modulus,
    }  # fmt: skip
