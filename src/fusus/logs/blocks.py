"""From a block of text to columns of numbers, with every field that is no number found again in the text."""

import re
from dataclasses import dataclass

import numpy as np
import polars as pl

from fusus.core.arrays import Array, BoolArray, IntArray
from fusus.logs.dialect import split_line
from fusus.logs.mapping import FileMapping
from fusus.logs.problems import Problems

# Integers beyond this are not exact as floats: nanoseconds since 1970 are such.
EXACT = 2**53


@dataclass(frozen=True, slots=True)
class Cutter:
    """How one table is cut: the mapping, its width, and which columns are read as whole numbers or as text."""

    mapping: FileMapping
    width: int
    integers: frozenset[int] = frozenset()
    texts: frozenset[int] = frozenset()

    def wanted(self) -> list[int]:
        """Return the positions of all columns that are used."""
        time = self.mapping.time
        used = {c.index for c in self.mapping.columns if c.target}
        used |= {i for i in (time.index, time.date_index, time.seconds_index) if i is not None}
        return sorted(i for i in used if i < self.width)


def tidy(block: bytes, mapping: FileMapping) -> bytes:
    """Return a block in the form that the parser reads: no quotes, no padding, single blanks."""
    if b"\x00" in block:
        block = block.replace(b"\x00", b"")
    if b'"' in block:
        block = unquoted(block, mapping.delimiter)
    if mapping.delimiter != " ":
        block = unpadded(block, mapping.delimiter)
    else:
        block = b"\n".join(b" ".join(line.split()) for line in block.split(b"\n"))
    return block


def unpadded(block: bytes, delimiter: str) -> bytes:
    """Return a block without blanks and tabs beside its delimiters, which make a field no number."""
    blanks, cut = rb" " if delimiter == "\t" else rb"[ \t]", re.escape(delimiter.encode())
    # One blank after a delimiter does no harm, and is usual.
    padded = blanks + rb"(?:" + cut + rb"|\n|$)|" + cut + rb"\t|(?:^|\n)\t"
    if (delimiter == "\t" and b" " not in block) or re.search(padded, block) is None:
        return block
    block = re.sub(blanks + rb"*" + cut + blanks + rb"*", delimiter.encode(), block)
    return re.sub(blanks + rb"+(?=\n|$)|(?:(?<=\n)|^)" + blanks + rb"+", b"", block)


def unquoted(block: bytes, delimiter: str) -> bytes:
    """Return a block without quotes; a delimiter within them becomes a blank. A line whose last quote nothing closes only loses them."""
    data = np.frombuffer(block, dtype=np.uint8)
    quotes = (data == ord('"')).astype(np.int64)
    so_far = np.cumsum(quotes)
    starts = np.concatenate(([0], np.flatnonzero(data == ord("\n")) + 1))
    before = np.concatenate(([0], so_far))[starts]
    in_line = np.diff(np.append(before, so_far[-1] if len(so_far) else 0))
    lengths = np.diff(np.append(starts, len(data)))
    inside = (so_far - np.repeat(before, lengths)) % 2 == 1
    inside &= np.repeat(in_line % 2 == 0, lengths)
    out = np.where(inside & (data == ord(delimiter)), np.uint8(ord(" ")), data)
    return bytes(out[quotes == 0].tobytes())


def parse(block: bytes, cutter: Cutter, strict_width: bool = False) -> pl.DataFrame:
    """Return the wanted columns, named by their position, of a tidy block; what is no number becomes null.

    Lines with too many fields are cut, or with ``strict_width`` raise polars' ComputeError.
    """
    types: dict[str, type[pl.DataType]] = {}
    for i in range(cutter.width):
        types[str(i)] = pl.Int64 if i in cutter.integers else pl.String if i in cutter.texts else pl.Float64
    try:
        return _cut(block, cutter, types, strict_width)
    except pl.exceptions.ComputeError:
        # A file may turn out of its encoding late; a wrong letter then costs its field, not the file.
        sound = block.decode("utf-8", "replace").encode()
        if sound == block:
            raise
        return _cut(sound, cutter, types, strict_width)


def _cut(block: bytes, cutter: Cutter, types: dict[str, type[pl.DataType]], strict_width: bool) -> pl.DataFrame:
    return pl.read_csv(
        block,
        has_header=False,
        schema=types,
        columns=cutter.wanted(),
        separator=cutter.mapping.delimiter,
        decimal_comma=cutter.mapping.decimal == ",",
        quote_char=None,
        ignore_errors=True,
        truncate_ragged_lines=not strict_width,
        infer_schema=False,
    )


def numbers(frame: pl.DataFrame, index: int) -> Array:
    """Return a sample column as floats, NaN where it holds no number."""
    series = frame[str(index)]
    if series.dtype == pl.String:
        return np.full(frame.height, np.nan)
    return series.cast(pl.Float64).to_numpy()


