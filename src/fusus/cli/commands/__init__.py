"""One module a command; heavy libraries are imported inside them."""

from fusus.cli.commands import (
    bench,
    brief,
    capture,
    compare,
    demo,
    fusion,
    importing,
    loops,
    parts,
    project,
    replay,
    verify,
)

__all__ = [
    "bench",
    "brief",
    "capture",
    "compare",
    "demo",
    "fusion",
    "importing",
    "loops",
    "parts",
    "project",
    "replay",
    "verify",
]
