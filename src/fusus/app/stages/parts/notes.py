"""Parts' conclusions: findings on the prediction, and what a datasheet leaves open."""

from fusus.app.panels.notes_panel import Note
from fusus.app.panels.stage_bar import StageState
from fusus.app.session import Session
from fusus.app.text import figure


def notes(session: Session) -> tuple[Note, ...]:
    """Return the findings on the chosen parts."""
    if session.project.parts.imu is None:
        return (
            Note(
                "No IMU is chosen", "mind", "Nothing can be predicted yet.", "Gyro and accelerometer carry every estimate.",
                "Choose an IMU", "parts.imu",
            ),
        )  # fmt: skip
    if session.prediction is None or session.prediction.study is None:
        return ()
    out = [Note(f.subject, f.severity, f.statement, f.reason, f.next_step, f.link) for f in session.prediction.findings]
    budgets = session.project.brief.budgets
    choice = session.prediction.study.choice
    for name, limit, scale, unit in (
        ("price", budgets.price, 1.0, "cr"),
        ("mass", budgets.mass_kg, 1e3, "g"),
        ("current", budgets.current_a, 1e3, "mA"),
    ):
        total = choice.total(name)
        if limit is not None and total > limit:
            out.append(
                Note(
                    f"Over the {name} budget", "mind", f"{figure(total * scale)} {unit} of {figure(limit * scale)} {unit}.",
                    "The suite chart shades what is over budget.", "See the suites", "parts",
                )
            )  # fmt: skip
    bus, share = session.prediction.bus
    if budgets.bus_share is not None and share > budgets.bus_share:
        said = f"Reading takes {share:.0%} of the {bus} bus, of {budgets.bus_share:.0%} allowed."
        out.append(
            Note(
                "Over the budget of bus time",
                "mind",
                said,
                "A busy bus delays the IMU's samples.",
                "Take parts on SPI",
                "parts.imu",
            )
        )
    for part in choice.separate():
        wrong = [p for p in part.problems if p.severity == "stop"]
        if wrong:
            said = f"{wrong[0].message}; {wrong[0].action}."
            why = "A figure that cannot be right is not used."
            out.append(Note(f"{part.part.title}: datasheet", "mind", said, why, "", ""))
        silent = [p for p in part.problems if p.severity == "mind"]
        if silent:
            said = f"{len(silent)} figures are not given, such as this: {silent[0].message}; {silent[0].action}."
            why = "Assumed figures are poor but usual ones."
            out.append(Note(f"{part.part.title}: gaps", "mind", said, why, "", ""))
    return tuple(out)


def state(session: Session) -> StageState:
    """Return how far the parts are."""
    parts = session.project.parts
    if parts.imu is None:
        return StageState(0.0, "none chosen")
    if session.prediction is None or session.prediction.study is None:
        return StageState(0.5, "running" if session.jobs.running else "not checked")
    study = session.prediction.study
    return StageState(1.0, f"{study.choice.total('price'):.0f} cr", not session.answers.is_current("parts.prediction"))
