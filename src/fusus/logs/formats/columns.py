"""Named arrays as text tables: those of one length stand side by side, vectors as an axis a column."""

import csv
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from fusus.errors import LogError
from fusus.logs.headers import time_name

MOST_WIDE = 64
CHUNK_ROWS = 20_000
RATES = {"fs", "rate", "sample_rate", "samplerate", "sampling_rate", "hz", "fs_hz", "rate_hz", "frequency"}
AnyArray = NDArray[Any]


def tables_of(arrays: dict[str, AnyArray], source: Path, folder: Path) -> list[Path]:
    """Write named arrays as one table for each length, and return them; LogError where none holds rows of numbers."""
    series: dict[str, AnyArray] = {}
    rates: list[float] = []
    for name, array in arrays.items():
        _take(name, array, series, rates)
    lengths = {len(v) for v in series.values() if len(v) > 1}
    if not lengths:
        names = ", ".join(list(arrays)[:12]) or "nothing"
        raise LogError(source, None, None, f"it holds no arrays of numbers with rows (found: {names}).")
    out = []
    for number, length in enumerate(sorted(lengths, reverse=True)):
        columns = {name: v for name, v in series.items() if len(v) == length}
        if len(lengths) > 1 and not any(time_name(n) for n in columns) and len(columns) < 2:
            continue
        path = folder / str(number) / source.name
        path.parent.mkdir(parents=True, exist_ok=True)
        write_table(path, columns, rates[0] if len(rates) == 1 else None)
        out.append(path)
    return out


def _take(name: str, array: AnyArray, series: dict[str, AnyArray], rates: list[float]) -> None:
    """Add an array's columns, each of one dimension."""
    if array.dtype.names:
        for inner in array.dtype.names:
            _take(f"{name}.{inner}" if name else inner, array[inner], series, rates)
        return
    array = np.squeeze(array)
    if array.dtype.kind not in "fiubmMUS":
        return
    if array.ndim == 0:
        if name.rpartition(".")[2].lower() in RATES and array.dtype.kind in "fiu":
            rates.append(float(array.astype(np.float64)))
        return
    if array.ndim == 1:
        series[name] = array
    elif array.ndim == 2:
        rows = array if array.shape[0] >= array.shape[1] else array.T
        if rows.shape[1] > MOST_WIDE:
            return
        axes = ("x", "y", "z") if rows.shape[1] == 3 else tuple(str(i) for i in range(rows.shape[1]))
        for k, axis in enumerate(axes):
            series[f"{name}_{axis}" if name else f"column {k + 1}"] = rows[:, k]


def write_table(path: Path, columns: dict[str, AnyArray], rate_hz: float | None) -> None:
    """Write columns of one length as comma-separated text; figures keep every bit."""
    with path.open("w", encoding="utf-8", newline="") as file:
        if rate_hz is not None:
            file.write(f"# rate {rate_hz!r}\n")
        writer = csv.writer(file, lineterminator="\n")
        if not all(n.startswith("column ") for n in columns):
            writer.writerow(columns)
        for start in range(0, len(next(iter(columns.values()))), CHUNK_ROWS):
            parts = [list(_texts(v[start : start + CHUNK_ROWS])) for v in columns.values()]
            writer.writerows(zip(*parts, strict=True))


def _texts(values: AnyArray) -> Iterator[str]:
    kind = values.dtype.kind
    if kind == "f":
        # The shortest text of each figure in its own precision reads back as the same figure.
        yield from (str(x) for x in (values.tolist() if values.dtype == np.float64 else values))
    elif kind in "iu":
        yield from (str(x) for x in values.tolist())
    elif kind == "b":
        yield from ("1" if x else "0" for x in values)
    elif kind == "M":
        yield from (str(x) for x in np.datetime_as_string(values, unit="ns"))
    elif kind == "m":
        yield from (str(x) for x in values.astype("timedelta64[ns]").astype(np.int64).tolist())
    else:
        yield from (x.decode("utf-8", "replace") if isinstance(x, bytes) else str(x) for x in values.tolist())
