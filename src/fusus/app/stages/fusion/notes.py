"""Fusion's conclusions: the core's findings, and whether they are current."""

from fusus.app.desk import Desk
from fusus.app.margin import Note
from fusus.app.text import figure
from fusus.app.thread import BeadState


def notes(desk: Desk) -> tuple[Note, ...]:
    """Return the findings on the judged estimate."""
    if desk.recording() is None:
        return (
            Note(
                "There is no recording", "mind", "An estimator needs gyro and accelerometer samples.",
                "Any table will do: CSV or TSV with a time column.", "Import a log", "action.import",
            ),
        )  # fmt: skip
    if desk.study is None:
        return ()
    study = desk.study.study
    out = [Note(f.subject, f.severity, f.statement, f.reason, f.next_step, f.link) for f in study.findings]
    if study.judged.comparison is None:
        out.append(
            Note(
                "There is nothing to measure against", "mind", f"No errors: {study.judged.why_not}.",
                "A jig, another system's attitude or a simulation's truth makes a reference.",
                "Import a reference with the log", "action.import",
            )
        )  # fmt: skip
    return tuple(out)


def bead(desk: Desk) -> BeadState:
    """Return how far Fusion is."""
    if desk.recording() is None:
        return BeadState(0.0, "no recording")
    if desk.study is None:
        return BeadState(0.5, "running" if desk.jobs.running else "not run")
    value = desk.study.curves[0].figures["tilt_rmse_deg"]
    headline = f"tilt {figure(value)}°" if value is not None else "no reference"
    return BeadState(1.0, headline, not desk.study_is_current)
