"""What the loops of the open project come to, with the inputs it belongs to."""

from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, pyqtSignal

from fusus.app.jobs import Job

if TYPE_CHECKING:
    from fusus.app.desk import Desk


class Looping(QObject):
    """Timing, margins, mixer and findings of the loops, what they bear, and the ladder played last."""

    changed = pyqtSignal()
    played = pyqtSignal()

    def __init__(self, desk: "Desk") -> None:
        super().__init__(desk)
        self._desk = desk
        self.study: Any = None
        self.findings: tuple[Any, ...] = ()
        self.spread: tuple[Any, ...] = ()
        self.refusal = ""
        self.rungs: tuple[Any, ...] = ()
        self._key: object = None
        self._played: object = None

    def forget(self) -> None:
        """Put all of it away."""
        self.study, self.findings, self.spread, self.refusal, self._key = None, (), (), "", None
        self.rungs, self._played = (), None

    def played_is_current(self, axis: str, ladder: str) -> bool:
        """Whether the rungs shown are of this ladder on this axis with the present inputs."""
        return self._played is not None and self._played == (axis, ladder, self._inputs())

    def play(self, axis: str, ladder: str) -> None:
        """Play a tuning ladder on an axis."""
        study = self.study
        if study is None or self.played_is_current(axis, ladder):
            return
        key = (axis, ladder, self._inputs())

        def work(_progress: Any) -> Any:
            from fusus.study.loops.tuning_steps import play_ladder

            return play_ladder(study, axis, ladder)

        def take(found: Any) -> None:
            self.rungs, self._played = found, key
            self.played.emit()

        job = Job(f"Playing “{ladder}”", work)
        job.succeeded.connect(take)
        job.failed.connect(lambda text: self._desk.noticed.emit("stop", text))
        self._desk.jobs.start(job, "ladder")

    def _inputs(self) -> object:
        brief = self._desk.project.brief
        return brief.craft, brief.place, self._desk.project.loops

    @property
    def is_current(self) -> bool:
        """Whether what is shown belongs to the present inputs."""
        return self._key is not None and self._key == self._inputs()

    def run(self, force: bool = False) -> None:
        """Work the loops out."""
        if self._desk.document is None or (self.is_current and not force):
            return
        project, key = self._desk.project, self._inputs()

        def work(_progress: Any) -> Any:
            from fusus.study.loops.axes import study_loops
            from fusus.study.loops.findings import findings
            from fusus.study.loops.spread import spread

            study = study_loops(project)
            return study, findings(study), spread(study)

        def take(found: Any) -> None:
            if self._desk.document is not None and key == self._inputs():
                (self.study, self.findings, self.spread), self.refusal, self._key = found, "", key
                self.changed.emit()

        def refuse(text: str) -> None:
            if self._desk.document is not None and key == self._inputs():
                self.forget()
                self.refusal, self._key = text, key
                self.changed.emit()

        job = Job("Working the loops out", work)
        job.succeeded.connect(take)
        job.failed.connect(refuse)
        self._desk.jobs.start(job, "loops")
