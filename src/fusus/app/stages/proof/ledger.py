"""Proof's inputs: what is evaluated, and how."""

from fusus.app.ledger.panel import Ledger
from fusus.app.ledger.rows import FactRow, SwitchRow
from fusus.app.session import Session
from fusus.app.text import limit_text, statistic_text
from fusus.core.estimation.catalogue import info_for


def build_ledger(session: Session, ledger: Ledger) -> None:
    """Fill the ledger."""
    project = session.project
    ledger.group("Evaluated")
    ledger.add(FactRow("Estimator", info_for(project.fusion.estimators[0]).title))
    ledger.add(SwitchRow(session, "fusion.align_time", "Clocks", "aligned"))
    ledger.add(SwitchRow(session, "fusion.align_yaw", "Headings", "aligned"))
    ledger.group("Against")
    for requirement in project.brief.requirements:
        ledger.add(FactRow(limit_text(requirement), statistic_text(requirement)))
    if not project.brief.requirements:
        ledger.add(FactRow("Requirements", "none yet"))
    ledger.group("Recordings")
    for info in session.recordings():
        declared = project.proof.declared(info.name)
        held = info.reference_is or "no reference"
        if declared is not None and declared.kind != "own":
            held = declared.kind if declared.kind != "track" else f"track: {declared.other}"
        ledger.add(FactRow(info.name, held, tip=info.conditions))
    ledger.finish()
