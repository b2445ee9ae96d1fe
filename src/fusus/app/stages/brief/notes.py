"""What the brief's figures mean, in words."""

from fusus.app.panels.notes_panel import Note
from fusus.app.panels.stage_bar import StageState
from fusus.app.session import Session
from fusus.app.text import figure


def notes(session: Session) -> tuple[Note, ...]:
    """Return what is missing from the brief and what follows from it."""
    brief = session.project.brief
    out: list[Note] = []
    if brief.place is None:
        out.append(
            Note(
                "The place is not known", "mind", "Headings are magnetic and the field's strength cannot be checked.",
                "Gravity, declination and dip follow from the place.", "Say where you fly", "brief.place",
            )
        )  # fmt: skip
    if not brief.requirements:
        out.append(
            Note(
                "There are no requirements", "mind", "Nothing can pass or fail.", "A verdict needs a limit.",
                "Add a requirement", "brief.requirements",
            )
        )  # fmt: skip
    kinds = {r.quantity for r in brief.requirements}
    tilt = next((r for r in brief.requirements if r.quantity == "tilt"), None)
    if tilt is not None:
        drift = 9.81 * tilt.limit
        out.append(
            Note(
                "A tilt error pushes the craft", "fine",
                f"At the limit gravity leaks {figure(drift)} m/s² into the horizontal: {figure(drift * 12.5)} m after 5 s without a fix.",
                "Position from tilt error grows as ½ g θ t².", "", "",
            )
        )  # fmt: skip
    if "position" in kinds and "heading" not in kinds:
        out.append(
            Note(
                "Position without heading", "mind", "A position is asked for, a heading is not.",
                "Position hold steers along a heading: 30° off makes it circle.", "Add a heading requirement", "brief.requirements",
            )
        )  # fmt: skip
    return tuple(out)


def state(session: Session) -> StageState:
    """Return how far the brief is."""
    brief = session.project.brief
    done = (brief.place is not None) + bool(brief.requirements)
    count = len(brief.requirements)
    return StageState(done / 2, f"{count} requirement{'s' if count != 1 else ''}")
