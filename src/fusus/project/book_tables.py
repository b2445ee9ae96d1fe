"""The book as tables: searched, carried over from and to other programs, and what its flights come to."""

import csv
import io
import json
import statistics
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any

from fusus.errors import ProjectError
from fusus.project.atomic import append_line, write_atomically
from fusus.project.book import BOOK_FILE, entries
from fusus.project.json_text import parsed
from fusus.project.table_text import table_text, unguarded

Entry = dict[str, Any]
ENDINGS = (".jsonl", ".csv")
# Which calibrations belong to which part, and what happens to all parts at once.
OF_PART: dict[str, tuple[str, ...]] = {
    "imu": ("gyro-bias", "six-face", "thermal", "mounting", "level", "two-imu", "vibration"),
    "magnetometer": ("magnetometer", "motor-current"), "barometer": ("airflow",), "receiver": ("gnss-scatter", "lever-arm"),
}  # fmt: skip
SHAKES_ALL = ("knock",)
# Columns that are words, whatever they look like.
TEXTS = ("at", "what", "note", "place", "weather", "recording", "name")


def select(
    found: Iterable[Entry], words: str = "", what: str | None = None, since: str | None = None, until: str | None = None
) -> list[Entry]:
    """Return the entries that hold all words, of one kind, from and until days (inclusive), in their order."""
    wanted = words.lower().split()
    out = []
    for e in found:
        day = str(e.get("at", ""))[:10]
        text = json.dumps(e, ensure_ascii=False).lower()
        if what is not None and e.get("what") != what:
            continue
        if (since is not None and day < since) or (until is not None and day > until):
            continue
        if all(w in text for w in wanted):
            out.append(e)
    return out


def of_part(found: Iterable[Entry], kind: str, name: str | None = None) -> list[Entry]:
    """Return the entries that concern a part of the craft, by its kind and name: its calibrations, and what happened to all of it."""
    words = {kind, *OF_PART.get(kind, ())} | ({name.lower()} if name else set())
    return [
        e for e in found
        if e.get("what") in SHAKES_ALL or {str(e.get(k, "")).lower() for k in ("part", "kind", "calibration")} & words
    ]  # fmt: skip


@dataclass(frozen=True, slots=True)
class Flights:
    """What the flights of a book come to: how many, minutes in all, the usual minutes (median), and the mean current A of those
    with a charge on record; None where none has."""

    count: int
    minutes: float
    usual_min: float | None
    mean_a: float | None


def flights(found: Iterable[Entry]) -> Flights:
    """Return what the flights come to; entries without minutes count, but say nothing of time."""
    flown = [e for e in found if e.get("what") == "flight"]
    times = [float(e["minutes"]) for e in flown if _is_number(e.get("minutes"))]
    charged = [
        (float(e["charge_mah"]), float(e["minutes"]))
        for e in flown
        if _is_number(e.get("charge_mah")) and _is_number(e.get("minutes")) and e["minutes"] > 0
    ]
    amps = sum(c for c, _ in charged) * 3.6 / (sum(m for _, m in charged) * 60.0) if charged else None
    return Flights(len(flown), sum(times), statistics.median(times) if times else None, amps)


def _is_number(value: object) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool)


def save(found: Sequence[Entry], out: Path) -> None:
    """Write entries as JSON Lines or as CSV, by the ending; ProjectError for another one, or a place that cannot be written."""
    if out.suffix.lower() not in ENDINGS:
        raise ProjectError(out, f"a book ends in {' or '.join(ENDINGS)}.")
    if out.suffix.lower() == ".jsonl":
        text = "".join(json.dumps(e, ensure_ascii=False) + "\n" for e in found)
    else:
        columns = list(dict.fromkeys(("at", "what", "note", *(k for e in found for k in e))))
        text = table_text([columns, *([_cell(e.get(k)) for k in columns] for e in found)])
    write_atomically(out, text.encode())


def _cell(value: Any) -> Any:
    return json.dumps(value, ensure_ascii=False) if isinstance(value, list | dict) else value


def take_in(folder: Path, source: Path) -> tuple[int, int]:
    """Add the entries of a JSON Lines or CSV file that the book does not hold yet; return how many were added and left out.

    All lines are read before the first is added: a file with an error changes nothing. ProjectError says which line and why.
    """
    try:
        text = source.read_text(encoding="utf-8-sig")
    except (OSError, UnicodeDecodeError) as error:
        raise ProjectError(source, f"it cannot be read ({type(error).__name__}).") from error
    read = _from_csv if source.suffix.lower() == ".csv" else _from_lines
    found = read(source, text)
    have = {json.dumps(e, sort_keys=True) for e in entries(folder)}
    fresh = []
    for e in found:
        key = json.dumps(e, sort_keys=True)
        if key not in have:
            have.add(key)
            fresh.append(e)
    for e in fresh:
        append_line(folder / BOOK_FILE, json.dumps(e, ensure_ascii=False))
    return len(fresh), len(found) - len(fresh)


def _from_lines(source: Path, text: str) -> list[Entry]:
    out = []
    for number, line in enumerate(text.splitlines(), 1):
        if not line.strip():
            continue
        try:
            entry = parsed(line)
        except json.JSONDecodeError as error:
            raise ProjectError(source, f"line {number}: {error.msg}. Nothing was added.") from error
        out.append(_checked(source, number, entry))
    return out


def _from_csv(source: Path, text: str) -> list[Entry]:
    out = []
    rows = csv.DictReader(io.StringIO(text))
    rows.fieldnames = [unguarded(n) for n in rows.fieldnames or ()]
    for number, row in enumerate(rows, 2):
        if None in row:
            raise ProjectError(source, f"line {number} has more columns than the first line names. Nothing was added.")
        out.append(
            _checked(
                source,
                number,
                {k: unguarded(v) if k in TEXTS else _value(v) for k, v in row.items() if v not in (None, "")},
            )
        )
    return out


def _value(text: str) -> Any:
    """Return a cell as what it was: numbers, yes and no, lists; else words."""
    try:
        return parsed(text)
    except json.JSONDecodeError:
        return unguarded(text)


def _checked(source: Path, number: int, entry: Any) -> Entry:
    if not isinstance(entry, dict) or not isinstance(entry.get("what"), str):
        raise ProjectError(source, f"line {number}: an entry names “what” happened. Nothing was added.")
    try:
        datetime.fromisoformat(str(entry.get("at")))
    except ValueError as error:
        raise ProjectError(
            source, f"line {number}: “at” is {entry.get('at')!r}; write a day, or a day and time such as 2026-06-01T09:30. Nothing was "
            "added.",
        ) from error  # fmt: skip
    return entry
