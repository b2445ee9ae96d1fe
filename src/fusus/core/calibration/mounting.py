"""How the board sits in the craft, from three motions by hand: right side down, nose up, nose to the right.

Each motion turns the craft about one of its own axes; the gyro shows about which of its axes that was. The best of the 24
right-angle rotations is chosen, then made fine by Wahba's problem (F. L. Markley, J. Astronaut. Sci. 36, 1988) with the
gravity of the level rests, which a hand does not blur.

Arrays, where a function does not say otherwise (shape, unit, frame):

    t : (N,) s, any
    gyro : (N, 3) rad/s, b
    r : (3, 3) 1, s to b
"""

import itertools
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import ArrayLike
from scipy.spatial.transform import Rotation

from fusus.core.arrays import Array, as_samples, as_series
from fusus.core.calibration.alignment import right_angle_rotations
from fusus.core.calibration.result import Calibration, CaptureProblem, judged, plain, refused
from fusus.core.calibration.screening import Found, screen
from fusus.core.calibration.stillness import Span, still_spans
from fusus.core.frames import quaternion

MOTIONS = ("right side down", "nose up", "nose to the right")
LEAST_TURN_RAD = np.radians(12.0)
HAND_RAD = np.radians(4.0)  # how well a hand turns about one axis, one sigma; common practice
LEVEL_RAD = np.radians(0.7)
BELIEF = 8.0
GOOD_MARGIN, GOOD_SCORE = 0.5, 0.85


@dataclass(frozen=True, slots=True)
class Motion:
    """One motion: from when to when, and the rotation vector (3,) in sensor axes at its widest, rad."""

    start_s: float
    end_s: float
    vector: Array


def mounting(t_s: ArrayLike, gyro: ArrayLike, acc: ArrayLike, level_rad: float = float(LEVEL_RAD)) -> Calibration:
    """Return the rotation from the board's axes to the craft's.

    Parameters
    ----------
    t_s : array_like, (N,), s, any
        Times.
    gyro : array_like, (N, 3), rad/s, s
        Angular rate.
    acc : array_like, (N, 3), m/s^2, s
        Readings: a rest in the craft's level pose, then the three motions in this order, each from rest to rest.
    level_rad : float
        How level the first rest is as the accelerometer sees it, one sigma: the table, and the offset it still has.

    Returns
    -------
    Calibration
        ``rotation`` (3, 3) with body = rotation · sensor, ``fine_rad`` (3,) the rotation vector on top of the nearest
        right-angle one, ``yaw_pitch_roll_deg`` of the whole, ``score`` and ``runner_up`` (one is perfect).
    """
    t, w, f = as_series(t_s, "t_s"), as_samples(gyro, "gyro", 3), as_samples(acc, "acc", 3)
    problems = screen(w, "gyro")
    rests = still_spans(t, w, f, 0.45) if not problems else ()
    motions = find_motions(t, w, rests) if rests else ()
    details: dict[str, Any] = {"rests": rests, "motions": motions}
    if not problems:
        problems += _of_motions(rests, motions)
    if problems:
        return refused("mounting", problems, details)
    seen = np.array([m.vector / np.linalg.norm(m.vector) for m in motions])
    up = f[rests[0].rows].mean(axis=0)
    up = up / np.linalg.norm(up)
    candidates = right_angle_rotations()
    # Mean cosine of the three motions and of gravity with where they ought to point.
    scores = np.array([(np.trace(r @ seen.T) - r[2] @ up) / 4.0 for r in candidates])
    order = np.argsort(-scores)
    best = candidates[order[0]]
    score, runner_up = float(scores[order[0]]), float(scores[order[1]])
    fine, sigma, residual = _fine(best, seen, up, level_rad)
    whole = quaternion.to_matrix(quaternion.from_rotation_vector(fine)) @ best
    problems += _of_scores(score, runner_up, fine)
    words = axes_in_words(best)
    good = f"{words}; fit {score:.2f}, the next best rotation {runner_up:.2f}; fine angles {np.degrees(np.linalg.norm(fine)):.1f}°."
    word, reason, found = judged(problems, good)
    yaw, pitch, roll = np.degrees(quaternion.to_euler(quaternion.from_matrix(whole)))
    before = float(np.degrees(np.arccos(np.clip((np.trace(seen.T) - up[2]) / 4.0, -1, 1))))
    after = float(np.degrees(residual))
    details |= {"right_angle": best, "words": words, "seen": seen, "scores": scores[order]}
    return Calibration(
        "mounting",
        {"rotation": plain(whole), "fine_rad": plain(fine), "yaw_pitch_roll_deg": [float(yaw), float(pitch), float(roll)],
         "score": score, "runner_up": runner_up, "margin": score - runner_up},
        {"rotation": None, "fine_rad": plain(sigma), "yaw_pitch_roll_deg": None, "score": None, "runner_up": None, "margin": None},
        {"rotation": "1", "fine_rad": "rad", "yaw_pitch_roll_deg": "deg", "score": "1", "runner_up": "1", "margin": "1"},
        {"misfit_deg": before}, {"misfit_deg": after}, None, word, reason, found, details,
    )  # fmt: skip


