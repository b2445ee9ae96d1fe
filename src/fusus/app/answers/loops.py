"""Loops asks: the loops worked out, a tuning method played, flights in closed loop, and what a recording shows of the loops."""

from dataclasses import dataclass
from typing import Any

from fusus.app.answers.store import Inputs, Question


@dataclass(frozen=True, slots=True)
class LoopsResult:
    """Timing, margins and mixer; what they ask for; and what they bear."""

    study: Any
    findings: tuple[Any, ...]
    spread: tuple[Any, ...]


def _study(i: Inputs) -> Any:
    from fusus.study.loops.axes import study_loops
    from fusus.study.loops.findings import findings
    from fusus.study.loops.spread import spread

    study = study_loops(i.project)
    return LoopsResult(study, findings(study), spread(study))


def _steps(i: Inputs, axis: str, method: str) -> Any:
    from fusus.study.loops.axes import study_loops
    from fusus.study.loops.tuning_steps import play_tuning_steps

    return play_tuning_steps(study_loops(i.project), axis, method)


def _flights(i: Inputs, scenario: str, seed: int, flights: int, trouble: str | None) -> Any:
    from fusus.study.bench.calibration_status import due_all
    from fusus.study.flying.closed_loop import Conditions, simulate_flights

    due = any(d.is_due for d in due_all(i.folder, i.project))
    return simulate_flights(i.project, scenario, seed, flights, i.progress, conditions=Conditions(None, due, trouble))


def _failsafes(i: Inputs, flights: int) -> Any:
    from fusus.study.flying.failsafes import fly_failsafes

    return fly_failsafes(i.project, flights, progress=i.progress)


def _identified(i: Inputs, recording: str) -> Any:
    from fusus.study.flying.identify import identify_flight

    return identify_flight(i.folder, i.project, recording)


QUESTIONS = (
    Question("loops.study", lambda: "Working the loops out", _study),
    Question("loops.steps", lambda _, method: f"Playing “{method}”", _steps),
    Question("loops.flights", lambda scenario, *_: f"Flying: {scenario}", _flights),
    Question("loops.failsafes", lambda _: "Flying failsafes", _failsafes),
    Question("loops.identified", lambda recording: f"Looking into {recording}", _identified),
)
