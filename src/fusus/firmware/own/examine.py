"""Foreign estimators built, and run in the sandbox."""

import math
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from fusus.core.arrays import Array
from fusus.core.estimation.initial import Start
from fusus.core.estimation.replay import EstimatorInput
from fusus.core.world.site import Site
from fusus.errors import SandboxError
from fusus.firmware.own.memory_checks import SourceFinding, warnings_of
from fusus.firmware.running.compiler import LENIENT, WARNING, Built, build
from fusus.firmware.running.exchange import Estimates, Given
from fusus.firmware.running.programs import copy_sources, run_over
from fusus.firmware.running.sandbox import Ended
from fusus.firmware.writing.render import template

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
        at = len(self.estimates)
        if not self.ended.is_good:
            when = f", at sample {at} (t = {t_s[at] - t_s[0]:.3f} s)" if 0 < at < self.samples else ""
            return f"{self.ended.words}{when}"
        if at < self.samples:
            return (
                f"it ended the program by itself, with status 0, at sample {at} (t = {t_s[at] - t_s[0]:.3f} s): "
                "on a board there is nothing that goes on after exit()"
            )
        if self.bad_from is not None:
            at = self.bad_from
            return f"from sample {at} (t = {t_s[at] - t_s[0]:.3f} s) on its attitude is no number"
        return ""


@dataclass(frozen=True, slots=True)
class OwnBuild:
    """A maker's code built with the runner, the names of its sources (none of a shared library), and the compiler's warnings."""

    built: Built
    sources: tuple[str, ...]
    warnings: tuple[SourceFinding, ...]

    @property
    def program(self) -> Path:
        """The program that runs it."""
        return self.built.program


def build_own(sources: Path, folder: Path) -> OwnBuild:
    """Build a maker's sources, or link their shared library, with the runner; CompilerError says what is wrong and where."""
    for name in (OWN, RUNNER):
        (folder / name).write_text(template(name), encoding="utf-8")
    if sources.is_file() and sources.suffix == ".so":
        (folder / "libown.so").write_bytes(sources.read_bytes())
        return OwnBuild(build(folder, [RUNNER, "libown.so"], "runner", (*LENIENT, "-Wl,-rpath,$ORIGIN")), (), ())
    if not sources.is_dir():
        raise SandboxError(f"{sources} is neither a folder of C sources nor a shared library (.so).")
    names = [n for n in copy_sources(sources, folder) if n != RUNNER]
    (folder / OWN).write_text(template(OWN), encoding="utf-8")
    if not names:
        raise SandboxError(f"{sources} holds no C sources (.c). Put those with own_init() and own_step() there.")
    built = build(folder, [RUNNER, *names], "runner", WARNING)
    return OwnBuild(built, tuple(names), warnings_of(built.said))


def run_own(
    program: Path, given: EstimatorInput, start: Start, site: Site, cancelled: Callable[[], bool] | None = None
) -> OwnRun:
    """Run a built estimator over a recording within limits; a crash or a hang is told, not raised."""
    found, ended = run_over(program, Given(given, start, site), cancelled=cancelled)
    with np.errstate(over="ignore", invalid="ignore"):  # foreign figures may be of any size
        size = np.nan_to_num(np.linalg.norm(found.q_nb, axis=1), nan=0.0, posinf=0.0)
    bad = np.flatnonzero(size < 1e-6)
    length = float(size[size > 1e-6].mean()) if len(bad) < len(size) else math.nan
    return OwnRun(found, ended, len(given.t_s), int(bad[0]) if len(bad) else None, length)
