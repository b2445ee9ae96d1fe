"""How near an attitude is to another, and how well it follows its turns from sample to sample."""

import math
from dataclasses import dataclass

import numpy as np

from fusus.core.arrays import Array
from fusus.core.frames import quaternion
from fusus.firmware.own.motion import SHIVERS_RAD_S

# A sound filter follows the proving motion to this angle, and its corrections are so small a share of how the motion shivers.
GOOD_RAD, CORRECTIONS = math.radians(0.5), 0.2


@dataclass(frozen=True, slots=True)
class Score:
    """RMS angle (rad), and RMS of what its turns from sample to sample are off (rad/s)."""

    angle_rad: float
    turns_rad_s: float

    @property
    def total(self) -> float:
        """Both by what a sound filter leaves at most, together: 1.4 is as good as any."""
        return math.hypot(self.angle_rad / GOOD_RAD, self.turns_rad_s / (CORRECTIONS * SHIVERS_RAD_S))


def score(truth: Array, q_nb: Array, dt_s: Array) -> Score:
    """Return how far an attitude (N, 4) is off the true one; infinite where it is no attitude. Its length does not count."""
    angle = rms_angle(truth, q_nb)
    if not math.isfinite(angle):
        return Score(math.inf, math.inf)
    q = q_nb / np.linalg.norm(q_nb, axis=1)[:, None]
    off = _turn(_step(truth), _step(q)) / dt_s[1:, None]
    return Score(angle, float(np.sqrt(np.mean((off**2).sum(axis=1)))))


def _step(q: Array) -> Array:
    return quaternion.multiply(quaternion.conjugate(q[:-1]), q[1:])


def _turn(a: Array, b: Array) -> Array:
    """Return the turn from a to b, the short way round, as a rotation vector (N, 3)."""
    between = quaternion.multiply(quaternion.conjugate(a), b)
    vector = np.where(between[:, :1] < 0.0, -1.0, 1.0) * between[:, 1:]
    half = np.minimum(np.linalg.norm(vector, axis=1), 1.0)
    factor = np.where(half > 1e-9, 2.0 * np.arcsin(half) / np.maximum(half, 1e-12), 2.0)
    return np.asarray(vector * factor[:, None])


def rms_angle(a: Array, b: Array) -> float:
    """Return the RMS angle between two attitudes (N, 4), rad; infinite where the second is no attitude. Its length does not count."""
    with np.errstate(over="ignore", invalid="ignore"):  # foreign figures may be of any size
        size = np.linalg.norm(b, axis=1)
    if not len(b) or not np.isfinite(size).all() or (size < 1e-6).any():
        return math.inf
    return float(np.sqrt(np.mean((_turn(a, b / size[:, None]) ** 2).sum(axis=1))))
