"""Bias against temperature from a soak: a polynomial, its hysteresis, and how far it may be trusted.

Arrays, where a function does not say otherwise (shape, unit, frame):

    polynomial : (3, K) any, s
    temperature_degc : (N,) °C, any
"""

import numpy as np
from numpy.typing import ArrayLike

from fusus.core.arrays import Array, as_samples, as_series
from fusus.core.calibration.regression import Regression, SlowNoise, blocks, regress
from fusus.core.calibration.result import Calibration, CaptureProblem, Value, judged, plain, refused
from fusus.core.calibration.screening import Found, screen
from fusus.core.calibration.stillness import cut_windows, still_windows

LEAST_SPAN_K, GOOD_SPAN_K = 4.0, 10.0
MOST_DEGREE = 3
BLOCKS = 72  # a few seconds each: a temperature does not move faster
BETTER = 6.0  # by which a further degree must improve Akaike's measure


def thermal(
    t_s: ArrayLike, gyro: ArrayLike, acc: ArrayLike, temperature_degc: ArrayLike, gyro_walk: SlowNoise | None = None,
    acc_walk: SlowNoise | None = None,
) -> Calibration:  # fmt: skip
    """Return how gyro and accelerometer biases follow the sensor's temperature.

    Parameters
    ----------
    t_s : array_like, (N,), s, any
        Times.
    gyro : array_like, (N, 3), rad/s, s
        Angular rate.
    acc : array_like, (N, 3), m/s^2, s
        Readings of a board that lies still while it warms or cools.
    temperature_degc : array_like, (N,), degC, any
        The sensor's own temperature.
    gyro_walk : SlowNoise, optional
        What the datasheet, or the Allan curve, says of the gyro's slow drifting: the standard errors rest on it.
    acc_walk : SlowNoise, optional
        The same of the accelerometer.

    Returns
    -------
    Calibration
        ``gyro_polynomial`` (3, degree + 1) in powers of T - ``reference_degc``, constant first; the accelerometer likewise,
        without its constant, which gravity hides. ``gyro_slope_rad_s_k`` and ``acc_slope_m_s2_k`` (3,) are those at the middle.
    """
    t, w, f = as_series(t_s, "t_s"), as_samples(gyro, "gyro", 3), as_samples(acc, "acc", 3)
    temperature = np.asarray(temperature_degc, dtype=float)
    known = np.isfinite(temperature)
    problems = screen(w, "gyro")
    if known.sum() < 50:
        problems.append(
            ("fail", CaptureProblem("no temperature", "There is no temperature of the sensor.", "Log it with the IMU."))
        )
    if problems:
        return refused("thermal", problems)
    if not known.all():
        temperature = np.interp(t, t[known], temperature[known])
    kept = _still_rows(t, w, f)
    if kept.mean() < 0.8:
        problems.append(
            ("fail" if kept.mean() < 0.4 else "close",
             CaptureProblem("moved", f"The board was at rest for {kept.mean():.0%} of the time.", "Leave it alone while it warms."))
        )  # fmt: skip
    if not kept.any():
        return refused("thermal", problems)
    at, (warm, rate, force) = _blocks(t[kept], temperature[kept], w[kept], f[kept])
    span, middle = float(np.ptp(warm)), float(0.5 * (warm.max() + warm.min()))
    if span < LEAST_SPAN_K:
        problems.append(
            ("fail", CaptureProblem("no warming", f"The temperature moved by {span:.1f} K only.",
                                    "Cool the board first, then let it warm by 10 K and more."))
        )  # fmt: skip
        return refused("thermal", problems, {"temperature_degc": warm})
    if span < GOOD_SPAN_K:
        problems.append(
            ("close", CaptureProblem("narrow", f"The temperature moved by {span:.1f} K.", "Soak over the whole climate of the brief."))
        )  # fmt: skip
    gyro_fits, acc_fits = _fit(at, warm - middle, rate, gyro_walk), _fit(at, warm - middle, force, acc_walk)
    hysteresis = [_hysteresis(warm, fit.residuals) for fit in gyro_fits]
    before, after = _rms(rate - rate.mean(axis=0)), _rms(np.stack([f.residuals for f in gyro_fits], axis=1))
    good = (
        f"Over {span:.0f} K the gyro's bias moves by {np.degrees(np.ptp(rate, axis=0)).max():.3f} °/s; {np.degrees(after):.4f} °/s are "
        f"left round the fit."
    )
    word, reason, found = judged(problems + _of_hysteresis(hysteresis, before), good)
    parameters: dict[str, Value] = {
        "reference_degc": middle, "low_degc": float(warm.min()), "high_degc": float(warm.max()),
        "gyro_polynomial": _padded([f.coefficients for f in gyro_fits]),
        "acc_polynomial": _padded([np.append(0.0, f.coefficients[1:]) for f in acc_fits]),
        "gyro_slope_rad_s_k": plain(np.array([f.coefficients[1] for f in gyro_fits])),
        "acc_slope_m_s2_k": plain(np.array([f.coefficients[1] for f in acc_fits])),
        "hysteresis_rad_s": plain(np.array(hysteresis)),
    }  # fmt: skip
    errors: dict[str, Value] = {
        "reference_degc": None, "low_degc": None, "high_degc": None,
        "gyro_polynomial": _padded([f.standard_errors for f in gyro_fits]),
        "acc_polynomial": _padded([f.standard_errors for f in acc_fits]),
        "gyro_slope_rad_s_k": plain(np.array([f.standard_errors[1] for f in gyro_fits])),
        "acc_slope_m_s2_k": plain(np.array([f.standard_errors[1] for f in acc_fits])),
        "hysteresis_rad_s": None,
    }  # fmt: skip
    units = {
        "reference_degc": "°C", "low_degc": "°C", "high_degc": "°C", "gyro_polynomial": "rad/s/K^n", "acc_polynomial": "m/s²/K^n",
        "gyro_slope_rad_s_k": "rad/s/K", "acc_slope_m_s2_k": "m/s²/K", "hysteresis_rad_s": "rad/s",
    }  # fmt: skip
    return Calibration(
        "thermal", parameters, errors, units, {"bias_rms_rad_s": before}, {"bias_rms_rad_s": after}, None, word, reason, found,
        {"temperature_degc": warm, "t_s": at, "rate_rad_s": rate, "fits": gyro_fits},
    )  # fmt: skip


