"""A table that says what time it was at some counts: it gives a counter its rate."""

import numpy as np
import polars as pl

from fusus.logs.detect import Table
from fusus.logs.headers import words

_PARTS = {"year": 0, "month": 1, "day": 2, "hours": 3, "hour": 3, "minutes": 4, "minute": 4, "seconds": 5, "second": 5}


def is_clock_table(table: Table) -> bool:
    """Return whether a table holds a counter beside hours, minutes and seconds."""
    found = {_PARTS[w] for name in table.dialect.header for w in words(name) if w in _PARTS}
    return {3, 4, 5} <= found


def counts_per_second(table: Table) -> float | None:
    """Return how many counts pass in a second: the slope of whole seconds over counts, or None if too short."""
    header = table.dialect.header
    at = {_PARTS[w]: i for i, name in enumerate(header) for w in words(name) if w in _PARTS}
    others = [i for i in range(table.width) if i not in at.values()]
    if not others:
        return None
    column = {i: table.head[str(i)].cast(pl.Float64).to_numpy() for i in [*at.values(), others[0]]}
    seconds = column[at[3]] * 3600 + column[at[4]] * 60 + column[at[5]]
    if 2 in at:
        seconds = seconds + column[at[2]] * 86400
    counts = column[others[0]]
    good = np.isfinite(seconds) & np.isfinite(counts)
    seconds, counts = seconds[good], counts[good]
    # A clock that was set on the way, or starts late, would bend the line: only steady steps count.
    if len(counts) < 10 or seconds[-1] - seconds[0] < 5:
        return None
    keep = np.concatenate([[False], (np.diff(seconds) >= 0) & (np.diff(seconds) < 60) & (np.diff(counts) > 0)])
    keep[1 : max(2, len(keep) // 20)] = False
    slope = float(np.polyfit(counts[keep], seconds[keep], 1)[0]) if keep.sum() >= 8 else 0.0
    return 1.0 / slope if slope > 0 else None
