"""Barometer: static pressure with noise, temperature, IIR filter, weather and airflow.

Arrays, where a function does not say otherwise (shape, unit, frame):

    warming_k : (N,) K, any
    height_m : (N,) m, up
    airspeed_m_s : (N,) m/s, any
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike
from scipy.signal import lfilter

from fusus.core.arrays import Array
from fusus.core.noise import gauss_markov
from fusus.core.world.atmosphere import density_kg_m3, geopotential_m, pressure_pa


@dataclass(frozen=True, slots=True)
class BarometerModel:
    """Errors of one barometer in Pa; ``airflow_cp`` is the share of dynamic pressure that reaches the hole."""

    noise_pa: float = 1.5
    offset_pa: float = 50.0
    temperature_slope_pa_k: float = 0.5
    weather_pa: float = 100.0
    weather_tau_s: float = 3 * 3600.0
    iir_tau_s: float = 0.05
    airflow_cp: float = 0.05


def follows(model: BarometerModel, rate_hz: float) -> float:
    """Return which share of what is new a sample of the built-in filter takes on."""
    return float(1.0 - np.exp(-1.0 / (rate_hz * model.iir_tau_s))) if model.iir_tau_s > 0 else 1.0


def added_pressure(
    model: BarometerModel, warming_k: ArrayLike, rate_hz: float, rng: np.random.Generator
) -> tuple[Array, Array]:
    """Return what is added to true pressures, Pa (N,): offset, temperature and weather; and noise before the built-in filter."""
    warming = np.asarray(warming_k, dtype=float)
    added = rng.normal(0.0, model.offset_pa) + rng.normal(0.0, model.temperature_slope_pa_k) * warming
    # Weather starts at what the offset holds already; only its change matters.
    weather = gauss_markov(rng, len(warming), 1, model.weather_pa, model.weather_tau_s, rate_hz)[:, 0]
    return np.asarray(added + weather - weather[:1]), rng.normal(0.0, model.noise_pa, len(warming))


def read_barometer(
    model: BarometerModel,
    height_m: ArrayLike,
    airspeed_m_s: ArrayLike,
    warming_k: ArrayLike,
    rate_hz: float,
    rng: np.random.Generator,
) -> Array:
    """Return pressures in Pa, shape (N,), at heights above sea level; airflow lowers them by Cp ρ V²/2."""
    altitude = geopotential_m(np.asarray(height_m, dtype=float))
    added, noise = added_pressure(model, warming_k, rate_hz, rng)
    p = pressure_pa(altitude) + added
    p = p - model.airflow_cp * 0.5 * density_kg_m3(altitude) * np.asarray(airspeed_m_s, dtype=float) ** 2
    p = p + noise
    a = follows(model, rate_hz)
    filtered, _ = lfilter([a], [1.0, a - 1.0], p, zi=[(1.0 - a) * p[0]])
    return np.asarray(filtered)
