"""The only place that sets compiler options."""

import os
from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar, cast

import numba
from numba.core import caching

from fusus.core.source import closure_digest, kernel_cache

F = TypeVar("F", bound=Callable[..., Any])


class ContentLocator(caching._CacheLocator):
    """Where a kernel's machine code is kept: by what it is compiled from, its own file and all that it imports.

    numba's own locators watch a kernel's own file only, and where it lies: a kernel that calls an edited one would go on running old
    machine code, and a second copy of the same source would begin anew.
    """

    def __init__(self, py_func: Callable[..., Any], py_file: str) -> None:
        flag = os.environ.get("NUMBA_BOUNDSCHECK", "0")
        self._digest = closure_digest(Path(py_file).resolve())
        self._path = kernel_cache() / f"{Path(py_file).stem}-{self._digest[:20]}-{flag}"
        self._line = py_func.__code__.co_firstlineno

    def get_cache_path(self) -> str:
        """Return the folder."""
        return str(self._path)

    def get_source_stamp(self) -> str:
        """Return what the machine code belongs to."""
        return self._digest

    def get_disambiguator(self) -> str:
        """Return what tells functions of one name apart."""
        return str(self._line)

    @classmethod
    def from_function(cls, py_func: Callable[..., Any], py_file: str) -> "ContentLocator | None":
        """Return the locator of a function, None where nothing can be written."""
        made = cls(py_func, py_file)
        try:
            made._path.mkdir(parents=True, exist_ok=True)
            os.utime(made._path)  # what was not used for long can go
        except OSError:
            return None
        return made


numba.config.CACHE_LOCATOR_CLASSES = f"{__name__}.ContentLocator"  # type: ignore[attr-defined]


def kernel(function: F) -> F:
    """Compile ``function``; no fastmath, since that removes isnan."""
    return cast(F, numba.njit(cache=True, nogil=True, error_model="numpy")(function))


def summing_kernel(function: F) -> F:
    """Compile a plain sum, whose terms may be added in any order: several at a time. isnan and infinities still hold."""
    order_free = {"reassoc", "nsz", "contract"}
    return cast(F, numba.njit(cache=True, nogil=True, error_model="numpy", fastmath=order_free)(function))


def contracting_kernel(function: F) -> F:
    """Compile ``function`` so that a product and a sum may become one instruction, rounded once. isnan still holds."""
    return cast(F, numba.njit(cache=True, nogil=True, error_model="numpy", fastmath={"contract"})(function))


def inlined_kernel(function: F) -> F:
    """Compile ``function`` as a part of whatever calls it: its arguments are handed on for nothing, arrays too."""
    return cast(F, numba.njit(nogil=True, error_model="numpy", inline="always")(function))
