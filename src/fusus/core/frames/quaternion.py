"""Unit quaternions: Hamilton, scalar first; ``q_nb`` takes body vectors to north-east-down.

Conventions after Solà, *Quaternion kinematics for the error-state Kalman filter*, arXiv:1711.02508 (2017).
All functions take arrays of shape (..., 4) or (..., 3) and broadcast.

Arrays, where a function does not say otherwise (shape, unit, frame):

    p : (..., 4) 1, any
    q : (..., 4) 1, any
    v : (..., 3) any; a rotation vector rad, any
    matrix : (..., 3, 3) 1, any
    yaw : (...) rad, b to n
    pitch : (...) rad, b to n
    roll : (...) rad, b to n
    fraction : (...) 1, any
    t : (N,) s, any
    at : (K,) s, any
    multiply() : (..., 4) 1, any
    conjugate() : (..., 4) 1, any
    normalise() : (..., 4) 1, any
    rotate() : (..., 3) as v, any
    from_matrix() : (..., 4) 1, any
    from_rotation_vector() : (..., 4) 1, any
    to_rotation_vector() : (..., 3) rad, any
    from_euler() : (..., 4) 1, b to n
    to_euler() : (..., 3) rad, b to n
    slerp() : (..., 4) 1, any
"""

import numpy as np
from numpy.typing import ArrayLike

from fusus.core.arrays import Array

# Nearer to ±90° of pitch than this cosine, yaw and roll are one angle.
UPRIGHT = 1e-7


def multiply(p: ArrayLike, q: ArrayLike) -> Array:
    """Return the Hamilton product p ⊗ q (Solà eq. 13)."""
    a, b = np.asarray(p, dtype=float), np.asarray(q, dtype=float)
    aw, ax, ay, az = np.moveaxis(a, -1, 0)
    bw, bx, by, bz = np.moveaxis(b, -1, 0)
    return np.stack(
        [
            aw * bw - ax * bx - ay * by - az * bz,
            aw * bx + ax * bw + ay * bz - az * by,
            aw * by - ax * bz + ay * bw + az * bx,
            aw * bz + ax * by - ay * bx + az * bw,
        ],
        axis=-1,
    )


def conjugate(q: ArrayLike) -> Array:
    """Return the inverse rotation."""
    return np.asarray(np.asarray(q, dtype=float) * np.array([1.0, -1.0, -1.0, -1.0]))


def normalise(q: ArrayLike) -> Array:
    """Return unit quaternions with w >= 0; zero rows become NaN."""
    values = np.asarray(q, dtype=float)
    norm = np.linalg.norm(values, axis=-1, keepdims=True)
    with np.errstate(invalid="ignore", divide="ignore"):
        unit = values / np.where(norm > 0, norm, np.nan)
    return np.asarray(np.where(unit[..., :1] < 0, -unit, unit))


def rotate(q: ArrayLike, v: ArrayLike) -> Array:
    """Return R(q) v: with ``q_nb`` a body vector becomes a navigation vector."""
    q_, v_ = np.asarray(q, dtype=float), np.asarray(v, dtype=float)
    t = 2.0 * np.cross(q_[..., 1:], v_)
    return np.asarray(v_ + q_[..., :1] * t + np.cross(q_[..., 1:], t))


def to_matrix(q: ArrayLike) -> Array:
    """Return the direction cosine matrix, shape (..., 3, 3)."""
    w, x, y, z = np.moveaxis(np.asarray(q, dtype=float), -1, 0)
    rows = [
        [1 - 2 * (y * y + z * z), 2 * (x * y - w * z), 2 * (x * z + w * y)],
        [2 * (x * y + w * z), 1 - 2 * (x * x + z * z), 2 * (y * z - w * x)],
        [2 * (x * z - w * y), 2 * (y * z + w * x), 1 - 2 * (x * x + y * y)],
    ]
    return np.stack([np.stack(row, axis=-1) for row in rows], axis=-2)


def from_matrix(matrix: ArrayLike) -> Array:
    """Return the quaternion of direction cosine matrices of shape (..., 3, 3)."""
    m = np.asarray(matrix, dtype=float)
    # Shepperd 1978: start from the largest of the four squares, so that nothing small is divided by.
    xx, yy, zz = m[..., 0, 0], m[..., 1, 1], m[..., 2, 2]
    squares = np.stack([xx + yy + zz, xx - yy - zz, yy - xx - zz, zz - xx - yy], axis=-1)
    wx, wy, wz = m[..., 2, 1] - m[..., 1, 2], m[..., 0, 2] - m[..., 2, 0], m[..., 1, 0] - m[..., 0, 1]
    xy, xz, yz = m[..., 1, 0] + m[..., 0, 1], m[..., 2, 0] + m[..., 0, 2], m[..., 2, 1] + m[..., 1, 2]
    s = 1.0 + squares
    candidates = np.stack(
        [
            np.stack([s[..., 0], wx, wy, wz], axis=-1),
            np.stack([wx, s[..., 1], xy, xz], axis=-1),
            np.stack([wy, xy, s[..., 2], yz], axis=-1),
            np.stack([wz, xz, yz, s[..., 3]], axis=-1),
        ],
        axis=-2,
    )
    best = np.argmax(squares, axis=-1)[..., None, None]
    return normalise(np.take_along_axis(candidates, best, axis=-2)[..., 0, :])


