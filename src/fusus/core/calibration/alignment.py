"""The rotation from one sensor's axes to the gyro's, from how a field direction turns while the board is turned.

Arrays, where a function does not say otherwise (shape, unit, frame):

    mag_t_s : (M,) s, any
    field : (M, 3) µT, s
    t_s : (N,) s, any
    gyro : (N, 3) rad/s, b
"""

import itertools
from dataclasses import dataclass

import numpy as np
from scipy.optimize import least_squares

from fusus.core.arrays import Array
from fusus.core.frames import quaternion

STEP_S = 0.25
LEAST_TURN_RAD = 0.05
# A gyro's own axes are square to within this, unless it was calibrated; common practice.
GYRO_CROSS_RAD = 0.006
CLEAR_RMS = 0.5  # of the turn that the gyro explains


@dataclass(frozen=True, slots=True)
class Alignment:
    """Rotation vector (3,) that takes the sensor's axes into the IMU's, with standard errors, and whether it is clear."""

    vector: Array
    sigma: Array
    residual_rad: float
    is_clear: bool

    @property
    def matrix(self) -> Array:
        """The rotation as a matrix (3, 3)."""
        return quaternion.to_matrix(quaternion.from_rotation_vector(self.vector))


def right_angle_rotations() -> Array:
    """Return the 24 rotations that take axes into axes, shape (24, 3, 3)."""
    out = []
    for order in itertools.permutations(range(3)):
        for signs in itertools.product((1.0, -1.0), repeat=3):
            r = np.zeros((3, 3))
            for row, (column, sign) in enumerate(zip(order, signs, strict=True)):
                r[row, column] = sign
            if np.linalg.det(r) > 0:
                out.append(r)
    return np.array(out)


def align_to_gyro(
    mag_t_s: Array, field: Array, t_s: Array, gyro: Array, cross_rad: float = GYRO_CROSS_RAD
) -> Alignment | None:
    """Return the alignment of a field sensor to the gyro, or None where nothing turned.

    The earth's field stands still: seen from the board it turns by the inverse of what the gyro integrates.
    """
    first, last = max(mag_t_s[0], t_s[0]), min(mag_t_s[-1], t_s[-1])
    grid = np.arange(first, last, STEP_S)
    if len(grid) < 20:
        return None
    u = field / np.maximum(np.linalg.norm(field, axis=1, keepdims=True), 1e-9)
    at = np.stack([np.interp(grid, mag_t_s, u[:, i]) for i in range(3)], axis=1)
    at /= np.maximum(np.linalg.norm(at, axis=1, keepdims=True), 1e-9)
    angle = np.concatenate([np.zeros((1, 3)), np.cumsum(0.5 * (gyro[1:] + gyro[:-1]) * np.diff(t_s)[:, None], axis=0)])
    turns = np.diff(np.stack([np.interp(grid, t_s, angle[:, i]) for i in range(3)], axis=1), axis=0)
    size = np.linalg.norm(turns, axis=1)
    moving = (size > LEAST_TURN_RAD) & (size < 1.0)
    if moving.sum() < 20:
        return None
    turns, before, after = turns[moving], at[:-1][moving], at[1:][moving]

    def gap(rotation: Array) -> Array:
        a, b = before @ rotation.T, after @ rotation.T
        back = quaternion.rotate(quaternion.from_rotation_vector(-turns), a)
        return np.asarray(b - back)

    candidates = right_angle_rotations()
    start = candidates[int(np.argmin([float((gap(r) ** 2).sum()) for r in candidates]))]

    def residuals(x: Array) -> Array:
        return gap(quaternion.to_matrix(quaternion.from_rotation_vector(x)) @ start).ravel()

    found = least_squares(residuals, np.zeros(3), loss="soft_l1", f_scale=0.02)
    rotation = quaternion.to_matrix(quaternion.from_rotation_vector(found.x)) @ start
    rest = gap(rotation)
    rms = float(np.sqrt((rest**2).sum(axis=1).mean()))
    turned = float(np.sqrt(((after - before) ** 2).sum(axis=1).mean()))
    jacobian = np.asarray(found.jac)
    # Three residuals a turn lie in the plane across the field, and neighbouring turns share a sample.
    variance = float((rest**2).sum()) / max(1, 2 * len(rest) - 3) * 2.0
    sigma = np.sqrt(np.diag(np.linalg.pinv(jacobian.T @ jacobian)) * variance + 0.5 * cross_rad**2)
    vector = quaternion.to_rotation_vector(quaternion.from_matrix(rotation))
    return Alignment(vector, sigma, rms, rms < CLEAR_RMS * turned)
