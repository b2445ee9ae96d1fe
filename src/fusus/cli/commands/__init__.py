"""One module a command; heavy libraries are imported inside them."""

from fusus.cli.commands import (
    bench,
    book,
    brief,
    capture,
    compare,
    demo,
    fusion,
    importing,
    loops,
    parts,
    project,
    proof,
    replay,
    report,
    simulate,
    verify,
)

__all__ = [
    "bench",
    "book",
    "brief",
    "capture",
    "compare",
    "demo",
    "fusion",
    "importing",
    "loops",
    "parts",
    "project",
    "proof",
    "replay",
    "report",
    "simulate",
    "verify",
]
