"""What values are in C, and what is said of the arrays that kernels take."""

import typing
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from types import MappingProxyType
from typing import Any, Literal

from fusus.core.arrays import Array, ByteArray
from fusus.core.records import Record, shapes_of

Kind = Literal["real", "int", "bool", "struct", "array", "bytes", "tuple", "none"]
Precision = Literal["single", "double"]


@dataclass(frozen=True, slots=True)
class Type:
    """A kind; the class of a struct; the lengths of an array's inner dimensions; the parts of a tuple."""

    kind: Kind
    struct: Any = None
    inner: tuple[int, ...] = ()
    items: tuple["Type", ...] = ()

    @property
    def is_number(self) -> bool:
        """Whether it is one figure."""
        return self.kind in ("real", "int", "bool")

    @property
    def is_record(self) -> bool:
        """Whether it is a record that is changed where it lies."""
        return self.kind == "struct" and isinstance(self.struct, type) and issubclass(self.struct, Record)

    @property
    def is_array(self) -> bool:
        """Whether it stands in memory as a row of figures."""
        return self.kind in ("array", "bytes")


REAL, INT, BOOL, NONE = Type("real"), Type("int"), Type("bool"), Type("none")


@dataclass(frozen=True, slots=True)
class Layout:
    """What kernels' annotations do not say.

    ``modules``: the prefix that C names of a Python module get. ``inner``: lengths of the inner dimensions of arrays, by prefix and name.
    ``rows``: arrays of a known number of rows, likewise. ``fields``: shapes of the arrays that structs hold, by class and field.
    ``left_out``: parameters, by function, that only keep figures for drawing: neither they nor what they alone need is on a board.
    ``constants``: whole numbers that are another size on a board. ``types``: types of fields of classes that are no plain structs.
    """

    modules: dict[str, str]
    inner: dict[tuple[str, str], tuple[int, ...]] = field(default_factory=dict)
    rows: dict[tuple[str, str], int] = field(default_factory=dict)
    fields: dict[tuple[str, str], tuple[int, ...]] = field(default_factory=dict)
    left_out: dict[str, tuple[str, ...]] = field(default_factory=dict)
    types: dict[str, dict[str, Type]] = field(default_factory=dict)
    constants: dict[str, int] = field(default_factory=dict)

    def prefix(self, module: str) -> str:
        """Return the prefix of C names that come from a module: the longest that is told."""
        found = [m for m in self.modules if module == m or module.startswith(m + ".")]
        if not found:
            raise KeyError(f"{module} has no prefix for its C names")
        return self.modules[max(found, key=len)]

    def struct_name(self, cls: Any) -> str:
        """Return the C name of a class: its prefix in capitals and its own name."""
        prefix = self.prefix(cls.__module__).replace("_", " ").title().replace(" ", "")
        return cls.__name__ if cls.__name__.startswith(prefix) else f"{prefix}{cls.__name__}"

    def of(self, hint: Any, prefix: str, name: str) -> Type:
        """Return the type that an annotation means for a parameter."""
        if hint is float:
            return REAL
        if hint is bool:
            return BOOL
        if hint is int:
            return INT
        if hint is None or hint is type(None):
            return NONE
        if hint in (Array, ByteArray):
            return Type("array" if hint == Array else "bytes", inner=self.inner.get((prefix, name), ()))
        if typing.get_origin(hint) is Sequence:  # of records
            return Type("array", struct=typing.get_args(hint)[0])
        if typing.get_origin(hint) is tuple:
            return Type("tuple", items=tuple(self.of(h, prefix, name) for h in typing.get_args(hint)))
        if isinstance(hint, type):
            return Type("struct", struct=hint)
        raise TypeError(f"{name} of {prefix} has a type that C has no word for: {hint}")

    def field_types(self, cls: Any) -> dict[str, Type]:
        """Return the fields of a struct with their types; arrays have the shape that is told."""
        if cls.__name__ in self.types:
            return self.types[cls.__name__]
        prefix = self.prefix(cls.__module__)
        out = {}
        for name, hint in _hints(cls).items():
            shape = self.shape(cls, name)
            of = self.of(hint, prefix, name)
            out[name] = Type(of.kind, of.struct, shape[1:]) if of.is_array and shape else of
        return out

    def shape(self, cls: Any, name: str) -> tuple[int, ...]:
        """Return the shape of an array that a struct holds; () where it is a figure, or not told."""
        told = self.fields.get((self.struct_name(cls), name))
        if told is None and isinstance(cls, type) and issubclass(cls, Record):
            told = shapes_of(cls)[name][1]
        return told or ()


@lru_cache
def _hints(cls: Any) -> Mapping[str, Any]:
    """Return what a class says of its fields; read once, since evaluating hints is dear."""
    return MappingProxyType(typing.get_type_hints(cls))


def is_same(a: Type, b: Type) -> bool:
    """Return whether two types are the same struct."""
    return a.kind == b.kind == "struct" and a.struct is b.struct