def find_motions(t: Array, gyro: Array, rests: tuple[Span, ...]) -> tuple[Motion, ...]:
    """Return the motions between rests whose widest turn is large enough; the gyro's bias is that of the rests."""
    if len(rests) < 2:
        return ()
    bias = np.mean([gyro[r.rows].mean(axis=0) for r in rests], axis=0)
    out: list[Motion] = []
    for a, b in itertools.pairwise(rests):
        rows = slice(a.last - 1, b.first + 1)
        vector = _widest(t[rows], gyro[rows] - bias)
        if np.linalg.norm(vector) >= LEAST_TURN_RAD:
            if out and _undoes(out[-1].vector, vector):
                continue  # the way back, after a rest at the far end
            out.append(Motion(a.end_s, b.start_s, vector))
    return tuple(out)


def _undoes(first: Array, second: Array) -> bool:
    cosine = float(first @ second / (np.linalg.norm(first) * np.linalg.norm(second)))
    return bool(cosine < -0.85 and 0.6 < np.linalg.norm(second) / np.linalg.norm(first) < 1.6)


def _widest(t: Array, rate: Array) -> Array:
    """Return the rotation vector from the start to where the turn is widest."""
    angle = np.concatenate([np.zeros((1, 3)), np.cumsum(0.5 * (rate[1:] + rate[:-1]) * np.diff(t)[:, None], axis=0)])
    # Steps of some 20 ms: by hand the axis does not turn within them.
    every = max(1, round(0.02 / max(float(np.median(np.diff(t))), 1e-6))) if len(t) > 1 else 1
    steps = Rotation.from_rotvec(np.diff(np.concatenate([angle[::every], angle[-1:]]), axis=0))
    now, widest = Rotation.identity(), np.zeros(3)
    size = 0.0
    for step in steps:
        now = now * step
        turned = float(now.magnitude())
        if turned > size:
            size, widest = turned, now.as_rotvec()
    return np.asarray(widest)


def _fine(best: Array, seen: Array, up: Array, level_rad: float) -> tuple[Array, Array, float]:
    """Return the small rotation on top of ``best``, its sigma (both (3,), body axes, rad), and the misfit in rad.

    The noise of the hand is taken from the motions' own misfit, weighed with what hands usually do.
    """
    targets = np.vstack([np.eye(3), [0.0, 0.0, -1.0]])
    turned = np.vstack([seen, up]) @ best.T
    hand = HAND_RAD
    fine, covariance, rest = np.zeros(3), np.eye(3), np.zeros(4)
    for _ in range(3):
        weights = np.array([1.0 / hand**2] * 3 + [1.0 / level_rad**2])
        found, _ = Rotation.align_vectors(targets, turned, weights=weights)
        fine = found.as_rotvec()
        information = sum(k * (np.eye(3) - np.outer(v, v)) for k, v in zip(weights, targets, strict=True))
        covariance = np.linalg.inv(information)
        rest = np.linalg.norm(np.cross(found.apply(turned), targets), axis=1)
        free = 2 * 3 - 1.0  # level settles two of the three angles
        hand = float(np.sqrt((BELIEF * HAND_RAD**2 + (rest[:3] ** 2).sum()) / (BELIEF + free)))
    return np.asarray(fine), np.asarray(np.sqrt(np.diag(covariance))), float(np.sqrt(np.mean(rest**2)))


def axes_in_words(r: Array) -> str:
    """Return how the board sits, in words, from a right-angle rotation body = r · sensor."""
    names = (("nose", "tail"), ("right", "left"), ("down", "up"))
    parts = []
    for column, letter in enumerate("xyz"):
        row = int(np.argmax(np.abs(r[:, column])))
        parts.append(f"{letter} {names[row][0 if r[row, column] > 0 else 1]}")
    return "The board's axes point: " + ", ".join(parts)


def _of_motions(rests: tuple[Span, ...], motions: tuple[Motion, ...]) -> Found:
    order = f"Rest, then {MOTIONS[0]}, {MOTIONS[1]}, {MOTIONS[2]}, with a rest of a second before and after each."
    if len(rests) < 2:
        return [("fail", CaptureProblem("no rests", f"There are {len(rests)} rests.", order))]
    if not motions:
        return [("fail", CaptureProblem("no rotation", "Nothing was turned.", order))]
    if len(motions) != 3:
        return [("fail", CaptureProblem("motions", f"{len(motions)} motions were seen instead of three.", order))]
    return []


def _of_scores(score: float, runner_up: float, fine: Array) -> Found:
    out: Found = []
    if score < GOOD_SCORE * 0.85 or score - runner_up < 0.4 * GOOD_MARGIN:
        out.append(
            ("fail", CaptureProblem("unclear", f"The motions fit no rotation well ({score:.2f}, the next {runner_up:.2f}).",
                                    "Do the three motions again, one axis at a time, in this order: " + ", ".join(MOTIONS) + "."))
        )  # fmt: skip
    elif score < GOOD_SCORE or score - runner_up < 0.7 * GOOD_MARGIN:
        out.append(
            ("close", CaptureProblem("sloppy", f"The motions fit with {score:.2f} (one is perfect).", "Turn about one axis at a time."))
        )  # fmt: skip
    if np.linalg.norm(fine) > np.radians(15):
        out.append(
            ("close", CaptureProblem("askew", f"The board sits {np.degrees(np.linalg.norm(fine)):.0f}° off square.",
                                     "Mount it square, or do the motions again to be sure."))
        )  # fmt: skip
    return out
