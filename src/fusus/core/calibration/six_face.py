"""Accelerometer from poses at rest: offset, scale and misalignment against gravity.

Reading r = M f + b of the true force f. With faces laid square the direction of f is known up to how square they were:
each face's two tilts are fitted too, held by that squareness, so that an unsquare face does not bend the scale. With many
free poses only the size of f is known (D. Tedaldi et al., ICRA 2014), and M is upper triangular: the gauge is the x axis.

Arrays, where a function does not say otherwise (shape, unit, frame):

    tilts : (2,) rad, s
    tilted_face() : (3,) 1, s
"""

from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import ArrayLike
from scipy.optimize import least_squares

from fusus.core.arrays import Array, as_samples, as_series
from fusus.core.calibration.poses import FACE_VECTORS, FACES, Pose, distinct, find_poses
from fusus.core.calibration.regression import standard_errors
from fusus.core.calibration.result import Calibration, CaptureProblem, judged, plain, refused
from fusus.core.calibration.screening import Found, screen

School = Literal["six faces", "five faces", "free poses"]
# Of a box with care on a table that was checked with a level: common practice. Opposite faces show how square they lay; what is assumed
# weighs as much as one of them.
SQUARE_RAD = np.radians(0.1)
BELIEF = 1.0
FLOOR_M_S2 = 3e-4  # 30 µg, the bias instability of a usual part
# Over the minute of a capture a bias drifts mostly as one: what all poses share moves the offset, the rest each pose.
SHARED, OWN = 0.9, 0.45
LEAST_FREE = 9
MOST_CONDITION = 1e3
WIDEST = 1.75  # where faces show nothing of how square they lay


@dataclass(frozen=True, slots=True)
class _Fit:
    offset: Array
    matrix: Array
    offset_sigma: Array
    matrix_sigma: Array
    condition: float
    tilt_rms_rad: float


def six_face(
    t_s: ArrayLike,
    gyro: ArrayLike,
    acc: ArrayLike,
    gravity_m_s2: float,
    school: School = "six faces",
    square_rad: float = float(SQUARE_RAD),
    floor_m_s2: float = FLOOR_M_S2,
) -> Calibration:
    """Return offset and matrix of an accelerometer.

    Parameters
    ----------
    t_s : array_like, (N,), s, any
        Times.
    gyro : array_like, (N, 3), rad/s, s
        Angular rate.
    acc : array_like, (N, 3), m/s^2, s
        Readings.
    gravity_m_s2 : float
        Gravity at the place.
    school : str
        Whether all six faces are asked for, five are enough, or the poses are free (nine at least).
    square_rad : float
        How square the faces lie, one sigma.
    floor_m_s2 : float
        What readings drift from pose to pose beside their noise.

    Returns
    -------
    Calibration
        ``offset_m_s2`` (3,), ``matrix`` (3, 3) with reading = matrix · force + offset, ``correction`` its inverse.
    """
    t, w, f = as_series(t_s, "t_s"), as_samples(gyro, "gyro", 3), as_samples(acc, "acc", 3)
    problems = screen(f, "accelerometer")
    poses = find_poses(t, w, f, floor_m_s2=OWN * floor_m_s2) if not problems else ()
    details = {"poses": poses}
    if not problems:
        problems += _of_poses(poses, school)
    fit = None
    if not any(w == "fail" and p.kind in ("moved", "few poses", "stuck", "too few samples") for w, p in problems):
        fit = _fit(poses, gravity_m_s2, school, square_rad)
    if fit is None:
        return refused("six-face", problems, details)
    fit = replace(fit, offset_sigma=np.hypot(fit.offset_sigma, SHARED * floor_m_s2))
    raw = np.array([p.mean for p in poses])
    fixed = (raw - fit.offset) @ np.linalg.inv(fit.matrix).T
    before, after = (float(np.sqrt(np.mean((np.linalg.norm(v, axis=1) - gravity_m_s2) ** 2))) for v in (raw, fixed))
    # Six faces leave nothing over: what the fit itself does not know of the offset counts as well.
    after = float(np.hypot(after, np.sqrt(np.mean(fit.offset_sigma**2))))
    details["residuals_m_s2"] = np.linalg.norm(fixed, axis=1) - gravity_m_s2
    details["before_m_s2"] = np.linalg.norm(raw, axis=1) - gravity_m_s2
    problems += _of_fit(fit, after)
    mg = 1e3 / 9.80665
    good = (
        f"{len(poses)} poses agree with gravity within {after * mg:.2f} mg ({before * mg:.1f} mg before); "
        f"offsets known to {fit.offset_sigma.max() * mg:.2f} mg."
    )
    word, reason, found = judged(problems, good)
    correction = np.linalg.inv(fit.matrix)
    spread = np.abs(correction) @ fit.matrix_sigma @ np.abs(correction)
    return Calibration(
        "six-face",
        {"offset_m_s2": plain(fit.offset), "matrix": plain(fit.matrix), "correction": plain(correction),
         "poses": float(len(poses)), "squareness_rad": fit.tilt_rms_rad},
        {"offset_m_s2": plain(fit.offset_sigma), "matrix": plain(fit.matrix_sigma), "correction": plain(spread),
         "poses": None, "squareness_rad": None},
        {"offset_m_s2": "m/s²", "matrix": "1", "correction": "1", "poses": "1", "squareness_rad": "rad"},
        {"gravity_rms_m_s2": before}, {"gravity_rms_m_s2": after}, fit.condition, word, reason, found, details,
    )  # fmt: skip


