"""Poses of a capture: the stretches at rest, what the accelerometer read in each, and which face was up.

Arrays, where a function does not say otherwise (shape, unit, frame):

    reading : (3,) m/s^2, s
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from fusus.core.arrays import Array, as_samples, as_series
from fusus.core.calibration.stillness import Span, still_spans

# Which axis reads +g is what points up. Body axes forward-right-down: level means that z reads -g.
FACES = ("nose up", "nose down", "right side up", "left side up", "upside down", "level")
FACE_VECTORS = np.array([[1.0, 0, 0], [-1, 0, 0], [0, 1, 0], [0, -1, 0], [0, 0, 1], [0, 0, -1]])
NEAR_FACE_RAD = np.radians(20.0)
SAME_POSE_RAD = np.radians(4.0)


@dataclass(frozen=True, slots=True)
class Pose:
    """One pose: when, the mean reading (3,) m/s², its noise as sigma of the mean (3,), the face that was up or None."""

    span: Span
    mean: Array
    sigma: Array
    gyro_mean: Array
    face: int | None
    off_rad: float


def nearest_face(reading: ArrayLike) -> tuple[int, float]:
    """Return the face that a reading of gravity shows, and the angle from it in rad."""
    v = np.asarray(reading, dtype=float)
    size = float(np.linalg.norm(v))
    cosines = FACE_VECTORS @ v / max(size, 1e-12)
    best = int(np.argmax(cosines))
    return best, float(np.arccos(np.clip(cosines[best], -1.0, 1.0)))


def find_poses(
    t_s: ArrayLike, gyro: ArrayLike, acc: ArrayLike, least_s: float = 1.0, floor_m_s2: float = 0.0
) -> tuple[Pose, ...]:
    """Return the poses in a capture.

    Parameters
    ----------
    t_s : array_like, (N,), s, any
        Times.
    gyro : array_like, (N, 3), rad/s, s
        Angular rate.
    acc : array_like, (N, 3), m/s^2, s
        Readings.
    least_s : float
        Shortest rest.
    floor_m_s2 : float
        What the readings drift between poses beside their noise.

    Returns
    -------
    tuple of Pose
        In the order of time.
    """
    t, w, f = as_series(t_s, "t_s"), as_samples(gyro, "gyro", 3), as_samples(acc, "acc", 3)
    step = np.array([_smallest_step(f[:, i]) for i in range(3)])
    out = []
    for span in still_spans(t, w, f, least_s):
        v = f[span.rows]
        variance = v.var(axis=0, ddof=1)
        # Where the noise is finer than a count, the mean cannot be better than the rounding.
        rounding = np.where(variance < step**2 / 4.0, step**2 / 12.0, 0.0)
        sigma = np.sqrt(variance / len(v) + rounding + floor_m_s2**2)
        mean = v.mean(axis=0)
        face, off = nearest_face(mean)
        out.append(Pose(span, mean, sigma, w[span.rows].mean(axis=0), face if off < NEAR_FACE_RAD else None, off))
    return tuple(out)


def distinct(poses: tuple[Pose, ...]) -> int:
    """Return how many poses differ in direction."""
    kept: list[Array] = []
    for p in poses:
        direction = p.mean / max(float(np.linalg.norm(p.mean)), 1e-12)
        if all(float(np.dot(direction, k)) < np.cos(SAME_POSE_RAD) for k in kept):
            kept.append(direction)
    return len(kept)


def _smallest_step(values: Array) -> float:
    """Return the converter's step as the smallest difference that the first values show."""
    levels = np.unique(values[:2000])
    return float(np.diff(levels).min()) if len(levels) > 1 else 0.0
