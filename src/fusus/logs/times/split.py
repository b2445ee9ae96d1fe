"""A time in two columns: whole seconds, and what is beyond them in a smaller unit."""

import re
from dataclasses import dataclass

import numpy as np
import polars as pl

from fusus.logs.blocks import numbers
from fusus.logs.times.units import SECONDS

WHOLE = {"s", "sec", "secs", "second", "seconds"}
BEYOND = {
    "ns": {"ns", "nsec", "nsecs", "nanos", "nanosec", "nanosecs", "nanosecond", "nanoseconds"},
    "us": {"us", "usec", "usecs", "micros", "microsec", "microsecs", "microsecond", "microseconds"},
    "ms": {"ms", "msec", "msecs", "millis", "millisec", "millisecs", "millisecond", "milliseconds"},
}
# So large a share of rows must stand in the order of time.
ORDERED = 0.95


@dataclass(frozen=True, slots=True)
class SplitTime:
    """The places of both columns, and the unit of the one that counts beyond the seconds."""

    whole: int
    beyond: int
    unit: str


def split_time(names: tuple[str, ...], head: pl.DataFrame, texts: frozenset[int]) -> SplitTime | None:
    """Return the two columns of a time by their names, where their values bear it out; None without such a pair."""
    parted = [_parts(n) for n in names]
    for i, parts in enumerate(parted):
        if not parts or parts[-1] not in WHOLE or i in texts:
            continue
        for unit, said in BEYOND.items():
            for j, others in enumerate(parted):
                if j == i or j in texts or not others or others[-1] not in said or others[:-1] != parts[:-1]:
                    continue
                if _is_time(numbers(head, i), numbers(head, j), SECONDS[unit]):
                    return SplitTime(i, j, unit)
    return None


def _parts(name: str) -> list[str]:
    spaced = re.sub(r"(?<=[a-z])(?=[A-Z])", " ", name)
    return [p for p in re.split(r"[^a-z]+", spaced.lower()) if p]


def _is_time(whole: np.ndarray, beyond: np.ndarray, size_s: float) -> bool:
    good = np.isfinite(whole) & np.isfinite(beyond)
    whole, beyond = whole[good], beyond[good]
    if len(whole) < 2 or np.any(whole != np.rint(whole)) or beyond.min() < 0 or beyond.max() * size_s >= 1.0:
        return False
    # Taken from the first second: a time since 1970 with nanoseconds is more than a float tells apart.
    together = (whole - whole[0]) + beyond * size_s
    return bool(np.mean(np.diff(together) >= 0) >= ORDERED and together.max() > together.min())
