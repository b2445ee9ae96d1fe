"""Kit's inputs: which estimator, in which precision, for which processor; and the last export."""

from fusus.app.ledger.panel import Ledger
from fusus.app.ledger.rows import ChoiceRow, FactRow, FigureRow, FigureSpec, SwitchRow
from fusus.app.ledger.words_row import WordsRow
from fusus.app.session import Session
from fusus.core.estimation.catalogue import ESTIMATORS, info_for
from fusus.logs.snippet import streams_from


def build_ledger(session: Session, ledger: Ledger) -> None:
    """Fill the ledger."""
    project = session.project
    ledger.group("In the kit")
    judged = info_for(project.fusion.estimators[0]).title
    choices: list[tuple[str | None, str]] = [
        (None, f"Fusion: {judged}"),
        *((i.name, i.title) for i in ESTIMATORS),
    ]
    ledger.add(ChoiceRow(session, "kit.estimator", "Estimator", choices))
    ledger.add(
        ChoiceRow(session, "kit.precision", "Precision", [("single", "single, 32 bits"), ("double", "double, 64 bits")])
    )
    ledger.add(
        WordsRow(
            session, "kit.streams", "Sends", "none", "Streams that the board prints, such as imu, mag, baro, gnss, battery, motor, board",
            lambda p: ", ".join(p.kit.streams), streams_from,
        )
    )  # fmt: skip
    ledger.group("Processor")
    ledger.add(FigureRow(session, FigureSpec("kit.clock_hz", "Clock", "frequency", "MHz")))
    ledger.add(SwitchRow(session, "kit.has_fpu", "Floating point", "in hardware"))
    ledger.group("From the project")
    ledger.add(FactRow("Loop rate", f"{project.loops.rate_hz:g} Hz"))
    force = project.bench.in_force() if project.bench.use else {}
    ledger.add(FactRow("Calibrations", f"{len(force)} active", tip=", ".join(force)))
    ledger.add(FactRow("Airframe", project.brief.craft.layout))
    ledger.group("Last export")
    exported = project.kit.exported
    if exported is None:
        ledger.add(FactRow("Written", "not yet"))
    else:
        proved = {True: "equal", False: "not equal", None: "not tried"}[exported.equal]
        ledger.add(FactRow("Written", exported.when.astimezone().strftime("%Y-%m-%d %H:%M"), tip=exported.folder))
        ledger.add(FactRow("Folder", exported.folder.rsplit("/", 1)[-1], tip=exported.folder))
        ledger.add(FactRow("State", exported.state))
        ledger.add(FactRow("Proved", proved))
    ledger.finish()