def _of_poses(poses: tuple[Pose, ...], school: School) -> Found:
    out: Found = []
    if not poses:
        out.append(("fail", CaptureProblem("moved", "The board never lay still.", "Lay it down for 3 s on each face.")))
        return out
    if school == "free poses":
        count = distinct(poses)
        if count < LEAST_FREE:
            out.append(
                (
                    "fail",
                    CaptureProblem("few poses", f"There are {count} different poses.", f"Hold at least {LEAST_FREE}."),
                )
            )
        return out
    covered = {p.face for p in poses if p.face is not None}
    missing = [FACES[i] for i in range(6) if i not in covered]
    if len(missing) > 1:
        words = f"{len(missing)} faces are missing: {', '.join(missing)}."
        out.append(("fail", CaptureProblem("few poses", words, "Hold each for 3 s; all six, or at least five.")))
    elif missing and school == "six faces":
        words = f"One face is missing: {missing[0]}."
        out.append(
            ("fail", CaptureProblem("face missing", words, "Add it; or choose the five-face school, which knows that axis less well."))
        )  # fmt: skip
    return out


def _of_fit(fit: _Fit, after: float) -> Found:
    out: Found = []
    scale = np.abs(np.diag(fit.matrix) - 1.0)
    if scale.max() > 0.2:
        axis = int(np.argmax(scale))
        words = f"The {'xyz'[axis]} axis reads {np.diag(fit.matrix)[axis]:.2f} of what is due."
        out.append(
            (
                "fail",
                CaptureProblem("scale", words, "Check the range that the part is set to, and the unit of the log."),
            )
        )
    if not np.isfinite(fit.condition) or fit.condition > MOST_CONDITION:
        out.append(
            ("fail", CaptureProblem("ill-conditioned", f"The poses are too much alike (condition {fit.condition:.0f}).",
                                    "Spread them over all directions."))
        )  # fmt: skip
    if after > 0.1 and scale.max() <= 0.2:
        out.append(
            ("fail", CaptureProblem("residual", f"Gravity still differs by {after / 9.80665e-3:.0f} mg between poses.",
                                    "Record again without touching the board; check for vibration."))
        )  # fmt: skip
    elif fit.tilt_rms_rad > np.radians(2.0):
        out.append(
            ("close", CaptureProblem("not square", f"The faces lay {np.degrees(fit.tilt_rms_rad):.1f}° off square.",
                                     "Use a box and a level surface: the cross-axis terms depend on it."))
        )  # fmt: skip
    if fit.offset_sigma.max() > 0.02:
        out.append(
            ("close", CaptureProblem("noisy", f"Offsets are known to {fit.offset_sigma.max() / 9.80665e-3:.1f} mg only.",
                                     "Hold each face longer, on something that does not shake."))
        )  # fmt: skip
    return out


