"""A study as plain figures: what the command line prints and scripts read."""

import math
from typing import Any

import numpy as np

from fusus.core.analysis.comparison import Comparison
from fusus.core.analysis.consistency import channels, coverages, errors_of, nees
from fusus.core.analysis.statistics import Statistic, chi2_bounds, coverage
from fusus.core.arrays import Array
from fusus.core.estimation.outputs import MotionOutputs
from fusus.core.frames.quaternion import to_euler
from fusus.core.judgement.finding import Finding
from fusus.core.judgement.verdicts import Verdict
from fusus.core.requirements import QUANTITIES
from fusus.study.fusion.run import Estimate, Study, outage_errors
from fusus.study.plain import plain, plain_object

STATISTIC_NAMES: tuple[Statistic, ...] = ("rmse", "p95", "max")


def errors(c: Comparison | None) -> dict[str, Any] | None:
    """Return all error figures of a comparison, units in the names, or None."""
    if c is None:
        return None
    out: dict[str, Any] = {}
    for quantity in ("tilt", "heading"):
        for statistic in STATISTIC_NAMES:
            value = c.value(quantity, statistic)
            out[f"{quantity}_{statistic}_deg"] = math.degrees(value) if value is not None else None
    out["heading_offset_deg"] = math.degrees(c.heading_offset_rad)
    for name, unit in (
        ("position", "m"), ("horizontal", "m"), ("height", "m"), ("velocity", "m_s"), ("climb", "m_s"),
    ):  # fmt: skip
        for statistic in STATISTIC_NAMES:
            value = c.value(name, statistic)
            if value is not None:
                out[f"{name}_{statistic}_{unit}"] = value
    return plain_object(out)


def alignment(c: Comparison | None) -> dict[str, Any] | None:
    """Return clock offset and drift if they were sought."""
    if c is None or c.alignment is None:
        return None
    a = c.alignment
    return plain_object(
        {
            "offset_s": a.clock.offset_s,
            "offset_sigma_s": a.offset_sigma_s,
            "drift_ppm": a.clock.drift * 1e6,
            "correlation": a.correlation,
        }
    )


def _nis(values: Array, dimension: int) -> dict[str, Any] | None:
    known = values[np.isfinite(values)]
    if len(known) == 0:
        return None
    low, high = chi2_bounds(dimension, len(known))
    inside = float((known <= chi2_bounds(dimension, 1)[1]).mean())
    return {"mean": float(known.mean()), "median": float(np.median(known)), "count": len(known), "dimension": dimension,
            "bound_low": low, "bound_high": high, "share_inside_95": inside}  # fmt: skip


def consistency(e: Estimate) -> dict[str, Any]:
    """Return NIS of gravity and field, and NEES and coverage of attitude where there is a reference."""
    out = e.replay.outputs
    if e.replay.motion is not None:
        return _motion_consistency(e, e.replay.motion)
    if not out.has_sigma:
        return {"nis": None, "nees": None, "coverage": None}
    nees = cover = None
    if e.comparison is not None and e.comparison.has_attitude:
        c = e.comparison
        wrapped = np.mod(to_euler(c.estimate_q_nb) - to_euler(c.reference_q_nb) + np.pi, 2 * np.pi) - np.pi
        sigma = np.stack([np.interp(c.t_s, e.replay.t_s, out.sigma_rad[:, i]) for i in (2, 1, 0)], axis=1)
        parts = {n: coverage(wrapped[:, i], sigma[:, i]) for i, n in enumerate(("yaw", "pitch", "roll"))}
        nees = {n: p.ratio**2 for n, p in parts.items()} | {
            "mean": float(np.mean([p.ratio**2 for p in parts.values()]))
        }
        cover = {n: {"one_sigma": p.one, "two_sigma": p.two, "three_sigma": p.three} for n, p in parts.items()}
    return plain_object(
        {"nis": {"gravity": _nis(out.nis_acc, 2), "field": _nis(out.nis_mag, 1)}, "nees": nees, "coverage": cover}
    )


