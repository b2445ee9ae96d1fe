"""Answers to an import's questions, put into its mapping."""

import json
from typing import Any, get_args

from fusus.core.frames.units import KINDS, known_unit
from fusus.errors import MappingError
from fusus.logs.conclusions import Question
from fusus.logs.mapping import ColumnMapping, FileMapping, Mapping, RawCounts, TextForm, TimeUnit
from fusus.logs.streams import STREAMS

# By the word that a mapping's units and ranges use: what the names of the columns begin with, or end in.
KIND_OF = {
    "gyro": "rate", "acc": "acceleration", "mag": "field", "pressure": "pressure", "angles": "angle", "height": "length",
}  # fmt: skip


def answered(mapping: Mapping, question: Question, value: str) -> Mapping:
    """Return a mapping in which a question is answered; MappingError where the value is none that it takes.

    Parameters
    ----------
    mapping : Mapping
        The whole mapping of the plan that asks.
    value : str
        One of the candidates' values, or a number where the question asks for one.
    """
    line: dict[str, Any] = json.loads(question.mapping)
    if "units" in line:
        return _with_unit(mapping, next(iter(line["units"])), value)
    if "ranges" in line:
        word, given = next(iter(line["ranges"].items()))
        return _with_range(mapping, word, _number(value), given["unit"], given["bits"])
    entry = line["files"][0]
    if "time" in entry:
        return _with_time(mapping, question.file, value)
    return _with_factor(mapping, question.file, str(question.column), _number(value))


def takes_number(question: Question) -> bool:
    """Return whether an answer is a number of one's own, rather than one of the candidates."""
    return any(c.value == "rate_hz" for c in question.candidates)


def _number(value: str) -> float:
    try:
        number = float(value.replace(",", "."))
    except ValueError as error:
        raise MappingError(f"“{value}” is no number.") from error
    if not 0 < number < 1e12:
        raise MappingError(f"{value} is no usable number; give one above zero.")
    return number


def _of_kind(column: ColumnMapping, word: str) -> bool:
    stream, _, name = str(column.target).partition(".")
    found = STREAMS.get(stream, {}).get(name)
    if (
        column.target is None
        or found is None
        or found.kind != KIND_OF[word]
        or "bias" in name
        or name in ("lat_deg", "lon_deg")
    ):
        return False
    return word != "height" or name == "height_m"


def _columns(mapping: Mapping, word: str, **changes: Any) -> Mapping:
    def changed(c: ColumnMapping) -> ColumnMapping:
        return c.model_copy(update=changes | {"unit_from": "mapping"}) if _of_kind(c, word) else c

    files = tuple(f.model_copy(update={"columns": tuple(changed(c) for c in f.columns)}) for f in mapping.files)
    return mapping.model_copy(update={"files": files})


def _with_unit(mapping: Mapping, word: str, value: str) -> Mapping:
    unit = known_unit(value)
    if unit is None or unit not in KINDS[KIND_OF[word]]:
        raise MappingError(f"“{value}” is no unit of it; use {', '.join(KINDS[KIND_OF[word]])}.")
    told: dict[str, str] = dict(mapping.units) | {word: unit}
    return _columns(mapping, word, unit=unit).model_copy(update={"units": told})


def _with_range(mapping: Mapping, word: str, full_scale: float, unit: str, bits: int) -> Mapping:
    known = known_unit(unit) or unit
    return _columns(mapping, word, unit=known, raw=RawCounts(full_scale=full_scale, bits=bits))


def _with_time(mapping: Mapping, file: str, value: str) -> Mapping:
    if value in get_args(TimeUnit) and value != "counter":
        changes: dict[str, Any] = {"unit": value, "rate_hz": None}
    elif value in get_args(TextForm):
        changes = {"unit": "iso8601", "form": value}
    else:
        changes = {"unit": "counter", "rate_hz": _number(value)}

    def changed(f: FileMapping) -> FileMapping:
        return f.model_copy(update={"time": f.time.model_copy(update=changes)}) if f.file == file else f

    return mapping.model_copy(update={"files": tuple(changed(f) for f in mapping.files)})


def _with_factor(mapping: Mapping, file: str, column: str, factor: float) -> Mapping:
    def changed(c: ColumnMapping) -> ColumnMapping:
        return (
            c.model_copy(update={"factor": factor, "unit": "deg", "unit_from": "mapping"}) if c.source == column else c
        )

    files = tuple(
        f.model_copy(update={"columns": tuple(changed(c) for c in f.columns)}) if f.file == file else f
        for f in mapping.files
    )
    return mapping.model_copy(update={"files": files})
