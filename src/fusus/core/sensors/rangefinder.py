"""Rangefinder: distance to level ground below, with noise that grows with it, within its limits."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from fusus.core.arrays import Array, BoolArray

STEEPEST_COS = 0.8  # tilted further, the beam misses what is below


@dataclass(frozen=True, slots=True)
class RangefinderModel:
    """Noise in m plus a share of the distance, and the range, one sigma."""

    noise_m: float
    noise_share: float
    low_m: float
    high_m: float
    rate_hz: float


def read_rangefinder(
    model: RangefinderModel, height_m: ArrayLike, down_cos: ArrayLike, rng: np.random.Generator
) -> tuple[Array, BoolArray]:
    """Return distances (N,) along the body's down axis, m, and which of them the sensor gives.

    Parameters
    ----------
    model : RangefinderModel
        Noise and limits.
    height_m : array_like, (N,), m, any
        Height of the sensor over level ground.
    down_cos : array_like, (N,), 1, any
        Cosine between the body's down axis and the vertical.
    rng : numpy.random.Generator
        Source of noise.
    """
    cos = np.maximum(np.asarray(down_cos, dtype=float), 0.1)
    true = np.asarray(height_m, dtype=float) / cos
    sigma = np.hypot(model.noise_m, model.noise_share * true)
    distance = true + rng.standard_normal(len(true)) * sigma
    return distance, (true >= model.low_m) & (true <= model.high_m) & (cos > STEEPEST_COS)
