"""Gyro bias from a capture at rest, with the error that the Allan deviation gives for so long an average."""

import math

import numpy as np
from numpy.typing import ArrayLike

from fusus.core.analysis.allan.deviation import allan_curve
from fusus.core.analysis.allan.reading import Coefficient, Reading, read_curve
from fusus.core.arrays import Array, as_samples, as_series
from fusus.core.calibration.result import Calibration, CaptureProblem, Word, judged, plain, refused
from fusus.core.calibration.screening import screen
from fusus.core.calibration.stillness import Span, still_spans

LEAST_S = 2.0
WANTED_RAD_S = 1e-4  # what a usual attitude filter asks of a bias
MOST_WARMING_K = 2.0
POINTS = 24


def gyro_bias(
    t_s: ArrayLike,
    gyro: ArrayLike,
    acc: ArrayLike,
    temperature_degc: ArrayLike | None = None,
    wanted_rad_s: float = WANTED_RAD_S,
) -> Calibration:
    """Return the gyro's bias while the board lay still.

    Parameters
    ----------
    t_s : array_like, (N,), s, any
        Times.
    gyro : array_like, (N, 3), rad/s, s
        Angular rate.
    acc : array_like, (N, 3), m/s^2, s
        Readings.
    temperature_degc : array_like, (N,), degC, any
        The sensor's own temperature.
    wanted_rad_s : float
        Standard error that is good enough.

    Returns
    -------
    Calibration
        ``gyro_bias_rad_s``, ``noise_rad_s_rthz``; residuals are the bias left after averaging, against its standard error.

    Notes
    -----
    The error of a mean over T is the Allan deviation at T, from the fitted curve: noise N²/T, floor and walk; not σ/√n.
    The Earth's rotation, 7.3e-5 rad/s, is part of what is measured.
    """
    t, w, f = as_series(t_s, "t_s"), as_samples(gyro, "gyro", 3), as_samples(acc, "acc", 3)
    problems = screen(w, "gyro")
    spans = still_spans(t, w, f) if not problems else ()
    if not spans:
        if not problems:
            problems.append(_moved("The board never lay still."))
        return refused("gyro-bias", problems)
    best = max(spans, key=lambda s: s.length_s)
    problems += _of_rest(t, best)
    rows = best.rows
    rate = (best.last - best.first - 1) / best.length_s
    mean = w[rows].mean(axis=0)
    reads = [_read(w[rows, i], rate) for i in range(3)]
    sigma = np.array([mean_error(r, best.length_s) for r in reads])
    noise = np.array([r.noise.value if r.noise else np.nan for r in reads])
    noise_sigma = np.array([r.noise.sigma if r.noise else np.nan for r in reads])
    parameters = {"gyro_bias_rad_s": plain(mean), "noise_rad_s_rthz": plain(noise), "rest_s": best.length_s}
    errors = {"gyro_bias_rad_s": plain(sigma), "noise_rad_s_rthz": plain(noise_sigma), "rest_s": None}
    units = {"gyro_bias_rad_s": "rad/s", "noise_rad_s_rthz": "rad/s/√Hz (Allan coefficient)", "rest_s": "s"}
    if temperature_degc is not None:
        temperature = np.asarray(temperature_degc, dtype=float)[rows]
        temperature = temperature[np.isfinite(temperature)]
        if len(temperature):
            parameters["temperature_degc"], errors["temperature_degc"] = float(temperature.mean()), None
            units["temperature_degc"] = "°C"
            warming = float(np.ptp(temperature[:: max(1, len(temperature) // 50)]))
            if warming > MOST_WARMING_K:
                problems.append(
                    ("close", CaptureProblem("warming", f"The sensor's temperature moved by {warming:.1f} K.",
                                             "Let it reach its temperature first; the bias follows it."))
                )  # fmt: skip
    worst = float(sigma.max())
    if worst > wanted_rad_s:
        needed = best.length_s * (worst / wanted_rad_s) ** 2
        problems.append(
            ("close", CaptureProblem("short", f"Known to {math.degrees(worst) * 3600:.0f} °/h only.",
                                     f"Record {needed:.0f} s at rest for {math.degrees(wanted_rad_s) * 3600:.0f} °/h."))
        )  # fmt: skip
    good = f"{best.length_s:.0f} s at rest, known to {math.degrees(worst) * 3600:.1f} °/h."
    word, reason, found = judged(problems, good)
    return Calibration(
        "gyro-bias", parameters, errors, units, {"bias_rad_s": float(np.linalg.norm(mean))},
        {"bias_rad_s": float(np.linalg.norm(sigma))}, None, word, reason, found, {"spans": spans, "used": best},
    )  # fmt: skip


def mean_error(reading: Reading, span_s: float) -> float:
    """Return the standard error of a mean over ``span_s``: the fitted Allan deviation there, without mere bounds."""
    terms = 0.0
    if reading.noise is not None:
        terms += reading.noise.value**2 / span_s
    if reading.instability is not None and not reading.instability.is_bound and _is_clear(reading.instability):
        terms += (0.664 * reading.instability.value) ** 2
    if reading.walk is not None and _is_clear(reading.walk):
        terms += reading.walk.value**2 * span_s / 3.0
    if reading.quantisation is not None:
        terms += 3.0 * reading.quantisation.value**2 / span_s**2
    return math.sqrt(terms) if terms > 0 else reading.floor


def _is_clear(k: Coefficient) -> bool:
    """Return whether a coefficient stands out of its own error; chance alone often makes a small one."""
    return k.value > 3.0 * k.sigma


def _read(series: Array, rate: float) -> Reading:
    return read_curve(allan_curve(series, rate))


def _of_rest(t: Array, best: Span) -> list[tuple[Word, CaptureProblem]]:
    length = float(t[-1] - t[0])
    if best.length_s < LEAST_S:
        return [
            ("fail", CaptureProblem("short", f"The longest rest lasts {best.length_s:.1f} s.", "Record 10 s at rest."))
        ]
    if best.length_s < 0.5 * length and length - best.length_s > 2.0:
        return [
            ("close", CaptureProblem("moved", f"The board moved: {best.length_s:.0f} of {length:.0f} s are at rest.",
                                     "Leave it alone while recording; only the rest is used."))
        ]  # fmt: skip
    return []


def _moved(message: str) -> tuple[Word, CaptureProblem]:
    return "fail", CaptureProblem("moved", message, "Lay the board down, take your hands off, and record 10 s.")
