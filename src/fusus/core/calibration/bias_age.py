"""What a gyro bias is worth as it ages. Light to import: the window shows it.

The laws of growth are those of ``core.analysis.allan.slow_noise``.
"""

import math
from typing import Any

import numpy as np

from fusus.core.arrays import Array

HOUR_S = 3600.0


def later_sigma(noise_sigma: float, instability: float, walk: float, span_s: float, age_s: float) -> float:
    """Return how far a mean lies from the mean of the bias over an equal span later, one sigma.

    Parameters
    ----------
    noise_sigma : float
        Standard error of the mean by white noise.
    instability : float
        B.
    walk : float
        K.
    span_s : float
        How long was averaged, s.
    age_s : float
        From start to start, s; not less than ``span_s`` counts: the next equal span.
    """
    k = max(age_s / span_s, 1.0)
    flicker = ((k + 1) ** 2 * math.log(k + 1) + _square_log(k - 1) - 2 * _square_log(k)) / math.pi
    return math.sqrt(noise_sigma**2 + instability**2 * flicker + walk**2 * span_s * (k - 1.0 / 3.0))


def _square_log(k: float) -> float:
    return k * k * math.log(k) if k > 0 else 0.0


def bias_sigma(parameters: dict[str, Any], errors: dict[str, Any], age_s: float, kelvin: float = 0.0) -> Array | None:
    """Return what a stored bias is worth at an age and so many kelvin from its temperature, one sigma, shape (3,), rad/s.

    Beyond an hour it stays as after an hour: nothing in a capture of minutes tells what a day does. None for calibrations that were
    stored without these figures.
    """
    wanted = ("mean_sigma_rad_s", "instability_rad_s", "walk_rad_s2_rthz")
    found = [parameters.get(name) for name in wanted]
    span = parameters.get("rest_s")
    if span is None or any(v is None or None in v for v in found):
        stored = errors.get("gyro_bias_rad_s")
        return None if stored is None or None in stored else np.array(stored, dtype=float)
    warm = float(parameters.get("slope_sigma_rad_s_k") or 0.0) * kelvin
    axes = zip(*(v for v in found if v is not None), strict=True)
    return np.array([math.hypot(later_sigma(n, b, k, span, min(age_s, max(span, HOUR_S))), warm) for n, b, k in axes])
