"""Lines of several sensors: ``IMU,123,0.1,...`` and ``BARO,125,101325``, each a table of its own kind of line."""

import re
from collections import Counter

from fusus.logs.dialect import is_number, split_line
from fusus.logs.headers import sensor_of
from fusus.logs.shapes.reshaping import Reshaper

WORD = re.compile(r"[$#@]?\s*[A-Za-z_][A-Za-z_0-9]*$")
CHECK = re.compile(r"\*[0-9A-Fa-f]{2}\s*$")
MOST_KINDS = 20
LEAST_SHARE = 0.7
LEAST_LINES = 3
DELIMITERS = (",", ";", "\t", "|", " ")


def fields_of(line: str, delimiter: str) -> tuple[str, list[str]] | None:
    """Return a line's first word in small letters and its other fields, or None where it begins with no word."""
    fields = split_line(CHECK.sub("", line), delimiter)
    if len(fields) < 2 or not WORD.match(fields[0]):
        return None
    return fields[0].strip("$#@ ").lower(), fields[1:]


def kind_tables(lines: list[str]) -> tuple[str, dict[str, tuple[str, ...]]] | None:
    """Return the delimiter and, by kind of line, the names of its columns; None where lines are of another shape."""
    for delimiter in DELIMITERS:
        read = [x for x in (fields_of(s, delimiter) for s in lines) if x is not None]
        if len(read) < LEAST_SHARE * len(lines):
            continue
        data = [(kind, fields) for kind, fields in read if _is_data(fields)]
        counts = Counter(kind for kind, _ in data)
        kinds = [k for k, n in counts.items() if n >= LEAST_LINES]
        if not kinds or len(counts) > MOST_KINDS or sum(counts[k] for k in kinds) < LEAST_SHARE * len(read):
            continue
        # A column of words is no kind of line unless the words name sensors or the lines differ in length.
        widths = {k: Counter(len(f) for kind, f in data if kind == k).most_common(1)[0][0] for k in kinds}
        if len(set(widths.values())) < 2 and not any(sensor_of(k) for k in kinds):
            continue
        names = {kind: fields for kind, fields in reversed(read) if not _is_data(fields)}
        return delimiter, {k: _names(k, names.get(k), widths[k]) for k in kinds}
    return None


def _is_data(fields: list[str]) -> bool:
    filled = [f for f in fields if f]
    return bool(filled) and sum(is_number(f) for f in filled) >= 0.5 * len(filled)


def _names(kind: str, header: list[str] | None, width: int) -> tuple[str, ...]:
    """Return the columns' names: as a line of words tells them, else as such lines usually go; unknown ones stay without a name."""
    if header is not None and len(header) == width:
        return tuple(header)
    sensor = sensor_of(kind)
    if sensor in ("gyro", "acc", "mag") and width == 4:
        return ("t", *(f"{sensor}_{axis}" for axis in "xyz"))
    if sensor == "baro" and width in (2, 3):
        return ("t", "pressure", "temperature")[:width]
    return ("",) * width


class Kind(Reshaper):
    """Rewrites the lines of one kind; the lines of other kinds are blank."""

    def __init__(self, kind: str, delimiter: str, columns: tuple[str, ...], others: tuple[str, ...]) -> None:
        super().__init__(columns)
        self._kind, self._delimiter, self._others = kind, delimiter, set(others)

    def rewritten(self, line: str) -> str:
        """Return the fields after the word."""
        read = fields_of(line, self._delimiter)
        if read is None or read[0] not in self._others:
            return self.stray(line) if not line.startswith(("#", "%", "//")) else ""
        kind, fields = read
        if kind != self._kind or not _is_data(fields):
            return ""
        return ",".join(f.replace(",", " ") for f in fields)