class TextCheck:
    """Tells empty fields from unreadable ones, and says where those stand."""

    def __init__(self, cutter: Cutter, file: str, problems: Problems) -> None:
        self._cutter, self._file, self._problems = cutter, file, problems
        names = {c.index: c.source for c in cutter.mapping.columns}
        header = cutter.mapping.header
        self._names = {
            i: names.get(i) or (header[i] if i < len(header) else f"column {i + 1}") for i in cutter.wanted()
        }

    def look(self, block: bytes, frame: pl.DataFrame, first_line: int, too_long: bool) -> BoolArray:
        """Report what is wrong with a block's text; return which rows are no data at all (comments, words, blanks).

        ``too_long`` says that some line has too many fields. Lines with too few leave their last columns empty.
        """
        nothing = np.zeros(frame.height, dtype=bool)
        holed = [name for name in frame.columns if frame[name].null_count()]
        if holed:
            nothing = self._unreadable(block, frame, holed, first_line)
        if too_long or (holed and block.count(self._separator) != frame.height * (self._cutter.width - 1)):
            self._ragged(block, nothing, first_line)
        return nothing

    @property
    def _separator(self) -> bytes:
        return self._cutter.mapping.delimiter.encode()

    def _unreadable(self, block: bytes, frame: pl.DataFrame, holed: list[str], first_line: int) -> BoolArray:
        everything = frozenset(range(self._cutter.width))
        texts = parse(block, Cutter(self._cutter.mapping, self._cutter.width, texts=everything))
        fields = {name: texts[name].str.strip_chars() for name in holed}
        bad = {
            n: (frame[n].is_null() & f.is_not_null() & (f != "")).fill_null(False).to_numpy() for n, f in fields.items()
        }
        no_data = np.ones(frame.height, dtype=bool)
        for name in frame.columns:
            no_data &= frame[name].is_null().to_numpy() if name in holed else False
        if no_data.any():
            self._no_data(block, np.flatnonzero(no_data), first_line)
        for name, mask in bad.items():
            rows = np.flatnonzero(mask & ~no_data)
            if len(rows):
                self._problems.add(
                    self._file, "text", f"“{fields[name][int(rows[0])][:40]}” is no number", "left empty",
                    column=self._names[int(name)], count=len(rows), lines=(first_line + rows[:3]).tolist(),
                )  # fmt: skip
        return no_data

    def _no_data(self, block: bytes, rows: IntArray, first_line: int) -> None:
        """Report lines of words between the data; blank and comment lines are none of anybody's business."""
        starts = _line_starts(block)
        found = []
        for row in rows.tolist():
            line = block[starts[row] : starts[row + 1] if row + 1 < len(starts) else len(block)].strip(
                b" \t\r\n" + self._separator
            )
            if line and not line.startswith((b"#", b"%", b"//")):
                found.append((row, line))
        if found:
            shown = found[0][1][:40].decode("utf-8", "replace")
            self._problems.add(
                self._file,
                "text",
                f"the line “{shown}” is no data",
                "line left out",
                count=len(found),
                lines=[first_line + row for row, _ in found[:3]],
            )

    def _ragged(self, block: bytes, nothing: BoolArray, first_line: int) -> None:
        """Report lines with more or fewer fields than the others."""
        starts = _line_starts(block)[: len(nothing)]
        marks = (np.frombuffer(block, dtype=np.uint8) == self._separator[0]).astype(np.int32)
        counts = np.add.reduceat(marks, starts)
        due = self._cutter.width - 1
        for kind, rows, action in (
            ("short_line", np.flatnonzero((counts < due) & ~nothing), "the missing fields left empty"),
            ("long_line", np.flatnonzero((counts > due) & ~nothing), "the fields too many left out"),
        ):
            if len(rows):
                self._problems.add(
                    self._file, kind, f"{int(counts[rows[0]]) + 1} fields where {due + 1} are due", action,  # type: ignore[arg-type]
                    count=len(rows), lines=(first_line + rows[:3]).tolist(),
                )  # fmt: skip


def _line_starts(block: bytes) -> IntArray:
    """Return where each line of a block begins."""
    ends = np.flatnonzero(np.frombuffer(block, dtype=np.uint8) == 10)
    starts = np.concatenate([[0], ends + 1])
    return starts[starts < len(block)].astype(np.int64)


def last_line_is_cut(block: bytes, cutter: Cutter) -> bool:
    """Return whether the last line, which has no end of line, holds fewer fields than the others."""
    last = block.rstrip(b"\n").rsplit(b"\n", 1)[-1].decode("utf-8", "replace")
    return len(split_line(last, cutter.mapping.delimiter)) < cutter.width
