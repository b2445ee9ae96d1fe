"""A project's parts, mission and prediction: from names and records to what the core computes."""

import math
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

from fusus.core.derived_requirements.check import conflicts, course_conflicts
from fusus.core.judgement.parts_findings import SuitePrediction, findings
from fusus.core.mission.trajectory import COARSE_STEP_S, STEP_S, Trajectory, lay_out
from fusus.core.parts.fields import PartKind
from fusus.core.parts.models import SuiteModel, suite_model
from fusus.core.parts.part import Completed, Part, complete
from fusus.core.prediction.improvements import sensitivities, swaps
from fusus.core.prediction.predict import Figure, Prediction, predict
from fusus.core.prediction.ranking import Choice, Ranking, choices, rank
from fusus.core.progress import Progress, Silent
from fusus.errors import PartError
from fusus.project.records import Project
from fusus.study.brief.brief import available, mission_of
from fusus.study.brief.site import site_of
from fusus.study.workers import workers


@lru_cache(maxsize=512)
def _completed(
    kind: str, name: str, figures: tuple[tuple[str, float], ...], words: tuple[tuple[str, str], ...]
) -> Completed:
    return complete(Part(kind, name, dict(figures), dict(words)))  # type: ignore[arg-type]


def completed(part: Part) -> Completed:
    """Return a part fit for a model; each part is completed once."""
    return _completed(part.kind, part.name, tuple(part.figures.items()), tuple(part.words.items()))


def find_part(project: Project, kind: PartKind, name: str | None) -> Completed | None:
    """Return a part by its name; PartError where there is none of it."""
    if not name:
        return None
    for part in available(project):
        if part.kind == kind and part.name == name:
            return completed(part)
    names = ", ".join(p.name for p in available(project) if p.kind == kind)
    raise PartError(name, None, f"there is no such {kind}; there are {names}")


def choice_of(project: Project, measured: bool = False) -> Choice | None:
    """Return the chosen parts, or None while there is no IMU; with ``measured``, the bench's figures take the datasheet's place."""
    parts = project.parts
    imu = find_part(project, "imu", parts.imu)
    if imu is None:
        return None
    on_board = parts.magnetometer is not None and parts.magnetometer == parts.imu
    if on_board and not imu.part.has_magnetometer:
        raise PartError(imu.part.name, None, "this IMU has no magnetometer of its own; choose one")

    def part(kind: PartKind, name: str | None) -> Completed | None:
        found = find_part(project, kind, name)
        return with_measured(project, found) if found is not None and measured else found

    chosen_imu = part("imu", parts.imu) or imu
    return Choice(
        chosen_imu,
        part("barometer", parts.barometer),
        chosen_imu if on_board else part("magnetometer", parts.magnetometer),
        part("receiver", parts.receiver),
        part("rangefinder", parts.rangefinder),
    )


def with_measured(project: Project, part: Completed) -> Completed:
    """Return a part with the figures that the bench measured in place of the datasheet's."""
    figures = project.bench.figures(part.part.kind, part.part.name)
    return completed(replace(part.part, figures=part.part.figures | figures)) if figures else part


def model_of(project: Project, choice: Choice) -> SuiteModel:
    """Return the error models of chosen parts."""
    c = choice
    return suite_model(c.imu, c.barometer, c.magnetometer, c.receiver, c.rangefinder, project.parts.fitting)


def trajectory_of(project: Project, step_s: float = STEP_S) -> Trajectory:
    """Return the mission laid out at the project's place."""
    height = project.brief.place.height_m if project.brief.place else 0.0
    return lay_out(mission_of(project), site_of(project), height, step_s)


@dataclass(frozen=True, slots=True)
class SuiteStudy:
    """A prediction with all that follows from it, with what the bench measured where it did.

    ``by_datasheet`` is what the datasheets alone predict, None where nothing was measured.
    """

    choice: Choice
    model: SuiteModel
    prediction: Prediction
    suite_prediction: SuitePrediction
    by_datasheet: tuple[Figure, ...] | None = None


