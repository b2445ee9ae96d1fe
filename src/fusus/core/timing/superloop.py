"""One loop that does everything in turn: how long each cycle takes, which overrun, and through what."""

import itertools
import math
from dataclasses import dataclass

from fusus.core.timing.task import Task

# A log of so many cycles shows every coincidence of slower tasks that matters.
MOST_CYCLES = 4000


@dataclass(frozen=True, slots=True)
class Piece:
    """A stretch of a cycle: which task, from when to when after the cycle's start, s."""

    task: str
    place: str
    start_s: float
    end_s: float


@dataclass(frozen=True, slots=True)
class Cycle:
    """One cycle: when it began, s, how long its work took, and its pieces."""

    begins_s: float
    work_s: float
    pieces: tuple[Piece, ...]


@dataclass(frozen=True, slots=True)
class Superloop:
    """Cycles of a loop that is to take ``period_s``. ``overruns``: (cycle, by how much s, the task that caused it)."""

    period_s: float
    cycles: tuple[Cycle, ...]
    overruns: tuple[tuple[int, float, str], ...]

    @property
    def worst(self) -> Cycle:
        """The longest cycle."""
        return max(self.cycles, key=lambda c: c.work_s)

    @property
    def rate_hz(self) -> float:
        """The rate that comes out, overruns counted."""
        last = self.cycles[-1]
        span = last.begins_s + max(last.work_s, self.period_s) - self.cycles[0].begins_s
        return len(self.cycles) / span

    @property
    def jitter_s(self) -> float:
        """By how much the steps between the starts of cycles vary, longest less shortest."""
        starts = [c.begins_s for c in self.cycles]
        steps = [b - a for a, b in itertools.pairwise(starts)]
        return max(steps) - min(steps) if steps else 0.0


def run_superloop(tasks: tuple[Task, ...], period_s: float, pulse_s: float = 0.0, staggered: bool = True) -> Superloop:
    """Return the cycles of a superloop over one round of its slower tasks.

    Parameters
    ----------
    tasks : tuple of Task
        In the order in which they are done. Those of every cycle come first to last; slower ones are done after them in
        the cycle in which they are due.
    period_s : float
        The wanted cycle.
    pulse_s : float
        How long the processor times a motor pulse itself at the start of each cycle; 0 where hardware does. Tasks that may
        wait for the pulse are done in that time as far as they fit.
    staggered : bool
        Slower tasks of one rate take turns instead of falling into one cycle.

    Returns
    -------
    Superloop
        A cycle whose work is longer than the period makes the next begin late, with all that depends on it.
    """
    slow = [t for t in tasks if not t.is_loop]
    every = {t.name: max(1, round(t.period_s / period_s)) for t in slow}
    round_length = min(math.lcm(*every.values()) if every else 1, MOST_CYCLES)
    shift = {t.name: i if staggered else 0 for i, t in enumerate(slow)}
    begins, cycles, overruns = 0.0, [], []
    usual = _cycle(tuple(t for t in tasks if t.is_loop), pulse_s)[0]
    for k in range(max(round_length, 2)):
        now = tuple(t for t in tasks if t.is_loop or (k + shift[t.name]) % every[t.name] == 0)
        work, pieces = _cycle(now, pulse_s)
        cycles.append(Cycle(begins, work, pieces))
        late = work - period_s
        if late > 1e-12:
            extra = [t for t in now if not t.is_loop]
            cause = (
                max(extra, key=lambda t: t.duration_s)
                if extra and usual <= period_s
                else max(now, key=lambda t: t.duration_s)
            )
            overruns.append((k, late, cause.name))
        begins += max(period_s, work)
    return Superloop(period_s, tuple(cycles), tuple(overruns))


def _cycle(tasks: tuple[Task, ...], pulse_s: float) -> tuple[float, tuple[Piece, ...]]:
    """Return how long the work of one cycle takes and its pieces: what fits is done while the pulse is high."""
    pieces: list[Piece] = []
    at = 0.0
    for task in (t for t in tasks if t.waits_for_pulse and pulse_s > 0.0):
        if at + task.duration_s <= pulse_s:
            pieces.append(Piece(task.name, task.place, at, at + task.duration_s))
            at += task.duration_s
    done = {p.task for p in pieces}
    at = max(at, pulse_s)
    free = {"processor": at, "bus": at}
    for task in tasks:
        if task.name in done:
            continue
        # What a cycle is made of needs the one before it; a slower task on a bus runs beside the processor.
        start = max(free.values()) if task.is_loop else free[task.place]
        pieces.append(Piece(task.name, task.place, start, start + task.duration_s))
        free[task.place] = start + task.duration_s
    return max(free.values()), tuple(pieces)
