"""Files of other programs: tracks (GPX), spreadsheets, and JSON that is one value instead of a line a record."""

import csv
import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np

from fusus.errors import LogError
from fusus.logs.formats.columns import AnyArray, tables_of
from fusus.logs.formats.reasons import short
from fusus.logs.shapes.json_lines import flat
from fusus.project.json_text import parsed

MOST_BYTES = 400 << 20
READ_BYTES = 1 << 20


def gpx_table(path: Path, folder: Path) -> list[Path]:
    """Write the points of a track as a table of fixes."""
    import gpxpy
    import gpxpy.gpx

    text = _text(path)
    if "<!ENTITY" in text or "<!DOCTYPE" in text:
        raise LogError(path, None, None, "it defines entities of its own, which no track needs; they are not read.")
    try:
        tracks = gpxpy.parse(text)
    except (gpxpy.gpx.GPXException, ValueError, RecursionError) as error:
        raise LogError(path, None, None, f"it is no readable track ({short(error)}).") from error
    target = folder / path.name
    untimed = 0
    with target.open("w", encoding="utf-8", newline="") as file:
        writer = csv.writer(file, lineterminator="\n")
        writer.writerow(("time", "lat_deg", "lon_deg", "height_m", "gnss_speed_m_s", "satellites", "hdop"))
        rows = 0
        for point, *_ in tracks.walk():
            if point.time is None:
                untimed += 1
                continue
            stamp = point.time.strftime("%Y-%m-%dT%H:%M:%S.%f")
            fields = (
                point.latitude,
                point.longitude,
                point.elevation,
                point.speed,
                point.satellites,
                point.horizontal_dilution,
            )
            writer.writerow((stamp, *("" if f is None else f for f in fields)))
            rows += 1
    if not rows:
        raise LogError(
            path,
            None,
            None,
            f"no point of the track has a time ({untimed} have none): nothing tells when it was where.",
        )
    return [target]


def spreadsheet_tables(path: Path, folder: Path) -> list[Path]:
    """Write each sheet of a spreadsheet as a table."""
    import python_calamine

    _check_size(path)
    out = []
    try:
        book = python_calamine.CalamineWorkbook.from_path(str(path))
        for number, name in enumerate(book.sheet_names):
            rows = book.get_sheet_by_name(name).to_python()
            if len(rows) < 2:
                continue
            target = folder / str(number) / path.name
            target.parent.mkdir(parents=True)
            with target.open("w", encoding="utf-8", newline="") as file:
                writer = csv.writer(file, lineterminator="\n")
                writer.writerows([_cell(c) for c in row] for row in rows)
            out.append(target)
    except (python_calamine.CalamineError, OSError, ValueError) as error:
        raise LogError(path, None, None, f"it is no readable spreadsheet ({short(error)}).") from error
    if not out:
        raise LogError(path, None, None, "no sheet of it holds rows.")
    return out


def _cell(value: Any) -> str:
    if isinstance(value, bool):
        return str(int(value))
    if isinstance(value, float):
        return repr(int(value)) if value.is_integer() and abs(value) < 2**53 else repr(value)
    return value.isoformat() if hasattr(value, "isoformat") else str(value)


def json_tables_of(path: Path, folder: Path) -> list[Path]:
    """Write JSON that is one value: an array of records becomes JSON lines, an object of arrays a table."""
    text = _text(path).lstrip("\ufeff \t\r\n")
    try:
        if text.startswith("["):
            return [_lines(text, path, folder)]
        found = parsed(text)
    except (json.JSONDecodeError, RecursionError) as error:
        line = getattr(error, "lineno", None)
        raise LogError(path, line, None, f"it is no whole JSON text ({short(error)}).") from error
    return tables_of(dict(_arrays(found)), path, folder)


def _lines(text: str, path: Path, folder: Path) -> Path:
    """Write the records of an array one a line, without holding them all; lists of numbers get made-up names."""
    decoder = json.JSONDecoder()
    target = folder / path.name
    at = 1
    rows = 0
    with target.open("w", encoding="utf-8") as file:
        while True:
            while at < len(text) and text[at] in " \t\r\n,":
                at += 1
            if at >= len(text) or text[at] == "]":
                break
            record, at = decoder.raw_decode(text, at)
            if isinstance(record, list):
                file.write(",".join(field for _, field in flat(record)) + "\n")
            else:
                file.write(json.dumps(record) + "\n")
            rows += 1
    if not rows:
        raise LogError(path, None, None, "its array is empty.")
    return target


def _arrays(value: Any, name: str = "") -> Iterator[tuple[str, AnyArray]]:
    """Yield the arrays of numbers in nested objects, with their names joined by points."""
    if isinstance(value, dict):
        for key, inner in value.items():
            yield from _arrays(inner, f"{name}.{key}" if name else str(key))
    elif isinstance(value, list | int | float):
        try:
            array = np.array(value, dtype=np.float64)
        except (ValueError, TypeError):
            return
        yield name, array


def _text(path: Path) -> str:
    _check_size(path)
    return path.read_text(encoding="utf-8", errors="replace")


def _check_size(path: Path) -> None:
    if path.stat().st_size > MOST_BYTES:
        raise LogError(
            path, None, None, f"a file of this kind is read up to {MOST_BYTES >> 20} MB; write it as CSV or Parquet."
        )
