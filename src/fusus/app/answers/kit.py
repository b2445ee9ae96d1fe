"""Kit asks: what is in it, whether it is equal to the core, what it costs; and Proof: the maker's own code beside the filters."""

from pathlib import Path
from typing import Any

from fusus.app.answers.store import Inputs, Question


def _contents(i: Inputs) -> Any:
    from fusus.firmware.writing.kit import constants_of
    from fusus.study.kit.planning import plan_of
    from fusus.study.kit.writing import files_of

    plan = plan_of(i.project)
    return plan, files_of(i.folder, i.project, plan), constants_of(plan)


def _equality(i: Inputs) -> Any:
    from fusus.study.kit.proving import prove_kit

    return prove_kit(i.folder, i.project, progress=i.progress)


def _cost(i: Inputs) -> Any:
    from fusus.study.kit.costing import cost_of, into_loops
    from fusus.study.loops.axes import study_loops

    cost = cost_of(i.folder, i.project)
    durations = {step.path.partition(".")[2]: step.value for step in into_loops(cost, i.project).steps}
    loops = i.project.loops.model_copy(update=durations)
    return cost, study_loops(i.project.model_copy(update={"loops": loops}))


def _own(i: Inputs, sources: Path, recordings: tuple[str, ...], flights: tuple[tuple[str, int], ...]) -> Any:
    """Compile and run the maker's own code in the sandbox; whoever asks this has asked the user."""
    from fusus.study.kit.own import check_own

    return check_own(i.folder, i.project, sources, list(recordings) or None, flights, i.progress)


QUESTIONS = (
    Question("kit.contents", lambda: "Making the kit", _contents),
    Question("kit.equality", lambda: "Proving the kit", _equality),
    Question("kit.cost", lambda: "Counting what the kit costs", _cost),
    Question("kit.own", lambda sources, *_: f"Trying {sources.name}", _own),
)
