"""What Proof does beside asking: a reference's clock kept, a card's result noted."""

from typing import Any

from fusus.app.session import Session
from fusus.errors import FususError
from fusus.project.commands import DeclareReference


def align(session: Session, declared: Any, then: Any) -> None:
    """Find the clock of a declared reference, and keep it."""
    document = session.document
    if document is None:
        return
    folder, project = document.folder, document.project

    def work(_progress: Any) -> Any:
        from fusus.study.proof.referencing import aligned

        return aligned(folder, project, declared)

    def take(found: Any) -> None:
        session.do(DeclareReference(found.recording, found, "Align the reference's clock"))
        session.noticed.emit(
            "fine", f"The reference's clock: {found.clock_offset_s * 1000:+.1f} ms, {found.clock_ppm:+.1f} ppm."
        )
        then()

    session.start_job("Comparing clocks", "aligned", work, take)


def note_card(session: Session, card: str, result: str, recording: str | None, words: str) -> None:
    """Write a card's result into the book."""
    document = session.document
    if document is None:
        return
    from fusus.study.keeping.card_results import note_result

    try:
        note_result(document.folder, document.project, card, result, recording, words)
    except FususError as error:
        session.noticed.emit("stop", str(error))
        return
    session.ask("proof.cards")


def own_case(session: Session, name: str) -> Any:
    """Return how the maker's own code did over a recording or a simulated flight; None where it was not tried."""
    study = session.answers.result("kit.own")
    return next((c for c in study.cases if c.name == name), None) if study is not None else None
