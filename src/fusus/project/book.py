"""The logbook: one JSON object a line, only ever added to."""

import json
import math
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from fusus.errors import ProjectError
from fusus.project.atomic import append_line
from fusus.project.json_text import parsed
from fusus.project.reads import note_file

BOOK_FILE = "book.jsonl"


def note(folder: Path, what: str, **details: Any) -> None:
    """Add an entry with the present time."""
    entry = {"at": datetime.now(UTC).isoformat(timespec="seconds"), "what": what, **details}
    append_line(folder / BOOK_FILE, json.dumps(finite(entry), ensure_ascii=False, allow_nan=False))


def finite(value: Any) -> Any:
    """Return an entry with nothing in the place of figures that are none: JSON has no word for them."""
    if isinstance(value, float) and not math.isfinite(value):
        return None
    if isinstance(value, dict):
        return {k: finite(v) for k, v in value.items()}
    return [finite(v) for v in value] if isinstance(value, list | tuple) else value


def entries(folder: Path) -> list[dict[str, Any]]:
    """Return all entries that can be read; ``damaged`` names the lines that cannot."""
    return [entry for _, entry in _lines(folder) if entry is not None]


def damaged(folder: Path) -> list[int]:
    """Return the numbers of the lines that hold no entry, torn by a power cut or edited by hand; they stay as they are."""
    return [number for number, entry in _lines(folder) if entry is None]


def _lines(folder: Path) -> list[tuple[int, dict[str, Any] | None]]:
    path = folder / BOOK_FILE
    note_file(path)
    if not path.exists():
        return []
    try:
        text = path.read_text(encoding="utf-8", errors="replace")
    except OSError as error:
        raise ProjectError(path, f"it cannot be read ({type(error).__name__}).") from error
    out: list[tuple[int, dict[str, Any] | None]] = []
    for number, line in enumerate(text.split("\n"), start=1):
        if not line.strip():
            continue
        try:
            entry = parsed(line)
        except json.JSONDecodeError:
            entry = None
        out.append((number, entry if isinstance(entry, dict) else None))
    return out


EVENTS = ("knock", "new firmware", "moved", "transport", "new wiring", "repair", "flight", "note")
"""What is written by hand; all but flights and notes may put calibrations in doubt."""

RANGES = {
    "minutes": (0.0, 1440.0, "min"), "charge_mah": (0.0, 1e6, "mAh"), "stop_voltage_v": (0.0, 200.0, "V"),
    "temperature_degc": (-80.0, 80.0, "°C"),
}  # fmt: skip


def add_event(folder: Path, what: str, text: str = "", **details: Any) -> None:
    """Write an event by hand; ProjectError for one that the book does not know."""
    if what not in EVENTS:
        raise ProjectError(folder / BOOK_FILE, f"“{what}” is no event; the events are {', '.join(EVENTS)}.")
    for name, (low, high, unit) in RANGES.items():
        value = details.get(name)
        if value is not None and not low <= value <= high:
            raise ProjectError(
                folder / BOOK_FILE, f"{name} is {value:g}; give {low:g} to {high:g} {unit}. Nothing was written."
            )
    note(folder, what, **({"note": text} if text else {}), **{k: v for k, v in details.items() if v is not None})
