"""A fingerprint of the core's own source: what was computed or compiled by another source is void."""

import hashlib
from functools import lru_cache
from pathlib import Path


@lru_cache(maxsize=1)
def source_digest() -> str:
    """Return the hash of all of core's source files."""
    digest = hashlib.sha256()
    for source in sorted(Path(__file__).parent.rglob("*.py")):
        digest.update(source.read_bytes())
    return digest.hexdigest()
