"""Frequency response from what was wanted and what came of it, with the coherence that says where it can be trusted.

Arrays, where a function does not say otherwise (shape, unit, frame):

    put_in : (N,) rad/s, b
    came_out : (N,) rad/s, b
"""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike
from scipy import signal

from fusus.core.arrays import Array, BoolArray, check_range
from fusus.core.control.elements import ComplexArray

# Below this share of one, the answer is mostly something else's.
TRUSTED = 0.6


@dataclass(frozen=True, slots=True)
class MeasuredResponse:
    """Complex gain (F,) from input to output at frequencies (F,) Hz, coherence (F,), over so many independent stretches."""

    hz: Array
    gain: ComplexArray
    coherence: Array
    stretches: float

    @property
    def trusted(self) -> BoolArray:
        """Which frequencies can be trusted, bool (F,)."""
        return np.asarray(self.coherence > TRUSTED)

    @property
    def sigma(self) -> Array:
        """One sigma of the gain's relative error, and of its phase in rad, (F,): √((1 - γ²) / (2 γ² n)) (Bendat & Piersol,
        section 9.1, from memory)."""
        c = np.clip(self.coherence, 1e-6, 1.0 - 1e-12)
        return np.asarray(np.sqrt((1.0 - c) / (2.0 * c * self.stretches)))


def frequency_response(
    put_in: ArrayLike, came_out: ArrayLike, rate_hz: float, stretch_s: float = 4.0
) -> MeasuredResponse:
    """Return the response by Welch's method: cross spectrum over the input's own.

    Parameters
    ----------
    put_in : array_like, (N,), any, any
        What was wanted, evenly sampled.
    came_out : array_like, (N,), any, any
        What came of it.
    rate_hz : float
        Samples a second.
    stretch_s : float
        Length of the stretches that are averaged: its inverse is the resolution.

    Returns
    -------
    MeasuredResponse
        From one over the stretch to half the rate. Of stretches that overlap by half, Hann windowed, 0.54 each count as independent.
    """
    check_range("Sample rate", rate_hz, 1.0, 1e6, "Hz")
    x, y = np.asarray(put_in, dtype=float), np.asarray(came_out, dtype=float)
    n = min(len(x), max(16, round(stretch_s * rate_hz)))
    hz, pxx = signal.welch(x, rate_hz, nperseg=n)
    _, pyy = signal.welch(y, rate_hz, nperseg=n)
    _, pxy = signal.csd(x, y, rate_hz, nperseg=n)
    use = hz > 0
    floor = np.finfo(float).tiny
    coherence = np.abs(pxy) ** 2 / np.maximum(pxx * pyy, floor)
    count = max(1, (len(x) - n) // (n // 2) + 1)
    gain = pxy / np.maximum(pxx, floor)
    stretches = max(1.0, 0.54 * count)
    if count < 2:
        coherence = np.zeros_like(coherence)  # one stretch alone always agrees with itself
    return MeasuredResponse(hz[use], np.asarray(gain[use]), np.asarray(coherence[use]), stretches)


def delay_s(put_in: ArrayLike, came_out: ArrayLike, rate_hz: float, most_s: float = 0.5) -> float:
    """Return by how much the output follows the input, s: the peak of their correlation, refined by a parabola; NaN for none."""
    x, y = np.asarray(put_in, dtype=float), np.asarray(came_out, dtype=float)
    x, y = x - x.mean(), y - y.mean()
    if not x.any() or not y.any():
        return math.nan
    size = np.correlate if len(x) < 4096 else signal.correlate
    lags = int(most_s * rate_hz)
    full = np.asarray(size(y, x, mode="full"))[len(x) - 1 : len(x) + lags]
    k = int(np.argmax(full))
    if not 0 < k < len(full) - 1:
        return k / rate_hz
    a, b, c = full[k - 1], full[k], full[k + 1]
    return float((k + 0.5 * (a - c) / (a - 2.0 * b + c)) / rate_hz)
