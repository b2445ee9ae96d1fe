"""What a sensor at rest does by its error model: Allan curve, drift, how long to average, its grade.

Arrays, where a function does not say otherwise (shape, unit, frame):

    tau_s : (K,) s, any
    t_s : (N,) s, any
"""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from fusus.core.arrays import Array
from fusus.core.noise import gauss_markov, markov_sigma_of_instability, random_walk
from fusus.core.sensors.inertial import InertialModel

EARTH_RATE_RAD_S = 7.292115e-5  # WGS 84


def allan_of_model(model: InertialModel, tau_s: ArrayLike) -> dict[str, Array]:
    """Return the Allan deviation of each part of a model and of all together (key ``total``).

    IEEE Std 952-1997, annex C: N/√τ, K√(τ/3), √3 Q/τ; the first-order Gauss-Markov process by its closed form.
    """
    tau = np.asarray(tau_s, dtype=float)
    lsb = 2 * model.full_scale / 2**model.bits
    out = {
        "noise": model.noise / np.sqrt(tau),
        "instability": _markov_allan(markov_sigma_of_instability(model.instability), model.instability_tau_s, tau),
        "walk": model.walk * np.sqrt(tau / 3.0),
        # Rounding errors of samples are as good as white: one LSB/√12 at 1 kHz.
        "rounding": lsb / math.sqrt(12.0 * 1000.0) / np.sqrt(tau),
    }
    return out | {"total": np.sqrt(sum(v**2 for v in out.values()))}


def _markov_allan(sigma: float, correlation_s: float, tau: Array) -> Array:
    x = tau / correlation_s
    # σ² 2/x (1 - (3 - 4 e^-x + e^-2x) / 2x); for small x the bracket cancels: its series is σ² 2/3 x.
    series = 2.0 / 3.0 * x
    with np.errstate(divide="ignore", invalid="ignore"):
        full = 2.0 / x * (1.0 - (3.0 - 4.0 * np.exp(-x) + np.exp(-2.0 * x)) / (2.0 * x))
    return np.asarray(sigma * np.sqrt(np.where(x < 1e-3, series, full)))


def bias_error(model: InertialModel, averaged_s: float) -> float:
    """Return the standard error of a bias that was averaged so long: the Allan deviation, not σ/√n."""
    return float(allan_of_model(model, averaged_s)["total"])


def averaging_time(model: InertialModel, wanted: float) -> float | None:
    """Return how long to average for a wanted standard error, s; None where the Allan curve never goes so low."""
    tau = np.geomspace(0.01, 1e5, 1401)
    total = allan_of_model(model, tau)["total"]
    below = np.flatnonzero(total <= wanted)
    return float(tau[below[0]]) if len(below) else None


def best_averaging(model: InertialModel) -> tuple[float, float]:
    """Return the averaging time at the floor of the Allan curve, s, and the standard error there."""
    tau = np.geomspace(0.1, 1e5, 1201)
    total = allan_of_model(model, tau)["total"]
    i = int(np.argmin(total))
    return float(tau[i]), float(total[i])


def angle_variances(gyro: InertialModel, averaged_s: float, t_s: ArrayLike) -> dict[str, Array]:
    """Return the variance of one integrated axis by cause, rad², closed form, after a bias averaged ``averaged_s``.

    White: N² t, and N² t²/T in the mean over T. Walk: K² (t³ + t² T)/3. Gauss-Markov, with V(x) = 2σ²τ²(x/τ - 1 + e^{-x/τ}):
    V(t) + (t/T)² V(T) - 2 (t/T) σ²τ² (1 - e^{-T/τ}) (1 - e^{-t/τ}). Derived here; the simulated runs agree with it.
    """
    t, span = np.asarray(t_s, dtype=float), averaged_s
    sigma, tau = markov_sigma_of_instability(gyro.instability), gyro.instability_tau_s
    power = (sigma * tau) ** 2

    def integral(x: Array | float) -> Array:
        return np.asarray(2 * power * (x / tau - 1.0 + np.exp(-np.asarray(x) / tau)))

    shared = power * (1 - math.exp(-span / tau)) * (1 - np.exp(-t / tau))
    return {
        "noise": gyro.noise**2 * t,
        "bias left by averaging": gyro.noise**2 * t**2 / span,
        "walk": gyro.walk**2 * (t**3 + t**2 * span) / 3.0,
        "instability": integral(t) + (t / span) ** 2 * integral(span) - 2 * (t / span) * shared,
    }


def position_variances(
    gyro: InertialModel, acc: InertialModel, averaged_s: float, tilt_rad: float, gravity_m_s2: float, t_s: ArrayLike
) -> dict[str, Array]:
    """Return the variance of one horizontal axis of dead reckoning by cause, m², closed form.

    Parameters
    ----------
    gyro : InertialModel
        Gyro.
    acc : InertialModel
        Accelerometer; its bias is what calibration left.
    averaged_s : float
        How long the gyro's bias was averaged, s.
    tilt_rad : float
        One sigma of the tilt at the start.
    gravity_m_s2 : float
        Gravity.
    t_s : array_like, (N,), s, any
        Since the last fix.

    Returns
    -------
    dict
        Variances by cause.
    """
    t = np.asarray(t_s, dtype=float)
    g = gravity_m_s2
    left = math.hypot(bias_error(gyro, averaged_s), markov_sigma_of_instability(gyro.instability))
    return {
        "tilt at the start": (0.5 * g * tilt_rad * t**2) ** 2,
        "accelerometer bias": (0.5 * acc.bias * t**2) ** 2,
        "accelerometer noise": acc.noise**2 * t**3 / 3.0,
        "accelerometer walk": acc.walk**2 * t**5 / 20.0,
        "gyro bias": (g * left * t**3 / 6.0) ** 2,
        "gyro noise": (g * gyro.noise) ** 2 * t**5 / 20.0,
        "gyro walk": (g * gyro.walk) ** 2 * t**7 / 252.0,
    }