def study_suite(project: Project, progress: Progress | None = None) -> SuiteStudy | None:
    """Return the prediction for the chosen parts, None while there is no IMU."""
    progress = progress or Silent()
    choice = choice_of(project, measured=True)
    if choice is None:
        return None
    progress.step(0, 3, "Predicting")
    model, trajectory, requirements = model_of(project, choice), trajectory_of(project), project.brief.requirements
    by_course = project.parts.heading == "GNSS course"
    prediction = predict(model, trajectory, requirements, by_course)
    progress.step(1, 3, "Trying improvements")
    gains = sensitivities(model, trajectory, requirements, by_course)
    progress.step(2, 3, "Trying other parts")
    parts = tuple(completed(p) for p in available(project))
    other = swaps(choice, parts, trajectory, requirements, project.parts.fitting, by_course)
    progress.step(3, 3, "Predicting")
    suite_prediction = SuitePrediction(
        prediction.figures,
        prediction.budgets,
        gains,
        other,
        (*conflicts(choice.separate()), *course_conflicts(by_course, project.brief.modes)),
    )
    return SuiteStudy(
        choice, model, prediction, suite_prediction, _by_datasheet(project, choice, trajectory, by_course)
    )


def _by_datasheet(
    project: Project, choice: Choice, trajectory: Trajectory, by_course: bool
) -> tuple[Figure, ...] | None:
    """Return what the datasheets alone predict, None where the bench has measured nothing of the chosen parts."""
    printed = choice_of(project)
    if printed is None or printed == choice:
        return None
    return predict(model_of(project, printed), trajectory, project.brief.requirements, by_course).figures


def rank_parts(project: Project, progress: Progress | None = None, scheduler: str | None = None) -> Ranking:
    """Return every combination of the available parts, predicted, by threads or by the cluster at ``scheduler``."""
    parts = tuple(completed(p) for p in available(project))
    ranger = find_part(project, "rangefinder", project.parts.rangefinder)
    trajectory = trajectory_of(project, COARSE_STEP_S)
    found = choices(parts, ranger)
    with workers(scheduler, len(found)) as pool:
        return rank(found, trajectory, project.brief.requirements, project.parts.fitting, progress, pool)


def prediction_summary(study: SuiteStudy) -> dict[str, Any]:
    """Return a prediction as JSON data: limits and values in degrees or SI, shares of the budget, gains."""
    out = []
    for i, f in enumerate(study.prediction.figures):
        r = f.requirement
        scale = math.degrees(1.0) if r.unit == "rad" else 1.0
        budget = next((b.shares for b in study.prediction.budgets if b.requirement == r), {})
        out.append(
            {
                "name": r.key, "title": r.title, "statistic": r.statistic, "unit": "deg" if r.unit == "rad" else r.unit,
                "limit": r.limit * scale, "predicted": None if f.value is None else f.value * scale,
                "met": None if f.value is None else f.value <= r.limit, "reason": f.reason,
                "budget": {k: round(v, 12) for k, v in budget.items()},
                "gains": {s.change: g for s in study.suite_prediction.sensitivities if (g := s.gains[i]) is not None},
            }
        )  # fmt: skip
    c = study.choice
    return {
        "parts": c.names(),
        "price": c.total("price"), "mass_kg": c.total("mass"), "current_a": c.total("current"),
        "assumed": {p.part.name: sorted(p.assumed) for p in c.separate() if p.assumed},
        "problems": [
            {"part": p.part.name, "field": q.field, "severity": q.severity, "message": q.message, "action": q.action}
            for p in c.separate() for q in p.problems
        ],
        "requirements": out,
        "findings": [
            {"subject": f.subject, "severity": f.severity, "statement": f.statement, "reason": f.reason, "next_step": f.next_step}
            for f in findings(study.suite_prediction)
        ],
    }  # fmt: skip


def ranking_summary(ranking: Ranking, elapsed_s: float) -> dict[str, Any]:
    """Return a ranking as JSON data."""
    front = []
    for s in ranking.best():
        errors = {}
        for r, v in zip(ranking.requirements, s.values, strict=True):
            errors[r.key] = math.degrees(v) if r.unit == "rad" else v
        front.append(
            {
                "parts": s.choice.names(), "cost": s.price, "mass_kg": s.mass_kg, "current_a": s.current_a, "score": s.score,
                "meets_all": s.score <= 1.0, "errors": errors,
            }
        )  # fmt: skip
    return {"evaluated": len(ranking.suites), "elapsed_s": elapsed_s, "front": front}
