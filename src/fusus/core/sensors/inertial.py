"""Gyro and accelerometer: bias, scale, misalignment, temperature, noise, vibration, range, word length.

ω̃ = M (ω + G f) + b0 + k_T (T - T0) + b_rw + b_gm + n, then quantisation; the accelerometer likewise without G.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from fusus.core.arrays import Array
from fusus.core.noise import gauss_markov, markov_sigma_of_instability, random_walk, white
from fusus.core.sensors.quantise import quantise


@dataclass(frozen=True, slots=True)
class InertialModel:
    """Spread of one triad's errors, in SI units of its quantity u (rad/s or m/s^2), one sigma where random.

    ``noise`` is N in u/√Hz, ``walk`` K in u/s/√Hz, ``instability`` B in u with ``instability_tau_s``;
    ``g_sensitivity`` in u per m/s^2 (gyros); ``temperature_slope`` in u/K.
    """

    noise: float
    walk: float
    instability: float
    instability_tau_s: float
    bias: float
    scale: float
    misalignment_rad: float
    temperature_slope: float
    full_scale: float
    bits: int
    g_sensitivity: float = 0.0
    vibration_rectification: float = 0.0


@dataclass(frozen=True, slots=True)
class InertialErrors:
    """One specimen drawn from a model: the matrix (3, 3), bias (3,), slope (3,) and g-sensitivity (3, 3)."""

    matrix: Array
    bias: Array
    slope: Array
    g_matrix: Array


def draw_errors(model: InertialModel, rng: np.random.Generator) -> InertialErrors:
    """Return one specimen's constant errors."""
    matrix = np.eye(3) + np.diag(rng.normal(0.0, model.scale, 3))
    off = rng.normal(0.0, model.misalignment_rad, (3, 3))
    np.fill_diagonal(off, 0.0)
    return InertialErrors(
        matrix + off,
        rng.normal(0.0, model.bias, 3),
        rng.normal(0.0, model.temperature_slope, 3),
        rng.normal(0.0, model.g_sensitivity, (3, 3)),
    )


def added_errors(
    model: InertialModel,
    errors: InertialErrors,
    warming_k: ArrayLike,
    rate_hz: float,
    rng: np.random.Generator,
    slow_every: int = 1,
) -> Array:
    """Return what is added to each sample, (N, 3), whatever the motion: bias, temperature, random walk, instability, noise.

    Parameters
    ----------
    model : InertialModel
        Noise.
    errors : InertialErrors
        The specimen.
    warming_k : array_like, (N,), K, any
        Temperature above the one the bias belongs to.
    rate_hz : float
        Sample rate.
    rng : numpy.random.Generator
        Source of noise.
    slow_every : int
        What drifts slowly takes a step every so many samples: seconds matter there, not milliseconds.
    """
    warming = np.asarray(warming_k, dtype=float)
    n, k = len(warming), slow_every
    rows, rate = -(-n // k), rate_hz / k
    slow = errors.bias + warming[::k, None] * errors.slope
    slow += random_walk(rng, rows, 3, model.walk, rate)
    slow += gauss_markov(rng, rows, 3, markov_sigma_of_instability(model.instability), model.instability_tau_s, rate)
    out = white(rng, n, 3, model.noise, rate_hz)
    out += slow if k == 1 else np.repeat(slow, k, axis=0)[:n]
    return np.asarray(out)


def read_inertial(
    model: InertialModel,
    errors: InertialErrors,
    truth: ArrayLike,
    specific_force: ArrayLike,
    warming_k: ArrayLike,
    vibration: ArrayLike,
    rate_hz: float,
    rng: np.random.Generator,
) -> Array:
    """Return the readings, shape (N, 3), of a true rate or specific force.

    Parameters
    ----------
    model : InertialModel
        Noise and range.
    errors : InertialErrors
        The specimen.
    truth : array_like, (N, 3), any, b
        True quantity.
    specific_force : array_like, (N, 3), m/s^2, b
        What g-sensitivity acts on.
    warming_k : array_like, (N,), K, any
        Temperature above the one the bias belongs to.
    vibration : array_like, (N, 3), any, b
        What the frame shakes, in the quantity's unit.
    rate_hz : float
        Sample rate.
    rng : numpy.random.Generator
        Source of noise.

    Returns
    -------
    ndarray, (N, 3), any, b
        Readings.

    Notes
    -----
    The bandwidth filter of a real part is not modelled: samples are taken as unfiltered.
    """
    u = np.asarray(truth, dtype=float)
    out = (u + np.asarray(specific_force) @ errors.g_matrix.T) @ errors.matrix.T
    out += added_errors(model, errors, warming_k, rate_hz, rng)
    shake = np.asarray(vibration, dtype=float)
    out += shake + model.vibration_rectification * shake**2
    return quantise(out, model.full_scale, model.bits)
