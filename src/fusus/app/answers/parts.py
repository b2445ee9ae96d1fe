"""Parts and Drift ask: what the chosen parts promise, and how all combinations rank. Work imports what is heavy itself."""

from typing import Any

from fusus.app.answers.store import Inputs, Question


def _prediction(i: Inputs) -> Any:
    from fusus.study.parts.prediction import prediction_result

    return prediction_result(i.project, i.given, i.progress)


def _ranking(i: Inputs) -> Any:
    from fusus.study.parts.suite import rank_parts

    return rank_parts(i.project, i.progress)


QUESTIONS = (
    Question("parts.prediction", lambda: "Predicting", _prediction),
    Question("parts.ranking", lambda: "Ranking suites", _ranking),
)
