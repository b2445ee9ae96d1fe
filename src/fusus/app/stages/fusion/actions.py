"""What Fusion does beside asking: tunings taken over, simulated flights kept, the estimate and the report written."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

from fusus.app.session import Session
from fusus.errors import FususError
from fusus.project import book
from fusus.project.commands import SetValue


def tune_by_parts(session: Session) -> None:
    """Tune the evaluated estimator by the chosen parts; a step that can be taken back."""
    from fusus.study.fusion.tuning import tuning_from_parts

    if session.document is None:
        return
    try:
        command = tuning_from_parts(session.project, session.project.fusion.estimators[0])
    except FususError as error:
        session.noticed.emit("stop", str(error))
        return
    if command is None:
        session.noticed.emit(
            "mind", "The parts say nothing of this estimator's tuning: choose an IMU in Parts, or another estimator."
        )
        return
    session.do(command)


def take_likelihood(session: Session) -> None:
    """Take the tuning that a flight's innovations ask for."""
    found = session.answers.result("fusion.likelihood")
    if found is not None and session.document is not None:
        session.do(found[0])


def keep_flight(session: Session, scenario: str, seed: int) -> None:
    """Simulate a scenario once and keep it as a recording; then look at it."""

    def make(folder: Path, project: Any, name: str) -> Any:
        from fusus.study.flying.open_loop import keep_flight

        return keep_flight(folder, project, scenario, seed, name)

    keep(session, f"simulated-{scenario}-{seed}", make)


def keep_closed_flight(session: Session, scenario: str, seed: int, trouble: str | None = None) -> None:
    """Fly a scenario once in closed loop and keep it as a recording like any other; then look at it."""

    def make(folder: Path, project: Any, name: str) -> Any:
        from fusus.study.flying.closed_loop import keep_closed_flight

        return keep_closed_flight(folder, project, scenario, seed, name, trouble=trouble)

    keep(session, f"flown-{scenario}-{seed}", make)


def keep(session: Session, base: str, make: Callable[[Path, Any, str], Any]) -> None:
    """Keep what ``make`` writes (folder, project, name) as a recording under a name that is free; then look at it."""
    document = session.document
    if document is None:
        return
    if document.read_only:
        session.noticed.emit("mind", "This project is open read-only; no recording can be kept in it.")
        return
    taken = {r.name for r in session.recordings()}
    name, n = base, 2
    while name in taken:
        name, n = f"{base}-{n}", n + 1
    project = document.project

    def look_at(_found: Any) -> None:
        if session.document is not document:
            return
        book.note(document.folder, "flight simulated", recording=name)
        document.recordings_changed.emit(None)
        session.do(SetValue("fusion.recording", name, f"Look at {name}"))
        session.noticed.emit("fine", f"Kept as recording “{name}”.")

    session.start_job(f"Flying {name}", "keep", lambda _: make(document.folder, project, name), look_at)


def export_estimate(session: Session, path: Path) -> None:
    """Write the evaluated estimate that is shown, as a table or as a track, by the file's ending."""
    result = session.fusion
    if result is None:
        session.noticed.emit("mind", "There is no estimate yet: choose a recording and run Fusion.")
        return

    def work(_progress: Any) -> Any:
        from fusus.study.fusion.exporting import export_estimate

        export_estimate(result.study, path)

    title = result.study.judged.replay.estimator.title
    written = f"Saved {path.name}: {title} over {result.study.request.recording}."
    session.start_job(f"Writing {path.name}", "export", work, lambda _: session.noticed.emit("fine", written))


def write_report(session: Session, path: Path) -> None:
    """Write the project's report, as a page or for print, by the file's ending."""
    document = session.document
    if document is None:
        return
    folder, project = document.folder, document.project

    def work(progress: Any) -> Any:
        from fusus.report.write import write_report

        write_report(folder, project, path, progress)

    session.start_job(
        f"Writing {path.name}", "report", work, lambda _: session.noticed.emit("fine", f"Saved {path.name}.")
    )
