"""Fixed priorities with preemption: does every task end before it is due again?"""

import math
from dataclasses import dataclass

from fusus.core.timing.task import Task

# Sums of seconds in double precision differ from the exact ones by less.
ROUNDING_S = 1e-15


@dataclass(frozen=True, slots=True)
class Response:
    """The longest time from release to end of a task, s, or None where it never ends in time; and what holds it up most."""

    task: Task
    worst_s: float | None
    held_up_by: str

    @property
    def is_in_time(self) -> bool:
        """Whether it ends before its next release."""
        return self.worst_s is not None


def utilisation_bound(count: int) -> float:
    """Return the utilisation below which ``count`` tasks with rate-monotonic priorities always fit (Liu & Layland 1973)."""
    return count * (2.0 ** (1.0 / count) - 1.0) if count else 1.0


def by_rate(tasks: tuple[Task, ...]) -> tuple[Task, ...]:
    """Return tasks in the order of rate-monotonic priorities: the shortest period first."""
    return tuple(sorted(tasks, key=lambda t: t.period_s))


def responses(tasks: tuple[Task, ...], blocking_s: float = 0.0) -> tuple[Response, ...]:
    """Return the worst response times of tasks in the order of their priorities, highest first.

    R = C + B + Σ ⌈R/T⌉ C over all of higher priority, from R = C upwards until it stands (Joseph & Pandya 1986).
    ``blocking_s``: the longest stretch with interrupts off, or a lock that a lower task holds; the lowest is blocked by none.
    """
    out = []
    for i, task in enumerate(tasks):
        higher = tasks[:i]
        blocked = blocking_s if i < len(tasks) - 1 else 0.0
        r, stands = task.duration_s + blocked, False
        # Only a sum that stands is a response: one that reached the period and grows on never ends in time.
        while not stands and r <= task.period_s + ROUNDING_S:
            again = task.duration_s + blocked + sum(math.ceil(r / h.period_s - 1e-12) * h.duration_s for h in higher)
            stands = again <= r + ROUNDING_S
            r = max(r, again)
        costs = {h.name: math.ceil(min(r, task.period_s) / h.period_s - 1e-12) * h.duration_s for h in higher}
        worst = max(costs, key=lambda n: costs[n]) if costs else ""
        out.append(Response(task, r if stands else None, worst))
    return tuple(out)
