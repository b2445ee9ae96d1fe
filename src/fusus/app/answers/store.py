"""One store of answers: what was asked, from which inputs, what came of it, whether it still holds, and that it can be cancelled.

A stage asks by name; the work runs in a worker thread on a project that notes what is read of it (:mod:`fusus.project.reads`). An
answer is current as long as a computation from the project and its files as they are now would read the same.
"""

import time
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from fusus.app.jobs import Job, JobRunner
from fusus.project.document import Document
from fusus.project.reads import Reads, recorded
from fusus.project.records import Project

LOOK_AGAIN_S = 1.0  # files may change behind the window's back


@dataclass(frozen=True, slots=True)
class Inputs:
    """What a computation may look at. ``given``: answers to other questions, handed on."""

    folder: Path
    project: Project
    progress: Any
    given: Any = None


@dataclass(frozen=True, slots=True)
class Question:
    """A question of a stage: its name, a title for what is asked, and the work that answers it (inputs, then what is asked)."""

    name: str
    title: Callable[..., str]
    work: Callable[..., Any]


@dataclass(slots=True)
class Answer:
    """What came of a question: ``found``, or the words of a refusal; what was asked, and what was read for it."""

    asked: tuple[Any, ...]
    reads: Reads
    given: Any = None
    found: Any = None
    refusal: str = ""
    seen: tuple[Any, float, bool] = field(default=(None, 0.0, False))

    def holds(self, project: Project) -> bool:
        """Return whether the same would be read now; looked up anew for another project, and once a second."""
        known, at, value = self.seen
        if known is not project or time.monotonic() - at > LOOK_AGAIN_S:
            value = self.reads.still_hold(project)
            self.seen = (project, time.monotonic(), value)
        return value


class Answers(QObject):
    """The newest answer to each question about the open document."""

    ready = pyqtSignal(str)  # the question that has a new answer, or a refusal

    def __init__(self, questions: tuple[Question, ...], jobs: JobRunner, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._questions = {q.name: q for q in questions}
        self._jobs = jobs
        self._document: Document | None = None
        self._answers: dict[str, Answer] = {}
        self._running: dict[str, tuple[Job, tuple[Any, ...], Project]] = {}

    def belong_to(self, document: Document | None) -> None:
        """Answer questions about another document from now on, or about none."""
        self._document = document
        self._answers, self._running = {}, {}

    def ask(
        self, name: str, *asked: Any, given: Any = None, force: bool = False, then: Callable[[Any], None] | None = None
    ) -> bool:
        """Start the job that answers a question, unless its answer is current or on its way; return whether it was started.

        ``then`` takes what is found before anybody is told.
        """
        document = self._document
        if document is None or (not force and (self.is_current(name, *asked) or self._is_on_its_way(name, asked))):
            return False
        question, project, folder = self._questions[name], document.project, document.folder
        answer = Answer(asked, Reads(), given)

        def work(progress: Any) -> Any:
            with recorded(project) as (watched, reads):
                answer.reads = reads
                return question.work(Inputs(folder, watched, progress, given), *asked)

        job = Job(question.title(*asked), work)

        def take(found: Any = None, refusal: str = "") -> None:
            if self._document is not document:
                return
            answer.found, answer.refusal = found, refusal
            self._answers[name] = answer
            if then is not None and not refusal:
                then(found)
            self.ready.emit(name)

        def end() -> None:
            if self._running.get(name, (None,))[0] is job:
                del self._running[name]

        job.succeeded.connect(take)
        job.failed.connect(lambda text: take(refusal=text))
        job.ended.connect(end)
        self._running[name] = (job, asked, project)
        self._jobs.start(job, name)
        return True

    def _is_on_its_way(self, name: str, asked: tuple[Any, ...]) -> bool:
        found = self._running.get(name)
        return (
            found is not None
            and self._document is not None
            and not found[0].is_cancelled
            and (found[1], found[2]) == (asked, self._document.project)
        )

    def result(self, name: str) -> Any:
        """Return what was found last, or None."""
        found = self._answers.get(name)
        return found.found if found is not None else None

    def refusal(self, name: str) -> str:
        """Return why the question could not be answered last; empty where it was, or was not asked."""
        found = self._answers.get(name)
        return found.refusal if found is not None else ""

    def is_current(self, name: str, *asked: Any) -> bool:
        """Return whether there is an answer, or a refusal, and it belongs to the project as it is; ``asked``: also to this."""
        found = self._answers.get(name)
        if found is None or self._document is None or (asked and asked != found.asked):
            return False
        return found.holds(self._document.project)
