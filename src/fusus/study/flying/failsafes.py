"""The failsafes of a project: what is done when, and how each ends in simulated flights."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from fusus.core.control.failsafe import words
from fusus.core.control.failsafe_rules import SCHOOL_WORDS, Row, table
from fusus.core.progress import Progress, Silent
from fusus.core.simulation.flight.safe_state import SafeState, fly_to_safety
from fusus.core.simulation.kinds import FAILSAFES, FLIGHTS
from fusus.core.workers import work_off
from fusus.project.records import Project
from fusus.study.flying.setup import chosen_failsafe, failsafe_rules, flight_tasks
from fusus.study.plain import plain
from fusus.study.workers import workers

# A craft that loses a motor, or whose motors are stopped at once, falls: safe is then that nothing turns on.
FALLS = ("motor-lost",)
WITHIN_S = 2.0


@dataclass(frozen=True, slots=True)
class FlownFailsafe:
    """Flights of one scenario: what each came to, and whether it falls by design."""

    scenario: str
    found: tuple[SafeState, ...]
    falls: bool

    def is_safe(self, state: SafeState) -> bool:
        """Whether a flight ended as it should."""
        if self.falls:
            return math.isfinite(state.stopped_s) and state.stopped_s < WITHIN_S and not state.restarted
        return state.is_safe

    @property
    def safe(self) -> int:
        """How many ended as they should."""
        return sum(self.is_safe(s) for s in self.found)

    def spread(self, name: str) -> tuple[float, float]:
        """Return median and greatest of a figure; NaN where no flight has it."""
        values = np.array([getattr(s, name) for s in self.found])
        known = values[np.isfinite(values)]
        return (float(np.median(known)), float(known.max())) if len(known) else (math.nan, math.nan)


def failsafe_table(project: Project) -> tuple[Row, ...]:
    """Return what is done when."""
    return table(failsafe_rules(project), chosen_failsafe(project))


def fly_failsafes(
    project: Project,
    flights: int,
    seed: int = 1,
    progress: Progress | None = None,
    scenarios: Sequence[str] = FAILSAFES,
) -> tuple[FlownFailsafe, ...]:
    """Return how each failsafe ends in so many flights, each with its own craft, sensors and gusts. KeyError where a name is none."""
    progress = progress or Silent()
    out = []
    for scenario in scenarios:
        tasks = flight_tasks(project, scenario, seed, flights)
        with workers(None, flights) as pool:
            found = tuple(work_off(fly_to_safety, tasks, pool, progress, f"Flying: {scenario}"))
        falls = scenario in FALLS or (project.loops.failsafe.radio == "stop" and scenario.startswith("radio"))
        out.append(FlownFailsafe(scenario, found, falls))
    return tuple(out)


def failsafes_report(project: Project, flown: Sequence[FlownFailsafe]) -> dict[str, Any]:
    """Return table and flights for scripts."""
    radio = project.loops.failsafe.radio
    return dict(
        plain(
            {
                "school": radio,
                "school_is": SCHOOL_WORDS[radio],
                "table": [
                    {
                        "cause": r.cause, "told_by": r.told_by, "after_s": r.after_s, "does": r.does, "ends": r.ends, "never": r.never,
                    }
                    for r in failsafe_table(project)
                ],
                "flights": [_flown(f) for f in flown],
            }
        )
    )  # fmt: skip


def _flown(f: FlownFailsafe) -> dict[str, Any]:
    figures = {}
    for name in ("acts_s", "stopped_s", "distance_m", "ground_m_s"):
        median, most = f.spread(name)
        figures[name] = {"median": median, "most": most}
    return {
        "scenario": f.scenario, "is": FLIGHTS[f.scenario], "flights": len(f.found), "as_they_should": f.safe, "falls_by_design": f.falls,
        "restarted": sum(s.restarted for s in f.found), "not_safe_seeds": [s.seed for s in f.found if not f.is_safe(s)],
        "why": sorted({w for s in f.found for w in words(s.why)}), **figures,
    }  # fmt: skip