def holds_for(variances: dict[str, Array], t_s: ArrayLike, limit: float) -> float | None:
    """Return how long one sigma stays within a limit, s; None if for the whole span."""
    t = np.asarray(t_s, dtype=float)
    sigma = np.sqrt(sum(variances.values()))
    over = np.flatnonzero(sigma > limit)
    return float(t[over[0]]) if len(over) else None


def drift_runs(
    gyro: InertialModel, averaged_s: float, length_s: float, runs: int, seed: int, rate_hz: float = 2.0
) -> tuple[Array, Array]:
    """Return times (N,) s and the integrated angle (N, runs) rad of simulated gyros at rest.

    Each averages its own readings for ``averaged_s`` first and takes the mean off.
    """
    rng = np.random.default_rng(seed)
    rows = round((averaged_s + length_s) * rate_hz)
    rate = rng.standard_normal((rows, runs)) * gyro.noise * math.sqrt(rate_hz)
    rate += random_walk(rng, rows, runs, gyro.walk, rate_hz)
    sigma = markov_sigma_of_instability(gyro.instability)
    rate += gauss_markov(rng, rows, runs, sigma, gyro.instability_tau_s, rate_hz)
    first = max(1, round(averaged_s * rate_hz))
    rate -= rate[:first].mean(axis=0)
    angle = np.cumsum(rate[first:], axis=0) / rate_hz
    return np.arange(1, len(angle) + 1) / rate_hz, np.asarray(angle)


@dataclass(frozen=True, slots=True)
class Grade:
    """Where a sensor stands between consumer and navigation grade, and the bounds of its class."""

    name: str
    bound: str


# Bias stability of the classes; common practice, the borders differ between authors.
_GYRO_GRADES = ((0.01, "navigation"), (1.0, "tactical"), (5.0, "industrial"), (math.inf, "consumer"))
_ACC_GRADES = ((50e-6, "navigation"), (1e-3, "tactical"), (5e-3, "industrial"), (math.inf, "consumer"))


def gyro_grade(instability_rad_s: float) -> Grade:
    """Return the grade of a gyro by its bias instability."""
    value = math.degrees(instability_rad_s) * 3600
    top, name = next((b, n) for b, n in _GYRO_GRADES if value <= b)
    return Grade(name, f"{value:.3g} °/h" + (f", up to {top:g} °/h" if math.isfinite(top) else ", above 5 °/h"))


def acc_grade(offset_m_s2: float) -> Grade:
    """Return the grade of an accelerometer by its bias."""
    value = offset_m_s2 / 9.80665
    top, name = next((b, n) for b, n in _ACC_GRADES if value <= b)
    return Grade(
        name, f"{value * 1e3:.3g} mg" + (f", up to {top * 1e3:g} mg" if math.isfinite(top) else ", above 5 mg")
    )


@dataclass(frozen=True, slots=True)
class SmallTerm:
    """A term of the full equations against what the sensor resolves: value, floor (SI), and when it would show, s."""

    name: str
    value: float
    floor: float
    unit: str
    shows_after_s: float | None


def small_terms(
    gyro: InertialModel, acc: InertialModel, speed_m_s: float, latitude_rad: float
) -> tuple[SmallTerm, ...]:
    """Return Earth's rate, Coriolis and the path's centripetal term against the floors of the Allan curves.

    Groves, 2nd ed., section 5.4 (from memory): 2ωv and v²/R.
    """
    # A kelvin more or less moves the offset: that is the floor of what can be told from it.
    gyro_floor = math.hypot(best_averaging(gyro)[1], gyro.temperature_slope)
    acc_floor = math.hypot(best_averaging(acc)[1], acc.temperature_slope)
    coriolis = 2 * EARTH_RATE_RAD_S * speed_m_s * max(abs(math.sin(latitude_rad)), 0.1)
    centripetal = speed_m_s**2 / 6.371e6
    return (
        SmallTerm("Earth's rotation", EARTH_RATE_RAD_S, gyro_floor, "rad/s", _shows(gyro, EARTH_RATE_RAD_S, gyro_floor)),
        SmallTerm("Coriolis", coriolis, acc_floor, "m/s²", _shows(acc, coriolis, acc_floor)),
        SmallTerm("Centripetal over the curved Earth", centripetal, acc_floor, "m/s²", _shows(acc, centripetal, acc_floor)),
    )  # fmt: skip


def _shows(model: InertialModel, value: float, floor: float) -> float | None:
    """Return after how long averaging a value stands out twice over; None if temperature or drift hide it for ever."""
    return averaging_time(model, value / 2) if floor < value / 2 else None
