"""Oscillations in a flight: found in the spectrum of the rates, told from vibration, and named with their likely cause.

Arrays, where a function does not say otherwise (shape, unit, frame):

    rate : (N,) rad/s, b
    spectrum() : (F,) twice: Hz; (rad/s)²/Hz, b
"""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike
from scipy import signal

from fusus.core.arrays import Array

AXES = ("roll", "pitch", "yaw")
# A swing stands this many times over its surroundings, and so many rad/s high, before anybody minds.
STANDS_OUT, LEAST_RAD_S = 8.0, 0.08
LOWEST_HZ, HIGHEST_HZ = 0.4, 120.0
# Without the wanted rates what is slower than this may be steering.
BLIND_HZ = 3.0
# Spectra are averaged over stretches of at most so long; a swing is so many frequencies wide to either side, and surrounded by others.
LONGEST_S, NEAR_BINS, FEWEST = 16.0, 2, 5
# Rotors turn within this share of the frequency that the throttle says.
ROTOR_NEAR = 0.2
# A loop swings between these multiples of the frequency at which its phase reaches 180°.
TURNING_NEAR = (0.6, 1.6)


@dataclass(frozen=True, slots=True)
class Oscillation:
    """A swing: axis, frequency Hz with its resolution, RMS rad/s, and its likely cause in words with what to do."""

    axis: str
    hz: float
    resolution_hz: float
    rms_rad_s: float
    cause: str
    next_step: str
    is_loop: bool


@dataclass(frozen=True, slots=True)
class Known:
    """What is known of an axis: at which frequency its loop would swing Hz, whether D rather than P brings that about, and where the
    loop above it crosses over Hz; NaN for unknown."""

    turning_hz: float
    by_derivative: bool
    outer_hz: float


def spectrum(rate: ArrayLike, rate_hz: float, stretch_s: float = 2.0) -> tuple[Array, Array]:
    """Return frequencies Hz and the one-sided density of a rate, (rad/s)²/Hz, by Welch's method."""
    y = np.asarray(rate, dtype=float)
    hz, density = signal.welch(y, rate_hz, nperseg=min(len(y), max(16, round(stretch_s * rate_hz))))
    return np.asarray(hz), np.asarray(density)


def swings(
    rates: ArrayLike,
    rate_hz: float,
    known: tuple[Known, Known, Known],
    rotor_hz: float,
    wanted: ArrayLike | None = None,
) -> tuple[Oscillation, ...]:
    """Return the swings in the body's rates, the largest first.

    Parameters
    ----------
    rates : array_like, (N, 3), rad/s, b
        Gyro in the air.
    rate_hz : float
        Samples a second.
    known : tuple of Known
        What is known of each axis.
    rotor_hz : float
        How fast rotors turn in the hover, NaN for unknown.
    wanted : array_like, (N, 3), rad/s, b
        Wanted rates: what is asked for is no swing of its own.

    Returns
    -------
    tuple of Oscillation
        At most one an axis: its largest.
    """
    y = np.asarray(rates, dtype=float)
    if wanted is not None:
        y = y - np.asarray(wanted, dtype=float)
    out = []
    for i, axis in enumerate(AXES):
        stretch = min(LONGEST_S, len(y) / rate_hz / 4.0)
        hz, density = spectrum(y[:, i], rate_hz, stretch)
        f, p = hz[1:], density[1:]
        width = float(f[1] - f[0])
        ratio = _over_surroundings(f, p)
        if wanted is None:
            ratio[f < BLIND_HZ] = 0.0
        peak = int(np.argmax(np.where(ratio > STANDS_OUT, p, 0.0)))
        low, high = max(0, peak - NEAR_BINS), min(len(p), peak + NEAR_BINS + 1)
        rms = math.sqrt(float(p[low:high].sum()) * width)
        if ratio[peak] <= STANDS_OUT or rms < LEAST_RAD_S:
            continue
        middle = float((f[low:high] * p[low:high]).sum() / p[low:high].sum())
        cause, step, is_loop = _cause(axis, middle, known[i], rotor_hz)
        out.append(Oscillation(axis, middle, width, rms, cause, step, is_loop))
    return tuple(sorted(out, key=lambda s: -s.rms_rad_s))


def _over_surroundings(f: Array, p: Array) -> Array:
    """Return by how much each frequency stands over the median of those from half to twice it, itself left out, (F,)."""
    out = np.zeros(len(f))
    for k in np.flatnonzero((f >= LOWEST_HZ) & (f <= HIGHEST_HZ)):
        low, high = np.searchsorted(f, [0.5 * f[k], 2.0 * f[k]])
        around = np.concatenate([p[low : max(low, k - NEAR_BINS)], p[k + NEAR_BINS + 1 : high]])
        if len(around) >= FEWEST and high < len(f):
            out[k] = p[k] / max(float(np.median(around)), np.finfo(float).tiny)
    return out


def _cause(axis: str, hz: float, known: Known, rotor_hz: float) -> tuple[str, str, bool]:
    for times, words in ((1, "the rotors' own turning"), (2, "twice the rotors' turning")):
        if math.isfinite(rotor_hz) and abs(hz / (times * rotor_hz) - 1.0) < ROTOR_NEAR:
            return (
                f"{words}, some {times * rotor_hz:.0f} Hz in the hover: vibration",
                "Balance propellers, check the mount, or put a notch there.",
                False,
            )
    low, high = TURNING_NEAR
    if math.isfinite(known.turning_hz) and low < hz / known.turning_hz < high:
        gain = "D" if known.by_derivative else "P"
        return (
            f"{gain} of the {axis} rate loop too high: it swings of itself near {known.turning_hz:.0f} Hz",
            f"Lower {gain} of {axis} by a third, and look for delay that can be taken out.",
            True,
        )
    if math.isfinite(known.outer_hz) and hz < 2.0 * known.outer_hz:
        loop = "heading" if axis == "yaw" else "tilt"
        return (
            f"the {loop} loop over it, or I of {axis}: slow and large",
            f"Lower the {loop} gain or I of {axis} by a third.",
            True,
        )
    return (
        "no loop of the design swings there: structure, a loose part, or gains other than the project's",
        "Compare the gains on the board with the project's, then look for what is loose.",
        False,
    )
