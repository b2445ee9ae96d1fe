"""From variances along a mission to the statistic that a requirement asks for.

Arrays, where a function does not say otherwise (shape, unit, frame):

    spread : (N, 16) of the errors, n
    rows_of() : (N,) bool, any
"""

from functools import lru_cache

import numpy as np
from scipy.stats import gamma

from fusus.core._jit import kernel
from fusus.core.arrays import Array, BoolArray
from fusus.core.mission.trajectory import Trajectory
from fusus.core.requirements import Requirement

# The greatest error of a flight: of a hundred flights, ninety-nine stay within at the worst moment.
SURE = 0.99


def axes_of(requirement: Requirement, spread: Array) -> tuple[Array, Array]:
    """Return the mean and the variance of the squared error over time, (N,) each, of normal errors.

    A squared size of a normal vector with covariance P has mean tr P and variance 2 tr P².
    """
    q = requirement.quantity
    if q == "heading":
        v = spread[:, 8]
        return v, 2 * v**2
    if q == "height":
        v = spread[:, 2]
        return v, 2 * v**2
    if q == "velocity":
        return spread[:, 3:6].sum(axis=1), 2 * (spread[:, 3:6] ** 2).sum(axis=1)
    i, j, c = (6, 7, 10) if q == "tilt" else (0, 1, 9)
    a, b, cross = spread[:, i], spread[:, j], spread[:, c]
    return a + b, 2 * (a**2 + b**2 + 2 * cross**2)


def rows_of(requirement: Requirement, trajectory: Trajectory) -> BoolArray:
    """Return the steps that a requirement is held against: in the air; the end of the outage for ``outage``."""
    if requirement.quantity == "outage" and trajectory.outage is not None:
        out = np.zeros(len(trajectory.t_s), dtype=bool)
        out[max(0, int(np.searchsorted(trajectory.t_s, trajectory.outage.end_s - 1e-9, side="left")) - 1)] = True
        return out
    return trajectory.airborne


def variance_of(requirement: Requirement, spread: Array, trajectory: Trajectory) -> float:
    """Return the mean squared error over the steps that count: additive over sources."""
    mean, _ = axes_of(requirement, spread)
    return float(mean[rows_of(requirement, trajectory)].mean())


def figure_of(requirement: Requirement, spread: Array, trajectory: Trajectory) -> float:
    """Return the predicted statistic, SI units.

    RMSE over the steps; the 95th percentile of all steps together; or the size that 99 flights of 100 keep to at their worst
    moment. Squared sizes are taken as gamma distributed with their own mean and variance (Satterthwaite 1946), good to
    some 1 % at these percentiles.
    """
    rows = rows_of(requirement, trajectory)
    mean, variance = (x[rows] for x in axes_of(requirement, spread))
    if requirement.statistic == "rmse":
        return float(np.sqrt(mean.mean()))
    shape = np.clip(mean**2 / np.maximum(variance, 1e-300), SHAPES[0], SHAPES[-1])
    if requirement.statistic == "max":
        return float(np.sqrt((mean * np.interp(shape, SHAPES, _sure())).max()))
    return float(_pooled(np.ascontiguousarray(mean), shape, _survival(), 0.05))


# A normal error in one to three directions squares to a gamma distribution of shape 1/2 (one direction) to 3/2.
SHAPES = np.linspace(0.5, 1.5, 41)
_SIZES = np.linspace(0.0, 6.0, 601)  # error over its RMS


@lru_cache(maxsize=1)
def _survival() -> Array:
    """Return the chance that an error exceeds a multiple of its RMS, (41, 601): by shape and by ``_SIZES``."""
    return np.ascontiguousarray(gamma.sf(_SIZES[None, :] ** 2, SHAPES[:, None], scale=1 / SHAPES[:, None]))


@lru_cache(maxsize=1)
def _sure() -> Array:
    return np.asarray(gamma.ppf(SURE, SHAPES, scale=1 / SHAPES))


@kernel
def _pooled(mean: Array, shape: Array, table: Array, share: float) -> float:
    """Return the size that a share of all steps together exceeds, by bisection in the table."""
    high = 0.0
    for i in range(mean.shape[0]):
        high = max(high, 6.0 * np.sqrt(mean[i]))
    low = 0.0
    for _ in range(40):
        middle = 0.5 * (low + high)
        total = 0.0
        for i in range(mean.shape[0]):
            x = middle / np.sqrt(mean[i]) * 100.0 if mean[i] > 0.0 else 600.0
            if x >= 600.0:
                continue
            row, column = (shape[i] - 0.5) * 40.0, int(x)
            r = min(int(row), 39)
            f, g = row - r, x - column
            total += (1 - f) * ((1 - g) * table[r, column] + g * table[r, column + 1]) + f * (
                (1 - g) * table[r + 1, column] + g * table[r + 1, column + 1]
            )
        if total > share * mean.shape[0]:
            low = middle
        else:
            high = middle
    return 0.5 * (low + high)
