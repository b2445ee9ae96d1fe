"""Constants as C writes them, each with what it rests on."""

import dataclasses
import textwrap
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import ArrayLike

from fusus.firmware.translation.expressions import c_name, literal
from fusus.firmware.translation.foreign_text import harmless
from fusus.firmware.translation.types import Precision
from fusus.firmware.translation.unit import WIDTH


@dataclass(frozen=True, slots=True)
class Constant:
    """A constant: its name, the words above it, its C, and for a struct its fields: name, value, and what it rests on."""

    name: str
    said: str
    declaration: str
    fields: tuple[tuple[str, str, str], ...] = ()

    @property
    def rows(self) -> tuple[tuple[str, str, str], ...]:
        """Name, value and what it rests on, a row a figure or table."""
        if self.fields:
            return tuple((f"{self.name}.{n}", value, said or self.said) for n, value, said in self.fields)
        value = self.declaration.split("=", 1)[1].strip().rstrip(";")
        return ((self.name, " ".join(value.split()), self.said),)


def c_value(value: Any, precision: Precision) -> str:
    """Return a figure, an array or a tuple with names as a C initialiser."""
    if hasattr(value, "_fields"):
        rows = [f".{c_name(n)} = {c_value(getattr(value, n), precision)}" for n in value._fields]
        return "{ " + ", ".join(rows) + " }"
    if isinstance(value, bool | np.bool_):
        return "true" if value else "false"
    if isinstance(value, int | np.integer):
        return str(int(value))
    if isinstance(value, float | np.floating):
        return literal(float(value), precision)
    return (
        "{ " + ", ".join(c_value(v, precision) for v in np.asarray(value, dtype=float).tolist()) + " }"
        if np.ndim(value) == 1
        else "{ " + ", ".join(c_value(np.asarray(row), precision) for row in value) + " }"
    )


def folded(text: str) -> str:
    """Return a long declaration in several lines."""
    return "\n".join(
        textwrap.wrap(text, WIDTH, subsequent_indent="    ", break_long_words=False, break_on_hyphens=False)
    )


def number(name: str, value: float | bool | int, said: str, precision: Precision) -> Constant:
    """Return a single figure."""
    kind = "bool" if isinstance(value, bool) else "int32_t" if isinstance(value, int) else _real(precision)
    return Constant(name, said, f"static const {kind} {name} = {c_value(value, precision)};")


def table(name: str, values: ArrayLike, said: str, precision: Precision) -> Constant:
    """Return an array of one or two dimensions."""
    array = np.asarray(values, dtype=float)
    sizes = "".join(f"[{n}]" for n in array.shape)
    return Constant(name, said, folded(f"static const {_real(precision)} {name}{sizes} = {c_value(array, precision)};"))


def flat_table(name: str, values: ArrayLike, said: str, precision: Precision) -> Constant:
    """Return an array of two dimensions as C's kernels take it: row after row."""
    array = np.asarray(values, dtype=float)
    return table(name, array.ravel() if array.size else np.zeros(1), said, precision)


def struct(name: str, kind: str, value: Any, said: dict[str, str], about: str, precision: Precision) -> Constant:
    """Return a struct, a field a line with what it rests on."""
    names = value._fields if hasattr(value, "_fields") else [f.name for f in dataclasses.fields(value)]
    lines = [f"static const {kind} {name} = {{"]
    rows = tuple((field, c_value(getattr(value, field), precision), said.get(field, "")) for field in names)
    for field in names:
        text = folded(f"    .{c_name(field)} = {c_value(getattr(value, field), precision)},").lstrip()
        beside = f" /* {harmless(said[field])} */" if said.get(field) else ""
        lines.append(f"    {text}{beside}")
    return Constant(name, about, "\n".join([*lines, "};"]), rows)


def _real(precision: Precision) -> str:
    return "float" if precision == "single" else "double"
