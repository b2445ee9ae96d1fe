"""Which shape a text has, found from its first lines; and the rewriting that a mapping names."""

from dataclasses import dataclass
from typing import Literal

from fusus.logs.dialect import usual_delimiter
from fusus.logs.headers import sensor_of
from fusus.logs.shapes.json_lines import JsonLines, json_tables
from fusus.logs.shapes.kinds import Kind, kind_tables
from fusus.logs.shapes.labels import Labels, label_tables
from fusus.logs.shapes.named_values import NamedValues, value_table
from fusus.logs.shapes.reshaping import Reshaper
from fusus.logs.shapes.stamps import has_stamps, split_stamp

ShapeName = Literal["table", "labels", "kinds", "named-values", "timed-values", "json-lines"]
SAMPLE = 600
CLOCK = "clock"


@dataclass(frozen=True, slots=True)
class Shape:
    """One table in a text: its shape, the word that its lines begin with, its columns, and the other tables' words beside it.

    ``has_stamps`` tells that a terminal's clock stands before each line, and ``keeps_stamps`` that it is a column.
    """

    name: ShapeName
    kind: str = ""
    columns: tuple[str, ...] = ()
    delimiter: str = ","
    others: tuple[tuple[str, tuple[str, ...]], ...] = ()
    has_stamps: bool = False

    @property
    def rank(self) -> int:
        """Where it stands among the tables of one text: inertial sensors first, then more columns before fewer."""
        return (0 if sensor_of(self.kind) in ("imu", "gyro", "acc") else 100) - len(self.columns)

    def reshaper(self) -> Reshaper | None:
        """Return what rewrites the text into a plain table, or None where it is one."""
        inner = self._inner()
        return Stamped(inner, self.columns, self.delimiter) if self.has_stamps else inner

    def _inner(self) -> Reshaper | None:
        columns = self.columns[1:] if self.has_stamps else self.columns
        if self.name == "labels":
            return Labels(self.kind, columns, self.others)
        if self.name == "kinds":
            return Kind(self.kind, self.delimiter, columns, tuple(k for k, _ in self.others))
        if self.name in ("named-values", "timed-values"):
            return NamedValues(self.name == "timed-values", columns)
        return JsonLines(self.kind, columns) if self.name == "json-lines" else None


class Stamped(Reshaper):
    """Rewrites lines with a terminal's clock before them; the clock becomes the first column."""

    def __init__(self, inner: Reshaper | None, columns: tuple[str, ...], delimiter: str) -> None:
        super().__init__(columns)
        self._inner, self._delimiter = inner, "," if inner is not None else delimiter

    def rewritten(self, line: str) -> str:
        """Return the clock and the rest of the line."""
        stamp, rest = split_stamp(line)
        if self._inner is None:
            if not stamp:
                return self.stray(line)
            is_header = rest[:1].isalpha()
            return f"{CLOCK if is_header else stamp}{self._delimiter}{rest}"
        self._inner.strays = self.strays
        done = self._inner.at(self.line, rest)
        return f"{stamp},{done}" if done else ""

    def end(self) -> bytes:
        """Return the line that the end of the text finishes: without a clock of its own it is left out."""
        return b""


def find_shapes(text: str, is_whole: bool) -> list[Shape]:
    """Return the tables in a text that is no plain table; none where it is one, or where no shape fits."""
    lines = text.split("\n")[: SAMPLE + 1]
    if not is_whole or len(lines) > SAMPLE:
        lines = lines[:-1]
    lines = [s.strip(" \t\r\x00") for s in lines]
    lines = [s for s in lines if s]
    stamped = has_stamps(lines)
    if stamped:
        lines = [split_stamp(s)[1] for s in lines]
    found = _shapes(lines)
    if not stamped:
        return found
    if not found:
        return [Shape("table", delimiter=usual_delimiter(lines), has_stamps=True)]
    return [Shape(s.name, s.kind, (CLOCK, *s.columns), s.delimiter, s.others, True) for s in found]


def _shapes(lines: list[str]) -> list[Shape]:
    records = json_tables(lines)
    if records:
        return [Shape("json-lines", kind, columns) for kind, columns in records.items()]
    labelled = label_tables(lines)
    if labelled:
        return [Shape("labels", kind, names, others=tuple(labelled)) for kind, names in labelled]
    values = value_table(lines)
    if values is not None:
        return [Shape("timed-values" if values[0] else "named-values", "", values[1])]
    kinds = kind_tables(lines)
    if kinds is not None:
        delimiter, tables = kinds
        others = tuple(tables.items())
        return [Shape("kinds", kind, columns, delimiter, others) for kind, columns in tables.items()]
    return []
