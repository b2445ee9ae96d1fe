"""The estimate that the maker's own firmware logged, judged like Fusus' own, and whether its claimed sigma was honest."""

import math
from typing import Any

import numpy as np

from fusus.core.analysis.comparison import Comparison, Track, compare
from fusus.core.analysis.statistics import coverage
from fusus.core.arrays import Array
from fusus.core.frames.quaternion import from_euler, to_euler
from fusus.core.judgement.verdicts import judge
from fusus.errors import AlignmentError
from fusus.logs.recording import Stream, load_stream
from fusus.study.fusion.run import Study
from fusus.study.fusion.summary import verdict
from fusus.study.plain import plain
from fusus.study.recording.references import track_of

# One sigma holds 68 % of normal errors; a claim is honest within these.
TOO_GOOD, TOO_MODEST = 0.5, 0.9
COVERED = {"roll": 2, "pitch": 1, "yaw": 0}


def board_report(study: Study) -> dict[str, Any] | None:
    """Return verdicts on the board's own estimate and how honest its sigmas were; None where it logged none, or nothing measures it."""
    request, reference = study.request, study.loaded.reference
    found = load_stream(request.folder, request.recording, "board")
    if found is None or reference is None:
        return None
    track = board_track(found)
    if track is None:
        return None
    try:
        c = compare(track, reference, request.align_time, request.align_yaw)
    except AlignmentError as error:
        return {"verdicts": [], "claims": [], "error": str(error)}
    first = float(study.loaded.given.t_s[0])
    verdicts = [
        verdict(
            judge(r, c) if r.quantity != "outage" else judge(r, None, "outages are tried on Fusus' own estimators"),
            first,
        )
        for r in request.project.brief.requirements
    ]
    return {"verdicts": verdicts, "claims": claims(found, c), "error": None}


def board_track(found: Stream) -> Track | None:
    """Return the board's estimate, from quaternion or from angles."""
    track = track_of(found, None)
    if found.has("q_w") or not found.has("roll_rad", "pitch_rad"):
        return track
    roll, pitch = found.matrix("roll_rad")[:, 0], found.matrix("pitch_rad")[:, 0]
    yaw = found.matrix("yaw_rad")[:, 0] if found.has("yaw_rad") else np.zeros(len(roll))
    q = from_euler(yaw, pitch, roll)
    good = np.isfinite(q).all(axis=1)
    return Track(found.t_s[good], q[good]) if good.sum() > 1 else track


def claims(found: Stream, c: Comparison) -> list[dict[str, Any]]:
    """Return, by claimed sigma, the share of errors within it and their size over it: 68 % and 1 are due."""
    out = []
    if c.has_attitude and found.has("sigma_roll_rad"):
        off = np.mod(to_euler(c.estimate_q_nb) - to_euler(c.reference_q_nb) + np.pi, 2 * np.pi) - np.pi
        for name, place in COVERED.items():
            if found.has(f"sigma_{name}_rad"):
                out.append(_claim(name, off[:, place], found, f"sigma_{name}_rad", c))
    for part, unit, values in (("pos", "m", c.pos), ("vel", "m_s", c.vel)):
        for i, axis in enumerate("ned"):
            column = f"sigma_{part}_{axis}_{unit}"
            if values is not None and found.has(column):
                out.append(
                    _claim(f"{'position' if part == 'pos' else 'velocity'} {axis}", values[:, i], found, column, c)
                )
    return [claim for claim in out if claim["ratio"] is not None]


def _claim(name: str, errors: Array, found: Stream, column: str, c: Comparison) -> dict[str, Any]:
    sigma = np.interp(c.t_s, found.t_s, found.matrix(column)[:, 0])
    held = coverage(errors, np.maximum(sigma, 1e-12))
    word = "honest"
    if math.isfinite(held.one):
        word = "too good" if held.one < TOO_GOOD else "too modest" if held.one > TOO_MODEST else "honest"
    result: dict[str, Any] = plain({"claim": name, "one_sigma": held.one, "ratio": held.ratio, "word": word})
    return result
