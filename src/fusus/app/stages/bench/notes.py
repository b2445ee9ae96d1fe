"""Bench's conclusions: what is due and why, what is missing, and how the measured parts differ from their datasheets."""

from fusus.app.panels.notes_panel import Note
from fusus.app.panels.stage_bar import StageState
from fusus.app.session import Session

TITLES = {
    "gyro-bias": "Gyro bias", "six-face": "Six faces", "level": "Level trim", "magnetometer": "Magnetometer", "mounting": "Mounting",
    "thermal": "Soak", "airflow": "Airflow", "motor-current": "Motor current", "gnss-scatter": "GNSS scatter", "lever-arm": "Lever arm",
    "sticks": "Sticks", "two-imu": "Two IMUs", "vibration": "Vibration",
}  # fmt: skip

# The guided capture that leads to a calibration, where it is called otherwise.
GUIDE_OF = {
    "gyro-bias": "still", "six-face": "six-face", "magnetometer": "rotate", "mounting": "mounting", "thermal": "soak",
    "gnss-scatter": "gnss-static",
}  # fmt: skip

# What the 20 s check looks at.
CHECKED = ("gyro-bias", "six-face", "magnetometer")
# What a craft needs before its first flight, in the order of work, and why.
WANTED = (
    ("gyro-bias", "The gyro's bias is not measured", "Integrated, it is drift."),
    ("six-face", "The accelerometer is not calibrated", "20 mg lean the craft by 1.1°."),
    ("magnetometer", "The magnetometer is not calibrated", "Iron on the craft bends the heading by tens of degrees."),
    ("mounting", "The board's mounting is not found", "A turned board makes the craft lean the wrong way."),
)


def notes(session: Session) -> tuple[Note, ...]:
    """Return what is due first, then what is missing, then the parts against their datasheets."""
    out = [
        Note(
            f"{TITLES.get(d.kind, d.kind)}: due", "mind", f"{d.why[:1].upper()}{d.why[1:]}.", f"If skipped: {d.risk}.", d.next_step,
            "capture.check" if "check" in d.next_step else f"capture.{GUIDE_OF.get(d.kind, d.kind)}",
        )
        for d in session.due if d.is_due
    ]  # fmt: skip
    force = session.project.bench.in_force()
    wanted = [
        w
        for w in WANTED
        if w[0] not in force and (w[0] != "magnetometer" or session.project.parts.heading == "magnetometer")
    ]
    out += [
        Note(
            subject,
            "mind",
            reason,
            "It flies on what the bench found.",
            "Capture it here.",
            f"capture.{GUIDE_OF[kind]}",
        )
        for kind, subject, reason in wanted
    ]
    if session.project.bench.measured:
        from fusus.study.bench.measured import against_datasheet

        latest = {(m.part_kind, m.part, m.field): m for m in session.project.bench.measured}
        for a in against_datasheet(session.project, tuple(latest.values())):
            out.append(
                Note(
                    "Measured against datasheet",
                    a.severity,
                    a.statement,
                    f"From “{a.figure.recording}”.",
                    "See Drift",
                    "drift",
                )
            )
    if not out:
        out.append(_nothing_due(session, tuple(force)))
    order = {"stop": 0, "mind": 1, "fine": 2}
    return tuple(sorted(out, key=lambda n: order[n.severity]))


def _nothing_due(session: Session, force: tuple[str, ...]) -> Note:
    """Return what can be said where nothing is due: that nobody has looked yet, that a check is left to do, or that all is checked."""
    kinds = ", ".join(TITLES.get(k, k) for k in force)
    if not session.due_is_known:
        return Note(
            "What is due is not known yet", "mind", "Ages, events and checks are being looked at.", "Nothing is said before.",
            "Wait a moment.", "bench.school",
        )  # fmt: skip
    unchecked = [TITLES.get(d.kind, d.kind) for d in session.due if d.kind in CHECKED and not d.is_checked]
    if unchecked:
        return Note(
            "Nothing is due, but not all is checked", "mind", f"No check has been done since for: {', '.join(unchecked)}.",
            "Age, events and place give no reason to calibrate again; only a check says that they hold.", "Do the 20 s check.",
            "capture.check",
        )  # fmt: skip
    return Note(
        "Nothing is due", "fine", f"Active: {kinds}. The latest check says that they hold.", "By the chosen school.",
        "Go through the list before a flight.", "bench.school",
    )  # fmt: skip


def state(session: Session) -> StageState:
    """Return how many of the wanted calibrations are active, and whether one is due."""
    force = session.project.bench.in_force()
    have = sum(kind in force for kind, *_ in WANTED)
    due = sum(d.is_due for d in session.due)
    words = f"{due} due" if due else f"{have} of {len(WANTED)}"
    fill = 0.0 if have == 0 else 1.0 if have == len(WANTED) else 0.5
    return StageState(fill, words, bool(due))
