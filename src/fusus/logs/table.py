"""Reads one table to the end and hands its rows to the writers of its streams."""

from collections.abc import Callable
from concurrent.futures import Executor
from dataclasses import replace
from pathlib import Path

import numpy as np
import polars as pl

from fusus.core.arrays import Array, BoolArray, IntArray
from fusus.core.frames.axes import attitude_to_ned, body_matrix
from fusus.core.frames.quaternion import conjugate, from_euler, normalise
from fusus.core.sensors.quantise import from_counts
from fusus.errors import LogError
from fusus.logs.blocks import Cutter, TextCheck, last_line_is_cut, parse, tidy
from fusus.logs.detect import Table
from fusus.logs.impossible import ImpossibleValues
from fusus.logs.info import SourceFile
from fusus.logs.mapping import ColumnMapping, Mapping, ReferenceConvention
from fusus.logs.plan import Plan
from fusus.logs.problems import Problems
from fusus.logs.source import Blocks
from fusus.logs.time_texts import NO_TIME
from fusus.logs.times.base import TimeBase
from fusus.logs.unitfinder import si_factor
from fusus.logs.writer import Columns, StreamWriter

RESHAPED_BYTES = 2 << 20


def read_table(
    table: Table,
    plan: Plan,
    number: int,
    working: Path,
    problems: Problems,
    report: Callable[[int], None],
    beside: Executor,
) -> tuple[list[StreamWriter], SourceFile]:
    """Read a table in blocks; return its writers, still open, and the file's hash."""
    reader = _Reader(table, plan, number, working, problems, beside)
    reshaper = table.shape.reshaper()
    # Short lines become wide, mostly empty rows: smaller blocks keep them within the memory of a plain table.
    blocks = Blocks(table.path, table.mapping.encoding, RESHAPED_BYTES if reshaper is not None else None)
    line, skip = 1, table.mapping.first_data_line - 1
    for raw in blocks:
        block = reshaper.block(raw) if reshaper is not None else raw
        if skip:
            dropped, block = _drop_lines(block, skip)
            skip -= dropped
            line += dropped
        if block:
            line += reader.take(block, line, blocks.ends_open)
        report(blocks.bytes_read)
    if reshaper is not None and (last := reshaper.end()):
        reader.take(last, line, ends_open=False)
    if reshaper is not None and reshaper.strays.count and number == 0:
        problems.add(
            table.path.name, "text", f"the line “{reshaper.strays.first}” is no data", "line left out",
            count=reshaper.strays.count, lines=reshaper.strays.lines,
        )  # fmt: skip
    source = SourceFile(name=table.path.name, sha256=blocks.sha256, bytes=blocks.bytes_read)
    return list(reader.writers.values()), source


