"""Compiles the kernels once, piece by piece with what it is about, so that nobody waits for it later without a word."""

import shutil
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path

from fusus.core.progress import Progress, Silent
from fusus.core.source import kernel_cache, source_digest

OLD_S = 90 * 86400.0


def _mark() -> Path:
    return kernel_cache() / f"all-of-{source_digest()[:20]}"


def is_warm() -> bool:
    """Return whether all kernels of this source have been compiled on this machine."""
    return _mark().exists()


def _steps() -> Iterator[tuple[str, Callable[[], object]]]:
    """Yield what is compiled in the order in which a first session needs it: a title, and a short run that compiles it."""
    import numpy as np

    from fusus.core.estimation.catalogue import ESTIMATORS, EstimatorInfo
    from fusus.core.estimation.replay import estimator_input, run_estimator
    from fusus.core.simulation.flight.campaign import fly_all
    from fusus.core.world.site import Site
    from fusus.demo.build import demo_project
    from fusus.study.flying.setup import flight_tasks
    from fusus.study.parts.suite import study_suite

    n = 400
    given = estimator_input(
        np.arange(n) * 0.01, np.zeros((n, 3)), np.tile([0.0, 0.0, -9.81], (n, 1)), np.arange(n) * 0.01,
        np.tile([20.0, 0.0, 43.0], (n, 1)),
    )  # fmt: skip

    def runs(info: EstimatorInfo) -> Callable[[], object]:
        return lambda: run_estimator(info.name, info.parameters(), given, Site())

    for info in ESTIMATORS:
        yield info.title, runs(info)
    project = demo_project()
    yield "the prediction", lambda: study_suite(project)
    yield "closed-loop flight", lambda: fly_all(flight_tasks(project, "arming-tilted", 1, 1))


def warm(progress: Progress | None = None) -> None:
    """Compile what is not compiled yet; done at once where all is."""
    if is_warm():
        return
    progress = progress or Silent()
    steps = list(_steps())
    for i, (title, run) in enumerate(steps):
        progress.step(i, len(steps), f"Compiling {title}")
        run()
    progress.step(len(steps), len(steps), "Compiling")
    _forget_old()
    _mark().touch()


def _forget_old() -> None:
    """Remove what no source has asked for in a long while."""
    for folder in kernel_cache().iterdir():
        if folder.is_dir() and time.time() - folder.stat().st_mtime > OLD_S:
            shutil.rmtree(folder, ignore_errors=True)


class _Lines:
    """Progress as lines for whoever started this process."""

    def step(self, done: int, total: int, what: str) -> None:
        """Print a step."""
        sys.stdout.write(f"{done} {total} {what}\n")
        sys.stdout.flush()


if __name__ == "__main__":
    warm(_Lines())
