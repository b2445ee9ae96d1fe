"""Writes one stream block by block, watching for what is wrong with it on the way."""

from concurrent.futures import Executor, Future
from pathlib import Path
from typing import Any

import numpy as np
import polars as pl
import pyarrow as pa
import pyarrow.parquet as pq

from fusus.core.arrays import Array, BoolArray, IntArray
from fusus.logs.info import StreamInfo
from fusus.logs.problems import Problems
from fusus.logs.scale_watch import ScaleWatch
from fusus.logs.streams import STREAMS
from fusus.logs.values import ACC_RANGES_G, GYRO_RANGES_DEG_S
from fusus.project.atomic import writing

Columns = dict[str, Array]

# Measured floats hardly repeat and nobody looks rows up by value: dictionaries, statistics and compression cost a fifth
# of the time of an import and spare a twentieth of the size.
FORM: dict[str, Any] = {"compression": "none", "use_dictionary": False, "write_statistics": False}

_RANGES = {
    "rate": tuple(np.radians(r) for r in GYRO_RANGES_DEG_S),
    "acceleration": tuple(9.80665 * r for r in sorted(ACC_RANGES_G)),
}
NEAR_RANGE = 0.0015
LEAST_SATURATED = 3
STUCK_S, STUCK_ROWS = 0.5, 25
GAP_STEPS = 4.0


