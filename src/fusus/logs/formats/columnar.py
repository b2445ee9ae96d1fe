"""Parquet and Arrow, batch by batch: nested columns by their names joined with points, lists by their axes."""

from collections.abc import Iterator
from pathlib import Path

import polars as pl
import pyarrow as pa
import pyarrow.parquet as pq

from fusus.errors import LogError
from fusus.logs.formats.reasons import short

BATCH_ROWS = 50_000
LONGEST_LIST = 16


def parquet_table(path: Path, folder: Path) -> list[Path]:
    """Write a Parquet file as a table."""
    try:
        return [_written(pq.ParquetFile(path).iter_batches(BATCH_ROWS), path, folder)]
    except (pa.ArrowException, pl.exceptions.PolarsError, OSError, ValueError) as error:
        raise LogError(path, None, None, f"it is no readable Parquet file ({short(error)}).") from error


def arrow_table(path: Path, folder: Path) -> list[Path]:
    """Write an Arrow file, or a stream of Arrow batches, as a table."""
    try:
        with path.open("rb") as file:
            is_file = file.read(6) == b"ARROW1"
        with pa.memory_map(str(path)) as source:
            if is_file:
                reader = pa.ipc.open_file(source)
                return [_written((reader.get_batch(i) for i in range(reader.num_record_batches)), path, folder)]
            return [_written(iter(pa.ipc.open_stream(source)), path, folder)]
    except (pa.ArrowException, pl.exceptions.PolarsError, OSError, ValueError) as error:
        raise LogError(path, None, None, f"it is no readable Arrow file ({short(error)}).") from error


def _written(batches: Iterator[pa.RecordBatch], source: Path, folder: Path) -> Path:
    target = folder / source.name
    header = True
    with target.open("wb") as file:
        for batch in batches:
            frame = pl.from_arrow(batch)
            if isinstance(frame, pl.DataFrame) and frame.height:
                _flat(frame).write_csv(file, include_header=header)
                header = False
    if header:
        raise LogError(source, None, None, "it holds no rows.")
    return target


def _flat(frame: pl.DataFrame) -> pl.DataFrame:
    """Return a frame of plain numbers and texts."""
    columns: list[pl.Series] = []
    for series in frame.get_columns():
        columns += _plain(series)
    return pl.DataFrame(columns)


def _plain(series: pl.Series) -> list[pl.Series]:
    dtype = series.dtype
    if isinstance(dtype, pl.Struct):
        return [p for f in series.struct.unnest().get_columns() for p in _plain(f.rename(f"{series.name}.{f.name}"))]
    if isinstance(dtype, pl.List | pl.Array):
        lists = series.cast(pl.List(dtype.inner)) if isinstance(dtype, pl.Array) else series
        lengths = lists.list.len().drop_nulls()
        size = int(lengths.max() or 0) if len(lengths) else 0  # type: ignore[arg-type]
        if not 0 < size <= LONGEST_LIST:
            return []
        axes = ("x", "y", "z") if size == 3 else tuple(str(i) for i in range(size))
        parts = [lists.list.get(i, null_on_oob=True).rename(f"{series.name}_{a}") for i, a in enumerate(axes)]
        return [p for part in parts for p in _plain(part)]
    if dtype == pl.Boolean:
        return [series.cast(pl.Int8)]
    if isinstance(dtype, pl.Duration):
        return [series.dt.total_nanoseconds().rename(f"{series.name} (ns)")]
    if isinstance(dtype, pl.Datetime):
        return [series.dt.strftime("%Y-%m-%dT%H:%M:%S%.9f")]
    if isinstance(dtype, pl.Decimal):
        return [series.cast(pl.Float64)]
    return [series] if dtype.is_numeric() or dtype in (pl.String, pl.Categorical, pl.Date, pl.Time) else []
