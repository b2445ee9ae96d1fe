"""Linear regression of a slow series whose residual drifts, as sensor biases do.

Ordinary least squares would take every sample as news, and claim far too much.

Arrays, where a function does not say otherwise (shape, unit, frame):

    t_s : (N,) s, any
    design : (N, K) any, any
    y : (N,) any, any
    jacobian : (N, K) any, any
    values : (N, ...) any, any
"""

from dataclasses import dataclass

import numpy as np
from scipy.linalg import cho_factor, cho_solve

from fusus.core.arrays import Array

RATIOS = np.geomspace(1e-4, 30.0, 14)
WANDER_S = 100.0  # correlation time of a usual bias instability
MOST_BLOCKS = 120
KNOWN_WITHIN = np.array([0.5, 1.0, 2.0, 4.0])  # of the variance that a datasheet's drifting makes


@dataclass(frozen=True, slots=True)
class SlowNoise:
    """What is known of a sensor's drifting: ``walk`` in u/s/√Hz, Gauss-Markov ``sigma`` in u with ``tau_s``."""

    walk: float
    sigma: float
    tau_s: float = WANDER_S


@dataclass(frozen=True, slots=True)
class Regression:
    """Coefficients (K,), their covariance (K, K), one sigma of the white part, and the residuals (N,)."""

    coefficients: Array
    covariance: Array
    sigma: float
    residuals: Array

    @property
    def standard_errors(self) -> Array:
        """One sigma of each coefficient."""
        return np.asarray(np.sqrt(np.diag(self.covariance)))


def regress(t_s: Array, design: Array, y: Array, known: SlowNoise | None = None) -> Regression:
    """Return the fit of ``y`` (N,) to ``design`` (N, K) at times ``t_s`` (N,), some hundred at most.

    Beside white noise the residual may walk or drift (Gauss-Markov of 100 s), by any of a row of shares. None of them is
    chosen: each weighs by its restricted likelihood, and how they differ counts as error too. Choosing the likeliest would
    too often take a drifting residual for a quiet one. What is ``known`` of the sensor narrows the row: a short record
    hardly shows its own drifting.
    """
    span = t_s - t_s[0]
    step = max(float(np.median(np.diff(t_s))), 1e-9)
    walk = np.minimum.outer(span, span)
    apart = np.abs(np.subtract.outer(span, span))
    n = len(design)
    scale = np.maximum(np.abs(design).max(axis=0), 1e-300)
    x = design / scale
    if known is None:
        shapes = [np.eye(n)] + [np.eye(n) + r * walk / step for r in 0.03 * RATIOS]
        shapes += [np.eye(n) + r * np.exp(-apart / WANDER_S) for r in RATIOS]
        found = [_fit(shape, x, y) for shape in shapes]
    else:
        slow = known.walk**2 * walk + known.sigma**2 * np.exp(-apart / known.tau_s)
        white = _white(y - x @ np.linalg.lstsq(x, y, rcond=None)[0], known, step)
        found = [_fit(white * np.eye(n) + r * slow, x, y, 1.0) for r in KNOWN_WITHIN]
    weights = np.array([w for w, *_ in found])
    weights = np.exp(weights - weights.max())
    if known is None:
        weights[0] *= len(RATIOS)  # as likely beforehand as all of one kind together
    weights /= weights.sum()
    beta = weights @ np.array([b for _, b, _, _ in found])
    spread = sum(w * (c + np.outer(b - beta, b - beta)) for w, (_, b, c, _) in zip(weights, found, strict=True))
    sigma = float(np.sqrt(weights @ np.array([v for *_, v in found])))
    return Regression(beta / scale, np.asarray(spread) / np.outer(scale, scale), sigma, y - x @ beta)


def _white(rest: Array, known: SlowNoise, step: float) -> float:
    """Return the variance of the white part: what neighbours differ by, less what a known drifting makes of it."""
    raw = float(np.var(np.diff(rest))) / 2.0
    slow = known.walk**2 * step / 2.0 + known.sigma**2 * (1.0 - float(np.exp(-step / known.tau_s)))
    return max(raw - slow, 0.2 * raw, 1e-300)


def _fit(shape: Array, x: Array, y: Array, scale: float | None = None) -> tuple[float, Array, Array, float]:
    """Return log likelihood, coefficients, covariance and variance for a residual of that shape, times a scale that is
    fitted where it is not given."""
    n, k = x.shape
    factor = cho_factor(shape, lower=True)
    wx, wy = cho_solve(factor, x), cho_solve(factor, y)
    normal = x.T @ wx
    inverse = np.linalg.pinv(normal)
    beta = inverse @ (x.T @ wy)
    rest = y - x @ beta
    misfit = float(rest @ cho_solve(factor, rest))
    variance = scale if scale is not None else max(misfit / max(1, n - k), 1e-300)
    log_det = 2.0 * float(np.log(np.diag(factor[0])).sum())
    likelihood = -0.5 * (misfit / variance + (n - k) * np.log(variance) + log_det + float(np.linalg.slogdet(normal)[1]))
    return float(likelihood), beta, inverse * variance, variance


def standard_errors(jacobian: Array, variance: float = 1.0) -> tuple[Array, float]:
    """Return the standard errors of a least-squares fit (K,) from its Jacobian (N, K), and the condition of its columns.

    The columns are brought to one length first, so that the condition does not depend on units.
    """
    scale = np.linalg.norm(jacobian, axis=0)
    scaled = jacobian / np.where(scale > 0, scale, 1.0)
    singular = np.linalg.svd(scaled, compute_uv=False)
    condition = float(singular[0] / singular[-1]) if singular[-1] > 0 else float("inf")
    covariance = np.linalg.pinv(scaled.T @ scaled) * variance
    return np.asarray(np.sqrt(np.diag(covariance)) / np.where(scale > 0, scale, np.inf)), condition


def blocks(t_s: Array, values: Array, most: int = MOST_BLOCKS) -> tuple[Array, Array]:
    """Return times and means of at most ``most`` equal blocks of rows (N, ...)."""
    each = max(1, int(np.ceil(len(t_s) / most)))
    count = len(t_s) // each
    cut = count * each
    return t_s[:cut].reshape(count, each).mean(axis=1), values[:cut].reshape(count, each, *values.shape[1:]).mean(
        axis=1
    )
