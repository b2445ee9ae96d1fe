"""Finds out how one table is to be read: its dialect, its time, what each column is and in which unit."""

from dataclasses import dataclass
from pathlib import Path

import numpy as np
import polars as pl

from fusus.errors import LogError
from fusus.logs.blocks import EXACT, Cutter, numbers, parse, tidy
from fusus.logs.conclusions import Findings
from fusus.logs.dialect import Dialect, find_dialect, is_number, plain_dialect
from fusus.logs.headers import time_name
from fusus.logs.mapping import ColumnMapping, FileMapping, Mapping, TimeMapping
from fusus.logs.meanings import meanings_of
from fusus.logs.shapes.shape import Shape, find_shapes
from fusus.logs.source import head_text
from fusus.logs.streams import STREAMS
from fusus.logs.time_texts import fraction_digits, is_stamp
from fusus.logs.times.finder import TimeFinder, told_rate
from fusus.logs.unitfinder import UnitFinder

MIDDLE_BYTES = 2 << 20
SLOW = ("mag", "baro", "gnss", "range", "battery")


@dataclass(frozen=True, slots=True)
class Table:
    """One source table: how it is read, and samples from its beginning and middle for looking at."""

    path: Path
    dialect: Dialect
    mapping: FileMapping
    width: int
    integers: frozenset[int]
    texts: frozenset[int]
    head: pl.DataFrame
    middle: pl.DataFrame | None
    shape: Shape

    def cutter(self) -> Cutter:
        """Return how blocks of this table are parsed."""
        return Cutter(self.mapping, self.width, self.integers, self.texts)


def detect(path: Path, given: Mapping | None, findings: Findings) -> list[Table]:
    """Return how the tables of a text are read; what a mapping says wins over what is found."""
    text, encoding, is_whole = head_text(path)
    if encoding not in ("utf-8", "utf-8-sig"):
        findings.problems.add(path.name, "encoding", f"the text is {encoding}", "converted")
    tables: list[Table] = []
    error: LogError | None = None
    clock: dict[str, TimeMapping] = {}  # lines of several sensors share one clock: the fastest shows its unit
    shapes = find_shapes(text, is_whole) or [Shape("table")]
    for shape in sorted(shapes, key=lambda s: s.rank):
        try:
            tables.append(_table(Text(path, text, encoding, is_whole), shape, given, findings, clock))
        except LogError as found:
            error = error or found
    if not tables:
        raise error or LogError(path, None, None, "the file holds no table.")
    return tables


@dataclass(frozen=True, slots=True)
class Text:
    """The beginning of a file, as text."""

    path: Path
    text: str
    encoding: str
    is_whole: bool


def _table(
    source: Text, shape: Shape, given: Mapping | None, findings: Findings, clock: dict[str, TimeMapping]
) -> Table:
    """Return how one table of a text is read; ``clock`` are the times of tables before it, by name of their column."""
    path, text = source.path, source.text
    reshaper = shape.reshaper()
    if reshaper is not None:
        text = reshaper.block(text.encode()).decode()
    if shape.name == "table":
        dialect = find_dialect(path, text, source.is_whole)
    else:
        plain = plain_dialect(text, shape.columns)
        if plain is None:
            raise LogError(path, None, None, f"no line “{shape.kind}” holds numbers.")
        dialect = plain
        what = {"labels": "lines with labels", "kinds": "lines of one sensor", "json-lines": "JSON lines"}
        told = what.get(shape.name, "one value a line with its name") + (
            f", those of “{shape.kind}”" if shape.kind else ""
        )
        findings.conclude(path.name, None, told, "nearly all lines are so", "shown")
    if dialect.preamble_lines:
        findings.problems.add(
            path.name, "preamble", f"{dialect.preamble_lines} lines stand before the table", "left out", line=1,
            count=dialect.preamble_lines,
        )  # fmt: skip
    width = len(dialect.rows[0])
    names = dialect.header or tuple(f"column {i + 1}" for i in range(width))
    base = FileMapping(
        file=path.name, header=dialect.header, encoding=source.encoding, delimiter=dialect.delimiter, decimal=dialect.decimal,
        first_data_line=dialect.first_data_line, shape=shape.name, kind=shape.kind,
    )  # fmt: skip
    columns = [list(c) for c in zip(*(r for r in dialect.rows if len(r) == width), strict=True)]
    texts = frozenset(i for i, c in enumerate(columns) if _is_text(c, dialect.decimal) or _is_torn_time(names[i], c))
    integers = frozenset(i for i, c in enumerate(columns) if i not in texts and _is_huge_integer(c))
    everything = base.model_copy(
        update={"columns": tuple(ColumnMapping(source=n, index=i, target="x") for i, n in enumerate(names))}
    )
    cutter = Cutter(everything, width, integers, texts)
    head = parse(tidy(_from_line(text, dialect.first_data_line, source.is_whole), everything), cutter)
    middle = _middle(source, cutter, shape)
    entry = given.for_table(path.name, dialect.header) if given is not None else None
    finder = TimeFinder(
        path.name,
        names,
        bool(dialect.header),
        head,
        texts,
        dialect.rows[:5],
        findings,
        told_rate(text, dialect.first_data_line),
    )
    time = finder.find(entry.time if entry is not None and entry.time.model_fields_set else None, clock)
    said = _said(path, names, entry) if entry is not None else {}
    found = _columns(source, names, head, time, texts, Asked(shape.kind, given, said, findings))
    mapping = base.model_copy(update={"time": time, "columns": tuple(found), "held": _held(found, head)})
    return Table(path, dialect, mapping, width, integers, texts, head, middle, shape)


