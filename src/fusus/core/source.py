"""Fingerprints of the source: what was compiled or computed by another source is void."""

import hashlib
import os
import re
import shutil
import stat
import tempfile
from functools import cache, lru_cache
from pathlib import Path

from platformdirs import user_cache_path

# What a kept result is computed by: all but what shows it.
COMPUTING = ("core", "firmware", "logs", "project", "study")


@lru_cache(maxsize=1)
def source_digest() -> str:
    """Return the hash of all of core's source files: compiled kernels belong to it."""
    return _digest(("core",))


@lru_cache(maxsize=1)
def code_digest() -> str:
    """Return the hash of all source files that results are computed by: kept results belong to it."""
    return _digest(COMPUTING)


@lru_cache(maxsize=1)
def kernel_cache() -> Path:
    """Return the folder that compiled kernels are kept in: machine code is run from there, so that nobody else may write into it.

    Where the user's own cache cannot be had, a new folder of this process alone; never a place that others could have made before.
    """
    folder = user_cache_path("fusus") / "kernels"
    try:
        folder.mkdir(mode=0o700, parents=True, exist_ok=True)
        if is_own(folder):
            return folder
    except OSError:
        pass
    return Path(tempfile.mkdtemp(prefix="fusus-kernels-"))


def is_own(folder: Path) -> bool:
    """Return whether a folder is this user's. One that others could write into is emptied and closed to them first: whatever lies in
    it may be theirs."""
    found = folder.stat()
    if found.st_uid != os.geteuid():
        return False
    if stat.S_IMODE(found.st_mode) & (stat.S_IWGRP | stat.S_IWOTH):
        folder.chmod(0o700)
        for inside in folder.iterdir():
            if inside.is_dir() and not inside.is_symlink():
                shutil.rmtree(inside)
            else:
                inside.unlink()
    return True


_IMPORTS = re.compile(
    r"^[ \t]*(?:from[ \t]+(fusus[.\w]*)[ \t]+import[ \t]+(\([^)]*\)|[^\n]*)|import[ \t]+(fusus[.\w]*))", re.M
)


@cache
def closure_digest(source: Path) -> str:
    """Return the hash of a source file and of all of this package that it imports, directly or not: what is compiled from it is the
    same wherever these files are the same."""
    digest = hashlib.sha256()
    root = Path(__file__).parents[2]
    for path in sorted(_closure(source)):
        digest.update(str(path.relative_to(root) if path.is_relative_to(root) else path.name).encode())
        digest.update(path.read_bytes())
    return digest.hexdigest()


def _closure(source: Path) -> set[Path]:
    found: set[Path] = set()
    waiting = [source]
    while waiting:
        path = waiting.pop()
        if path not in found:
            found.add(path)
            waiting += _imported(path)
    return found


@cache
def _imported(source: Path) -> tuple[Path, ...]:
    out = []
    for module, names, other in _IMPORTS.findall(source.read_text(encoding="utf-8")):
        base = module or other
        inner = [f"{base}.{name}" for name in re.findall(r"\w+", names)] if module else []
        out += [path for m in (base, *inner) if (path := _file_of(m)) is not None]
    return tuple(out)


@cache
def _file_of(module: str) -> Path | None:
    path = Path(__file__).parents[2].joinpath(*module.split(".")).with_suffix(".py")
    return path if path.is_file() else None


def _digest(packages: tuple[str, ...]) -> str:
    digest = hashlib.sha256()
    root = Path(__file__).parents[1]
    for package in packages:
        for source in sorted((root / package).rglob("*.py")):
            digest.update(str(source.relative_to(root)).encode())
            digest.update(source.read_bytes())
    return digest.hexdigest()
