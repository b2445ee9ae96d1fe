"""Which column of a table is the time, and in which unit."""

import re

import numpy as np
import polars as pl

from fusus.core.arrays import Array
from fusus.logs import values as by_value
from fusus.logs.blocks import numbers
from fusus.logs.dialect import Dialect
from fusus.logs.headers import meaning, time_name
from fusus.logs.mapping import TimeMapping
from fusus.logs.problems import Problems


def told_rate(text: str, first_data_line: int) -> float | None:
    """Return the sample rate that the lines before the table tell, Hz, or None."""
    before = "\n".join(text.split("\n")[: first_data_line - 1])
    found = re.search(r"(?:rate|frequency)\W{0,4}(?:\(?hz\)?\W{0,3})?(\d+(?:\.\d+)?)", before, re.IGNORECASE)
    return float(found.group(1)) if found and 0.1 <= float(found.group(1)) <= 1e5 else None


def _counts_by_one(values: Array) -> bool:
    v = values[np.isfinite(values)]
    return len(v) > 2 and float((np.diff(v) == 1).mean()) > 0.9


def find_time(
    names: tuple[str, ...], head: pl.DataFrame, texts: frozenset[int], dialect: Dialect, problems: Problems, file: str,
    told_rate_hz: float | None,
) -> TimeMapping:  # fmt: skip
    """Return which column is the time and in which unit."""
    candidates: list[tuple[int, int, int, str | None]] = []
    named: list[tuple[int, int, int, str | None]] = []
    for i, name in enumerate(names):
        known = time_name(name) if dialect.header else None
        if i in texts:
            if any(":" in r[i] for r in dialect.rows[:5] if len(r) > i):
                candidates.append((10 if known else 3, -i, i, "iso8601"))
            continue
        v = numbers(head, i)
        v = v[np.isfinite(v)]
        rising = len(v) > 1 and float((np.diff(v) >= 0).mean()) > 0.9 and v.max() > v.min()
        if known is not None and len(v) > 1 and float((np.diff(v) < 0).mean()) > 0.9:
            rising = True  # newest first: the rows are put in order later
        if known is not None and (rising or head.height <= 2):
            candidates.append((known.rank, -i, i, known.unit))
        elif known is not None and len(v) > 1 and v.max() > v.min():
            named.append((known.rank, -i, i, known.unit))
        elif known is None and rising and (i == 0 or not dialect.header) and float((np.diff(v) > 0).mean()) > 0.8:
            if dialect.header and meaning(name) is not None:
                continue
            candidates.append((0, -i, i, None))
    # A column called time that jumps about is better than none: its rows are put in order, or told.
    candidates = candidates or named
    if not candidates:
        rate = told_rate_hz or 100.0
        how = (
            "rows counted at the rate that the file tells"
            if told_rate_hz
            else "rows counted at 100 Hz; give rate_hz in a mapping"
        )
        problems.add(file, "time_assumed", "no column looks like a time", how)
        return TimeMapping(index=None, unit="counter", rate_hz=rate)
    _, _, index, unit = max(candidates)
    if unit == "iso8601":
        dates = [j for j in texts if j != index and all("-" in r[j] for r in dialect.rows[:3] if len(r) > j)]
        has_date = "-" in dialect.rows[0][index]
        return TimeMapping(index=index, unit="iso8601", date_index=dates[0] if dates and not has_date else None)
    if unit in (None, "counter") and told_rate_hz and _counts_by_one(numbers(head, index)):
        return TimeMapping(index=index, unit="counter", rate_hz=told_rate_hz)
    if unit is None:
        found, sure = by_value.time_unit(numbers(head, index))
        unit = found
        if not sure:
            problems.add(
                file, "unit_assumed", f"the unit of the time is not told; its step fits {found}",
                f"taken as {found}", column=names[index], line=dialect.first_data_line,
            )  # fmt: skip
    return TimeMapping(index=index, unit=unit)  # type: ignore[arg-type]
