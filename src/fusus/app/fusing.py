"""Fusion's longer questions, each a job on request: sensors taken out, faults, schools, likelihood, survey."""

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, pyqtSignal

from fusus.app.jobs import Job

if TYPE_CHECKING:
    from fusus.app.desk import Desk

TITLES = {
    "ablation": "Taking sensors out",
    "faults": "Trying faults",
    "schools": "Comparing schools",
    "likelihood": "Tuning by likelihood",
    "survey": "Surveying the flight",
}


class Fusing(QObject):
    """Results by question, each with the key of the inputs that it belongs to."""

    ready = pyqtSignal(str)  # which question

    def __init__(self, desk: "Desk") -> None:
        super().__init__(desk)
        self._desk = desk
        self._results: dict[str, tuple[str, Any]] = {}

    def forget(self) -> None:
        """Drop all results: another project lies on the desk."""
        self._results = {}

    def result(self, question: str) -> Any:
        """Return the newest result of a question, or None."""
        return self._results.get(question, ("", None))[1]

    def is_current(self, question: str) -> bool:
        """Whether a result belongs to the present inputs."""
        return question in self._results and self._results[question][0] == self._desk.fusion_key()

    def ask(self, question: str) -> None:
        """Start the job that answers a question for the chosen recording."""
        desk = self._desk
        info = desk.recording()
        if desk.document is None or info is None:
            return
        folder, project, key, name = desk.document.folder, desk.project, desk.fusion_key(), info.name

        def work(progress: Any) -> Any:
            return _answer(question)(folder, project, name, progress)

        job = Job(f"{TITLES[question]}: {name}", work)
        job.succeeded.connect(lambda found: self._take(question, key, found))
        job.failed.connect(lambda text: desk.noticed.emit("stop", text))
        desk.jobs.start(job, f"fusing-{question}")

    def _take(self, question: str, key: str, found: Any) -> None:
        if self._desk.document is None:
            return
        self._results[question] = (key, found)
        self.ready.emit(question)


def _answer(question: str) -> Callable[..., Any]:
    """Return the work behind a question; imported here, in the worker thread, since it is heavy to load."""
    from fusus.study import asking

    return asking.QUESTIONS[question]
