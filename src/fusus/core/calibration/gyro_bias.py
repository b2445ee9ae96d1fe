"""Gyro bias from a capture at rest: how well its mean is known, and what it is worth later.

Two errors, not one. The mean of the capture is known to N/√T. The bias then drifts on, by its instability and walk, so that what was
measured is worth less a minute later, and less again after an hour: that is what a flight gets, and what is claimed.
"""

import math

import numpy as np
from numpy.typing import ArrayLike

from fusus.core.analysis.allan.deviation import AllanCurve, allan_curve
from fusus.core.analysis.allan.reading import read_curve
from fusus.core.analysis.allan.slow_noise import slow_noise
from fusus.core.arrays import Array, as_samples, as_series
from fusus.core.calibration.bias_age import HOUR_S, later_sigma
from fusus.core.calibration.result import Calibration, CaptureProblem, Word, judged, plain, refused
from fusus.core.calibration.screening import screen
from fusus.core.calibration.stillness import Span, still_spans
from fusus.core.sensors.inertial import InertialModel

LEAST_S = 2.0
WANTED_RAD_S = 1e-4  # what a usual attitude filter asks of a bias
MOST_WARMING_K = 2.0


def gyro_bias(
    t_s: ArrayLike,
    gyro: ArrayLike,
    acc: ArrayLike,
    temperature_degc: ArrayLike | None = None,
    wanted_rad_s: float = WANTED_RAD_S,
    datasheet: InertialModel | None = None,
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
    datasheet : InertialModel, optional
        The chosen part's model: what instability and walk to expect where the capture shows neither, and how far the bias may move
        for one kelvin.

    Returns
    -------
    Calibration
        ``gyro_bias_rad_s`` with the error that it has over an equal time right after; ``mean_sigma_rad_s``: of the mean of this
        capture; ``after_hour_sigma_rad_s``; ``instability_rad_s`` and ``walk_rad_s2_rthz`` that these rest on (root mean square of
        all that explain the capture); ``noise_rad_s_rthz``. Residuals are the bias left after averaging.

    Notes
    -----
    See ``slow_noise`` for the instability and walk that a capture does or does not show, and for their growth with age.
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
    curves = [allan_curve(w[rows, i], rate) for i in range(3)]
    expected = None if datasheet is None else (datasheet.instability, datasheet.walk)
    found_errors = [_errors(c, expected) for c in curves]
    now, sigma, hour, instability, walk = (np.array(v) for v in zip(*found_errors, strict=True))
    reads = [read_curve(c) for c in curves]
    noise = np.array([r.noise.value if r.noise else np.nan for r in reads])
    noise_sigma = np.array([r.noise.sigma if r.noise else np.nan for r in reads])
    parameters = {
        "gyro_bias_rad_s": plain(mean), "mean_sigma_rad_s": plain(now), "after_hour_sigma_rad_s": plain(hour),
        "instability_rad_s": plain(instability), "walk_rad_s2_rthz": plain(walk), "noise_rad_s_rthz": plain(noise),
        "rest_s": best.length_s, "slope_sigma_rad_s_k": 0.0 if datasheet is None else datasheet.temperature_slope,
    }  # fmt: skip
    errors = dict.fromkeys(parameters) | {"gyro_bias_rad_s": plain(sigma), "noise_rad_s_rthz": plain(noise_sigma)}
    units = {
        "gyro_bias_rad_s": "rad/s", "mean_sigma_rad_s": "rad/s", "after_hour_sigma_rad_s": "rad/s", "instability_rad_s": "rad/s",
        "walk_rad_s2_rthz": "rad/s²/√Hz", "noise_rad_s_rthz": "rad/s/√Hz (Allan coefficient)", "rest_s": "s",
        "slope_sigma_rad_s_k": "rad/s/K",
    }  # fmt: skip
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
    worst = int(sigma.argmax())
    if not np.isfinite(sigma).all():
        still = CaptureProblem("even", "An axis reads one and the same figure all the time: nothing is known of its error.",
                               "Choose a finer range, or take the part's filter off.")  # fmt: skip
        problems.append(("close", still))
    elif sigma[worst] > wanted_rad_s:
        problems.append(("close", _short(best.length_s, float(now[worst]), float(sigma[worst]), wanted_rad_s)))
    good = f"{best.length_s:.0f} s at rest; the mean is known to {_per_hour(now.max())}, and for the next {best.length_s:.0f} s the bias "
    good += f"is known to {_per_hour(sigma.max())}, after an hour to {_per_hour(hour.max())}."
    word, reason, found = judged(problems, good)
    return Calibration(
        "gyro-bias", parameters, errors, units, {"bias_rad_s": float(np.linalg.norm(mean))},
        {"bias_rad_s": float(np.linalg.norm(sigma))}, None, word, reason, found, {"spans": spans, "used": best},
    )  # fmt: skip


def _errors(curve: AllanCurve, expected: tuple[float, float] | None) -> tuple[float, float, float, float, float]:
    """Return the errors of a mean: of this record, over an equal time right after, after an hour; and the B and K behind them."""
    slow = slow_noise(curve.blocks, expected)
    if slow is None:  # readings that do not vary at all: nothing is known of their error
        return math.nan, math.nan, math.nan, math.nan, math.nan
    now, span = slow.mean_sigma, slow.span_s
    instability, walk = slow.root_mean_square(slow.instability), slow.root_mean_square(slow.walk)
    later, hour = (later_sigma(now, instability, walk, span, age) for age in (span, max(span, HOUR_S)))
    return now, later, hour, instability, walk


def _short(length_s: float, now: float, later: float, wanted: float) -> CaptureProblem:
    """Return what to do about a bias that is not known as well as wanted: longer helps against noise only."""
    message = f"Over the next {length_s:.0f} s the bias is known to {_per_hour(later)} only, the mean of this capture to {_per_hour(now)}."
    drift = math.sqrt(max(later**2 - now**2, 0.0))
    if drift >= wanted:
        return CaptureProblem(
            "short", message,
            f"{_per_hour(wanted)} is wanted, and the bias may drift by {_per_hour(drift)} meanwhile: record ten times as long to see "
            "whether it does, or let the filter go on learning it.",
        )  # fmt: skip
    needed = length_s * now**2 / (wanted**2 - drift**2)
    return CaptureProblem("short", message, f"Record {needed:.0f} s at rest for {_per_hour(wanted)}.")


def _per_hour(rate: float) -> str:
    value = math.degrees(rate) * HOUR_S
    return f"{value:.1f} °/h" if value < 10 else f"{value:.0f} °/h"


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
