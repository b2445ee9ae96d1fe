"""Fits of an ellipsoid to field readings: least squares of the distance to it, with a robust loss.

Reading m = A h + b of a field h of known size F: A symmetric, since a rotation of it cannot be told from the shape alone. Fitted is
its inverse W, with h = W (m - b).

What is made small is the distance of the readings from the ellipsoid, (|h| - F) / |W u| with u = h / |h|, in the readings' own unit: a
residual in the corrected unit would be smallest for a shape that shrinks them. Noise across the surface lengthens |h| by
σ²/2 (tr W² - |W u|²) / |h| in the mean, σ²/F for a sphere (second order of the Taylor series); it is taken off. On a part of the sphere
these are several standard errors: they bend the fit to the side.

Arrays, where a function does not say otherwise (shape, unit, frame):

    m : (N, 3) µT, s
    algebraic_ellipsoid() : (3,) µT and (3, 3) 1/µT², s
    x : (9,) 1 and µT, s
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from scipy.linalg import eig
from scipy.optimize import least_squares

from fusus.core.arrays import Array

_UPPER = np.triu_indices(3)
_ON_DIAGONAL = [0, 3, 5]
# Beyond so many sigmas a sample counts by its size, not its square: wild ones cannot bend the fit, usual ones count in full.
ROBUST = 4.0
# One sigma of soft iron beforehand, as a share: readings that show a shape decide, and where they do not it stays near a sphere.
SOFT_IRON = 0.1
ROUNDS = 3  # of noise from residuals, and residuals from noise
MOST_STEPS = 60


@dataclass(frozen=True, slots=True)
class EllipsoidFit:
    """``centre`` (3,), symmetric ``matrix`` (3, 3), its inverse, their sigmas, distances from the ellipsoid (N,), µT.

    ``shown``: how much of the shape the readings show, 0 to 1: of the shape's least known direction, against what was assumed.
    ``converged``: whether the fit came to its end.
    """

    centre: Array
    matrix: Array
    centre_sigma: Array
    matrix_sigma: Array
    radius: float
    residuals: Array
    condition: float
    inverse_sigma: Array
    shown: float = 1.0
    converged: bool = True

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
    x, noise = np.append(start[:3], size), 0.0

    def off(y: Array) -> Array:
        distance = np.linalg.norm(m - y[:3], axis=1)
        return np.asarray(distance - y[3] - noise**2 / max(abs(float(y[3])), 1e-9))

    converged = True
    for _ in range(ROUNDS):
        noise = _noise(off(x))
        found = least_squares(off, x, loss="soft_l1", x_scale="jac", f_scale=ROBUST * noise, max_nfev=MOST_STEPS)
        x, converged = found.x, found.status > 0
    sigmas, condition = _sigmas(x, off, np.zeros((0, 4)))
    truth = radius or float(x[3])
    scale = float(x[3]) / truth
    spread = np.eye(3) * sigmas[3] / truth
    return EllipsoidFit(
        x[:3], np.eye(3) * scale, sigmas[:3], spread, truth, off(x), condition, spread / scale**2, 1.0, converged
    )


def fit_ellipsoid(m: Array, radius: float | None) -> EllipsoidFit | None:
    """Return the full fit, or None if the readings show none.

    Where the field's size is not known, A has the determinant of one and the radius is what then comes out.
    """
    x, size = _start(m, radius)
    noise = 0.0

    def distance(y: Array) -> Array:
        w = _symmetric(y[:6])
        h = (m - y[6:]) @ w
        length = np.maximum(np.linalg.norm(h, axis=1), 1e-9)
        slope = ((h / length[:, None]) @ w) ** 2
        steep = np.maximum(slope.sum(axis=1), 1e-18)
        lengthened = 0.5 * noise**2 * (float((w**2).sum()) - steep) / length
        return np.asarray((length - size - lengthened) / np.sqrt(steep))

    def whole(y: Array) -> Array:
        # The prior is scaled to the loss, so that its rows count as so many sigmas of it too.
        return np.concatenate([distance(y), noise * _unlike_a_sphere(y)])

    converged = True
    for _ in range(ROUNDS):
        noise = _noise(distance(x))
        found = least_squares(whole, x, loss="soft_l1", x_scale="jac", f_scale=ROBUST * noise, max_nfev=MOST_STEPS)
        x, converged = found.x, found.status > 0
    w = _symmetric(x[:6])
    if np.linalg.eigvalsh(w).min() <= 0:
        return None
    return _found(x, size, distance, radius is None, converged)


def _start(m: Array, radius: float | None) -> tuple[Array, float]:
    """Return where the full fit begins, and the field's size: the algebraic ellipsoid if it is near a sphere, else the sphere."""
    start = algebraic_ellipsoid(m)
    if start is not None:
        values, vectors = np.linalg.eigh(start[1])
        axes = 1.0 / np.sqrt(values)  # half-axes in µT
        if axes.max() < 2.0 * axes.min():
            size = radius or float(np.prod(axes) ** (1 / 3))
            return np.concatenate([((vectors / axes) @ vectors.T * size)[_UPPER], start[0]]), size
    sphere = fit_sphere(m, radius)
    return np.concatenate([np.linalg.inv(sphere.matrix)[_UPPER], sphere.centre]), sphere.radius


