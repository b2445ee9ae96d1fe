"""What Kit does beside asking: the export, its proof kept in the project, its durations put into Loops."""

from pathlib import Path
from typing import Any

from fusus.app.session import Session
from fusus.project.commands import SetValue


def export(session: Session, target: Path) -> None:
    """Write the kit to a folder and note it in the project."""
    document = session.document
    if document is None:
        return
    folder, project = document.folder, document.project

    def work(_progress: Any) -> Any:
        from fusus.study.kit.planning import plan_of
        from fusus.study.kit.writing import files_of, write_kit

        plan = plan_of(project)
        return write_kit(target, files_of(folder, project, plan), plan)

    def take(found: Any) -> None:
        session.do(SetValue("kit.exported", found, "Export the kit"))
        session.noticed.emit(
            "fine", f"Written: {len(found.files)} files in {target}. “make check” there proves it again."
        )

    session.start_job(f"Writing the kit to {target.name}", "kit-export", work, take)


def prove(session: Session) -> None:
    """Compile the kit here and hold it against the core over all recordings; an export of the same state keeps what came out."""

    def take(found: Any) -> None:
        exported = session.project.kit.exported
        if found.why_not:
            session.noticed.emit("stop", found.why_not)
        elif exported is not None and exported.state == found.state:
            told = exported.model_copy(update={"equal": found.is_equal})
            session.do(SetValue("kit.exported", told, "Prove the kit"))

    session.answers.ask("kit.equality", force=True, then=take)


def put_into_loops(session: Session) -> None:
    """Put the durations into the control cycle."""
    found = session.answers.result("kit.cost")
    if found is None:
        return
    from fusus.study.kit.costing import into_loops

    session.do(into_loops(found[0], session.project))
    session.noticed.emit(
        "fine", "The kit's durations stand in Loops; the gains that follow from them are designed anew."
    )
