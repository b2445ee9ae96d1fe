"""From dropped files to a recording: plan in a job, look, import in a job."""

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

from PyQt6.QtWidgets import QDialog, QWidget

from fusus.app.jobs import Job
from fusus.app.session import Session
from fusus.logs.info import RecordingInfo
from fusus.project import book
from fusus.project.commands import SetValue


def suggested_name(files: list[Path], taken: set[str]) -> str:
    """Return a name from the first file that no recording has yet."""
    stem = files[0].stem.replace(" ", "-")[:60].lstrip(".") or "log"
    name, n = stem, 2
    while name in taken:
        name, n = f"{stem}-{n}", n + 1
    return name


def start_import(session: Session, files: list[Path], parent: QWidget) -> None:
    """Look at files, then import them as one recording."""
    document = session.document
    if document is None or not files:
        return
    if document.read_only:
        session.noticed.emit("mind", "This project is open read-only; nothing can be imported.")
        return
    taken = {r.name for r in session.recordings()}
    project = document.project

    def plan(_progress: Any) -> Any:
        from fusus.logs.importer import ImportRequest, plan_import
        from fusus.study.brief.site import site_of

        request = ImportRequest(
            tuple(files), document.folder, suggested_name(files, taken), place=project.brief.place,
            declination_rad=site_of(project).declination_rad,
        )  # fmt: skip
        return request, plan_import(request)

    def look(found: Any) -> None:
        from fusus.app.importing.dialog import ImportDialog

        request, made = found
        dialog = ImportDialog(made, request.name, taken, parent, earlier=_earlier(document.folder, made))
        if dialog.exec() == QDialog.DialogCode.Accepted:
            wanted = replace(
                request, name=dialog.name.text().strip(), kind=dialog.kind.currentText(), mapping=dialog.mapping()
            )
            _import(session, wanted)
        dialog.deleteLater()

    _job(session, f"Looking at {files[0].name}", plan, look)


def import_again(session: Session, info: RecordingInfo, files: tuple[Path, ...], parent: QWidget) -> None:
    """Look at a recording's source files again, then import them in its place; what it was before goes to the bin."""
    document = session.document
    if document is None:
        return
    project = document.project

    def plan(_progress: Any) -> Any:
        from fusus.logs.importer import ImportRequest, plan_import
        from fusus.study.brief.site import site_of

        request = ImportRequest(
            files,
            document.folder,
            info.name,
            info.kind,
            place=project.brief.place,
            declination_rad=site_of(project).declination_rad,
        )
        return request, plan_import(request)

    def look(found: Any) -> None:
        from fusus.app.importing.dialog import ImportDialog

        request, made = found
        dialog = ImportDialog(made, info.name, set(), parent, earlier=_earlier(document.folder, made))
        dialog.name.setEnabled(False)
        if dialog.exec() == QDialog.DialogCode.Accepted:
            _import(session, replace(request, mapping=dialog.mapping()), instead_of=info.name)
        dialog.deleteLater()

    _job(session, f"Looking at {files[0].name}", plan, look)


def _earlier(folder: Path, plan: Any) -> dict[str, Any]:
    """Return the mappings of recordings whose files had the same header and were corrected, by the recording's name."""
    from fusus.logs.known import known_mappings, mapping_of

    return {name: mapping_of(folder, name) for name in known_mappings(folder, plan)}


def _import(session: Session, request: Any, instead_of: str | None = None) -> None:
    def work(progress: Any) -> Any:
        from fusus.logs.handling import read_again
        from fusus.logs.importer import import_recording

        if instead_of is not None:
            return read_again(request.project, instead_of, request.mapping, request.sources, request)
        return import_recording(request, progress)

    def done(info: Any) -> None:
        if session.document is None:
            return
        book.note(
            session.document.folder,
            "recording imported",
            recording=info.name,
            sources=[s.model_dump() for s in info.sources],
        )
        session.document.recordings_changed.emit(None)
        session.do(SetValue("fusion.recording", info.name, f"Look at {info.name}"))
        session.signals_wanted.emit()
        grave = sum(
            p.count
            for p in info.problems
            if p.kind in ("text", "nan", "inf", "no_time", "outlier", "gap", "truncated_line")
        )
        rows = max(s.rows for s in info.streams.values())
        words = f"Imported “{info.name}”: {rows} rows, {len(info.streams)} streams"
        session.noticed.emit(
            "mind" if grave else "fine", words + (f"; {grave} defects were found and treated." if grave else ".")
        )

    _job(session, f"Importing {request.name}", work, done)


def _job(session: Session, title: str, work: Callable[[Any], Any], then: Callable[[Any], None]) -> None:
    job = Job(title, work)
    job.succeeded.connect(then)
    job.failed.connect(lambda text: session.noticed.emit("stop", text))
    session.jobs.start(job, "import")
