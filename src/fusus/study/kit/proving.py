"""A project's kit held against the core over its recordings, in double and in its own precision."""

import tempfile
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from fusus.core.progress import Progress, Silent
from fusus.errors import CompilerError
from fusus.firmware.equality.compare import Equality, core_run, prove
from fusus.firmware.translation.types import Precision
from fusus.project.records import Project
from fusus.study.flying.open_loop import place_of
from fusus.study.kit.planning import plan_of
from fusus.study.kit.recordings import for_kit
from fusus.study.kit.writing import vector_input
from fusus.study.recording.loading import load


@dataclass(frozen=True, slots=True)
class Proved:
    """The kit of a project's state over recordings: (recording, equality), ``why_not`` where nothing could be compiled."""

    state: str
    estimator: str
    found: tuple[tuple[str, Equality], ...]
    why_not: str = ""

    @property
    def is_equal(self) -> bool:
        """Whether all of them are within their limits."""
        return not self.why_not and all(e.is_equal for _, e in self.found)


def prove_kit(
    folder: Path, project: Project, recordings: list[str] | None = None, precisions: tuple[Precision, ...] | None = None,
    progress: Progress | None = None,
) -> Proved:  # fmt: skip
    """Return how equal a project's kit is to the core; all recordings that can be replayed where none is named."""
    progress = progress or Silent()
    names = recordings if recordings is not None else for_kit(folder, project)
    own = project.kit.precision
    wanted = precisions or (("double", "single") if own == "single" else ("double",))
    out: list[tuple[str, Equality]] = []
    state, estimator = plan_of(project).state, plan_of(project).info.name
    total = max(len(names), 1) * len(wanted)
    for precision in wanted:
        plan = plan_of(project, precision)
        for i, name in enumerate(names or [""]):
            progress.step(len(out), total, f"{plan.info.title} in C, {precision} precision")
            if name:
                loaded = load(folder, project, name)
                given, site, told = loaded.given, loaded.site, name
            else:
                told, given = vector_input(folder, project)
                site = place_of(project)[1]
            with tempfile.TemporaryDirectory(prefix="fusus-kit-") as space:
                try:
                    out.append((told, prove(plan, [core_run(plan, given, site)], Path(space))[0]))
                except CompilerError as error:
                    return Proved(state, estimator, (), str(error))
            del given, i
    progress.step(total, total, "kit")
    return Proved(state, estimator, tuple(out))


def proved_report(p: Proved) -> dict[str, Any]:
    """Return it for scripts."""
    return {
        "state": p.state,
        "estimator": p.estimator,
        "equal": p.is_equal,
        "why_not": p.why_not or None,
        "recordings": [
            {
                "recording": name, "precision": e.precision, "samples": e.samples, "seconds": e.seconds, "equal": e.is_equal,
                "decisions_differ": e.flips, "why_not": e.why_not or None,
                "held": [
                    {"figure": h.name, "unit": h.unit, "worst": _finite(h.worst), "limit": h.limit, "at_s": h.at_s, "equal": h.is_within}
                    for h in e.held
                ],
            }
            for name, e in p.found
        ],
    }  # fmt: skip


def _finite(value: float) -> float | None:
    return value if value < float("inf") else None
