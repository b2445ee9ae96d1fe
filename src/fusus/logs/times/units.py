"""The unit of a time column by its steps: sensors are logged at rates that loggers and boards can do.

Arrays, where a function does not say otherwise (shape, unit, frame):
values : (N,) a time column as logged
"""

import numpy as np

from fusus.core.arrays import Array

SECONDS = {"s": 1.0, "ms": 1e-3, "us": 1e-6, "ns": 1e-9}
LONG = {"min": 60.0, "h": 3600.0, "days": 86400.0}
WORDS = {
    "s": "seconds", "ms": "milliseconds", "us": "microseconds", "ns": "nanoseconds", "min": "minutes", "h": "hours",
    "days": "days since 1900, as spreadsheets count them", "hhmmss": "a time of day as one number (hours, minutes, seconds)",
}  # fmt: skip
# Rates at which an inertial sensor, or anything slower, is logged (common practice), Hz.
INERTIAL_HZ = (4.0, 10_000.0)
OTHER_HZ = (0.01, 200.0)
FASTEST_USUAL_HZ = 1010.0
# What a stated unit may at most mean, Hz: stranger rates than the usual ones are believed if they are stated.
STATED_HZ = (0.001, 40_000.0)
# Days as spreadsheets count them, from 1970 to 2100; day 25569 is the first of 1970 (common practice).
SERIAL_DAYS, SERIAL_1970 = (25_569.0, 73_051.0), 25_569
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


def is_serial_day(values: Array, step: float) -> bool:
    """Return whether times are days since 1900: their size says so, and as seconds they would come faster than any sensor."""
    v = values[np.isfinite(values)]
    if not len(v) or not (SERIAL_DAYS[0] <= v.min() and v.max() <= SERIAL_DAYS[1]):
        return False
    return (
        STATED_HZ[0] <= 1.0 / (step * LONG["days"]) <= STATED_HZ[1]
        and not INERTIAL_HZ[0] <= 1.0 / step <= INERTIAL_HZ[1]
    )


def of_day_s(values: Array) -> Array:
    """Return seconds since midnight, shape (N,) s, of times of day written as one number (123001.25 is 12:30:01.25); NaN where
    there is no such time."""
    with np.errstate(invalid="ignore"):
        hours, minutes = values // 1e4, values // 100 % 100
        seconds = values % 100
        good = (values >= 0) & (hours <= 23) & (minutes <= 59) & (seconds < 61)
    return np.where(good, hours * 3600.0 + minutes * 60.0 + seconds, np.nan)


def shows_time_of_day(values: Array) -> bool | None:
    """Return whether numbers (N,) are times of day written as one number: True where they step from 59 to 100 and from nowhere
    else, None where they may be, False where they cannot be."""
    v = values[np.isfinite(values)]
    day = of_day_s(v)
    if len(v) < 3 or float(np.isnan(day).mean()) > 0.01:
        return False
    steps, read = np.diff(v), np.diff(day)
    over = (np.floor(v[1:] / 100) != np.floor(v[:-1] / 100)) & (read > 0) & (read < 40.0)
    if over.any():
        return bool((steps[over] >= 39.0).all())
    return None if float(v.max()) >= 1e4 else False


def counts_by_one(values: Array) -> bool:
    """Return whether whole numbers go up by exactly one, as samples are counted."""
    v = values[np.isfinite(values)]
    return len(v) > 2 and float((np.diff(v) == 1).mean()) > 0.9 and bool(np.all(v == np.rint(v)))


def rate_words(rate_hz: float) -> str:
    """Return a rate for people: Hz from one on, else seconds between samples."""
    return f"{rate_hz:.4g} Hz" if rate_hz >= 1 else f"one sample every {1 / rate_hz:.4g} s"
