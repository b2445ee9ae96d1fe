"""Fusion asks: estimators over a recording, the longer questions about it, and simulated flights. Work imports what is heavy itself."""

from typing import Any

from fusus.app.answers.store import Inputs, Question

TITLES = {
    "ablation": "Ablation",
    "faults": "Trying faults",
    "schools": "Comparing schools",
    "likelihood": "Tuning by likelihood",
    "survey": "Surveying the flight",
}


def _run(i: Inputs, recording: str) -> Any:
    from fusus.app.answers.fusion_result import fusion_result

    return fusion_result(i.folder, i.project, recording, i.progress)


def _signals(i: Inputs, recording: str) -> Any:
    from fusus.app.answers.signals_result import signals_result

    return signals_result(i.folder, i.project, recording, i.progress)


def _simulated(i: Inputs, scenario: str, seed: int, flights: int) -> Any:
    from fusus.study.flying.open_loop import simulate

    return simulate(i.project, scenario, seed, flights, i.progress)


def _long(question: str) -> Question:
    def work(i: Inputs, recording: str) -> Any:
        from fusus.study.fusion.questions import QUESTIONS as ANSWERED

        return ANSWERED[question](i.folder, i.project, recording, i.progress)

    return Question(f"fusion.{question}", lambda recording: f"{TITLES[question]}: {recording}", work)


QUESTIONS = (
    Question("fusion.run", lambda recording: f"Running over {recording}", _run),
    Question("fusion.signals", lambda recording: f"Loading {recording}", _signals),
    Question("fusion.simulated", lambda scenario, *_: f"Simulating: {scenario}", _simulated),
    *(_long(name) for name in TITLES),
)