def _said(path: Path, names: tuple[str, ...], entry: FileMapping) -> dict[int, ColumnMapping]:
    """Return by position the columns that a mapping names; LogError where it names one that is not there."""
    said: dict[int, ColumnMapping] = {}
    for column in entry.columns:
        at = column.index if 0 <= column.index < len(names) and names[column.index] == column.source else None
        if at is None:
            at = names.index(column.source) if column.source in names else None
        if at is None:
            raise LogError(
                path, None, column.source, "the mapping names this column, and the table has none of that name."
            )
        if column.target is not None and column.target.partition(".")[2] not in STREAMS.get(
            column.target.partition(".")[0], {}
        ):
            raise LogError(path, None, column.source, f"the mapping's target “{column.target}” is no canonical column.")
        said[at] = column.model_copy(update={"index": at})
    return said


def _is_text(column: list[str], decimal: str) -> bool:
    """Return whether most fields are stamps or words: what has a sign and an exponent has two dashes, and is a number."""
    filled = [c for c in column if c]
    return bool(filled) and sum(is_stamp(c) or not is_number(c, decimal) for c in filled) > 0.5 * len(filled)


def _is_torn_time(name: str, column: list[str]) -> bool:
    """Return whether a time's seconds and what is beyond them were printed one after the other, without leading zeros."""
    return time_name(name) is not None and fraction_digits(column) is not None


def _is_huge_integer(column: list[str]) -> bool:
    filled = [c for c in column if c.isascii() and c.lstrip("+-").isdigit()]
    # Most of them, because a single wrong field may hold any number.
    return len(filled) >= 0.9 * len(column) and sum(abs(int(c)) > EXACT for c in filled) > 0.5 * len(filled)


def _from_line(text: str, line: int, whole: bool) -> bytes:
    lines = text.split("\n")[line - 1 :]
    if not whole:
        lines = lines[:-1]
    return "\n".join(lines).encode()


def _middle(source: Text, cutter: Cutter, shape: Shape) -> pl.DataFrame | None:
    """Return a sample from the middle of a large file, where the craft moves."""
    size = source.path.stat().st_size
    if size < 4 * MIDDLE_BYTES or source.encoding.startswith("utf-16"):
        return None
    with source.path.open("rb") as file:
        file.seek(size // 2)
        file.readline()
        block = file.read(MIDDLE_BYTES)
    block = block[: block.rfind(b"\n") + 1]
    reshaper = shape.reshaper()
    if reshaper is not None:
        block = reshaper.block(block)
    return parse(tidy(block, cutter.mapping), cutter) if block else None


@dataclass(frozen=True, slots=True)
class Asked:
    """What is known beforehand of a table's columns: the kind of its lines, a mapping, and the columns that it names."""

    kind: str
    given: Mapping | None
    said: dict[int, ColumnMapping]
    findings: Findings


def _columns(
    source: Text, names: tuple[str, ...], head: pl.DataFrame, time: TimeMapping, texts: frozenset[int], asked: Asked
) -> list[ColumnMapping]:
    """Return what each column becomes."""
    said = asked.said
    of_time = (time.index, time.date_index, time.seconds_index)
    skip = set(of_time) | texts
    numeric = {i: numbers(head, i) for i in range(len(names)) if i not in skip}
    meanings = meanings_of(source.path.stem, names, numeric, asked.kind, said)
    units = UnitFinder(source.path, names, head, meanings, asked.findings, asked.given or Mapping())
    out = []
    for i, name in enumerate(names):
        if i in said and (said[i].unit is not None or said[i].raw is not None or said[i].target is None):
            out.append(said[i])
        elif i in said and i in meanings:
            found_unit = units.column(i)
            out.append(said[i].model_copy(update={"unit": found_unit.unit, "unit_from": found_unit.unit_from}))
        elif i in meanings:
            out.append(units.column(i))
        elif i not in of_time and (name or not _is_empty(head, i)):
            out.append(ColumnMapping(source=name, index=i, target=None))
    return out


def _is_empty(head: pl.DataFrame, index: int) -> bool:
    return head[str(index)].null_count() == head.height


def _held(columns: list[ColumnMapping], head: pl.DataFrame) -> tuple[str, ...]:
    """Return the slow streams whose values are written again and again until a new one comes."""
    out = []
    has_fast = any(c.target and c.target.startswith("imu.") for c in columns)
    for stream in SLOW:
        used = [c.index for c in columns if c.target and c.target.startswith(stream + ".")]
        if not used or not has_fast or head.height < 50:
            continue
        v = np.stack([numbers(head, i) for i in used], axis=1)
        v = v[np.isfinite(v).all(axis=1)]
        if len(v) < 50:
            continue
        same = (np.diff(v, axis=0) == 0).all(axis=1)
        if same.mean() > 0.4 and not same.all():
            out.append(stream)
    return tuple(out)
