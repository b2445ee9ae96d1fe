"""Kits and foreign sources built in a folder of their own and run over recordings."""

import shutil
from collections.abc import Callable
from pathlib import Path

from fusus.firmware.running.access import access_file
from fusus.firmware.running.compiler import STRICT, Built, build
from fusus.firmware.running.exchange import PER_ESTIMATE, Estimates, Given, read_output, write_input
from fusus.firmware.running.sandbox import RUN_BYTES, Ended, Limits, run_limited
from fusus.firmware.writing.estimator_files import estimator_files
from fusus.firmware.writing.plan import Plan
from fusus.firmware.writing.render import template

# A recording is replayed in seconds: what takes so long, and a quarter of the recording's own time beyond it, does not end.
LEAST_S, SHARE = 10.0, 0.25


def build_kit(plan: Plan, folder: Path, options: tuple[str, ...] = STRICT) -> Built:
    """Build the kit's estimator with the runner, its state laid open."""
    files = estimator_files(plan) | {"access.c": access_file(plan)}
    files |= {"own_estimator.h": template("own_estimator.h"), "runner.c": template("runner.c")}
    for name, text in files.items():
        (folder / name).write_text(text, encoding="utf-8")
    return build(folder, ["estimator.c", "access.c", "runner.c"], "runner", (*options, "-DWITH_STATE"))


def run_over(
    program: Path,
    given: Given,
    seconds: float | None = None,
    before: tuple[str, ...] = (),
    cancelled: Callable[[], bool] | None = None,
    environment: dict[str, str] | None = None,
    memory_is_limited: bool = True,
) -> tuple[Estimates, Ended]:
    """Run a built program over a recording; ``before``: a command that runs it, such as one that counts instructions."""
    folder = program.parent
    source, target = folder / "input.bin", folder / "output.bin"
    write_input(source, given)
    target.unlink(missing_ok=True)
    span = float(given.given.t_s[-1] - given.given.t_s[0]) if len(given.given.t_s) else 0.0
    need = 20 * sum(a.nbytes for a in given.given.samples)
    # Counters of instructions write files of their own beside the output.
    writes = None if before else (target.name,)
    memory = RUN_BYTES + need if memory_is_limited else None
    limits = Limits(seconds or LEAST_S + SHARE * span, memory, _output_bytes(given), writes, environment or {})
    ended = run_limited([*before, str(program), str(source), str(target)], folder, limits, cancelled)
    samples = len(given.given.t_s)
    if not target.exists():
        target.touch()
    found = read_output(target, samples, len(given.state), given.dump_every)
    source.unlink(missing_ok=True)
    target.unlink(missing_ok=True)
    return found, ended


def _output_bytes(given: Given) -> int:
    """Return the most that a runner's output takes, with as much again for what is printed."""
    samples = len(given.given.t_s)
    dumps = samples // given.dump_every + 1 if given.dump_every else 0
    return 2 * 8 * (samples * PER_ESTIMATE + dumps * len(given.state)) + (1 << 20)


def copy_sources(sources: Path, folder: Path) -> list[str]:
    """Copy a maker's sources and headers to a folder; return the names of the .c files."""
    names = []
    for path in sorted(sources.iterdir()):
        if path.suffix in (".c", ".h") and path.is_file():
            shutil.copyfile(path, folder / path.name)
            if path.suffix == ".c":
                names.append(path.name)
    return names
