"""Which common implementation errors explain what foreign code is off on the proving motion: each undone alone, then two together."""

import math
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from fusus.core.arrays import Array
from fusus.core.estimation.initial import Start
from fusus.core.estimation.replay import EstimatorInput
from fusus.core.progress import Progress, Silent
from fusus.core.world.site import Site
from fusus.firmware.own.changed_input import Changed
from fusus.firmware.own.examine import OwnRun, run_own
from fusus.firmware.own.implementation_errors import ImplementationError, errors_for
from fusus.firmware.own.motion import Proving
from fusus.firmware.own.score import Score, score

# What a sound filter reaches; before this time it may still find its way.
GOOD, SETTLES_S = 2.0, 1.0
# An implementation error is named where undoing it leaves less than this share of what was off.
LEFT = 0.5


@dataclass(frozen=True, slots=True)
class Explained:
    """What the proving motion showed: how far off it is, and the implementation errors that together explain it best, each with what
    is left once it is undone; how many were tried, and what the run said."""

    before: Score
    errors_found: tuple[tuple[ImplementationError, Score], ...]
    tried: int
    run: OwnRun
    t_s: Array

    @property
    def words(self) -> str:
        """What went wrong with the run, empty where nothing did."""
        return self.run.words(self.t_s)

    @property
    def is_good(self) -> bool:
        """Whether it follows the motion as it is."""
        return self.before.total <= GOOD


@dataclass(frozen=True, slots=True)
class _Tried:
    """Errors undone together, the attitude that came of it, and what is left of what was off."""

    errors: tuple[ImplementationError, ...]
    q_nb: Array
    left: Score
    given: EstimatorInput
    start: Start


class _Search:
    """Runs the code with errors undone, and scores what comes of it."""

    def __init__(self, program: Path, proving: Proving, site: Site, progress: Progress) -> None:
        self.program, self.proving, self.site, self.progress = program, proving, site, progress
        self.counts = proving.given.t_s > SETTLES_S
        self.errors = errors_for(proving.given, site)
        self.tried = 0

    def score(self, q_nb: Array, every: int = 1) -> Score:
        """Return how far an attitude is off the truth, at each ``every``-th sample."""
        t, dt = self.proving.given.t_s, self.proving.given.samples.dt_s
        at = np.arange(every - 1, len(t), every)
        kept = self.counts[at]
        steps = dt if every == 1 else np.diff(t[at], prepend=t[at[0]] - every * dt[0])
        return score(self.proving.q_nb[at][kept], q_nb[kept], steps[kept])

    def singles(self, begun: _Tried, among: list[ImplementationError], total: int) -> list[_Tried]:
        """Return each error undone beside those that are undone already, in each of its ways."""
        out: list[_Tried] = []
        for wrong in among:
            self.progress.step(self.tried, max(total, self.tried + 1), "common implementation errors")
            if wrong not in begun.errors:
                self.tried += 1
                out += self._undone(begun, wrong)
        return out

    def _undone(self, begun: _Tried, wrong: ImplementationError) -> list[_Tried]:
        errors = (*begun.errors, wrong)
        if wrong.read is not None:
            q = wrong.read(begun.q_nb)
            return [_Tried(errors, q, self.score(q), begun.given, begun.start)]
        reads = [e.read for e in begun.errors if e.read is not None]
        out = []
        for change in wrong.given:
            changed: Changed = change(begun.given, begun.start)
            run = run_own(self.program, *changed, self.site)
            if run.is_whole:
                q = run.estimates.q_nb
                for read in reads:
                    q = read(q)
                out.append(_Tried(errors, q, self.score(q, wrong.every), *changed))
        return out


def explain(program: Path, proving: Proving, site: Site, progress: Progress | None = None) -> Explained:
    """Return which common implementation errors, undone, make foreign code follow the proving motion."""
    progress = progress or Silent()
    given, start = proving.given, proving.start
    base = run_own(program, given, start, site)
    if not base.is_whole:
        return Explained(Score(math.inf, math.inf), (), 0, base, given.t_s)
    search = _Search(program, proving, site, progress)
    begun = _Tried((), base.estimates.q_nb, search.score(base.estimates.q_nb), given, start)
    found = _explanation(search, begun) if begun.left.total > GOOD else ()
    progress.step(1, 1, "common implementation errors")
    return Explained(begun.left, found, search.tried, base, given.t_s)


def _explanation(search: _Search, begun: _Tried) -> tuple[tuple[ImplementationError, Score], ...]:
    every = list(search.errors)
    alone = search.singles(begun, every, len(every))
    if not alone:
        return ()
    best = _best(alone)
    if best.left.total <= GOOD:
        return _told([best])
    chain = [best] if best.left.total <= LEFT * begun.left.total else []
    # Output read otherwise costs nothing to try with each input.
    plain = [t for t in alone if t.errors[0].every == 1]
    pairs = [p for one in plain for p in _read_otherwise(search, one)]
    if pairs and _best(pairs).left.total <= GOOD:
        return _pair(alone, _best(pairs))
    if chain and best.errors[0].every == 1:
        further = search.singles(best, every, 2 * len(every))
        if further and _best(further).left.total <= LEFT * best.left.total:
            chain.append(_best(further))
    if chain and chain[-1].left.total <= GOOD:
        return _told(chain)
    both = _of_two_sensors(search, plain)
    return _pair(alone, _best(both)) if both and _best(both).left.total <= GOOD else _told(chain)


def _of_two_sensors(search: _Search, plain: list[_Tried]) -> list[_Tried]:
    """Return an error of one sensor and one of another undone together, as far as one pair that explains all."""
    out: list[_Tried] = []
    order = {"gyro": 0, "acc": 1, "mag": 2}
    for one in sorted((t for t in plain if t.errors[0].sensor), key=lambda t: t.left.total):
        others = [e for e in search.errors if order.get(e.sensor, -1) > order[one.errors[0].sensor]]
        out += search.singles(one, others, search.tried + len(others))
        if out and _best(out).left.total <= GOOD:
            break
    return out


def _best(tried: list[_Tried]) -> _Tried:
    return min(tried, key=lambda t: t.left.total)


def _read_otherwise(search: _Search, one: _Tried) -> list[_Tried]:
    return [
        _Tried((*one.errors, e), q, search.score(q), one.given, one.start)
        for e in search.errors
        if e.read is not None and e not in one.errors
        for q in [e.read(one.q_nb)]
    ]


def _told(chain: list[_Tried]) -> tuple[tuple[ImplementationError, Score], ...]:
    return tuple((t.errors[-1], t.left) for t in chain)


def _pair(alone: list[_Tried], pair: _Tried) -> tuple[tuple[ImplementationError, Score], ...]:
    """Return two errors that explain together what neither does alone: what is left with the first one undone, then with both."""
    first = next(t for t in alone if t.errors[0] is pair.errors[0])
    return ((pair.errors[0], first.left), (pair.errors[1], pair.left))
