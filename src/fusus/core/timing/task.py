"""The work of a flight controller, piece by piece."""

from dataclasses import dataclass, replace
from typing import Literal

from fusus.core.arrays import check_range

# Where a piece runs: on the processor, or on a bus that works while the processor does something else.
Place = Literal["processor", "bus"]


@dataclass(frozen=True, slots=True)
class Task:
    """A piece of work: how long it takes, s, how often it is due, s, and where it runs.

    ``is_loop``: it belongs to every control cycle, in the order given. ``waits_for_pulse``: it may be done while a motor pulse that
    the processor times itself is high.
    """

    name: str
    duration_s: float
    period_s: float
    place: Place = "processor"
    is_loop: bool = True
    waits_for_pulse: bool = False

    def __post_init__(self) -> None:
        check_range(f"Duration of {self.name}", self.duration_s, 0.0, 10.0, "s")
        check_range(f"Period of {self.name}", self.period_s, 1e-6, 1e4, "s")

    @property
    def share(self) -> float:
        """The share of time it takes."""
        return self.duration_s / self.period_s

    def faster(self, factor: float) -> "Task":
        """Return the task on a processor so many times as fast; a bus keeps its own clock."""
        return replace(self, duration_s=self.duration_s / factor) if self.place == "processor" else self


def utilisation(tasks: tuple[Task, ...], place: Place = "processor") -> float:
    """Return the share of time that the tasks of a place take together; above one they cannot fit."""
    return sum(t.share for t in tasks if t.place == place)
