"""Fusion's longer questions, each a job on request: sensors taken out, faults, schools, likelihood, survey, simulated flights."""

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, pyqtSignal

from fusus.project import book
from fusus.project.commands import SetValue

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
        return question in self._results and self._results[question][0] == self._key(question)

    def _key(self, question: str) -> str:
        """Return what the present inputs of a question are: simulated flights need no recording."""
        desk = self._desk
        if question != "simulate":
            return desk.fusion_key()
        fusion = desk.project.fusion.model_copy(update={"recording": None, "outages": ()})
        return desk.project.model_copy(update={"fusion": fusion}).model_dump_json()

    def ask(self, question: str) -> None:
        """Start the job that answers a question for the chosen recording."""
        desk = self._desk
        info = desk.recording()
        if desk.document is None or info is None:
            return
        folder, project, key, name = desk.document.folder, desk.project, desk.fusion_key(), info.name

        def work(progress: Any) -> Any:
            return _answer(question)(folder, project, name, progress)

        self._start(f"{TITLES[question]}: {name}", question, work, lambda found: self._take(question, key, found))

    def simulate(self, scenario: str, seed: int, flights: int) -> None:
        """Start the job that flies a scenario so many times with the project's parts."""
        if self._desk.document is None:
            return
        project, key = self._desk.project, self._key("simulate")

        def work(progress: Any) -> Any:
            from fusus.study.flying.open_loop import simulate

            return simulate(project, scenario, seed, flights, progress)

        self._start(f"Simulating: {scenario}", "simulate", work, lambda found: self._take("simulate", key, found))

    def compare(self, before: str, after: str) -> None:
        """Start the job that tells whether a recording is really better or worse than another."""
        document = self._desk.document
        if document is None:
            return
        folder, project, key = document.folder, document.project, self._desk.fusion_key()

        def work(progress: Any) -> Any:
            from fusus.study.proof.before_after import changes_report, compare_recordings

            return changes_report(compare_recordings(folder, project, before, after, progress), before, after)

        self._start(
            f"Comparing {before} with {after}", "difference", work, lambda found: self._take("difference", key, found)
        )

    def keep_flight(self, scenario: str, seed: int) -> None:
        """Fly a scenario once and keep it as a recording; then look at it."""

        def make(folder: Any, project: Any, name: str) -> Any:
            from fusus.study.flying.open_loop import keep_flight

            return keep_flight(folder, project, scenario, seed, name)

        self.keep(f"simulated-{scenario}-{seed}", make)

    def keep(self, base: str, make: Callable[[Path, Any, str], Any]) -> None:
        """Keep what ``make`` writes (folder, project, name) as a recording under a name that is free; then look at it."""
        document = self._desk.document
        if document is None:
            return
        if document.read_only:
            self._desk.noticed.emit("mind", "This project is open read-only; no recording can be kept in it.")
            return
        taken = {r.name for r in self._desk.recordings()}
        name, n = base, 2
        while name in taken:
            name, n = f"{base}-{n}", n + 1
        project = document.project

        def work(_progress: Any) -> Any:
            return make(document.folder, project, name)

        self._start(f"Flying {name}", "keep", work, lambda _: self._look_at(name))

    def export(self, path: Path) -> None:
        """Write the judged estimate that is shown, as a table or as a track, by the file's ending."""
        result = self._desk.study
        if result is None:
            self._desk.noticed.emit("mind", "There is no estimate yet: choose a recording and run Fusion.")
            return

        def work(_progress: Any) -> Any:
            from fusus.study.fusion.exporting import export_estimate

            export_estimate(result.study, path)

        written = (
            f"Saved {path.name}: {result.study.judged.replay.estimator.title} over {result.study.request.recording}."
        )
        self._start(f"Writing {path.name}", "export", work, lambda _: self._desk.noticed.emit("fine", written))

    def write_report(self, path: Path) -> None:
        """Write the project's report, as a page or for print, by the file's ending."""
        document = self._desk.document
        if document is None:
            return
        folder, project = document.folder, document.project

        def work(progress: Any) -> Any:
            from fusus.report.write import write_report

            write_report(folder, project, path, progress)

        self._start(
            f"Writing {path.name}", "report", work, lambda _: self._desk.noticed.emit("fine", f"Saved {path.name}.")
        )

    def _start(self, title: str, slot: str, work: Callable[[Any], Any], then: Callable[[Any], None]) -> None:
        self._desk.start_job(title, f"fusing-{slot}", work, then)

    def _look_at(self, name: str) -> None:
        document = self._desk.document
        if document is None:
            return
        book.note(document.folder, "flight simulated", recording=name)
        document.recordings_changed.emit(None)
        self._desk.do(SetValue("fusion.recording", name, f"Look at {name}"))
        self._desk.noticed.emit("fine", f"Kept as recording “{name}”.")

    def _take(self, question: str, key: str, found: Any) -> None:
        if self._desk.document is None:
            return
        self._results[question] = (key, found)
        self.ready.emit(question)


def _answer(question: str) -> Callable[..., Any]:
    """Return the work behind a question; imported here, in the worker thread, since it is heavy to load."""
    from fusus.study.fusion import questions

    return questions.QUESTIONS[question]