def _motion_consistency(e: Estimate, motion: MotionOutputs) -> dict[str, Any]:
    """Return the same for an estimator that keeps its innovations: by channel, and NEES by part of the state."""
    nis = {
        c.name: {
            "mean": c.nis, "count": c.count, "dimension": 1, "bound_low": c.low, "bound_high": c.high, "used": c.used,
            "correlation": c.correlation, "whiteness_p": c.whiteness, "mean_normalised": c.mean,
        }
        for c in channels(motion.innovations)
    }  # fmt: skip
    c = e.comparison
    found = errors_of(motion, c) if c is not None and c.has_attitude else None
    if found is None:
        return plain_object({"nis": nis or None, "nees": None, "coverage": None})
    parts = nees(found)
    values = {n.name: n.value for n in parts if n.name != "all"} | {"mean": parts[-1].value}
    bands = {n.name if n.name != "all" else "mean": [n.low, n.high] for n in parts}
    cover = {
        k.replace(" ", "_"): {"one_sigma": c.one, "two_sigma": c.two, "three_sigma": c.three}
        for k, c in coverages(found).items()
    }
    return plain_object({"nis": nis, "nees": values | {"bands": bands}, "coverage": cover})


def outages(study: Study, comparison: Comparison | None) -> list[dict[str, Any]]:
    """Return what the judged estimate is off at the end of each outage that was asked for."""
    asked = study.request.outages
    found = outage_errors(study.loaded, comparison, asked)
    return [
        {"start_s": s, "duration_s": d, "horizontal_error_m": plain(h), "height_error_m": plain(v)}
        for (s, d), (h, v) in zip(asked, found, strict=True)
    ]


def finding(f: Finding) -> dict[str, str]:
    """Return a finding as plain text fields."""
    return {
        "subject": f.subject, "severity": f.severity, "statement": f.statement, "reason": f.reason,
        "next_step": f.next_step, "link": f.link,
    }  # fmt: skip


SHOWN_UNITS = {"rad": ("deg", 180 / math.pi), "m": ("m", 1.0), "m/s": ("m/s", 1.0)}


def verdict(v: Verdict, first_s: float = 0.0) -> dict[str, Any]:
    """Return a verdict in shown units; its deciding stretch in s from the recording's first sample, which is at ``first_s``."""
    unit, factor = SHOWN_UNITS[QUANTITIES[v.requirement.quantity][1]]

    def shown(x: float | None) -> float | None:
        return None if x is None else x * factor

    return plain_object(
        {
            "requirement": v.requirement.key,
            "title": v.requirement.title,
            "statistic": v.requirement.statistic,
            "limit": shown(v.requirement.limit),
            "unit": unit,
            "value": shown(v.value),
            "interval": [shown(v.low), shown(v.high)] if v.low is not None else None,
            "verdict": v.word,
            "reason": v.reason,
            "deciding": None if v.deciding is None else {
                "start_s": v.deciding.start_s - first_s, "end_s": v.deciding.end_s - first_s, "share": v.deciding.share,
                "without": shown(v.deciding.without),
            },
        }
    )  # fmt: skip


def replay_report(study: Study) -> dict[str, Any]:
    """Return what ``fusus replay --json`` prints."""
    e = study.judged
    n = len(e.replay.t_s)
    span = float(e.replay.t_s[-1] - e.replay.t_s[0])
    return plain_object(
        {
            "recording": study.request.recording,
            "estimator": e.replay.estimator.name,
            "samples": n,
            "duration_s": span,
            "elapsed_s": e.replay.elapsed_s,
            "x_real_time": span / max(e.replay.elapsed_s, 1e-9),
            "errors": errors(e.comparison),
            "no_errors_because": e.why_not or None,
            "alignment": alignment(e.comparison),
            "outages": outages(study, e.comparison),
            "against_smoother": {"errors": errors(e.against_smoother), "outages": outages(study, e.against_smoother)}
            if e.against_smoother is not None
            else None,
            "consistency": consistency(e),
            "gyro_bias_rad_s": list(e.replay.outputs.gyro_bias_b[-1]),
            "starts_at_rest": e.replay.start.is_still,
            "corrected_by": list(study.loaded.corrected_by),
            "findings": [finding(f) for f in study.findings],
            "problems": [p.model_dump() for p in (*study.loaded.info.problems, *study.loaded.problems)],
        }
    )
