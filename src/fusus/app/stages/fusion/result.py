"""A study made ready for drawing, in the worker thread."""

from dataclasses import dataclass
from pathlib import Path

import numpy as np

from fusus.core.analysis.statistics import chi2_gate
from fusus.core.arrays import Array
from fusus.core.progress import Progress
from fusus.project.records import Project
from fusus.study.run import Study, request_for, run
from fusus.study.summary import consistency, errors

MOST_POINTS = 15_000


@dataclass(frozen=True, slots=True)
class Curve:
    """One estimator as drawn: errors and claimed sigmas in degrees, at times in s."""

    title: str
    t_s: Array
    tilt_deg: Array
    heading_deg: Array
    tilt_sigma_deg: Array | None
    heading_sigma_deg: Array | None
    q_nb: Array
    reference_q_nb: Array | None
    figures: dict[str, float | None]


@dataclass(frozen=True, slots=True)
class FusionResult:
    """What the Fusion stage shows."""

    study: Study
    curves: tuple[Curve, ...]
    nis_t_s: Array
    nis_gravity: Array
    nis_field: Array
    bound_gravity: float
    bound_field: float


def fusion_result(folder: Path, project: Project, recording: str, progress: Progress) -> FusionResult:
    """Return the study of a recording, ready for drawing."""
    study = run(request_for(folder, project, recording), progress)
    judged = study.judged.replay.outputs
    known = np.isfinite(judged.nis_acc) | np.isfinite(judged.nis_mag) if judged.has_sigma else np.zeros(0, dtype=bool)
    rows = np.flatnonzero(known)
    rows = rows[:: max(1, len(rows) // 4000)]
    t = study.judged.replay.t_s
    return FusionResult(
        study,
        tuple(_curve(study, i) for i in range(len(study.estimates))),
        t[rows],
        judged.nis_acc[rows] if judged.has_sigma else np.zeros(0),
        judged.nis_mag[rows] if judged.has_sigma else np.zeros(0),
        chi2_gate(2, 0.95),
        chi2_gate(1, 0.95),
    )


def _curve(study: Study, index: int) -> Curve:
    e = study.estimates[index]
    out, c = e.replay.outputs, e.comparison
    found = errors(c) or {}
    consistent = consistency(e)
    nees = consistent["nees"]["mean"] if consistent["nees"] else None
    figures = {
        k: found.get(k)
        for k in (
            "tilt_rmse_deg",
            "tilt_p95_deg",
            "tilt_max_deg",
            "heading_rmse_deg",
            "heading_p95_deg",
            "heading_max_deg",
        )
    }
    figures |= {"nees": nees, "x_real_time": (e.replay.t_s[-1] - e.replay.t_s[0]) / max(e.replay.elapsed_s, 1e-9)}
    if c is None:
        step = max(1, len(e.replay.t_s) // MOST_POINTS)
        q = out.q_nb[::step]
        nothing = np.full(len(q), np.nan)
        return Curve(e.replay.estimator.title, e.replay.t_s[::step], nothing, nothing, None, None, q, None, figures)
    step = max(1, len(c.t_s) // MOST_POINTS)
    t = c.t_s[::step]
    tilt_sigma = heading_sigma = None
    if out.has_sigma:
        sigma = np.degrees(np.stack([np.interp(t, e.replay.t_s, out.sigma_rad[:, i]) for i in range(3)], axis=1))
        # Tilt joins two axes: its size is Rayleigh-like, and 2 σ of it is sqrt(roll² + pitch²) taken twice.
        tilt_sigma, heading_sigma = np.hypot(sigma[:, 0], sigma[:, 1]), sigma[:, 2]
    return Curve(
        e.replay.estimator.title,
        t,
        np.degrees(c.tilt[::step]),
        np.degrees(c.heading[::step]),
        tilt_sigma,
        heading_sigma,
        c.estimate_q_nb[::step],
        c.reference_q_nb[::step],
        figures,
    )
