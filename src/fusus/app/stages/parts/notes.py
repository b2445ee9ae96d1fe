"""Parts' conclusions: findings on the prediction, and what a datasheet leaves open."""

from fusus.app.desk import Desk
from fusus.app.margin import Note
from fusus.app.text import figure
from fusus.app.thread import BeadState


def notes(desk: Desk) -> tuple[Note, ...]:
    """Return the findings on the chosen parts."""
    if desk.project.parts.imu is None:
        return (
            Note(
                "No IMU is chosen", "mind", "Nothing can be predicted yet.", "Gyro and accelerometer carry every estimate.",
                "Choose an IMU", "parts.imu",
            ),
        )  # fmt: skip
    if desk.foresight.outlook is None or desk.foresight.outlook.study is None:
        return ()
    out = [
        Note(f.subject, f.severity, f.statement, f.reason, f.next_step, f.link) for f in desk.foresight.outlook.findings
    ]
    budgets = desk.project.brief.budgets
    choice = desk.foresight.outlook.study.choice
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
    bus, share = desk.foresight.outlook.bus
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


def bead(desk: Desk) -> BeadState:
    """Return how far the parts are."""
    parts = desk.project.parts
    if parts.imu is None:
        return BeadState(0.0, "none chosen")
    if desk.foresight.outlook is None or desk.foresight.outlook.study is None:
        return BeadState(0.5, "running" if desk.jobs.running else "not checked")
    study = desk.foresight.outlook.study
    return BeadState(1.0, f"{study.choice.total('price'):.0f} cr", not desk.foresight.outlook_is_current)
