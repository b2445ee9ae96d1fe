"""What moving air does to the barometer: two captures, without and with foam, and whether they differ beyond chance.

Arrays, where a function does not say otherwise (shape, unit, frame):

    values : (N,) any, any
"""

import numpy as np
from numpy.typing import ArrayLike
from scipy.stats import f as f_distribution

from fusus.core.arrays import Array, as_series
from fusus.core.calibration.result import Calibration, CaptureProblem, judged, refused
from fusus.core.calibration.screening import Found

LEAST_SAMPLES = 40
CHANCE = 0.01


def f_test(first: ArrayLike, second: ArrayLike, first_free: float, second_free: float) -> tuple[float, float]:
    """Return the ratio of two variances and the probability of one so far from 1 by chance (both sides).

    Parameters
    ----------
    first : array_like, (N,), any, any
        One series.
    second : array_like, (K,), any, any
        The other.
    first_free : float
        Degrees of freedom of the one.
    second_free : float
        And of the other.

    Returns
    -------
    tuple of float
        Ratio first over second, probability.
    """
    ratio = float(np.var(np.asarray(first), ddof=1) / np.var(np.asarray(second), ddof=1))
    one = float(f_distribution.sf(ratio, first_free, second_free))
    return ratio, min(1.0, 2.0 * min(one, 1.0 - one))


def independent(values: Array) -> float:
    """Return how many independent samples a correlated series is worth for its variance.

    n / (1 + 2 Σ ρ²) with the autocorrelation ρ (M. S. Bartlett 1946), summed up to where it drowns in chance.
    """
    v = values - values.mean()
    n = len(v)
    power = float(v @ v)
    if power <= 0:
        return 1.0
    total = 0.0
    for lag in range(1, min(n // 4, 200)):
        rho = float(v[lag:] @ v[:-lag]) / power
        if rho < 2.0 / np.sqrt(n):
            break
        total += rho**2
    return n / (1.0 + 2.0 * total)


def airflow(
    t_s: ArrayLike, pressure_pa: ArrayLike, other_t_s: ArrayLike | None = None, other_pa: ArrayLike | None = None,
    temperature_degc: float = 15.0,
) -> Calibration:  # fmt: skip
    """Return how foam (or any cover) changes a barometer's noise in moving air.

    Parameters
    ----------
    t_s : array_like, (N,), s, any
        Times of the capture without foam, or of one capture that holds both halves.
    pressure_pa : array_like, (N,), Pa, any
        Its pressure.
    other_t_s : array_like, (K,), s, any
        Times of the capture with foam.
    other_pa : array_like, (K,), Pa, any
        Its pressure.
    temperature_degc : float
        Of the air, for metres.

    Returns
    -------
    Calibration
        ``noise_off_pa``, ``noise_on_pa``, ``variance_ratio``, ``probability`` by the F-test, ``shift_pa``.
    """
    t, p = as_series(t_s, "t_s"), as_series(pressure_pa, "pressure_pa")
    problems: Found = []
    if other_pa is None or other_t_s is None:
        cut = _change(p) if len(p) >= 2 * LEAST_SAMPLES else len(p) // 2
        off_t, off, on_t, on = t[:cut], p[:cut], t[cut:], p[cut:]
    else:
        off_t, off, on_t, on = t, p, as_series(other_t_s, "other_t_s"), as_series(other_pa, "other_pa")
    for name, values in (("without", off), ("with", on)):
        if len(values) < LEAST_SAMPLES:
            problems.append(
                (
                    "fail",
                    CaptureProblem(
                        "too few samples", f"There are {len(values)} samples {name} foam.", "Record 20 s of each."
                    ),
                )
            )
        elif np.ptp(values) == 0:
            problems.append(
                ("fail", CaptureProblem("stuck", f"The pressure {name} foam never changes.", "Check how it is read."))
            )
        elif not 20000 < float(np.median(values)) < 120000:
            words = f"A pressure of {float(np.median(values)):.4g} Pa is none of this Earth."
            problems.append(("fail", CaptureProblem("unit", words, "Check the unit of the log.")))
    if problems:
        return refused("airflow", problems)
    a, b = _straightened(off_t, off), _straightened(on_t, on)
    free = independent(a) - 1, independent(b) - 1
    ratio, probability = f_test(a, b, *free)
    sigma = float(np.std(a, ddof=1)), float(np.std(b, ddof=1))
    errors = tuple(s / np.sqrt(2 * n) for s, n in zip(sigma, free, strict=True))
    metre = float(np.median(p)) / (287.05 * (temperature_degc + 273.15)) * 9.80665
    shift = float(on.mean() - off.mean())
    shift_error = float(np.hypot(sigma[0] / np.sqrt(free[0] + 1), sigma[1] / np.sqrt(free[1] + 1)))
    if probability > CHANCE:
        problems.append(
            ("close", CaptureProblem("no difference", f"The two do not differ beyond chance (probability {probability:.2f}).",
                                     "Blow harder, record longer, or the foam does nothing."))
        )  # fmt: skip
    elif ratio < 1:
        problems.append(
            ("fail", CaptureProblem("worse", f"With foam the noise is {np.sqrt(1 / ratio):.1f} times as large.",
                                    "Closed-cell foam and glue over the hole do harm: take open-cell foam, never glued over the hole."))
        )  # fmt: skip
    good = (
        f"Foam cuts the noise from {sigma[0]:.2f} to {sigma[1]:.2f} Pa ({sigma[0] / metre:.2f} to {sigma[1] / metre:.2f} m), "
        f"{np.sqrt(ratio):.1f} times; by chance with probability {probability:.1g}."
    )
    word, reason, found = judged(problems, good)
    return Calibration(
        "airflow",
        {"noise_off_pa": sigma[0], "noise_on_pa": sigma[1], "variance_ratio": ratio, "probability": probability, "shift_pa": shift,
         "left_by_foam": float(np.sqrt(1 / ratio))},
        {"noise_off_pa": errors[0], "noise_on_pa": errors[1], "variance_ratio": ratio * float(np.sqrt(2 / free[0] + 2 / free[1])),
         "probability": None, "shift_pa": shift_error,
         "left_by_foam": float(np.sqrt(1 / ratio) * np.sqrt(0.5 / free[0] + 0.5 / free[1]))},
        {"noise_off_pa": "Pa", "noise_on_pa": "Pa", "variance_ratio": "1", "probability": "1", "shift_pa": "Pa", "left_by_foam": "1"},
        {"noise_pa": sigma[0], "noise_m": sigma[0] / metre}, {"noise_pa": sigma[1], "noise_m": sigma[1] / metre}, None, word, reason,
        found, {"off": (off_t, a), "on": (on_t, b)},
    )  # fmt: skip


def _straightened(t: Array, p: Array) -> Array:
    """Return the pressure without its mean and slope: weather and warming are not airflow."""
    return np.asarray(p - np.polyval(np.polyfit(t - t[0], p, 1), t - t[0]))


def _change(p: Array) -> int:
    """Return the row where the variance changes most likely: one change point, by likelihood of sample differences."""
    d2 = np.diff(p) ** 2
    total, n = np.cumsum(d2), len(d2)
    rows = np.arange(LEAST_SAMPLES, n - LEAST_SAMPLES)
    if len(rows) == 0:
        return len(p) // 2
    left, right = total[rows] / (rows + 1), (total[-1] - total[rows]) / (n - rows - 1)
    cost = (rows + 1) * np.log(np.maximum(left, 1e-12)) + (n - rows - 1) * np.log(np.maximum(right, 1e-12))
    return int(rows[int(np.argmin(cost))]) + 1
