"""JSON lines: one object a line, nested names joined by points, short lists by the axes that they stand for."""

import json
from collections.abc import Iterator
from typing import Any

from fusus.logs.headers import sensor_of
from fusus.logs.shapes.reshaping import Reshaper
from fusus.project.json_text import parsed

KIND_KEYS = ("type", "kind", "sensor", "topic", "name", "msg", "message", "stream", "id")
LEAST_SHARE = 0.6
LONGEST_LIST = 16
DEEPEST = 8


def object_of(line: str) -> dict[str, Any] | None:
    """Return a line's JSON object, or None where it is none."""
    if not line.startswith("{"):
        return None
    try:
        found = parsed(line.rstrip(","))
    except json.JSONDecodeError:
        return None
    return found if isinstance(found, dict) else None


def flat(value: Any, name: str = "", depth: int = 0) -> Iterator[tuple[str, str]]:
    """Yield names and fields of nested values: lists of three are axes, other lists are numbered from 0."""
    if isinstance(value, dict) and depth < DEEPEST:
        for key, inner in value.items():
            yield from flat(inner, f"{name}.{key}" if name else str(key), depth + 1)
    elif isinstance(value, list) and len(value) <= LONGEST_LIST and depth < DEEPEST:
        axes = ("x", "y", "z") if len(value) == 3 else tuple(str(i) for i in range(len(value)))
        for axis, inner in zip(axes, value, strict=True):
            yield from flat(inner, f"{name}_{axis}", depth + 1)
    elif isinstance(value, bool):
        yield name, str(int(value))
    elif isinstance(value, int | float):
        yield name, repr(value)
    elif isinstance(value, str):
        yield name, value.replace(",", " ").replace("\n", " ").replace('"', "")


def kind_of(record: dict[str, Any]) -> str:
    """Return the word that says what kind of record it is, or nothing."""
    word = next((record[k] for k in KIND_KEYS if isinstance(record.get(k), str)), "")
    return word.lower() if len(word) < 60 and "\n" not in word and "," not in word else ""


def json_tables(lines: list[str]) -> dict[str, tuple[str, ...]]:
    """Return by kind of record the names of its columns; nothing where lines are no JSON."""
    records = [r for r in map(object_of, lines) if r is not None]
    if not records or len(records) < LEAST_SHARE * len(lines):
        return {}
    kinds = {kind_of(r) for r in records}
    by_kind = len(kinds) <= 20 and any(sensor_of(k) for k in kinds)
    tables: dict[str, dict[str, None]] = {}
    for record in records:
        names = tables.setdefault(kind_of(record) if by_kind else "", {})
        for name, _ in flat(record):
            if not (by_kind and name in KIND_KEYS):
                names.setdefault(name)
    return {kind: tuple(names) for kind, names in tables.items()}


class JsonLines(Reshaper):
    """Rewrites records of one kind; an empty kind takes all."""

    def __init__(self, kind: str, columns: tuple[str, ...]) -> None:
        super().__init__(columns)
        self._kind = kind

    def rewritten(self, line: str) -> str:
        """Return the record's fields in the order of the columns."""
        record = object_of(line)
        if record is None:
            return self.stray(line) if line not in ("[", "]") else ""
        if self._kind and kind_of(record) != self._kind:
            return ""
        found = dict(flat(record))
        return ",".join(found.get(c, "") for c in self.columns)
