"""Foreign estimators built, run in the sandbox, and what is wrong with them looked for."""

import math
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from fusus.core.arrays import Array
from fusus.core.estimation.initial import Start
from fusus.core.estimation.replay import EstimatorInput
from fusus.core.progress import Progress, Silent
from fusus.core.world.site import Site
from fusus.errors import SandboxError
from fusus.firmware.own.implementation_errors import ImplementationError, errors_for
from fusus.firmware.own.motion import Proving
from fusus.firmware.own.score import Score, score
from fusus.firmware.running.compiler import LENIENT, Built, build
from fusus.firmware.running.exchange import Estimates, Given
from fusus.firmware.running.programs import copy_sources, run_over
from fusus.firmware.running.sandbox import Ended
from fusus.firmware.writing.render import template

# What a sound filter reaches; before this time it may still find its way.
GOOD, SETTLES_S = 2.0, 1.0
# An implementation error is named where undoing it leaves less than this share of what was off; so many may come together.
LEFT, MOST_ERRORS = 0.5, 2
OWN, RUNNER = "own_estimator.h", "runner.c"


@dataclass(frozen=True, slots=True)
class OwnRun:
    """Foreign code over a recording: its estimates as far as they came, how the process ended, the first sample that is no attitude
    (None: all are), and the mean length of its quaternions."""

    estimates: Estimates
    ended: Ended
    samples: int
    bad_from: int | None
    length: float

    @property
    def is_whole(self) -> bool:
        """Whether there is an attitude for each sample."""
        return self.ended.is_good and self.bad_from is None and len(self.estimates) == self.samples

    def words(self, t_s: Array) -> str:
        """Return what went wrong, for people; empty where nothing did."""
        if not self.ended.is_good:
            at = len(self.estimates)
            when = f", at sample {at} (t = {t_s[at] - t_s[0]:.3f} s)" if 0 < at < self.samples else ""
            return f"{self.ended.words}{when}"
        if self.bad_from is not None:
            at = self.bad_from
            return f"from sample {at} (t = {t_s[at] - t_s[0]:.3f} s) on its attitude is no number"
        return ""


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


def build_own(sources: Path, folder: Path) -> Built:
    """Build a maker's sources, or link their shared library, with the runner; CompilerError says what is wrong and where."""
    for name in (OWN, RUNNER):
        (folder / name).write_text(template(name), encoding="utf-8")
    if sources.is_file() and sources.suffix == ".so":
        (folder / "libown.so").write_bytes(sources.read_bytes())
        return build(folder, [RUNNER, "libown.so"], "runner", (*LENIENT, "-Wl,-rpath,$ORIGIN"))
    if not sources.is_dir():
        raise SandboxError(f"{sources} is neither a folder of C sources nor a shared library (.so).")
    names = [n for n in copy_sources(sources, folder) if n != RUNNER]
    (folder / OWN).write_text(template(OWN), encoding="utf-8")
    if not names:
        raise SandboxError(f"{sources} holds no C sources (.c). Put those with own_init() and own_step() there.")
    return build(folder, [RUNNER, *names], "runner", LENIENT)


def run_own(
    program: Path, given: EstimatorInput, start: Start, site: Site, cancelled: Callable[[], bool] | None = None
) -> OwnRun:
    """Run a built estimator over a recording within limits; a crash or a hang is told, not raised."""
    found, ended = run_over(program, Given(given, start, site), cancelled=cancelled)
    size = np.nan_to_num(np.linalg.norm(found.q_nb, axis=1), nan=0.0, posinf=0.0)
    bad = np.flatnonzero(size < 1e-6)
    length = float(size[size > 1e-6].mean()) if len(bad) < len(size) else math.nan
    return OwnRun(found, ended, len(given.t_s), int(bad[0]) if len(bad) else None, length)


def explain(program: Path, proving: Proving, site: Site, progress: Progress | None = None) -> Explained:
    """Return which common errors_found, undone, make foreign code follow the proving motion."""
    progress = progress or Silent()
    given, start = proving.given, proving.start
    counts = given.t_s > SETTLES_S
    base = run_own(program, given, start, site)
    if not base.is_whole:
        return Explained(Score(math.inf, math.inf), (), 0, base, given.t_s)

    def of(q_nb: Array) -> Score:
        return score(proving.q_nb[counts], q_nb[counts], given.samples.dt_s[counts])

    before = of(base.estimates.q_nb)
    found: list[tuple[ImplementationError, Score]] = []
    now, q, g, st, tried = before, base.estimates.q_nb, given, start, 0
    errors_found = errors_for(given, site)
    for _ in range(MOST_ERRORS):
        if now.total <= GOOD:
            break
        best: tuple[ImplementationError, Score, Array, EstimatorInput, Start] | None = None
        for wrong in errors_found:
            progress.step(tried, MOST_ERRORS * len(errors_found), "common implementation errors")
            tried += 1
            other = _undone(program, wrong, q, g, st, site, of)
            if other is None:
                continue
            left = of(other[0])
            if best is None or left.total < best[1].total:
                best = (wrong, left, *other)
        if best is None or best[1].total > LEFT * now.total:
            break
        wrong, now, q, g, st = best
        found.append((wrong, now))
    progress.step(1, 1, "common implementation errors")
    return Explained(before, tuple(found), tried, base, given.t_s)


def _undone(
    program: Path,
    wrong: ImplementationError,
    q: Array,
    given: EstimatorInput,
    start: Start,
    site: Site,
    of: Callable[[Array], Score],
) -> tuple[Array, EstimatorInput, Start] | None:
    """Return the attitude with an implementation error undone, and the input that gave it."""
    if wrong.read is not None:
        return wrong.read(q), given, start
    best: tuple[Array, EstimatorInput, Start] | None = None
    least = math.inf
    for change in wrong.given:
        changed, begun = change(given, start)
        run = run_own(program, changed, begun, site)
        left = of(run.estimates.q_nb).total if run.is_whole else math.inf
        if left < least:
            best, least = (run.estimates.q_nb, changed, begun), left
    return best