class StreamWriter:
    """One part of a stream: columns of one table."""

    def __init__(
        self, path: Path, stream: str, file: str, names: dict[str, str], ranges: dict[str, float], problems: Problems,
        beside: Executor,
    ) -> None:  # fmt: skip
        self.path, self.stream, self.file = path, stream, file
        self._names, self._ranges, self._problems = names, ranges, problems
        self._writer: pq.ParquetWriter | None = None
        self._beside = beside  # writes while the next block is parsed
        self._pending: Future[None] | None = None
        self._step: float | None = None
        self._last_t: int | None = None
        self._last_row: Array | None = None
        self._peak: dict[str, float] = {}
        self._clipped: dict[str, tuple[float, int, int]] = {}
        self._scales = ScaleWatch()
        self.rows = 0
        self.disorder = False
        self.first_t: int | None = None
        self._near = np.zeros(2, dtype=np.int64)  # sum and count of usual steps

    def add(self, t_ns: IntArray, columns: Columns, lines: IntArray, held: bool) -> None:
        """Write a block's rows; those that hold nothing of this stream are left out."""
        filled = _any_finite(columns)
        if held:
            filled = filled & self._is_new(np.stack(list(columns.values()), axis=1), filled)
        if not filled.any():
            return
        if not filled.all():
            t_ns, lines = t_ns[filled], lines[filled]
            columns = {k: v[filled] for k, v in columns.items()}
        self._check_time(t_ns, lines)
        for name, values in columns.items():
            self._check_values(name, values, lines)
        for kind in ("gyro", "acc"):
            self._check_stuck(kind, columns, lines)
        for name, line, ratio in self._scales.look(columns, lines):
            self._problems.add(
                self.file, "units_change", f"from here on its typical size is {ratio:.3g} times what it was: another unit, or sensor",
                "kept; split the file there", line=line, column=self._names.get(name, name),
            )  # fmt: skip
        self._write(t_ns, columns)

    def close(self) -> None:
        """Finish the file and report what only the whole stream shows."""
        if self._writer is not None:
            with writing(self.path):
                self._settle()
                self._writer.close()
        for name, (limit, count, line) in self._clipped.items():
            if count >= LEAST_SATURATED and self._peak[name] <= limit * (1 + NEAR_RANGE):
                self._problems.add(
                    self.file, "saturated", f"{count} samples stand at the end of the range ({limit:.4g} SI)",
                    "kept; the truth lay beyond", line=line, column=self._names.get(name, name), count=count,
                )  # fmt: skip

    def info(self) -> StreamInfo:
        """Return rows, mean rate over usual steps, and span; only true if the rows came in the order of time."""
        rate = 1e9 * self._near[1] / self._near[0] if self._near[0] else None
        last = self._last_t
        span = (self.first_t * 1e-9, last * 1e-9) if self.first_t is not None and last is not None else (None, None)
        return StreamInfo(rows=self.rows, rate_hz=float(rate) if rate else None, start_s=span[0], end_s=span[1])

    def _is_new(self, stack: Array, filled: BoolArray) -> BoolArray:
        new = np.ones(len(stack), dtype=bool)
        rows = np.flatnonzero(filled)
        if len(rows):
            v = stack[rows]
            new[rows[1:]] = ~((v[1:] == v[:-1]) | (np.isnan(v[1:]) & np.isnan(v[:-1]))).all(axis=1)
            if self._last_row is not None:
                new[rows[0]] = not bool((v[0] == self._last_row).all())
            self._last_row = v[-1]
        return new

    def _check_time(self, t: IntArray, lines: IntArray) -> None:
        before = self._last_t if self._last_t is not None else int(t[0]) - 1
        steps = np.diff(t, prepend=before)
        if self._step is None:
            forward = steps[1:][steps[1:] > 0]
            self._step = float(np.median(forward)) if len(forward) else None
        first, self.first_t = self.first_t is None, self.first_t if self.first_t is not None else int(t[0])
        self._last_t = int(t[-1])
        if self._step is not None and int(steps.min()) > 0 and int(steps.max()) < 3 * self._step:
            self._near += [int(t[-1]) - (int(t[0]) if first else before), len(t) - first]
            return
        again, back = np.flatnonzero(steps == 0), np.flatnonzero(steps < 0)
        if len(again):
            self.disorder = True
            self._problems.add(
                self.file, "duplicate_time", f"two rows of {self.stream} have one time", "the later one left out",
                column=self.stream, count=len(again), lines=lines[again[:3]].tolist(),
            )  # fmt: skip
        if len(back):
            self.disorder = True
            self._problems.add(
                self.file, "backward_time", f"the time goes back by {-steps[back[0]] / 1e6:.3f} ms",
                "rows put in the order of time", column=self.stream, count=len(back), lines=lines[back[:3]].tolist(),
            )  # fmt: skip
        if self._step is not None and self.stream in ("imu", "imu2", "imu3", "mag", "baro"):
            wide = np.flatnonzero(steps > GAP_STEPS * self._step)
            if len(wide):
                longest = float(steps[wide].max()) / 1e6
                self._problems.add(
                    self.file, "gap", f"samples of {self.stream} are missing, here up to {longest:.1f} ms",
                    "left open; estimators bridge and flag it", column=self.stream, count=len(wide),
                    lines=lines[wide[:3]].tolist(),
                )  # fmt: skip
        if self._step is not None:
            usual = (steps > 0) & (steps < 3 * self._step)
            usual[0] &= not first
            self._near += [int(steps[usual].sum()), int(usual.sum())]

    def _check_values(self, name: str, values: Array, lines: IntArray) -> None:
        column = STREAMS[self.stream][name]
        peak = _peak(values)
        if peak > column.limit:
            over = np.flatnonzero(np.abs(values) > column.limit)
            self._problems.add(
                self.file, "outlier", f"{values[over[0]]:.6g} (SI) is more than any such sensor gives", "left empty",
                column=self._names.get(name, name), count=len(over), lines=lines[over[:3]].tolist(),
            )  # fmt: skip
            values[over] = np.nan
            peak = _peak(values)
        self._peak[name] = max(self._peak.get(name, 0.0), peak)
        candidates = (self._ranges[name],) if name in self._ranges else _RANGES.get(column.kind, ())
        for limit in candidates:
            if abs(peak / limit - 1) <= NEAR_RANGE:
                at = np.flatnonzero(np.abs(values) >= limit * (1 - NEAR_RANGE))
                old = self._clipped.get(name)
                if old is not None and old[0] == limit:
                    self._clipped[name] = (limit, old[1] + len(at), old[2])
                else:
                    self._clipped[name] = (limit, len(at), int(lines[at[0]]))

    def _check_stuck(self, kind: str, columns: Columns, lines: IntArray) -> None:
        names = [n for n in columns if n.startswith(kind + "_") and "bias" not in n]
        if len(names) != 3 or self._step is None:
            return
        least = max(STUCK_ROWS, round(STUCK_S * 1e9 / self._step))
        # A stretch that long holds two neighbours of every (least / 2)-th sample: mostly they differ, and all is well.
        thin = columns[names[0]][:: least // 2]
        if not (thin[1:] == thin[:-1]).any():
            return
        moved = np.zeros(len(lines) - 1, dtype=bool)
        for n in names:
            moved |= np.diff(columns[n]) != 0  # NaN counts as moved
        edges = np.concatenate([[-1], np.flatnonzero(moved), [len(moved)]])
        runs = np.diff(edges) - 1
        stuck = np.flatnonzero(runs >= least)
        if len(stuck):
            self._problems.add(
                self.file, "stuck", f"all three axes keep one value for {int(runs[stuck[0]]) + 1} rows or more",
                "kept; check the sensor or the logger", line=int(lines[edges[stuck[0]] + 1]),
                column=self._names.get(names[0], names[0]), count=int(runs[stuck].sum()),
            )  # fmt: skip

    def _write(self, t_ns: IntArray, columns: Columns) -> None:
        table = pa.table({"t_ns": t_ns} | columns)
        with writing(self.path):
            if self._writer is None:
                self._writer = pq.ParquetWriter(self.path, table.schema, **FORM)
            self._settle()
            self._pending = self._beside.submit(self._writer.write_table, table)
        self.rows += len(t_ns)

    def _settle(self) -> None:
        """Wait for the block before, whose error, a full disk, shows here."""
        if self._pending is not None:
            self._pending.result()
            self._pending = None


def _any_finite(columns: Columns) -> BoolArray:
    """Return which rows hold a number in any column; one whole column settles it."""
    out: BoolArray | None = None
    for values in columns.values():
        finite = np.isfinite(values)
        out = finite if out is None else out | finite
        if out.all():
            break
    return out if out is not None else np.zeros(0, dtype=bool)


def _peak(values: Array) -> float:
    """Return the largest size, NaN left out, 0 for none."""
    peak = max(float(values.max()), -float(values.min())) if len(values) else 0.0
    if np.isnan(peak):
        known = np.abs(values[~np.isnan(values)])
        peak = float(known.max()) if len(known) else 0.0
    return peak


def put_in_order(path: Path) -> int:
    """Sort a stream by time and leave out rows whose time is there already; return how many were."""
    frame = pl.read_parquet(path, memory_map=False).sort("t_ns", maintain_order=True)
    kept = frame.unique("t_ns", keep="first", maintain_order=True)
    write_frame(path, kept)
    return frame.height - kept.height


def join_parts(paths: list[Path], target: Path) -> None:
    """Make one stream of parts with different columns: the later parts are put at the first one's times."""
    frames = [pl.read_parquet(p, memory_map=False) for p in paths]
    first = max(frames, key=lambda f: f.height)
    t = first["t_ns"].to_numpy()
    added = []
    for frame in frames:
        if frame is first:
            continue
        at = frame["t_ns"].to_numpy()
        for name in frame.columns:
            if name == "t_ns" or name in first.columns:
                continue
            values = frame[name].to_numpy()
            good = np.isfinite(values)
            inside = (t >= at[0]) & (t <= at[-1])
            joined = (
                np.where(inside, np.interp(t, at[good], values[good]), np.nan)
                if good.any()
                else np.full(len(t), np.nan)
            )
            added.append(pl.Series(name, joined))
    write_frame(target, first.with_columns(added))


def write_frame(path: Path, frame: pl.DataFrame) -> None:
    """Write a whole stream in the form that recordings have."""
    with writing(path):
        pq.write_table(frame.to_arrow(), path, **FORM)
