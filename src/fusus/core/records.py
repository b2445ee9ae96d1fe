"""Records with named fields that compiled code changes in place: a class says what there is, numpy keeps it, C has it as a struct."""

import typing
from collections.abc import Mapping
from functools import lru_cache
from types import MappingProxyType
from typing import Any

import numpy as np


class Record:
    """The base of classes that describe a record: each field a figure (``float``, ``int``) or an array of known shape
    (``Annotated[Array, 3]``). What runs is numpy's record of the same fields, which compiled code takes as it is."""


def shapes_of(kind: type[Record]) -> Mapping[str, tuple[Any, tuple[int, ...]]]:
    """Return the fields of a record: the kind of its figures, and their shape, () for a single one. Read once a class: hints are dear."""
    key: Any = kind  # a class is hashable, which the checker does not see
    return _shapes(key)


@lru_cache
def _shapes(kind: Any) -> Mapping[str, tuple[Any, tuple[int, ...]]]:
    out = {}
    for name, hint in typing.get_type_hints(kind, include_extras=True).items():
        if typing.get_origin(hint) is typing.Annotated:
            of, *shape = typing.get_args(hint)
            out[name] = (of, tuple(shape))
        else:
            out[name] = (hint, ())
    return MappingProxyType(out)


def dtype_of(kind: type[Record]) -> np.dtype[Any]:
    """Return the numpy type of a record."""
    return np.dtype(
        [(name, np.int64 if of is int else np.float64, shape) for name, (of, shape) in shapes_of(kind).items()],
        align=True,
    )


def zeros(kind: type[Record]) -> Any:
    """Return one record of zeros."""
    return rows_of(kind, 1)[0]


def rows_of(kind: type[Record], count: int) -> Any:
    """Return an array (count,) of records of zeros."""
    return np.zeros(count, dtype_of(kind)).view(np.recarray)


def copy_of(record: Any) -> Any:
    """Return a copy of one record that nothing shares."""
    return np.array([record], dtype=record.dtype).view(np.recarray)[0]