class _Reader:
    """What reading one table needs from block to block."""

    def __init__(
        self, table: Table, plan: Plan, number: int, working: Path, problems: Problems, beside: Executor
    ) -> None:
        mapping = table.mapping
        self.table, self.axes, self.problems = table, plan.mapping, problems
        self.file = table.path.name
        self.cutter = _whole_time(table)
        self.base = TimeBase(
            mapping.time, self.file, _time_column(table), problems, _step_ns(table), start_ns=plan.start_ns
        )
        self.groups = _groups(mapping.columns)
        self.impossible = {
            stream: ImpossibleValues(self.file, {_name(c): c.source for c in columns}, problems)
            for stream, columns in self.groups.items()
        }
        self.check = TextCheck(self.cutter, self.file, problems)
        self.writers = {
            stream: StreamWriter(
                working / f"{stream}.part{number}.parquet", stream, self.file,
                {_name(c): c.source for c in columns},
                {_name(c): c.raw.full_scale * abs(si_factor(c)[0]) for c in columns if c.raw}, problems, beside,
            )
            for stream, columns in self.groups.items()
        }  # fmt: skip

    def take(self, block: bytes, line: int, ends_open: bool) -> int:
        """Hand a block's rows to the writers; return how many lines it had."""
        if b"\x00" in block and self.table.mapping.encoding.startswith("utf-8"):
            at = line + block[: block.index(b"\x00")].count(b"\n")
            words = "zero bytes stand in the text, as a logger leaves them when its power fails"
            self.problems.add(self.file, "text", words, "left out", line=at)
        block = tidy(block, self.table.mapping)
        if ends_open and last_line_is_cut(block, self.cutter):
            block = _drop_last(block, line, self.file, self.problems)
            if not block:
                return 0
        frame, too_long = self._parsed(block, line)
        nothing = self.check.look(block, frame, line, too_long)
        t = self.base.read(frame, line)
        lines = np.arange(line, line + frame.height)
        usable = t != NO_TIME
        if not usable.all():
            self._report_no_time(~nothing, line)
        for stream, columns in self.groups.items():
            values = {_name(c): _values(frame, c, lines, self.problems, self.file) for c in columns}
            self.impossible[stream].clear(stream, values, lines)
            values = _turned(stream, values, self.axes)
            if not usable.all():
                values = {k: v[usable] for k, v in values.items()}
            if values and usable.any():
                held = stream in self.table.mapping.held
                self.writers[stream].add(t[usable], values, lines[usable], held)
        return frame.height

    def _report_no_time(self, data: BoolArray, line: int) -> None:
        """Report rows of data without a time; those whose time was refused as wrong are reported already."""
        if self.base.empty is None:
            return
        rows = np.flatnonzero(data & self.base.empty)
        if len(rows):
            self.problems.add(
                self.file, "no_time", "the row has no usable time", "row left out", column=self.base.column,
                count=len(rows), lines=(line + rows[:3]).tolist(),
            )  # fmt: skip

    def _parsed(self, block: bytes, line: int) -> tuple[pl.DataFrame, bool]:
        try:
            frame = parse(block, self.cutter, strict_width=True)
            if self._time_is_whole(frame):
                return frame, False
            return parse(block, self.cutter, strict_width=True), False
        except pl.exceptions.PolarsError:
            self.cutter = self.table.cutter()  # a line with too many fields, or worse: the lenient way tells
        try:
            return parse(block, self.cutter), True
        except pl.exceptions.PolarsError as error:
            reason = str(error).splitlines()[0][:120]
            words = f"the table cannot be cut into columns from here on ({reason})."
            raise LogError(self.table.path, line, None, words) from error

    def _time_is_whole(self, frame: pl.DataFrame) -> bool:
        """Return whether the times could be read as they were; else take the table's own way from here on."""
        index = self.table.mapping.time.index
        if self.cutter.integers == self.table.integers or frame[str(index)].null_count() == 0:
            return True
        self.cutter = self.table.cutter()
        return False


def _whole_time(table: Table) -> Cutter:
    """Return how to cut while the times are whole numbers: those parse in less time than fractions."""
    cutter, index = table.cutter(), table.mapping.time.index
    if index is None or index in table.texts or table.head.height == 0:
        return cutter
    head = table.head[str(index)]
    if head.null_count() or not bool((head == head.cast(pl.Float64).round()).all()):
        return cutter
    return replace(cutter, integers=cutter.integers | {index})


def _name(c: ColumnMapping) -> str:
    """Return the canonical column of a mapped one."""
    return str(c.target).split(".")[1]


def _groups(columns: tuple[ColumnMapping, ...]) -> dict[str, list[ColumnMapping]]:
    out: dict[str, list[ColumnMapping]] = {}
    for c in columns:
        if c.target:
            out.setdefault(c.target.split(".")[0], []).append(c)
    return out


def _time_column(table: Table) -> str:
    index = table.mapping.time.index
    if index is None:
        return "row number"
    return table.dialect.header[index] if table.dialect.header else f"column {index + 1}"


