"""All that the core knows of whoever waits for it."""

from typing import Protocol


class Progress(Protocol):
    """Takes reports of progress; may raise CancelledError to stop the work."""

    def step(self, done: int, total: int, what: str) -> None:
        """Report that ``done`` of ``total`` units of ``what`` are behind us."""


class Silent:
    """Progress that nobody watches."""

    def step(self, done: int, total: int, what: str) -> None:
        """Do nothing."""
