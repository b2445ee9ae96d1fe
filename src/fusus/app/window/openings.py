"""The ways into a project: the demo, a new craft, a folder, a log."""

from pathlib import Path

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QWidget

from fusus.app.importing.flow import start_import
from fusus.app.jobs import Job
from fusus.app.session import Session
from fusus.app.stages.fusion.actions import export_estimate, write_report
from fusus.errors import FususError
from fusus.project import book, store
from fusus.project.records import Project


class Openings:
    """Opens projects and takes logs in; a log that comes before a project waits for it."""

    def __init__(self, session: Session, window: QWidget) -> None:
        self._session, self._window = session, window
        self._pending_log: list[Path] = []
        session.opened.connect(lambda _: self._take_pending())

    def _take_pending(self) -> None:
        files, self._pending_log = self._pending_log, []
        if files:
            QTimer.singleShot(0, lambda: start_import(self._session, files, self._window))

    def open_demo(self, folder: Path | None = None) -> None:
        """Make the demo if it is not there, and open it."""

        def work(progress: object) -> object:
            from platformdirs import user_data_path

            from fusus.demo.build import build

            return build(folder or user_data_path("fusus") / "Dunlin", progress)  # type: ignore[arg-type]

        job = Job("Making the demo", work)
        job.succeeded.connect(lambda folder: self._session.open(folder))
        job.failed.connect(lambda text: self._session.noticed.emit("stop", text))
        self._session.noticed.emit(
            "fine",
            "The demo is being made: its recordings are simulated here, which takes some seconds the first time.",
        )
        self._session.jobs.start(job, "open")

    def new_project(self, folder: Path, name: str) -> bool:
        """Make a project and open it."""
        try:
            store.create(folder, Project(name=name))
            book.note(folder, "project made", name=name)
        except FususError as error:
            self._session.noticed.emit("stop", str(error))
            return False
        except ValueError:
            self._session.noticed.emit("stop", "Give the craft a name of 1 to 120 letters.")
            return False
        return self._session.open(folder)

    def ask_new(self) -> None:
        """Ask for a name and a place, then make a project."""
        name, ok = QInputDialog.getText(self._window, "New craft", "What is the craft called?")
        if not ok or not name.strip():
            self._pending_log = []
            return
        parent = QFileDialog.getExistingDirectory(self._window, f"Where shall the folder “{name.strip()}” be made?")
        if parent:
            self.new_project(Path(parent) / name.strip().replace("/", "-"), name.strip())

    def ask_open(self) -> None:
        """Ask for a project folder."""
        folder = QFileDialog.getExistingDirectory(self._window, "Open a project folder")
        if folder:
            self._session.open(Path(folder))

    def ask_import(self) -> None:
        """Ask for logs; without a project a craft is started first."""
        files, _ = QFileDialog.getOpenFileNames(
            self._window, "Import a log", "", "Tables (*.csv *.tsv *.txt *.log *.dat);;All files (*)"
        )
        if files:
            self.take_files([Path(f) for f in files])

    def ask_snippet(self) -> None:
        """Ask for streams and a file, and write the C that a board needs to speak the line protocol."""
        words, ok = QInputDialog.getText(
            self._window, "C for your board", "Which streams does it print?", text="imu,mag,baro,gnss,battery"
        )
        if not ok:
            return
        from fusus.logs.snippet import c_snippet
        from fusus.project.atomic import write_atomically

        try:
            text = c_snippet(tuple(w.strip() for w in words.split(",") if w.strip()))
            path, _ = QFileDialog.getSaveFileName(self._window, "Save the C file", "lines.c", "C (*.c *.h)")
            if path:
                write_atomically(Path(path), text.encode())
                self._session.noticed.emit("fine", f"Written: {path}. Give send_line what writes to your port.")
        except FususError as error:
            self._session.noticed.emit("stop", str(error))

    def ask_export(self) -> None:
        """Ask for a file, and write the judged estimate there by its ending."""
        recording = self._session.recording()
        kinds = "Table (*.csv);;Table (*.parquet);;Track (*.geojson);;Track (*.gpx)"
        path, kind = QFileDialog.getSaveFileName(
            self._window, "Save the estimate", f"{recording.name if recording else 'estimate'}.csv", kinds
        )
        if path:
            # A name typed without an ending takes that of the kind chosen.
            ending = kind[kind.find("*.") + 1 : -1] if "*." in kind else ".csv"
            export_estimate(self._session, Path(path) if Path(path).suffix else Path(path + ending))

    def ask_report(self) -> None:
        """Ask for a file, and write the report there by its ending."""
        name = self._session.project.name
        path, kind = QFileDialog.getSaveFileName(
            self._window, "Save the report", f"{name}.html", "Page (*.html);;Print (*.pdf)"
        )
        if path:
            ending = ".pdf" if kind.startswith("Print") else ".html"
            write_report(self._session, Path(path) if Path(path).suffix else Path(path + ending))

    def take_files(self, files: list[Path]) -> None:
        """Import files, or open a project folder that was dropped."""
        if len(files) == 1 and (files[0] / store.PROJECT_FILE).exists():
            self._session.open(files[0])
        elif self._session.document is None:
            self._pending_log = files
            self._session.noticed.emit("fine", "A log belongs to a craft: name it, then the log is looked at.")
            self.ask_new()
        else:
            start_import(self._session, files, self._window)