def _unlike_a_sphere(x: Array) -> Array:
    """Return by how many sigmas of usual soft iron each of the six entries departs from those of a sphere."""
    w = x[:6]
    diagonal = w[_ON_DIAGONAL]
    mean = float(diagonal.mean())
    out = w / (SOFT_IRON * max(abs(mean), 1e-9))
    out[_ON_DIAGONAL] = (diagonal - mean) / (SOFT_IRON * max(abs(mean), 1e-9))
    return np.asarray(out)


def _found(x: Array, size: float, distance: Callable[[Array], Array], free: bool, converged: bool) -> EllipsoidFit:
    """Return the fit at its end, with the errors of A from those of W: dA = -A dW A."""
    prior = _jacobian(_unlike_a_sphere, x)
    covariance, condition, shown = _covariance(x, distance, prior)
    w = _symmetric(x[:6])
    a = np.asarray(np.linalg.inv(w), dtype=float)
    turned = np.zeros((6, 6))
    for k in range(6):
        one = np.zeros(6)
        one[k] = 1.0
        turned[:, k] = -(a @ _symmetric(one) @ a)[_UPPER]
    of_a = turned @ covariance[:6, :6] @ turned.T
    of_w = covariance[:6, :6]
    factor = float(np.linalg.det(a) ** (1 / 3)) if free else 1.0
    if free:
        # With the determinant fixed, what scales all entries alike is no error of the shape.
        of_a, of_w = _without_scale(of_a, a), _without_scale(of_w, w)
    spread, inverse = (_symmetric(np.sqrt(np.maximum(np.diag(c), 0.0))) for c in (of_a, of_w))
    return EllipsoidFit(
        x[6:], a / factor, np.sqrt(np.diag(covariance)[6:]), spread / factor, size * factor, distance(x), condition,
        inverse * factor, shown, converged,
    )  # fmt: skip


def _without_scale(covariance: Array, a: Array) -> Array:
    """Return the covariance of the entries of A / det(A)^(1/3), times that factor squared."""
    gradient = np.linalg.inv(a) * (2.0 - np.eye(3))  # of ln det by the six entries
    turn = np.eye(6) - np.outer(a[_UPPER], gradient[_UPPER]) / 3.0
    return np.asarray(turn @ covariance @ turn.T)


def _symmetric(six: Array) -> Array:
    a = np.zeros((3, 3))
    a[_UPPER] = six
    return a + np.triu(a, 1).T


def _noise(residuals: Array) -> float:
    """Return the sigma of residuals by their median size, so that a tenth of wild samples does not count."""
    return max(1.4826 * float(np.median(np.abs(residuals - np.median(residuals)))), 1e-9)


def _jacobian(gap: Callable[[Array], Array], x: Array) -> Array:
    """Return derivatives by central differences."""
    columns = []
    for i in range(len(x)):
        step = 1e-6 * max(1.0, abs(float(x[i])))
        ahead, back = x.copy(), x.copy()
        ahead[i] += step
        back[i] -= step
        columns.append((gap(ahead) - gap(back)) / (2 * step))
    return np.stack(columns, axis=1)


def _variance(r: Array, parameters: int) -> float:
    """Return the variance of residuals by Huber's rule for robust fits: what lies in the tails counts neither as noise nor as
    knowledge."""
    kept = np.abs(r) < 4 * _noise(r)
    return float((r[kept] ** 2).sum()) / max(1, int(kept.sum()) - parameters)


def _sigmas(x: Array, gap: Callable[[Array], Array], prior: Array) -> tuple[Array, float]:
    """Return standard errors and the condition."""
    covariance, condition, _ = _covariance(x, gap, prior)
    return np.sqrt(np.diag(covariance)), condition


def _covariance(x: Array, gap: Callable[[Array], Array], prior: Array) -> tuple[Array, float, float]:
    """Return the covariance of what was fitted, its condition, and how much of the prior's directions the readings show."""
    jacobian = _jacobian(gap, x) / np.sqrt(_variance(gap(x), len(x)))
    both = np.vstack([jacobian, prior])
    scale = np.linalg.norm(both, axis=0)
    covariance = np.linalg.pinv((both / scale).T @ (both / scale), hermitian=True) / np.outer(scale, scale)
    size = np.linalg.norm(jacobian, axis=0)
    condition = float(np.linalg.cond(jacobian / np.where(size > 0, size, 1.0)))
    if len(prior) == 0:
        return covariance, condition, 1.0
    left = np.linalg.eigvalsh(prior @ covariance @ prior.T)[-1]
    return covariance, condition, float(1.0 - np.sqrt(min(max(left, 0.0), 1.0)))
