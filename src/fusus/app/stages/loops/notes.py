"""Loops' conclusions."""

import math

from fusus.app.panels.notes_panel import Note
from fusus.app.panels.stage_bar import StageState
from fusus.app.session import Session


def notes(session: Session) -> tuple[Note, ...]:
    """Return the findings on timing, thrust and margins, of flights and of recordings looked into."""
    refusal = session.answers.refusal("loops.study")
    if refusal:
        return (
            Note(
                "The loops cannot be worked out", "stop", refusal, "A figure of the craft or of its loops cannot be.",
                "Correct it in the brief or here", "brief.craft.arm_m",
            ),
        )  # fmt: skip
    order = {"stop": 0, "mind": 1, "fine": 2}
    asked = [q for q in ("loops.identified", "loops.flights") if session.answers.is_current(q)]
    answers = [a for q in (*asked, "loops.study") if (a := session.answers.result(q)) is not None]
    found = sorted((f for a in answers for f in a.findings), key=lambda f: order[f.severity])
    return tuple(Note(f.subject, f.severity, f.statement, f.reason, f.next_step, f.link) for f in found)


def state(session: Session) -> StageState:
    """Return how far Loops is."""
    study = session.loop_study
    if study is None:
        return StageState(0.0, "cannot be" if session.answers.refusal("loops.study") else "not run")
    if not study.timing.fits:
        return StageState(0.5, "does not fit", not session.answers.is_current("loops.study"))
    least = min(a.margins.phase_rad for a in study.axes)
    return StageState(
        1.0 if least > 0 else 0.5, f"margin {math.degrees(least):.0f}°", not session.answers.is_current("loops.study")
    )
