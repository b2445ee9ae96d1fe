"""Fits of an ellipsoid to field readings: algebraic start, then geometric least squares with a robust loss.

Reading m = A h + b of a field h of known size F: A symmetric, since a rotation of it cannot be told from the shape alone.

Arrays, where a function does not say otherwise (shape, unit, frame):

    m : (N, 3) µT, s
    algebraic_ellipsoid() : (3,) µT and (3, 3) 1/µT², s
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from scipy.linalg import eig
from scipy.optimize import least_squares

from fusus.core.arrays import Array
from fusus.core.calibration.regression import standard_errors

_UPPER = np.triu_indices(3)
# Beyond so many sigmas a sample counts by its size, not its square: wild ones cannot bend the fit, usual ones count in full.
ROBUST = 4.0


@dataclass(frozen=True, slots=True)
class EllipsoidFit:
    """``centre`` (3,), symmetric ``matrix`` (3, 3), their sigmas, the residual of |A⁻¹(m - b)| - F (N,), and its sigma."""

    centre: Array
    matrix: Array
    centre_sigma: Array
    matrix_sigma: Array
    radius: float
    residuals: Array
    condition: float

    def corrected(self, readings: Array) -> Array:
        """Return the field that readings (N, 3) stand for."""
        return np.asarray(np.linalg.solve(self.matrix, (readings - self.centre).T).T)


def algebraic_ellipsoid(m: Array) -> tuple[Array, Array] | None:
    """Return centre and shape Q, with (m - c)ᵀ Q (m - c) = 1, or None if the points show no ellipsoid.

    Q. Li & J. G. Griffiths, "Least squares ellipsoid specific fitting", GMP 2004: the constraint 4J - I² > 0 with k = 4.
    """
    middle, size = m.mean(axis=0), float(np.sqrt(m.var(axis=0).sum()))
    if size <= 0:
        return None
    x, y, z = ((m - middle) / size).T
    design = np.stack([x * x, y * y, z * z, 2 * y * z, 2 * x * z, 2 * x * y, 2 * x, 2 * y, 2 * z, np.ones_like(x)])
    s = design @ design.T
    s11, s12, s22 = s[:6, :6], s[:6, 6:], s[6:, 6:]
    c = np.zeros((6, 6))
    k = 4.0
    c[:3, :3] = k / 2.0 - 1.0
    np.fill_diagonal(c[:3, :3], -1.0)
    c[3:, 3:] = -k * np.eye(3)
    try:
        inner = np.linalg.solve(s22, s12.T)
        values, vectors = eig(np.linalg.solve(c, s11 - s12 @ inner))
    except np.linalg.LinAlgError:
        return None
    best = int(np.argmax(np.real(values)))
    u1 = np.real(vectors[:, best])
    u2 = -inner @ u1
    a = np.array([[u1[0], u1[5], u1[4]], [u1[5], u1[1], u1[3]], [u1[4], u1[3], u1[2]]])
    try:
        centre = -np.linalg.solve(a, u2[:3])
    except np.linalg.LinAlgError:
        return None
    level = centre @ a @ centre - u2[3]
    q = a / level
    if not np.isfinite(q).all() or np.linalg.eigvalsh(q).min() <= 0:
        return None
    return centre * size + middle, q / size**2


def fit_sphere(m: Array, radius: float | None) -> EllipsoidFit:
    """Return the fit with A = 1 (hard iron only); the radius is fitted where it is not known, and then A = radius / F."""
    start = np.linalg.lstsq(np.column_stack([2 * m, np.ones(len(m))]), (m**2).sum(axis=1), rcond=None)[0]
    size = float(np.sqrt(max(start[3] + start[:3] @ start[:3], 1e-12)))
    noise = _noise(np.linalg.norm(m - start[:3], axis=1) - size)

    def off(x: Array) -> Array:
        return np.asarray(np.linalg.norm(m - x[:3], axis=1) - x[3])

    found = least_squares(off, np.append(start[:3], size), loss="soft_l1", f_scale=ROBUST * noise)
    gap = off(found.x)
    sigmas, condition = _sigmas(found.x, m, off)
    truth = radius or float(found.x[3])
    scale = float(found.x[3]) / truth
    return EllipsoidFit(
        found.x[:3], np.eye(3) * scale, sigmas[:3], np.eye(3) * sigmas[3] / truth, truth, gap / scale, condition
    )


def fit_ellipsoid(m: Array, radius: float | None) -> EllipsoidFit | None:
    """Return the full fit, or None if the points show no ellipsoid.

    Where the field's size is not known, A has the determinant of one and the radius is what then comes out.
    """
    start = algebraic_ellipsoid(m)
    if start is None:
        return None
    centre, q = start
    values, vectors = np.linalg.eigh(q)
    axes = 1.0 / np.sqrt(values)  # half-axes in µT
    size = radius or float(np.prod(axes) ** (1 / 3))
    matrix = (vectors * axes) @ vectors.T / size

    def gap(x: Array) -> Array:
        a = _symmetric(x[:6])
        h = np.linalg.solve(a, (m - x[6:]).T).T
        return np.asarray(np.linalg.norm(h, axis=1) - size)

    first = np.concatenate([matrix[_UPPER], centre])
    noise = _noise(gap(first))
    found = least_squares(gap, first, loss="soft_l1", x_scale="jac", f_scale=ROBUST * noise)
    a = _symmetric(found.x[:6])
    if np.linalg.eigvalsh(a).min() <= 0:
        return None
    sigmas, condition = _sigmas(found.x, m, gap)
    spread = np.zeros((3, 3))
    spread[_UPPER] = sigmas[:6]
    spread = spread + np.triu(spread, 1).T
    if radius is None:
        factor = float(np.linalg.det(a) ** (1 / 3))
        return EllipsoidFit(
            found.x[6:], a / factor, sigmas[6:], spread / factor, size * factor, gap(found.x) * factor, condition
        )
    return EllipsoidFit(found.x[6:], a, sigmas[6:], spread, size, gap(found.x), condition)


def _symmetric(six: Array) -> Array:
    a = np.zeros((3, 3))
    a[_UPPER] = six
    return a + np.triu(a, 1).T


def _noise(residuals: Array) -> float:
    """Return the sigma of residuals by their median size, so that a tenth of wild samples does not count."""
    return max(1.4826 * float(np.median(np.abs(residuals - np.median(residuals)))), 1e-9)


def _sigmas(x: Array, m: Array, gap: Callable[[Array], Array]) -> tuple[Array, float]:
    """Return standard errors from the plain residuals' Jacobian (central differences) and its condition."""
    jacobian = np.empty((len(m), len(x)))
    for i in range(len(x)):
        step = 1e-6 * max(1.0, abs(float(x[i])))
        ahead, back = x.copy(), x.copy()
        ahead[i] += step
        back[i] -= step
        jacobian[:, i] = (gap(ahead) - gap(back)) / (2 * step)
    r = gap(x)
    # Huber's rule for robust fits: what lies in the tails counts neither as noise nor as knowledge.
    sigma = _noise(r)
    kept = np.abs(r) < 4 * sigma
    variance = float((r[kept] ** 2).sum()) / max(1, int(kept.sum()) - len(x))
    return standard_errors(jacobian, variance)
