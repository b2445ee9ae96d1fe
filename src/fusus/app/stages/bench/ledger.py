"""Bench's inputs: the board's link, whether calibrations are used, the school of when they are due, and what is active."""

from fusus.app.ledger.panel import Ledger
from fusus.app.ledger.rows import ChoiceRow, FactRow, FigureRow, FigureSpec, SwitchRow, TextRow
from fusus.app.session import Session
from fusus.app.stages.bench.notes import TITLES
from fusus.core.judgement.calibration_age import SCHOOL_WORDS


def build_ledger(session: Session, ledger: Ledger) -> None:
    """Fill the ledger."""
    project = session.project
    ledger.group("Board")
    ledger.add(TextRow(session, "bench.link", "Link", "serial:PATH, udp:PORT, stand-in"))
    ledger.add(SwitchRow(session, "is_practice", "Craft", "to practise on"))
    ledger.add(FigureRow(session, FigureSpec("drift.bias_error_rad_s", "Bias error wanted", "rate", "deg/h", False)))
    ledger.group("Calibrations")
    ledger.add(SwitchRow(session, "bench.use", "On replay", "used"))
    ledger.add(ChoiceRow(session, "bench.school", "Due", [(k, v) for k, v in SCHOOL_WORDS.items()]))
    faces = (
        ("six faces", "six faces"),
        ("five faces", "five faces will do"),
        ("free poses", "nine free poses and more"),
    )
    ledger.add(ChoiceRow(session, "bench.faces", "Accelerometer", list(faces)))
    ledger.group("Active")
    force = project.bench.in_force()
    for kind, c in force.items():
        ledger.add(FactRow(TITLES.get(kind, kind), f"{c.verdict}, {c.when:%d.%m.%Y}", tip=c.reason))
    if not force:
        ledger.add(FactRow("Nothing yet", "capture, fit, use"))
    if project.bench.measured:
        ledger.group("Measured")
        for m in {(m.part, m.field): m for m in project.bench.measured}.values():
            ledger.add(FactRow(m.part, m.field.replace("_", " "), tip=f"from “{m.recording}”"))
    ledger.finish()
