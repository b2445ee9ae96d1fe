"""The short run and the long one: how many seeds each takes, and what only the long one does."""

import os

import pytest

LONG = os.environ.get("FUSUS_LONG") == "1"
long_run = pytest.mark.long


def seeds(all_of_them: int, few: int = 3) -> range:
    """Return the seeds of this run: all in the long one, a few in the short one."""
    return range(all_of_them if LONG else min(few, all_of_them))


def due(share: float, tries: int) -> int:
    """Return how many of so many tries must succeed for a share of all, rounded up; of a few all but chance may be asked."""
    return -(-round(share * tries * 1000) // 1000)
