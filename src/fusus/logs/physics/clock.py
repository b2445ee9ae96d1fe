"""The unit of a time column by its steps: sensors are logged at rates that loggers and boards can do.

Arrays, where a function does not say otherwise (shape, unit, frame):
values : (N,) a time column as logged
"""

import numpy as np

from fusus.core.arrays import Array

SECONDS = {"s": 1.0, "ms": 1e-3, "us": 1e-6, "ns": 1e-9}
WORDS = {"s": "seconds", "ms": "milliseconds", "us": "microseconds", "ns": "nanoseconds", "min": "minutes"}
# Rates at which an inertial sensor, or anything slower, is logged (common practice), Hz.
INERTIAL_HZ = (4.0, 10_000.0)
OTHER_HZ = (0.01, 200.0)
# What a stated unit may at most mean, Hz: stranger rates than the usual ones are believed if they are stated.
STATED_HZ = (0.001, 40_000.0)
# Since 1970, as a number in each unit: from the year 1990 to 2060.
EPOCH_S = (6.3e8, 2.9e9)


def step_of(values: Array) -> float | None:
    """Return the mean step of rising times, steps back (a wrap, a restart) left out; None where they do not advance."""
    v = values[np.abs(values) < 1e19]  # a wrong field may hold any number
    steps = np.diff(v)
    if len(steps) and float((steps < 0).mean()) > 0.5:
        steps = -steps  # newest first
    steps = steps[steps >= 0]
    if not len(steps) or not steps.max() > 0:
        return None
    # Pauses and jumps are rare; the mean over the usual steps is finer than their median.
    usual = steps[steps <= 3.0 * max(float(np.median(steps)), float(np.median(steps[steps > 0])))]
    mean = float(usual.mean())
    return mean if mean > 0 else float(np.median(steps[steps > 0]))


def plausible_units(step: float, band_hz: tuple[float, float]) -> dict[str, float]:
    """Return the units in which a step is a rate within a band, each with the rate in Hz."""
    rates = {unit: 1.0 / (step * size) for unit, size in SECONDS.items()}
    return {unit: rate for unit, rate in rates.items() if band_hz[0] <= rate <= band_hz[1]}


def epoch_unit(values: Array, step: float) -> str | None:
    """Return the unit in which times count from 1970, if their size and their step both say so."""
    v = values[np.isfinite(values)]
    latest = float(np.abs(v).max()) if len(v) else 0.0
    for unit, size in SECONDS.items():
        if EPOCH_S[0] <= latest * size <= EPOCH_S[1] and STATED_HZ[0] <= 1.0 / (step * size) <= STATED_HZ[1]:
            return unit
    return None


def counts_by_one(values: Array) -> bool:
    """Return whether whole numbers go up by exactly one, as samples are counted."""
    v = values[np.isfinite(values)]
    return len(v) > 2 and float((np.diff(v) == 1).mean()) > 0.9 and bool(np.all(v == np.rint(v)))


def rate_words(rate_hz: float) -> str:
    """Return a rate for people: Hz from one on, else seconds between samples."""
    return f"{rate_hz:.4g} Hz" if rate_hz >= 1 else f"one sample every {1 / rate_hz:.4g} s"