def from_rotation_vector(v: ArrayLike) -> Array:
    """Return exp(v/2): the rotation by |v| rad about v."""
    v_ = np.asarray(v, dtype=float)
    half = 0.5 * np.linalg.norm(v_, axis=-1, keepdims=True)
    return np.concatenate([np.cos(half), 0.5 * np.sinc(half / np.pi) * v_], axis=-1)


def to_rotation_vector(q: ArrayLike) -> Array:
    """Return the rotation vector, rad, of the short way round."""
    unit = normalise(q)
    sine = np.linalg.norm(unit[..., 1:], axis=-1, keepdims=True)
    angle = 2.0 * np.arctan2(sine, unit[..., :1])
    factor = np.where(sine > 1e-12, angle / np.where(sine > 1e-12, sine, 1.0), 2.0)
    return np.asarray(unit[..., 1:] * factor)


def from_euler(yaw: ArrayLike, pitch: ArrayLike, roll: ArrayLike) -> Array:
    """Return the quaternion of yaw, pitch, roll in rad (z-y'-x'')."""
    y, p, r = (0.5 * np.asarray(a, dtype=float) for a in (yaw, pitch, roll))
    cy, sy, cp, sp, cr, sr = np.cos(y), np.sin(y), np.cos(p), np.sin(p), np.cos(r), np.sin(r)
    return np.stack(
        [
            cr * cp * cy + sr * sp * sy,
            sr * cp * cy - cr * sp * sy,
            cr * sp * cy + sr * cp * sy,
            cr * cp * sy - sr * sp * cy,
        ],
        axis=-1,
    )


def to_euler(q: ArrayLike) -> Array:
    """Return yaw (0..2π), pitch (±π/2), roll (±π) in rad, last axis of length 3.

    At ±90° pitch only yaw ∓ roll is determined: there roll is zero, and yaw is all of it.
    """
    w, x, y, z = np.moveaxis(np.asarray(q, dtype=float), -1, 0)
    ahead_n, ahead_e = 1 - 2 * (y * y + z * z), 2 * (w * z + x * y)
    level = np.hypot(ahead_n, ahead_e)
    # By both sides of the triangle: an arcsine loses half of its places near ±90°.
    pitch = np.arctan2(2 * (w * y - x * z), level)
    upright = level < UPRIGHT
    both = 2 * np.arctan2(x, w)
    yaw = np.where(upright, np.where(pitch > 0, -both, both), np.arctan2(ahead_e, ahead_n))
    roll = np.where(upright, 0.0, np.arctan2(2 * (w * x + y * z), 1 - 2 * (x * x + y * y)))
    return np.stack([np.mod(yaw, 2 * np.pi), pitch, roll], axis=-1)


def slerp(p: ArrayLike, q: ArrayLike, fraction: ArrayLike) -> Array:
    """Return the attitude ``fraction`` of the short way from p to q (Shoemake 1985)."""
    step = to_rotation_vector(multiply(conjugate(p), q))
    return multiply(p, from_rotation_vector(np.asarray(fraction, dtype=float)[..., None] * step))


def interpolate(t: ArrayLike, q: ArrayLike, at: ArrayLike) -> Array:
    """Return attitudes at the times ``at`` by slerp between the rows of q, shape (N, 4), at the rising times t."""
    t_, q_, at_ = np.asarray(t, dtype=float), np.asarray(q, dtype=float), np.asarray(at, dtype=float)
    right = np.clip(np.searchsorted(t_, at_, side="right"), 1, len(t_) - 1)
    span = t_[right] - t_[right - 1]
    fraction = np.clip((at_ - t_[right - 1]) / np.where(span > 0, span, 1.0), 0.0, 1.0)
    return slerp(q_[right - 1], q_[right], fraction)


def body_rates(t: ArrayLike, q: ArrayLike) -> Array:
    """Return the mean body rate, rad/s, between each row of q, shape (N, 4), and the next: shape (N - 1, 3)."""
    q_ = np.asarray(q, dtype=float)
    step = to_rotation_vector(multiply(conjugate(q_[:-1]), q_[1:]))
    return np.asarray(step / np.diff(np.asarray(t, dtype=float))[:, None])
