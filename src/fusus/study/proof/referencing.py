"""A declared reference as it comes out: what it covers, and its clock found from both records."""

from pathlib import Path
from typing import Any

import numpy as np

from fusus.core.analysis.comparison import Track, compare
from fusus.core.estimation.replay import run_estimator
from fusus.core.frames.clock import ClockMap
from fusus.errors import AlignmentError
from fusus.project.records import Project
from fusus.project.references import DeclaredReference, points_text
from fusus.study.plain import plain
from fusus.study.recording.loading import load


def aligned(folder: Path, project: Project, declared: DeclaredReference) -> DeclaredReference:
    """Return a declared reference with offset and rate of its clock found against the judged estimate; AlignmentError says why not."""
    loose = declared.model_copy(update={"clock_offset_s": 0.0, "clock_ppm": 0.0})
    others = tuple(r for r in project.proof.references if r.recording != declared.recording)
    proof = project.proof.model_copy(update={"references": (*others, loose)})
    loaded = load(folder, project.model_copy(update={"proof": proof}), declared.recording)
    if loaded.reference is None or loaded.reference.stretch is not None or loaded.reference.datum is not None:
        raise AlignmentError("Only a track has a clock to find; poses and places have the recording's own.")
    name = project.fusion.estimators[0]
    found = run_estimator(name, project.fusion.parameters_of(name), loaded.given, loaded.site)
    motion = found.motion
    track = Track(found.t_s, found.outputs.q_nb, motion.pos_n if motion else None, motion.vel_n if motion else None)
    # Both clocks may start anywhere: first lay one beginning on the other, so that records overlap.
    shift = float(loaded.reference.t_s[0] - track.t_s[0])
    laid = Track(
        loaded.reference.t_s - shift, loaded.reference.q_nb, loaded.reference.pos_n, loaded.reference.vel_n,
    )  # fmt: skip
    c = compare(track, laid, align_time=True)
    if c.alignment is None:
        raise AlignmentError(" ".join(c.notes) or "The clocks cannot be compared.")
    clock = c.alignment.clock
    return declared.model_copy(update={"clock_offset_s": clock.offset_s + shift, "clock_ppm": clock.drift * 1e6})


def declared_report(folder: Path, project: Project, recording: str) -> dict[str, Any]:
    """Return what ``fusus reference`` prints: what the recording is held against, and which part of it that covers."""
    declared = project.proof.declared(recording)
    loaded = load(folder, project, recording)
    track, first = loaded.reference, float(loaded.given.t_s[0])
    clock = ClockMap(declared.clock_offset_s, declared.clock_ppm * 1e-6) if declared else ClockMap(0.0, 0.0)
    tells = []
    if track is not None:
        if np.isfinite(track.q_nb).any():
            tells += [n for n in ("tilt", "heading") if n not in track.silent]
        if track.pos_n is not None:
            tells += ["place"] if np.isfinite(track.pos_n[:, :2]).any() else []
            tells += ["height"] if np.isfinite(track.pos_n[:, 2]).any() else []
        if track.vel_n is not None:
            tells.append("velocity" if np.isfinite(track.vel_n).all(axis=1).any() else "speed over ground")
    report: dict[str, Any] = plain(
        {
            "recording": recording, "reference": loaded.reference_is if track is not None else None,
            "kind": declared.kind if declared else "own", "tells": tells,
            "points": points_text(declared.points).split("; ") if declared and declared.points else [],
            "sigmas": dict(track.sigmas) if track is not None else {},
            "clock": {"offset_s": clock.offset_s, "ppm": clock.drift * 1e6},
            "covers_s": None if track is None else [float(track.t_s[0]) - first, float(track.t_s[-1]) - first],
            "rows": 0 if track is None else len(track.t_s),
            "stretches": None if track is None or track.stretch is None else int(track.stretch.max()) + 1,
        }
    )  # fmt: skip
    return report
