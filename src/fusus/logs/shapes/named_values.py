"""One value a line with its name: ``ax: 0.01``, the next line ``ay: 0.02``; or ``time,name,value``. A row is what comes between."""

import re
from collections import Counter

from fusus.logs.shapes.labels import NUMBER
from fusus.logs.shapes.reshaping import Reshaper

_NAME = r"(?P<name>[A-Za-z_][\w.\-/ \[\]()°²]*?)"
_VALUE = rf"(?P<value>{NUMBER})"
NAMED = re.compile(rf"{_NAME}\s*[:=,;\t ]\s*{_VALUE}\s*(?P<unit>[A-Za-z°µ][\w°µ²/^]*)?\s*[,;]?$", re.IGNORECASE)
TIMED = re.compile(rf"(?P<time>{NUMBER})\s*[,;\t ]\s*{_NAME}\s*[,;\t =:]\s*{_VALUE}\s*[,;]?$", re.IGNORECASE)
MOST_NAMES = 60
LEAST_SHARE = 0.7
LEAST_ROWS = 3
TIME = "time"


def value_table(lines: list[str]) -> tuple[bool, tuple[str, ...]] | None:
    """Return whether a time stands before each name, and the names; None where lines are of another shape."""
    for is_timed, pattern in ((True, TIMED), (False, NAMED)):
        found = [m for m in map(pattern.match, lines) if m is not None]
        if len(found) < LEAST_SHARE * len(lines) or len(found) < 2 * LEAST_ROWS:
            continue
        names = Counter(_name(m) for m in found)
        usual = [n for n, count in names.items() if count >= LEAST_ROWS]
        if 2 <= len(usual) <= MOST_NAMES and sum(names[n] for n in usual) > 0.8 * len(found):
            return is_timed, ((TIME,) if is_timed else ()) + tuple(usual)
    return None


def _name(match: re.Match[str]) -> str:
    unit = match.groupdict().get("unit")
    return match["name"].strip() + (f" [{unit}]" if unit else "")


class NamedValues(Reshaper):
    """Rewrites named values: a row is finished where a name comes again, or the time goes on; it stands at its last line."""

    def __init__(self, is_timed: bool, columns: tuple[str, ...]) -> None:
        super().__init__(columns)
        self._pattern, self._is_timed = (TIMED if is_timed else NAMED), is_timed
        self._row: dict[str, str] = {}

    def rewritten(self, line: str) -> str:
        """Return the row that this line finishes: the values since the last one."""
        match = self._pattern.match(line)
        name = _name(match) if match is not None else ""
        if match is None or name not in self.columns:
            is_header = not self._row and not any(c.isdigit() for c in line)
            return "" if is_header else self.stray(line)
        done = ""
        if name in self._row or (self._is_timed and self._row and self._row[TIME] != match["time"]):
            done = self._finished()
        if self._is_timed:
            self._row[TIME] = match["time"]
        self._row[name] = match["value"]
        return done

    def _finished(self) -> str:
        row, self._row = self._row, {}
        return ",".join(row.get(c, "") for c in self.columns)

    def end(self) -> bytes:
        """Return the last row, which no further line finishes."""
        return f"{self._finished()}\n".encode() if self._row else b""
