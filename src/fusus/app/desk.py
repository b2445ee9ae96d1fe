"""What lies on the desk: the open document, the results that belong to it, the jobs that make them."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from fusus.app.benching import Bench
from fusus.app.flying import Flying
from fusus.app.foresight import Foresight
from fusus.app.fusing import Fusing
from fusus.app.jobs import Job, JobRunner
from fusus.app.kitting import Kitting
from fusus.app.looping import Looping
from fusus.app.proving import Proving
from fusus.app.settings import LAST_PROJECT, RECENT, Settings
from fusus.errors import FususError
from fusus.logs.info import RecordingInfo, list_recordings, load_info
from fusus.project.commands import Command
from fusus.project.document import Document
from fusus.project.records import Project
from fusus.study.proof.verdicts import Judgement, cached, judge_all, key_of

WAIT_MS = 350  # after an edit, before its consequences are computed


class Desk(QObject):
    """The state of the window, without any widget. Views listen to its signals."""

    opened = pyqtSignal(object)  # Document or None
    project_changed = pyqtSignal(object)  # Project
    recordings_changed = pyqtSignal()
    study_changed = pyqtSignal(object)  # FusionResult or None
    judged = pyqtSignal(object)  # tuple of Judgement
    bench_changed = pyqtSignal()
    noticed = pyqtSignal(str, str)  # severity, sentence
    busy = pyqtSignal(object)  # Job or None

    def __init__(self, settings: Settings, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.settings = settings
        self.jobs = JobRunner(self)
        self.document: Document | None = None
        self.study: Any = None
        self.study_key = ""
        self.judgements: tuple[Judgement, ...] = ()
        self.foresight = Foresight(self)
        self.bench = Bench(self)
        self.fusing = Fusing(self)
        self.looping = Looping(self)
        self.flying = Flying(self)
        self.proving = Proving(self)
        self.kitting = Kitting(self)
        self._disconnect: list[Any] = []
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(WAIT_MS)
        self._timer.timeout.connect(self.recompute)
        self.jobs.changed.connect(self._tell_busy)

    # Documents

    def open(self, folder: Path) -> bool:
        """Open a project folder; on failure the present document stays and a notice says why."""
        try:
            document = Document.open(folder)
        except FususError as error:
            self.noticed.emit("stop", str(error))
            return False
        self.close()
        self.document = document
        self._disconnect = [
            document.changed.connect(self._on_changed),
            document.recordings_changed.connect(lambda _: self.recordings_changed.emit()),
        ]
        self.settings.put(LAST_PROJECT, str(folder))
        recent = [str(folder), *(p for p in self.recent() if p != str(folder))][:8]
        self.settings.put(RECENT, "\n".join(recent))
        self._load_kept()
        self.opened.emit(document)
        if document.notice:
            self.noticed.emit("mind", document.notice)
        self.bench.recover()
        self._timer.start()
        return True

    def close(self) -> None:
        """Put the document away."""
        for disconnect in self._disconnect:
            disconnect()
        self._disconnect = []
        self.jobs.cancel()
        if self.document is not None:
            self.document.close()
        self.document = None
        self.study, self.study_key, self.judgements = None, "", ()
        self.foresight.forget()
        self.bench.forget()
        self.fusing.forget()
        self.looping.forget()
        self.flying.forget()
        self.proving.forget()
        self.kitting.forget()

    def recent(self) -> list[str]:
        """Return the projects opened before that are still there."""
        return [p for p in self.settings.get(RECENT).split("\n") if p and (Path(p) / "project.json").exists()]

    @property
    def project(self) -> Project:
        """The open project."""
        if self.document is None:
            raise RuntimeError("no project is open")
        return self.document.project

    def do(self, command: Command) -> str | None:
        """Apply a command; return what is wrong with it, or None."""
        if self.document is None:
            return "No project is open."
        try:
            self.document.do(command)
        except FususError as error:
            return str(error)
        return None

    def step(self, back: bool) -> None:
        """Undo or redo."""
        if self.document is None:
            return
        try:
            if back:
                self.document.undo()
            else:
                self.document.redo()
        except FususError as error:
            self.noticed.emit("stop", str(error))

    def recordings(self) -> list[RecordingInfo]:
        """Return the project's recordings."""
        return list_recordings(self.document.folder) if self.document else []

    def recording(self) -> RecordingInfo | None:
        """Return the recording that Fusion looks at: the chosen one, else the first."""
        if self.document is None:
            return None
        name = self.project.fusion.recording
        try:
            if name is not None:
                return load_info(self.document.folder, name)
        except FususError:
            pass
        found = self.recordings()
        return found[0] if found else None

    # Results

    def _on_changed(self, project: Project) -> None:
        self.project_changed.emit(project)
        self._timer.start()

    def _load_kept(self) -> None:
        document = self.document
        if document is None:
            return
        kept = [cached(document.folder, document.project, r.name) for r in self.recordings()]
        self.judgements = tuple(j for j in kept if j is not None)

    def fusion_key(self) -> str:
        """Return what the present inputs of Fusion would give, "" where there is nothing to run."""
        info = self.recording()
        if self.document is None or info is None:
            return ""
        return f"{key_of(self.document.folder, self.project, info.name)} {self.project.fusion.outages}"

    @property
    def study_is_current(self) -> bool:
        """Whether the shown study belongs to the present inputs."""
        return self.study is not None and self.study_key == self.fusion_key()

    def recompute(self) -> None:
        """Compute what the present inputs ask for and is not there yet."""
        self._timer.stop()
        if self.document is None:
            return
        self.foresight.run_outlook()
        if not self.run_fusion():
            self.run_judgements()
        self.bench.run_due()
        self.looping.run()

    def run_fusion(self, force: bool = False) -> bool:
        """Run the chosen estimators over the chosen recording; return whether there is anything to run.

        Recordings are judged when it is done: what Fusion ran need not run again.
        """
        info = self.recording()
        if self.document is None or info is None or (self.study_is_current and not force):
            return False
        folder, project, key = self.document.folder, self.project, self.fusion_key()

        def work(progress: Any) -> Any:
            from fusus.app.stages.fusion.result import fusion_result

            return fusion_result(folder, project, info.name, progress)

        job = Job(f"Running over {info.name}", work)
        job.succeeded.connect(lambda result: self._take_study(key, result))
        job.failed.connect(lambda text: self._fail_study(key, text))
        self.jobs.start(job, "fusion")
        return True

    def _take_study(self, key: str, result: Any) -> None:
        if self.document is None or key != self.fusion_key():
            return
        self.study, self.study_key = result, key
        self.study_changed.emit(result)
        self.run_judgements()

    def _fail_study(self, key: str, text: str) -> None:
        if self.document is None or key != self.fusion_key():
            return
        self.study, self.study_key = None, ""
        self.study_changed.emit(None)
        self.noticed.emit("stop", text)
        self.run_judgements()

    def tune_by_parts(self) -> None:
        """Tune the judged estimator by the chosen parts; a step that can be taken back."""
        from fusus.study.fusion.tuning import tuning_from_parts

        if self.document is None:
            return
        try:
            command = tuning_from_parts(self.project, self.project.fusion.estimators[0])
        except FususError as error:
            self.noticed.emit("stop", str(error))
            return
        if command is None:
            self.noticed.emit(
                "mind",
                "The parts say nothing of this estimator's tuning: choose an IMU in Parts, or another estimator.",
            )
            return
        self.do(command)

    def take_likelihood(self) -> None:
        """Take the tuning that a flight's innovations ask for."""
        found = self.fusing.result("likelihood")
        if found is not None and self.document is not None:
            self.do(found[0])

    def start_job(self, title: str, slot: str, work: Callable[[Any], Any], then: Callable[[Any], None]) -> None:
        """Start work (told its progress) in a job of its slot; ``then`` takes what it hands back, and a notice what went wrong."""
        job = Job(title, work)
        job.succeeded.connect(then)
        job.failed.connect(lambda text: self.noticed.emit("stop", text))
        self.jobs.start(job, slot)

    def run_judgements(self) -> None:
        """Judge all recordings against the requirements."""
        if self.document is None:
            return
        folder, project = self.document.folder, self.project
        self.start_job(
            "Judging the recordings", "judgements", lambda progress: judge_all(folder, project, progress),
            lambda found: self._take_judgements(project, found),
        )  # fmt: skip

    def _take_judgements(self, project: Project, found: tuple[Judgement, ...]) -> None:
        if self.document is None or project != self.project:
            return
        self.judgements = found
        self.judged.emit(found)

    def _tell_busy(self) -> None:
        running = self.jobs.running
        self.busy.emit(running[-1] if running else None)
