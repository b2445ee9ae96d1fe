"""Drift's conclusions: the weakest sources, and how long the craft does without GNSS."""

from fusus.app.panels.notes_panel import Note
from fusus.app.panels.stage_bar import StageState
from fusus.app.session import Session
from fusus.app.text import figure


def notes(session: Session) -> tuple[Note, ...]:
    """Return the findings on the prediction, and on dead reckoning."""
    if session.project.parts.imu is None:
        return (
            Note(
                "No IMU is chosen", "mind", "There is nothing to predict.", "Drift follows from the parts.", "Choose parts",
                "parts.imu",
            ),
        )  # fmt: skip
    predicted = session.prediction
    if predicted is None or predicted.study is None:
        return ()
    out = [Note(f.subject, f.severity, f.statement, f.reason, f.next_step, f.link) for f in predicted.findings]
    r = predicted.reckoning
    held = f"{figure(r.holds_s)} s" if r.holds_s is not None else "more than five minutes"
    outage = predicted.study.prediction.trajectory.mission.outage_s  # as the requirement says, where there is one
    enough = r.holds_s is None or r.holds_s >= outage
    out.append(
        Note(
            "Without GNSS", "fine" if enough else "mind", f"One sigma of position stays within {figure(r.limit_m)} m for {held}.",
            "A tilt error grows as ½ g θ t², a gyro bias as g b t³/6.", "See dead reckoning", "drift.limit_m",
        )
    )  # fmt: skip
    return tuple(out)


def state(session: Session) -> StageState:
    """Return how far the prediction is: the worst requirement against its limit."""
    if session.project.parts.imu is None:
        return StageState(0.0, "no parts")
    predicted = session.prediction
    if predicted is None or predicted.study is None:
        return StageState(0.5, "running" if session.jobs.running else "not predicted")
    figures = predicted.study.prediction.figures
    met = sum(f.value is not None and f.value <= f.requirement.limit for f in figures)
    return StageState(1.0, f"{met} of {len(figures)} in reach", not session.answers.is_current("parts.prediction"))
