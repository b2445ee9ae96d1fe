"""What is known before anything is bought: the outlook of the chosen parts, and the ranking of all of them."""

from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, pyqtSignal

from fusus.app.jobs import Job

if TYPE_CHECKING:
    from fusus.app.desk import Desk


class Foresight(QObject):
    """Predictions for the open project, each with the inputs it belongs to."""

    outlook_changed = pyqtSignal(object)  # OutlookResult
    ranked = pyqtSignal(object)  # Ranking

    def __init__(self, desk: "Desk") -> None:
        super().__init__(desk)
        self._desk = desk
        self.outlook: Any = None
        self.ranking: Any = None
        self._outlook_key: object = None
        self._ranking_key: object = None

    def forget(self) -> None:
        """Put all of it away."""
        self.outlook = self.ranking = self._outlook_key = self._ranking_key = None

    def _inputs(self) -> object:
        project = self._desk.project
        return project.brief, project.parts, project.drift, project.bench.measured

    @property
    def outlook_is_current(self) -> bool:
        """Whether the shown prediction belongs to the present inputs."""
        return self.outlook is not None and self._outlook_key == self._inputs()

    @property
    def ranking_is_current(self) -> bool:
        """Whether the shown ranking belongs to the present brief, parts and fitting."""
        return self.ranking is not None and self._ranking_key == self._ranking_inputs()

    def _ranking_inputs(self) -> object:
        parts = self._desk.project.parts
        return self._desk.project.brief, parts.own, parts.fitting, parts.rangefinder

    def run_outlook(self, force: bool = False) -> None:
        """Check all parts and predict what the chosen ones will do."""
        if self._desk.document is None or (self.outlook_is_current and not force):
            return
        project, key, ranking = self._desk.project, self._inputs(), self.ranking

        def work(progress: Any) -> Any:
            from fusus.study.parts.prediction import outlook_result

            return outlook_result(project, ranking, progress)

        def take(result: Any) -> None:
            if self._desk.document is not None and key == self._inputs():
                self.outlook, self._outlook_key = result, key
                self.outlook_changed.emit(result)

        job = Job("Predicting", work)
        job.succeeded.connect(take)
        job.failed.connect(lambda text: self._desk.noticed.emit("stop", text))
        self._desk.jobs.start(job, "outlook")

    def run_ranking(self) -> None:
        """Predict every combination of the available parts."""
        if self._desk.document is None:
            return
        project, key = self._desk.project, self._ranking_inputs()
        if not project.brief.requirements:
            self._desk.noticed.emit("mind", "There are no requirements to rank by: add one in the brief.")
            return

        def work(progress: Any) -> Any:
            from fusus.study.parts.suite import rank_parts

            return rank_parts(project, progress)

        def take(result: Any) -> None:
            if self._desk.document is not None and key == self._ranking_inputs():
                self.ranking, self._ranking_key = result, key
                self.ranked.emit(result)
                self.run_outlook(force=True)

        job = Job("Ranking suites", work)
        job.succeeded.connect(take)
        job.failed.connect(lambda text: self._desk.noticed.emit("stop", text))
        self._desk.jobs.start(job, "ranking")
