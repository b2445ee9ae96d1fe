"""Compiled covariance steps of the 6-state filter: attitude error (body axes) and gyro bias.

Arrays, where a function does not say otherwise (shape, unit, frame):

    p : (6, 6) rad² and rad²/s², b
    h : (3, 6) any, b
    k : (6,) any, b
    x : (6,) rad and rad/s, b
"""

import math

from fusus.core._jit import kernel
from fusus.core.arrays import Array


@kernel
def predict(
    p: Array, rx: float, ry: float, rz: float, t: float, attitude_var: float, scale_var: float, walk_var: float
) -> None:
    """Carry P over ``t`` seconds in which the body turned by the rotation vector r.

    δθ' = Φ δθ - t δb + n with Φ = exp(-[r]x) (Solà 2017, eq. 269); ``walk_var`` is K² t, ``scale_var`` times the
    squared turn about an axis is what the scale error of that axis adds.
    """
    a2 = rx * rx + ry * ry + rz * rz
    a = math.sqrt(a2)
    s = 1.0 - a2 / 6.0 if a < 1e-3 else math.sin(a) / a
    c = 0.5 - a2 / 24.0 if a < 1e-3 else (1.0 - math.cos(a)) / a2
    m = 1.0 - c * a2
    f00, f01, f02 = m + c * rx * rx, s * rz + c * rx * ry, -s * ry + c * rx * rz
    f10, f11, f12 = -s * rz + c * rx * ry, m + c * ry * ry, s * rx + c * ry * rz
    f20, f21, f22 = s * ry + c * rx * rz, -s * rx + c * ry * rz, m + c * rz * rz
    # Rows of F P, where F = [[Φ, -t I], [0, I]]; the lower rows of P stay.
    for j in range(6):
        u0 = f00 * p[0, j] + f01 * p[1, j] + f02 * p[2, j] - t * p[3, j]
        u1 = f10 * p[0, j] + f11 * p[1, j] + f12 * p[2, j] - t * p[4, j]
        u2 = f20 * p[0, j] + f21 * p[1, j] + f22 * p[2, j] - t * p[5, j]
        p[0, j], p[1, j], p[2, j] = u0, u1, u2
    for i in range(6):
        u0 = p[i, 0] * f00 + p[i, 1] * f01 + p[i, 2] * f02 - t * p[i, 3]
        u1 = p[i, 0] * f10 + p[i, 1] * f11 + p[i, 2] * f12 - t * p[i, 4]
        u2 = p[i, 0] * f20 + p[i, 1] * f21 + p[i, 2] * f22 - t * p[i, 5]
        p[i, 0], p[i, 1], p[i, 2] = u0, u1, u2
    growth = attitude_var + walk_var * t * t / 3.0
    p[0, 0] += growth + scale_var * rx * rx
    p[1, 1] += growth + scale_var * ry * ry
    p[2, 2] += growth + scale_var * rz * rz
    for i in range(3):
        p[i, i + 3] -= 0.5 * walk_var * t
        p[i + 3, i] = p[i, i + 3]
        p[i + 3, i + 3] += walk_var
    for i in range(6):
        for j in range(i):
            mean = 0.5 * (p[i, j] + p[j, i])
            p[i, j], p[j, i] = mean, mean


@kernel
def project(p: Array, h: Array, k: Array) -> float:
    """Write P hᵀ to ``k`` and return h P hᵀ."""
    total = 0.0
    for i in range(6):
        row = 0.0
        for j in range(6):
            row += p[i, j] * h[j]
        k[i] = row
        total += h[i] * row
    return total


@kernel
def update(p: Array, h: Array, k: Array, r: float, y: float, x: Array) -> None:
    """Fold one scalar measurement in; x is the error found so far and gains K (y - h x); k is scratch.

    P - P hᵀ h P / s, written in pairs so that it stays symmetric; with r > 0 and scalars it also stays positive.
    """
    s = project(p, h, k) + r
    left = y
    for i in range(6):
        left -= h[i] * x[i]
    for i in range(6):
        x[i] += k[i] * left / s
        for j in range(i + 1):
            v = p[i, j] - k[i] * k[j] / s
            p[i, j], p[j, i] = v, v


@kernel
def update_beside(p: Array, h: Array, k: Array, r: float, y: float, x: Array, dx: float, dy: float, dz: float) -> None:
    """Fold one scalar measurement in as :func:`update` does, but for what it cannot show: the turn about an axis (unit, body axes).

    The gain along the axis is zero, and the covariance is that of such a gain, P - K h P - (K h P)ᵀ + K s Kᵀ (Joseph's form, written out):
    what is not known about the axis neither moves nor shrinks.
    """
    s = project(p, h, k) + r
    left = y
    for i in range(6):
        left -= h[i] * x[i]
    along = (k[0] * dx + k[1] * dy + k[2] * dz) / s
    for i in range(6):
        own = dx if i == 0 else dy if i == 1 else dz if i == 2 else 0.0
        gain = k[i] / s - along * own
        x[i] += gain * left
    for i in range(6):
        own_i = dx if i == 0 else dy if i == 1 else dz if i == 2 else 0.0
        gain_i = k[i] / s - along * own_i
        for j in range(i + 1):
            own_j = dx if j == 0 else dy if j == 1 else dz if j == 2 else 0.0
            gain_j = k[j] / s - along * own_j
            v = p[i, j] - gain_i * k[j] - k[i] * gain_j + gain_i * gain_j * s
            p[i, j], p[j, i] = v, v
