"""What is read off an Allan curve: the coefficients of IEEE Std 952-1997, annex C, with standard errors.

The variance is taken as 3 Q²/τ² + N²/τ + (0.664 B)² + K² τ/3 + R² τ²/2 and fitted by weighted non-negative least squares:
each coefficient then comes from where it rules the curve, and one that rules nowhere is not given.

Standard errors and bounds of N, B and K are taken over all combinations of the three that explain the record (``slow_noise``): points
of one curve share their data, and a fitted curve says nothing about the slow processes that it has mistaken for one another.
"""

import math
from dataclasses import dataclass

import numpy as np
from scipy.optimize import nnls

from fusus.core.analysis.allan.deviation import AllanCurve
from fusus.core.analysis.allan.slow_noise import NoisePosterior, slow_noise
from fusus.core.arrays import Array, BoolArray

FLOOR = math.sqrt(2.0 * math.log(2.0) / math.pi)  # 0.664 of B
NAMES = ("quantisation", "noise", "instability", "walk", "ramp")
RULES = 0.2  # share of the variance that a term must reach somewhere to be read off
ROUNDS = 4


@dataclass(frozen=True, slots=True)
class Coefficient:
    """A coefficient in the series' unit u (N: u/√Hz, B: u, K: u/s/√Hz, R: u/s, Q: u s), one sigma, and where it is read.

    ``is_bound``: the curve still falls at its end; the coefficient lies below the value with 95 % probability.
    """

    value: float
    sigma: float
    tau_s: float
    is_bound: bool = False


@dataclass(frozen=True, slots=True)
class Reading:
    """Coefficients of one curve; None where the curve does not show one. ``fitted`` is the model's deviation (K,)."""

    quantisation: Coefficient | None
    noise: Coefficient | None
    instability: Coefficient | None
    walk: Coefficient | None
    ramp: Coefficient | None
    floor: float
    floor_tau_s: float
    fitted: Array
    parts: dict[str, Array]


def _terms(tau: Array) -> Array:
    return np.stack([3.0 / tau**2, 1.0 / tau, np.full_like(tau, FLOOR**2), tau / 3.0, tau**2 / 2.0], axis=1)


def read_curve(curve: AllanCurve) -> Reading:
    """Return what a curve shows.

    Parameters
    ----------
    curve : AllanCurve
        Measured deviation.

    Returns
    -------
    Reading
        Coefficients and the fitted curve.

    Notes
    -----
    Expect 2 % for N from ten minutes at 100 Hz; B and K are as uncertain as the points they rest on, often 20 % and more.
    """
    trusted = curve.edf >= 2.0
    use = trusted if trusted.sum() >= 4 else np.ones(len(curve.tau_s), dtype=bool)
    tau, variance, edf = curve.tau_s[use], curve.adev[use] ** 2, curve.edf[use]
    terms = _terms(tau)
    if not (variance > 0).any():
        nothing = np.zeros(len(curve.tau_s))
        return Reading(None, None, None, None, None, 0.0, float(tau[-1]), nothing, dict.fromkeys(NAMES, nothing))
    found, level = _fit(terms, variance, edf, np.ones(len(NAMES), dtype=bool))
    # A term that rules nowhere only takes from its neighbours: the others are fitted again without it.
    rules = _rules(terms, found)
    found, level = _fit(terms, variance, edf, rules)
    rules = _rules(terms, found)
    sigmas = _sigmas(terms, level, edf, tau, rules)
    lowest = int(np.argmin(np.where(trusted, curve.adev, np.inf))) if trusted.any() else int(np.argmin(curve.adev))
    floor, floor_tau = float(curve.adev[lowest]), float(curve.tau_s[lowest])
    slow = slow_noise(curve.blocks)
    spread = {} if slow is None else {1: slow.noise, 2: slow.instability, 3: slow.walk}

    def coefficient(index: int, at: float) -> Coefficient | None:
        if not rules[index]:
            return None
        value = math.sqrt(found[index])
        if slow is not None and index in spread:
            return Coefficient(value, slow.error_of(spread[index], value), at)
        return Coefficient(value, sigmas[index] / (2.0 * value), at)

    parts_of = _terms(curve.tau_s) * found
    return Reading(
        coefficient(0, math.sqrt(3.0)),
        coefficient(1, 1.0),
        _instability(curve, lowest, bool(trusted.any()), coefficient(2, floor_tau), slow),
        coefficient(3, 3.0),
        coefficient(4, math.sqrt(2.0)),
        floor,
        floor_tau,
        np.sqrt(parts_of.sum(axis=1)),
        {name: np.sqrt(parts_of[:, i]) for i, name in enumerate(NAMES)},
    )


def _fit(terms: Array, variance: Array, edf: Array, kept: BoolArray) -> tuple[Array, Array]:
    """Return squared coefficients of the kept terms, zero for the others, and the variance that they make."""
    level = np.maximum(variance, 1e-30 * variance.max())
    out = np.zeros(terms.shape[1])
    for _ in range(ROUNDS):
        weight = np.sqrt(edf / 2.0) / level
        weighted = terms[:, kept] * weight[:, None]
        scale = np.linalg.norm(weighted, axis=0)
        out[kept] = nnls(weighted / scale, variance * weight)[0] / scale
        # The next round weighs by the fitted curve: a point that happens to lie low must not count more.
        level = np.maximum(terms @ out, 0.2 * variance)
    return out, level


def _rules(terms: Array, found: Array) -> BoolArray:
    """Return which terms make up enough of the variance somewhere."""
    shares = terms * found / np.maximum(terms @ found, 1e-300)[:, None]
    return np.asarray((shares.max(axis=0) >= RULES) & (found > 0))


def _instability(
    curve: AllanCurve, lowest: int, trusted: bool, fitted: Coefficient | None, slow: NoisePosterior | None
) -> Coefficient | None:
    """Return B as the fitted flat part, or what it lies below where the curve shows no flat part before its end."""
    last = np.flatnonzero(curve.edf >= 2.0)[-1] if trusted else len(curve.tau_s) - 1
    if slow is None:
        return None
    if fitted is None or lowest >= last - 1:
        # The standard reads B off the minimum; a bias that is no flicker noise, but settles, shows there only.
        highest = max(slow.upper(slow.instability), float(curve.adev[lowest]) / FLOOR)
        return Coefficient(highest, slow.error_of(slow.instability, highest), float(curve.tau_s[lowest]), True)
    return fitted


def _sigmas(terms: Array, level: Array, edf: Array, tau: Array, rules: BoolArray) -> Array:
    """Return standard errors of the fitted squares, with neighbouring points correlated as they are for white noise.

    Two overlapping sums share their data: their correlation falls as (τ1/τ2)^1.5 (from the overlap of the two filters).
    """
    kept = np.flatnonzero(rules)
    out = np.full(terms.shape[1], np.nan)
    if len(kept) == 0:
        return out
    weighted = terms[:, kept] * (np.sqrt(edf / 2.0) / level)[:, None]
    scale = np.linalg.norm(weighted, axis=0)
    weighted = weighted / scale
    inverse = np.linalg.pinv(weighted.T @ weighted)
    ratio = tau[:, None] / tau
    shared = np.minimum(ratio, 1.0 / ratio) ** 1.5
    covariance = inverse @ (weighted.T @ shared @ weighted) @ inverse
    out[kept] = np.sqrt(np.diag(covariance)) / scale
    return out