def evaluate(polynomial: ArrayLike, reference_degc: float, temperature_degc: ArrayLike) -> Array:
    """Return the bias (N, 3) that polynomials (3, K) give at temperatures (N,)."""
    x = np.asarray(temperature_degc, dtype=float) - reference_degc
    c = np.asarray(polynomial, dtype=float)
    return np.asarray(sum(np.outer(x**k, c[:, k]) for k in range(c.shape[1])))


def _still_rows(t: Array, w: Array, f: Array) -> Array:
    windows = cut_windows(t, w, f)
    still = still_windows(windows)
    rows = np.zeros(len(t), dtype=bool)
    for i in np.flatnonzero(still):
        rows[int(windows.edges[i]) : int(windows.edges[i + 1])] = True
    return rows


def _blocks(t: Array, temperature: Array, w: Array, f: Array) -> tuple[Array, tuple[Array, Array, Array]]:
    at, warm = blocks(t, temperature, BLOCKS)
    return at, (warm, blocks(t, w, BLOCKS)[1], blocks(t, f, BLOCKS)[1])


def _fit(t: Array, x: Array, values: Array, known: SlowNoise | None) -> list[Regression]:
    """Return one fit an axis, all of one degree: a further power must pay for itself."""
    best: tuple[float, list[Regression]] | None = None
    for degree in range(1, MOST_DEGREE + 1):
        design = np.stack([x**k for k in range(degree + 1)], axis=1)
        fits = [regress(t, design, values[:, i], known) for i in range(3)]
        white = sum(len(t) * np.log(max(float(np.var(f.residuals)), 1e-300)) for f in fits)
        measure = white + BETTER * 3 * degree
        significant = degree == 1 or any(abs(f.coefficients[-1]) > 4 * f.standard_errors[-1] for f in fits)
        if best is None or (measure < best[0] and significant):
            best = measure, fits
    return best[1] if best else []


def _hysteresis(warm: Array, residuals: Array) -> float:
    """Return the mean difference of the residuals between warming and cooling, 0 where only one of them was recorded."""
    rising = np.gradient(warm) > 0
    if rising.mean() < 0.15 or rising.mean() > 0.85:
        return 0.0
    return float(residuals[rising].mean() - residuals[~rising].mean())


def _of_hysteresis(hysteresis: list[float], before: float) -> Found:
    worst = max(abs(h) for h in hysteresis)
    if worst > 0.3 * before and worst > np.radians(0.01):
        return [
            ("close", CaptureProblem("hysteresis", f"Warming and cooling differ by {np.degrees(worst):.3f} °/s at one temperature.",
                                     "Warm more slowly: the sensor and its thermometer are not at one temperature."))
        ]  # fmt: skip
    return []


def _padded(rows: list[Array]) -> Value:
    width = max(len(r) for r in rows)
    return plain(np.array([np.pad(r, (0, width - len(r))) for r in rows]))


def _rms(values: Array) -> float:
    return float(np.sqrt(np.mean(values**2)))
