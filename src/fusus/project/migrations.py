"""Older formats of ``project.json``, one step at a time."""

from collections.abc import Callable
from typing import Any

# From format n to n + 1. Format 1 is the first that was ever written.
STEPS: dict[int, Callable[[dict[str, Any]], dict[str, Any]]] = {}


def migrated(data: dict[str, Any]) -> dict[str, Any]:
    """Return the data in the present format."""
    while data["format"] in STEPS:
        data = STEPS[data["format"]](data)
    return data
