"""Magnetometer: soft iron, hard iron, motor currents, noise; and the heading error of a disturbance.

Arrays, where a function does not say otherwise (shape, unit, frame):

    field_b : (N, 3) µT, b
    current_a : (N,) A, any
"""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from fusus.core.arrays import Array
from fusus.core.sensors.quantise import quantise


@dataclass(frozen=True, slots=True)
class MagnetometerModel:
    """Errors that a calibration leaves, in µT; ``motor_ut_a`` is the field of one ampere of motor current."""

    noise_ut: float = 0.35
    hard_iron_ut: float = 0.4
    soft_iron: float = 0.005
    motor_ut_a: float = 0.02
    full_scale_ut: float = 800.0
    bits: int = 16


@dataclass(frozen=True, slots=True)
class MagnetometerErrors:
    """One specimen drawn from a model: soft iron (3, 3), hard iron µT (3,), field of a motor's ampere µT/A (3,)."""

    soft: Array
    hard: Array
    motor: Array


def draw_magnetometer(model: MagnetometerModel, rng: np.random.Generator) -> MagnetometerErrors:
    """Return one specimen's constant errors."""
    soft = np.eye(3) + rng.normal(0.0, model.soft_iron, (3, 3))
    return MagnetometerErrors(soft, rng.normal(0.0, model.hard_iron_ut, 3), rng.normal(0.0, model.motor_ut_a, 3))


def read_magnetometer(
    model: MagnetometerModel, field_b: ArrayLike, current_a: ArrayLike, rng: np.random.Generator
) -> Array:
    """Return readings in µT, shape (N, 3): m̃ = A m + h + k I + n of the true field in body axes."""
    m = np.asarray(field_b, dtype=float)
    specimen = draw_magnetometer(model, rng)
    out = m @ specimen.soft.T + specimen.hard + np.asarray(current_a, dtype=float)[:, None] * specimen.motor
    out += rng.normal(0.0, model.noise_ut, m.shape)
    return quantise(out, model.full_scale_ut, model.bits)


def heading_error_rad(disturbance_ut: float, horizontal_ut: float) -> float:
    """Return the worst heading error of a horizontal disturbance: asin of its share of the horizontal field."""
    return math.asin(min(1.0, disturbance_ut / horizontal_ut))
