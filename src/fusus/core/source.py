"""Fingerprints of the source: what was compiled or computed by another source is void."""

import hashlib
from functools import lru_cache
from pathlib import Path

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


def _digest(packages: tuple[str, ...]) -> str:
    digest = hashlib.sha256()
    root = Path(__file__).parents[1]
    for package in packages:
        for source in sorted((root / package).rglob("*.py")):
            digest.update(str(source.relative_to(root)).encode())
            digest.update(source.read_bytes())
    return digest.hexdigest()