def _step_ns(table: Table) -> int:
    base = TimeBase(table.mapping.time, "", "", Problems(), 1_000_000)
    t = base.read(table.head, 1)
    steps = np.diff(t[t != NO_TIME])
    steps = steps[steps > 0]
    return int(np.median(steps)) if len(steps) else 1_000_000


def _drop_lines(block: bytes, count: int) -> tuple[int, bytes]:
    at = 0
    for done in range(count):
        end = block.find(b"\n", at)
        if end < 0:
            return done, b""
        at = end + 1
    return count, block[at:]


def _drop_last(block: bytes, line: int, file: str, problems: Problems) -> bytes:
    cut = block.rfind(b"\n") + 1
    number = line + block.count(b"\n")
    text = block[cut:].decode("utf-8", "replace")[:40]
    problems.add(file, "truncated_line", f"the last line ends at “{text}”", "left out", line=number)
    return block[:cut]


def _values(frame: pl.DataFrame, c: ColumnMapping, lines: IntArray, problems: Problems, file: str) -> Array:
    """Return a column in its canonical unit, NaN where nothing usable stands."""
    series = frame[str(c.index)].cast(pl.Float64)
    v = series.to_numpy()
    with np.errstate(invalid="ignore", over="ignore"):
        whole = bool(np.isfinite(v.sum()))  # one pass for the usual column
    if not whole:
        finite = np.isfinite(v)
        v = v.copy()
        empty = series.is_null().to_numpy()
        for kind, bad in (("nan", np.isnan(v) & ~empty), ("inf", np.isinf(v))):
            rows = np.flatnonzero(bad)
            if len(rows):
                problems.add(
                    file, kind, "no number stands here" if kind == "nan" else "the value is infinite", "left empty",  # type: ignore[arg-type]
                    column=c.source, count=len(rows), lines=lines[rows[:3]].tolist(),
                )  # fmt: skip
        v[~finite] = np.nan
    factor, offset = si_factor(c)
    if c.raw is not None:
        v = from_counts(v, c.raw.full_scale, c.raw.bits)
    if offset:
        return np.asarray(v * factor + offset)
    return np.asarray(v * factor) if factor != 1.0 else np.array(v)


def _turned(stream: str, values: Columns, mapping: Mapping) -> Columns:
    """Return a stream's vectors in forward-right-down and its attitudes as body to north-east-down."""
    if stream.startswith("imu") or stream == "mag":
        matrix = body_matrix(mapping.body_axes)
        for kind, unit in (("gyro", "rad_s"), ("acc", "m_s2"), ("mag", "ut")):
            names = [f"{kind}_{a}_{unit}" for a in "xyz"]
            if any(n not in values for n in names):
                continue
            sign = mapping.acc_sign if kind == "acc" else 1
            source = [values[n] for n in names]
            for i, name in enumerate(names):
                j = int(np.flatnonzero(matrix[i])[0])
                factor = sign * matrix[i, j]
                values[name] = source[j] if factor == 1 else source[j] * factor
    if stream in ("reference", "board"):
        return _attitude(values, mapping.reference or ReferenceConvention())
    return values


def _attitude(values: Columns, convention: ReferenceConvention) -> Columns:
    angles = [f"{a}_rad" for a in ("yaw", "pitch", "roll")]
    letters = [f"q_{a}" for a in "wxyz"]
    q: Array | None = None
    if all(n in values for n in letters):
        q = normalise(np.stack([values[n] for n in letters], axis=1))
    elif all(n in values for n in angles):
        q = from_euler(*(values[n] for n in angles))
    elif all(n in values for n in angles[1:]):
        q = from_euler(np.zeros(len(values[angles[1]])), values[angles[1]], values[angles[2]])
    rest = {k: v for k, v in values.items() if k not in angles and k not in letters}
    if q is None:
        return rest
    if convention.conjugate:
        q = conjugate(q)
    q = normalise(attitude_to_ned(q, convention.earth, convention.body))
    return dict(zip(letters, q.T.copy(), strict=True)) | rest
