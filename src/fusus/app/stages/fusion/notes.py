"""Fusion's conclusions: the core's findings, and whether they are current."""

from typing import Any

from fusus.app.panels.notes_panel import Note
from fusus.app.panels.stage_bar import StageState
from fusus.app.session import Session
from fusus.app.text import figure


def notes(session: Session) -> tuple[Note, ...]:
    """Return the findings on the evaluated estimate."""
    if session.recording() is None:
        return (
            Note(
                "There is no recording", "mind", "An estimator needs gyro and accelerometer samples.",
                "Any table will do: CSV or TSV with a time column.", "Import a log", "action.import",
            ),
        )  # fmt: skip
    if session.fusion is None:
        return ()
    study = session.fusion.study
    out = [Note(f.subject, f.severity, f.statement, f.reason, f.next_step, f.link) for f in study.findings]
    out += _hidden(study)
    out += _asked(session)
    if study.judged.comparison is None:
        stands_in = study.judged.against_smoother is not None
        out.append(
            Note(
                "There is no truth to measure against" if stands_in else "There is nothing to measure against", "mind",
                f"No errors: {study.judged.why_not}."
                + (" Curves show how far the estimates are off the smoother." if stands_in else ""),
                "The smoother knows what came after each moment, but shares the sensors: requirements are not evaluated by it."
                if stands_in
                else "A jig, another system's attitude or a simulation's truth makes a reference.",
                "Import a reference with the log", "action.import",
            )
        )  # fmt: skip
    return tuple(out)


def _hidden(study: Any) -> list[Note]:
    """Return what the evaluated estimate is off at the end of each stretch whose fixes are hidden."""
    from fusus.study.fusion.run import outage_errors

    c = study.judged.comparison or study.judged.against_smoother
    out = []
    asked = study.request.outages
    for (start, length), (horizontal, height) in zip(asked, outage_errors(study.loaded, c, asked), strict=True):
        off = f"{horizontal:.2f} m off" if horizontal is not None else "its place is not known"
        out.append(
            Note(
                f"Fixes hidden for {length:g} s", "fine",
                f"At the end, t = {start + length:.0f} s, it is {off}"
                + (f", height {height:.2f} m." if height is not None else "."),
                "Without fixes the way is summed up from rates and forces.", "Hide other stretches", "fusion.outages",
            )
        )  # fmt: skip
    return out


def _asked(session: Session) -> list[Note]:
    """Return what a tuning from the recording, and lever arm, delay and mounting, found."""
    out = []
    tuned = session.answers.result("fusion.likelihood")
    if tuned is not None and session.answers.is_current("fusion.likelihood"):
        command, gain = tuned
        changes = ", ".join(f"{s.path.rpartition('.')[2].replace('_', ' ')} {s.value:.3g}" for s in command.steps[:4])
        out.append(
            Note(
                "The flight asks for another tuning", "mind", f"The logarithm of its likelihood rises by {gain:.0f}: {changes} …",
                "Under these noises the innovations are most likely.", "Take this tuning over", "take.likelihood",
            )
        )  # fmt: skip
    surveyed = session.answers.result("fusion.survey")
    if surveyed is not None and session.answers.is_current("fusion.survey"):
        from fusus.study.fusion.survey import findings

        found = findings(surveyed, session.project.fusion.navigation_ekf)
        out += [Note(f.subject, f.severity, f.statement, f.reason, f.next_step, f.link) for f in found]
        a, s = surveyed.arm_m, surveyed.arm_sigma_m
        out.append(
            Note(
                "Lever arm, delay and mounting", "fine",
                f"Antenna {a[0]:+.2f} ± {s[0]:.2f} m ahead, {a[1]:+.2f} ± {s[1]:.2f} right, {a[2]:+.2f} ± {s[2]:.2f} below; delay "
                f"{surveyed.delay_s * 1e3:.0f} ± {surveyed.delay_sigma_s * 1e3:.0f} ms.",
                "Turns and accelerations show them.", "Hold them against ruler and datasheet.", "fusion.lever_arm_x_m",
            )
        )  # fmt: skip
    return out


def state(session: Session) -> StageState:
    """Return how far Fusion is."""
    if session.recording() is None:
        return StageState(0.0, "no recording")
    if session.fusion is None:
        return StageState(0.5, "running" if session.jobs.running else "not run")
    value = session.fusion.curves[0].figures["tilt_rmse_deg"]
    is_measured = value is not None and session.fusion.study.judged.comparison is not None
    headline = f"tilt {figure(value)}°" if is_measured else "no reference"
    return StageState(1.0, headline, not session.fusion_is_current)
