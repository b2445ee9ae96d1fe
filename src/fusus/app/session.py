"""The session: the open document, its recordings, the answers that belong to it, and the jobs that make them."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from fusus.app.answers.registry import QUESTIONS
from fusus.app.answers.store import Answers
from fusus.app.captures import Captures
from fusus.app.jobs import Job, JobRunner
from fusus.app.settings import LAST_PROJECT, RECENT, Settings
from fusus.errors import FususError
from fusus.logs.info import RecordingInfo, list_recordings, load_info
from fusus.project import book
from fusus.project.commands import Command
from fusus.project.document import Document
from fusus.project.records import Project
from fusus.study.proof.verdicts import Judgement, cached

WAIT_MS = 350  # after an edit, before its consequences are computed
# A refusal of these stands on their own page: it needs no notice.
TELLS_ITSELF = ("loops.study",)


class Session(QObject):
    """The state of the window, without any widget. Views listen to its signals."""

    opened = pyqtSignal(object)  # Document or None
    project_changed = pyqtSignal(object)  # Project
    recordings_changed = pyqtSignal()
    signals_wanted = pyqtSignal()  # the chosen recording is new: its signals come first
    noticed = pyqtSignal(str, str)  # severity, sentence
    busy = pyqtSignal(object)  # Job or None

    def __init__(self, settings: Settings, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.settings = settings
        self.jobs = JobRunner(self)
        self.document: Document | None = None
        self.answers = Answers(QUESTIONS, self.jobs, self)
        self.captures = Captures(self.jobs, self)
        self._kept: tuple[Judgement, ...] = ()
        self._disconnect: list[Any] = []
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(WAIT_MS)
        self._timer.timeout.connect(self.recompute)
        self.jobs.changed.connect(self._tell_busy)
        self.answers.ready.connect(self._on_answer)
        self.captures.noticed.connect(self.noticed)
        self.captures.captured.connect(self._take_capture)
        self.captures.recovered.connect(lambda: self._tell_recordings())

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
            document.recordings_changed.connect(lambda _: self._on_recordings()),
        ]
        self.settings.put(LAST_PROJECT, str(folder))
        recent = [str(folder), *(p for p in self.recent() if p != str(folder))][:8]
        self.settings.put(RECENT, "\n".join(recent))
        self.answers.belong_to(document)
        kept = [cached(folder, document.project, r.name) for r in self.recordings()]
        self._kept = tuple(j for j in kept if j is not None)
        self.opened.emit(document)
        if document.notice:
            self.noticed.emit("mind", document.notice)
        self.captures.recover(document)
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
        self._kept = ()
        self.answers.belong_to(None)
        self.captures.forget()

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

    def simulated(self) -> frozenset[str]:
        """Return the names of the recordings that a simulation or the stand-in made."""
        return frozenset(i.name for i in self.recordings() if i.is_practice)

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

    def _on_changed(self, project: Project) -> None:
        self.project_changed.emit(project)
        self._timer.start()

    def _on_recordings(self) -> None:
        self.recordings_changed.emit()
        self._timer.start()

    def _tell_recordings(self) -> None:
        if self.document is not None:
            self.document.recordings_changed.emit(None)

    # Answers

    @property
    def judgements(self) -> tuple[Judgement, ...]:
        """The verdicts of all recordings; until they are asked for, those that were kept and still hold."""
        found: tuple[Judgement, ...] | None = self.answers.result("proof.verdicts")
        return self._kept if found is None else found

    @property
    def prediction(self) -> Any:
        """What Parts and Drift show, or None."""
        return self.answers.result("parts.prediction")

    @property
    def ranking(self) -> Any:
        """The ranking of all combinations of parts, or None."""
        return self.answers.result("parts.ranking")

    @property
    def due_is_known(self) -> bool:
        """Whether it has been worked out what is due."""
        return self.answers.result("bench.due") is not None

    @property
    def due(self) -> tuple[Any, ...]:
        """How each calibration stands; empty until that is known."""
        found: tuple[Any, ...] | None = self.answers.result("bench.due")
        return found or ()

    @property
    def loop_study(self) -> Any:
        """Timing, margins and mixer of the loops, or None."""
        found = self.answers.result("loops.study")
        return found.study if found is not None else None

    @property
    def fusion(self) -> Any:
        """What Fusion shows, or None."""
        return self.answers.result("fusion.run")

    @property
    def fusion_is_current(self) -> bool:
        """Whether the shown study belongs to the chosen recording and the present project."""
        info = self.recording()
        return info is not None and self.answers.is_current("fusion.run", info.name)

    def ask(self, question: str, *asked: Any) -> None:
        """Ask a question anew, whatever is known."""
        self.answers.ask(question, *asked, force=True)

    def ask_of_recording(self, question: str) -> None:
        """Ask a question about the recording that Fusion looks at."""
        info = self.recording()
        if info is not None:
            self.ask(question, info.name)

    def recompute(self) -> None:
        """Compute what the present inputs ask for and is not there yet."""
        self._timer.stop()
        if self.document is None:
            return
        self.predict()
        # What Fusion runs over is judged with it: the others' verdicts wait for it.
        if not self.run_fusion():
            self.answers.ask("proof.verdicts")
        self.ask("bench.due")  # it depends on the day, too
        self.answers.ask("loops.study")

    def predict(self, force: bool = False) -> None:
        """Check all parts and predict what the chosen ones will do."""
        self.answers.ask("parts.prediction", given=self.answers.result("parts.ranking"), force=force)

    def rank(self) -> None:
        """Predict every combination of the available parts."""
        if self.document is not None and not self.project.brief.requirements:
            self.noticed.emit("mind", "There are no requirements to rank by: add one in the brief.")
            return
        self.ask("parts.ranking")

    def run_fusion(self, force: bool = False) -> bool:
        """Run the chosen estimators over the chosen recording; return whether there is anything to run."""
        info = self.recording()
        return info is not None and self.answers.ask("fusion.run", info.name, force=force)

    def start_job(self, title: str, slot: str, work: Callable[[Any], Any], then: Callable[[Any], None]) -> None:
        """Start work (told its progress) in a job of its slot; ``then`` takes what it hands back, and a notice what went wrong."""
        job = Job(title, work)
        job.succeeded.connect(then)
        job.failed.connect(lambda text: self.noticed.emit("stop", text))
        self.jobs.start(job, slot)

    def _on_answer(self, question: str) -> None:
        refusal = self.answers.refusal(question)
        if refusal and question not in TELLS_ITSELF:
            self.noticed.emit("stop", refusal)
        if question == "fusion.run":
            self.answers.ask("proof.verdicts")
        elif question == "parts.ranking" and not refusal:
            self.predict(force=True)

    def _take_capture(self, guide: Any, info: Any) -> None:
        document = self.document
        if document is None:
            return
        book.note(document.folder, "capture", recording=info.name, kind=info.kind, guide=guide.name)
        document.recordings_changed.emit(None)
        if guide.calibration is not None:
            self.ask("bench.fit", guide.calibration, info.name)
        elif guide.name == "check":
            self.ask("bench.check", info.name)
        elif guide.name == "long-still":
            self.ask("bench.allan", info.name)
        self.ask("bench.due")

    def _tell_busy(self) -> None:
        running = self.jobs.running
        self.busy.emit(running[-1] if running else None)