def _fit(poses: tuple[Pose, ...], g: float, school: School, square_rad: float) -> _Fit | None:
    if school == "free poses":
        return _fit_free(poses, g)
    faced = tuple(p for p in poses if p.face is not None)
    return _fit_faces(faced, g, square_rad) if len({p.face for p in faced}) >= 5 else None


def tilted_face(face: int, tilts: ArrayLike) -> Array:
    """Return the unit vector of a face that was laid off square by two small angles in rad."""
    v = FACE_VECTORS[face]
    sides = np.delete(np.eye(3), int(np.argmax(np.abs(v))), axis=0)
    out = v + np.asarray(tilts, dtype=float) @ sides
    return np.asarray(out / np.linalg.norm(out))


def _fit_faces(poses: tuple[Pose, ...], g: float, square_rad: float) -> _Fit:
    raw, sigma = np.array([p.mean for p in poses]), np.array([p.sigma for p in poses])
    faces = [p.face or 0 for p in poses]
    n, held = len(poses), square_rad

    def residuals(x: Array) -> Array:
        matrix, offset, tilts = x[:9].reshape(3, 3), x[9:12], x[12:].reshape(n, 2)
        force = g * np.array([tilted_face(k, tilt) for k, tilt in zip(faces, tilts, strict=True)])
        return np.concatenate([((raw - force @ matrix.T - offset) / sigma).ravel(), tilts.ravel() / held])

    x = np.concatenate([np.eye(3).ravel(), np.zeros(3 + 2 * n)])
    for _ in range(3):  # each time with the squareness that the one before showed
        found = least_squares(residuals, x, method="lm", x_scale="jac")
        x = found.x
        free = max(0, 5 * n - len(x))
        held = float(np.sqrt((BELIEF * square_rad**2 + float(np.sum(x[12:] ** 2))) / (BELIEF + free)))
    sigmas, condition = standard_errors(np.asarray(found.jac))
    # A squareness from so few faces is itself uncertain: what rests on it spreads as Student's t does.
    freedom = BELIEF + free
    sigmas = sigmas * np.sqrt(freedom / (freedom - 2.0)) if freedom > 3.0 else sigmas * WIDEST
    matrix, spread = x[:9].reshape(3, 3), sigmas[:9].reshape(3, 3)
    # A lean that opposite faces have against each other shows nowhere, and shortens what both read by half its square.
    along = np.eye(3, dtype=bool)
    spread[along] = np.hypot(spread[along], 0.5 * held**2)
    return _Fit(
        x[9:12], np.where(along, matrix * (1.0 + 0.5 * held**2), matrix), sigmas[9:12], spread, condition,
        float(np.sqrt(np.mean(x[12:] ** 2))),
    )  # fmt: skip


def _fit_free(poses: tuple[Pose, ...], g: float) -> _Fit:
    raw = np.array([p.mean for p in poses])
    sigma = np.array([float(np.sqrt(np.mean(p.sigma**2))) for p in poses])
    upper = np.triu_indices(3)

    def unpack(x: Array) -> tuple[Array, Array]:
        matrix = np.zeros((3, 3))
        matrix[upper] = x[:6]
        return matrix, x[6:9]

    def residuals(x: Array) -> Array:
        matrix, offset = unpack(x)
        force = np.linalg.solve(matrix, (raw - offset).T).T
        return np.asarray((np.linalg.norm(force, axis=1) - g) / sigma)

    found = least_squares(residuals, np.concatenate([np.eye(3)[upper], np.zeros(3)]), method="lm", x_scale="jac")
    matrix, offset = unpack(found.x)
    sigmas, condition = standard_errors(np.asarray(found.jac))
    free = len(raw) - 9
    if free > 0:  # the floor of the noise may be larger than thought
        sigmas = sigmas * max(1.0, float(np.sqrt(2.0 * found.cost / free)))
    spread = np.zeros((3, 3))
    spread[upper] = sigmas[:6]
    return _Fit(offset, matrix, sigmas[6:9], spread, condition, 0.0)
