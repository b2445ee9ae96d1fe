"""A study made ready for drawing, in the worker thread."""

from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from fusus.app.figures.quantities import QUANTITIES, Quantity
from fusus.core.analysis.comparison import Comparison
from fusus.core.analysis.consistency import Channel, Nees, channels, coverages, errors_of, nees
from fusus.core.analysis.statistics import Coverage, chi2_gate
from fusus.core.arrays import Array
from fusus.core.progress import Progress
from fusus.project.reads import recorded
from fusus.project.records import Project
from fusus.study.fusion.run import Estimate, Study, request_for, run
from fusus.study.fusion.summary import consistency, errors
from fusus.study.proof.verdicts import is_judged, judgement_of, keep

MOST_POINTS = 15_000
MOST_INNOVATIONS = 4000


@dataclass(frozen=True, slots=True)
class Curve:
    """One estimator as drawn: errors and claimed sigmas by quantity in its unit, at times in s."""

    title: str
    t_s: Array
    errors: dict[str, Array]
    sigmas: dict[str, Array]
    q_nb: Array
    reference_q_nb: Array | None
    figures: dict[str, float | None]


@dataclass(frozen=True, slots=True)
class Residuals:
    """Innovations of one kind: squares over their variances at times, and the bound that holds 95 of 100."""

    title: str
    t_s: Array
    nis: Array
    bound: float


@dataclass(frozen=True, slots=True)
class FusionResult:
    """What the Fusion stage shows. ``normalised``: innovations over their sigma by channel, thinned, at times in s."""

    study: Study
    curves: tuple[Curve, ...]
    residuals: tuple[Residuals, Residuals]
    channels: tuple[Channel, ...]
    nees: tuple[Nees, ...]
    coverage: dict[str, Coverage]
    normalised: dict[str, tuple[Array, Array]]


def fusion_result(folder: Path, project: Project, recording: str, progress: Progress) -> FusionResult:
    """Return the study of a recording, ready for drawing."""
    outages = project.fusion.outages
    with recorded(project) as (watched, reads):
        study = run(replace(request_for(folder, watched, recording), outages=outages), progress)
        judgement = judgement_of(study)
    if not outages and is_judged(study.loaded.info, project):
        keep(folder, judgement, reads)  # nobody need run the same again
    judged = study.judged
    motion = judged.replay.motion
    c = judged.comparison
    found = errors_of(motion, c) if motion is not None and c is not None and c.has_attitude else None
    return FusionResult(
        study,
        tuple(_curve(e) for e in study.estimates),
        _residuals(judged),
        channels(motion.innovations) if motion is not None else (),
        nees(found) if found is not None else (),
        coverages(found) if found is not None else {},
        _normalised(judged),
    )


def _normalised(e: Estimate) -> dict[str, tuple[Array, Array]]:
    if e.replay.motion is None:
        return {}
    innovations, out = e.replay.motion.innovations, {}
    for name in innovations.names:
        found = innovations.of(name)
        if len(found) > 8:
            step = max(1, len(found) // MOST_INNOVATIONS)
            out[name] = (found.t_s[::step], found.normalised[::step])
    return out


def _residuals(e: Estimate) -> tuple[Residuals, Residuals]:
    motion, out = e.replay.motion, e.replay.outputs
    if motion is not None:
        names = [
            ("Fixes", ("gnss north", "gnss east")),
            ("Heading", ("heading",)),
            ("Barometer", ("barometer",)),
            ("Range", ("range",)),
        ]
        found = []
        for title, members in names:
            part = motion.innovations.of(*members)
            if len(part):
                step = max(1, len(part) // MOST_INNOVATIONS)
                found.append(Residuals(title, part.t_s[::step], part.normalised[::step] ** 2, chi2_gate(1, 0.95)))
        nothing = Residuals("Innovations", np.zeros(0), np.zeros(0), 1.0)
        first, second = (*found, nothing, nothing)[:2]
        return first, second
    if not out.has_sigma:
        return Residuals("Gravity", np.zeros(0), np.zeros(0), 1.0), Residuals("Field", np.zeros(0), np.zeros(0), 1.0)
    rows = np.flatnonzero(np.isfinite(out.nis_acc) | np.isfinite(out.nis_mag))
    rows = rows[:: max(1, len(rows) // MOST_INNOVATIONS)]
    t = e.replay.t_s[rows]
    return (
        Residuals("Gravity", t, out.nis_acc[rows], chi2_gate(2, 0.95)),
        Residuals("Field", t, out.nis_mag[rows], chi2_gate(1, 0.95)),
    )


def _curve(e: Estimate) -> Curve:
    out, c = e.replay.outputs, e.comparison or e.against_smoother
    found = errors(c) or {}
    consistent = consistency(e)
    value = consistent["nees"]["mean"] if consistent["nees"] else None
    figures = {q.key: found.get(q.key) for q in QUANTITIES}
    figures |= {"nees": value, "x_real_time": (e.replay.t_s[-1] - e.replay.t_s[0]) / max(e.replay.elapsed_s, 1e-9)}
    if c is None:
        step = max(1, len(e.replay.t_s) // MOST_POINTS)
        return Curve(e.replay.estimator.title, e.replay.t_s[::step], {}, {}, out.q_nb[::step], None, figures)
    step = max(1, len(c.t_s) // MOST_POINTS)
    t = c.t_s[::step]
    # A height filter borrows its attitude: errors of that are not its own.
    own = [q for q in QUANTITIES if e.replay.estimator.gives != "height" or q.unit != "°"]
    figures |= {q.key: None for q in QUANTITIES if q not in own}
    series = {q.name: _shown(q, c, step) for q in own}
    return Curve(
        e.replay.estimator.title, t, {k: v for k, v in series.items() if v is not None}, _sigmas(e, t), c.estimate_q_nb[::step],
        c.reference_q_nb[::step] if c.has_attitude else None, figures,
    )  # fmt: skip


def _shown(q: Quantity, c: Comparison, step: int) -> Array | None:
    values = c.series(q.name)
    if values is None:
        return None
    return np.degrees(values[::step]) if q.unit == "°" else values[::step]


def _sigmas(e: Estimate, t: Array) -> dict[str, Array]:
    """Return claimed sigmas; of a quantity that joins axes, the root of their squares."""
    out: dict[str, Array] = {}
    if e.replay.outputs.has_sigma:
        sigma = np.degrees(
            np.stack([np.interp(t, e.replay.t_s, e.replay.outputs.sigma_rad[:, i]) for i in range(3)], axis=1)
        )
        out |= {"tilt": np.hypot(sigma[:, 0], sigma[:, 1]), "heading": sigma[:, 2]}
    motion = e.replay.motion
    if motion is not None and "position" in motion.key_sigmas:
        p, v = motion.sigma_at("position", t), motion.sigma_at("velocity", t)
        out["height"] = p[:, 2]
        if np.isfinite(p[:, 0]).any():
            out |= {"horizontal": np.hypot(p[:, 0], p[:, 1]), "velocity": np.linalg.norm(v, axis=1)}
    return out
