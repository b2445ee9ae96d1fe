"""How the text of a table is cut: delimiter, decimal sign, comments, header, first line of data."""

import csv
import re
from collections import Counter
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from fusus.errors import LogError
from fusus.logs.time_texts import is_stamp

MOST_COLUMNS = 4000
_DELIMITERS = (",", ";", "\t", "|", " ")
_COMMENTS = ("#", "%", "//")
_NUMBER = re.compile(r"[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?$|[+-]?(nan|inf|infinity)$", re.IGNORECASE)
_COMMA_NUMBER = re.compile(r"[+-]?\d*,\d+([eE][+-]?\d+)?$")


@dataclass(frozen=True, slots=True)
class Dialect:
    """What was found: line numbers count from 1."""

    delimiter: str
    decimal: Literal[".", ","]
    header: tuple[str, ...]
    first_data_line: int
    preamble_lines: int
    rows: tuple[tuple[str, ...], ...]


def split_line(line: str, delimiter: str) -> list[str]:
    """Return the fields of a line, without blanks and quotes round them; what stands in quotes is one field (RFC 4180)."""
    if delimiter == " ":
        parts = line.split()
    elif '"' in line and line.count('"') % 2 == 0:
        parts = next(csv.reader([line], delimiter=delimiter, skipinitialspace=True), [])
    else:  # without quotes, or with one that nothing closes
        parts = line.split(delimiter)
    return [p.strip().strip('"').strip() for p in parts]


def is_number(field: str, decimal: str = ".") -> bool:
    """Return whether a field is a number, an empty field, or a time stamp."""
    if not field:
        return True
    if _NUMBER.match(field) or is_stamp(field):
        return True
    return decimal == "," and bool(_COMMA_NUMBER.match(field))


def _is_data(fields: list[str], decimal: str) -> bool:
    filled = [f for f in fields if f]
    numbers = sum(is_number(f, decimal) for f in filled)
    return bool(filled) and numbers > 0 and numbers >= 0.5 * len(filled)


def find_dialect(path: Path, text: str, whole: bool) -> Dialect:
    """Return how a table is cut; a LogError says why it cannot be told."""
    lines = text.split("\n")
    if not whole:
        lines = lines[:-1]
    while lines and not lines[-1].strip():
        lines.pop()
    sample = [line for line in lines[:400] if line.strip() and not line.lstrip().startswith(_COMMENTS)]
    if not sample:
        raise LogError(path, None, None, "the file holds no table, only blank or comment lines.")
    widest = max(max(s.count(d) for d in _DELIMITERS) for s in sample[:20])
    if widest > MOST_COLUMNS:
        raise LogError(
            path, 1, None, f"its lines have some {widest} fields; a table is read up to {MOST_COLUMNS} columns. Write fewer into it, or a "
            "row for each sample if they stand side by side.",
        )  # fmt: skip
    delimiter, decimal = _cut(sample)
    width = Counter(len(split_line(s, delimiter)) for s in sample).most_common(1)[0][0]
    first = _first_data_line(lines, delimiter, decimal, width)
    if first is None:
        if len(sample) == 1 or all(not _is_data(split_line(s, delimiter), decimal) for s in sample):
            raise LogError(
                path,
                1,
                None,
                f"there is no row of numbers after “{sample[0][:60]}”. Is this the right file, or was it cut off?",
            )
        raise LogError(path, None, None, "no line holds as many numbers as the others; this is no regular table.")
    width = len(split_line(lines[first], delimiter))
    header, preamble = _header(lines[:first], delimiter, width)
    rows = tuple(tuple(split_line(s, delimiter)) for s in lines[first : first + 4000])
    return Dialect(delimiter, decimal, header, first + 1, preamble, rows)


def _cut(sample: list[str]) -> tuple[str, Literal[".", ","]]:
    """Return delimiter and decimal sign: those that cut most lines into the same number of mostly numeric fields."""
    best: tuple[float, str, Literal[".", ","]] = (-1.0, ",", ".")
    body = sample[len(sample) // 3 :]
    for delimiter in _DELIMITERS:
        widths = [len(split_line(s, delimiter)) for s in body]
        width, count = Counter(widths).most_common(1)[0]
        if width < 2:
            continue
        fields = [f for s, w in zip(body, widths, strict=True) if w == width for f in split_line(s, delimiter) if f]
        if not fields:
            continue
        decimal: Literal[".", ","] = "."
        if delimiter != ",":
            comma = sum(bool(_COMMA_NUMBER.match(f)) for f in fields)
            point = sum("." in f and is_number(f) for f in fields)
            decimal = "," if comma > point else "."
        numeric = sum(is_number(f, decimal) for f in fields) / len(fields)
        score = (count / len(body)) * (numeric**2) + 0.02 * min(width, 10) / 10
        if delimiter == " ":
            score -= 0.05  # blanks also stand beside other delimiters
        if score > best[0]:
            best = (score, delimiter, decimal)
    return best[1], best[2]


def usual_delimiter(lines: list[str]) -> str:
    """Return what cuts lines into fields."""
    return _cut(lines)[0] if lines else ","


def plain_dialect(text: str, columns: tuple[str, ...]) -> Dialect | None:
    """Return how rewritten lines are cut, whose columns are known; blank lines are none. None without a line."""
    filled = [(i, line) for i, line in enumerate(text.split("\n")) if line.strip(",")]
    if not filled:
        return None
    rows = tuple(tuple(split_line(line, ",")) for _, line in filled[:4000])
    header = columns if any(columns) else ()
    return Dialect(",", ".", header, filled[0][0] + 1, 0, rows)


def _first_data_line(lines: list[str], delimiter: str, decimal: str, width: int) -> int | None:
    for i, line in enumerate(lines):
        if not line.strip() or line.lstrip().startswith(_COMMENTS):
            continue
        fields = split_line(line, delimiter)
        if len(fields) == width and _is_data(fields, decimal) and not _looks_like_header(fields, decimal):
            return i
    return None


def _looks_like_header(fields: list[str], decimal: str) -> bool:
    return sum(not is_number(f, decimal) for f in fields) > 0.5 * len(fields)


def _header(before: list[str], delimiter: str, width: int) -> tuple[tuple[str, ...], int]:
    """Return the column names and how many lines before the data are neither names nor units nor comments."""
    stripped = []
    for line in before:
        text = line.strip()
        comment = next((c for c in _COMMENTS if text.startswith(c)), None)
        stripped.append((text.removeprefix(comment).strip() if comment else text, comment is not None))
    rows = [(split_line(text, delimiter), was_comment) for text, was_comment in stripped if text]
    # A row that ends with a delimiter has one field more than its header.
    named = [i for i, (fields, _) in enumerate(rows) if width - 1 <= len(fields) <= width and any(f for f in fields)]
    if not named:
        return (), sum(not c for _, c in rows)
    last = named[-1]
    names = rows[last][0]
    used = 1
    if len(named) > 1 and named[-2] == last - 1 and _is_units(names):
        # A line of units under the line of names.
        names = [f"{n} [{u.strip('[]()')}]" if u else n for n, u in zip(rows[last - 1][0], names, strict=True)]
        used = 2
    names = [*names, ""][:width]
    return tuple(names), sum(not c for _, c in rows[: last - used + 1])


def _is_units(fields: list[str]) -> bool:
    from fusus.core.frames.units import known_unit

    filled = [f.strip("[]()") for f in fields if f]
    return bool(filled) and sum(known_unit(f) is not None or f in ("-", "1") for f in filled) >= 0.7 * len(filled)
