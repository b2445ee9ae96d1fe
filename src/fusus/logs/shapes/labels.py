"""Lines with a label before each value: ``t: 123, ax: 0.01`` or ``ax=0.01 ay=0.02``, tabs, blanks or commas between."""

import re
from collections import Counter

from fusus.logs.shapes.reshaping import Reshaper

NUMBER = r"[+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?|[+-]?(?:nan|inf)(?:inity)?"
_WORD = r"[\w.\-/°²^\[\]()]*"
PAIR = re.compile(
    rf"\s*(?P<label>[A-Za-z_µ°]{_WORD}(?: [A-Za-z_]{_WORD})*)\s*[:=]\s*"
    rf"(?P<value>{NUMBER}|\d{{1,2}}:\d\d:\d\d(?:\.\d+)?)"
    r"(?:\s*(?P<unit>[A-Za-z°µ%][\w°µ²/^%]*)(?=\s*(?:[,;|\t]|$)))?\s*(?:[,;|]|\s|$)\s*",
    re.IGNORECASE,
)
KIND = re.compile(r"[$#<\[]?\s*(?P<kind>[A-Za-z_]\w*)[\]>]?\s*(?:[:,;|>]|->|\s)\s*(?=[A-Za-z_])")
LEAST_LINES = 3
LEAST_SHARE = 0.5


def pairs_of(line: str) -> tuple[str, dict[str, str]] | None:
    """Return a line's leading word and its labels with values (units joined to the labels), or None where it is no such line."""
    kind, at = "", 0
    if PAIR.match(line) is None:
        head = KIND.match(line)
        if head is None:
            return None
        kind, at = head["kind"], head.end()
    found: dict[str, str] = {}
    end = len(line.rstrip(" ,;|"))
    while at < end:
        match = PAIR.match(line, at)
        if match is None:
            return None
        label = match["label"].strip() + (f" [{match['unit']}]" if match["unit"] else "")
        if label in found:
            return None
        found[label] = match["value"]
        at = match.end()
    return (kind, found) if found else None


def label_tables(lines: list[str]) -> list[tuple[str, tuple[str, ...]]]:
    """Return the tables in labelled lines, each with its leading word and its labels; none where most lines are not labelled."""
    read = [pairs_of(s) for s in lines]
    labelled = [p for p in read if p is not None]
    if len(labelled) < LEAST_SHARE * len(lines) or sum(len(p[1]) >= 2 for p in labelled) < 0.8 * len(labelled):
        return []
    sets = Counter((kind, tuple(found)) for kind, found in labelled)
    tables: list[tuple[str, tuple[str, ...]]] = []
    for (kind, names), count in sorted(sets.items(), key=lambda x: (-len(x[0][1]), -x[1])):
        if count < LEAST_LINES and len(sets) > 1:
            continue
        # Lines that leave out some labels of a longer line belong to its table.
        if not any(k == kind and set(names) <= set(known) for k, known in tables):
            tables.append((kind, names))
    return tables


class Labels(Reshaper):
    """Rewrites labelled lines; those with another leading word, or other labels, are blank."""

    def __init__(
        self, kind: str, columns: tuple[str, ...], others: tuple[tuple[str, tuple[str, ...]], ...] = ()
    ) -> None:
        super().__init__(columns)
        self._kind, self._wanted, self._others = kind, set(columns), others

    def rewritten(self, line: str) -> str:
        """Return the values in the order of the columns."""
        read = pairs_of(line)
        if read is None:
            return self.stray(line)
        kind, found = read
        if kind != self._kind or not set(found) <= self._wanted:
            known = any(kind == k and set(found) <= set(names) for k, names in self._others)
            return "" if known else self.stray(line)
        return ",".join(found.get(c, "") for c in self.columns)
