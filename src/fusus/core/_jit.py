"""The only place that sets compiler options."""

import os
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar, cast

import numba
from platformdirs import user_cache_path

from fusus.core.source import source_digest

F = TypeVar("F", bound=Callable[..., Any])


def _cache_folder() -> Path:
    # numba watches only the kernel's own file: a kernel that calls an edited one would go on running old machine code.
    name = f"{source_digest()[:16]}-{os.environ.get('NUMBA_BOUNDSCHECK', '0')}"
    for root in (user_cache_path("fusus"), Path(tempfile.gettempdir()) / f"fusus-cache-{os.getuid()}"):
        folder = root / "kernels" / name
        try:
            folder.mkdir(parents=True, exist_ok=True)
            return folder
        except OSError:
            continue
    return Path(tempfile.mkdtemp(prefix="fusus-kernels-"))


numba.config.CACHE_DIR = str(_cache_folder())  # type: ignore[attr-defined]


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
