"""Loops' conclusions."""

import math

from fusus.app.desk import Desk
from fusus.app.margin import Note
from fusus.app.thread import BeadState


def notes(desk: Desk) -> tuple[Note, ...]:
    """Return the findings on timing, thrust and margins, of flights and of recordings looked into."""
    if desk.looping.refusal:
        return (
            Note(
                "The loops cannot be worked out", "stop", desk.looping.refusal, "A figure of the craft or of its loops cannot be.",
                "Correct it in the brief or here", "brief.craft.arm_m",
            ),
        )  # fmt: skip
    order = {"stop": 0, "mind": 1, "fine": 2}
    found = sorted((*desk.flying.findings(), *desk.looping.findings), key=lambda f: order[f.severity])
    return tuple(Note(f.subject, f.severity, f.statement, f.reason, f.next_step, f.link) for f in found)


def bead(desk: Desk) -> BeadState:
    """Return how far Loops is."""
    study = desk.looping.study
    if study is None:
        return BeadState(0.0, "cannot be" if desk.looping.refusal else "not run")
    if not study.timing.fits:
        return BeadState(0.5, "does not fit", not desk.looping.is_current)
    least = min(a.margins.phase_rad for a in study.axes)
    return BeadState(1.0 if least > 0 else 0.5, f"margin {math.degrees(least):.0f}°", not desk.looping.is_current)
