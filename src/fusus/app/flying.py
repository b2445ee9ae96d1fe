"""Closed-loop flights of the open project's craft, and what a flight recording shows of its loops; each a job on request."""

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, pyqtSignal

if TYPE_CHECKING:
    from fusus.app.desk import Desk


class Flying(QObject):
    """Flights and identification flown or looked into last, with the inputs they belong to."""

    changed = pyqtSignal(str)  # "flights" or "identified"

    def __init__(self, desk: "Desk") -> None:
        super().__init__(desk)
        self._desk = desk
        self._found: dict[str, tuple[object, Any]] = {}

    def forget(self) -> None:
        """Put all of it away: another project lies on the desk."""
        self._found = {}

    def result(self, what: str) -> Any:
        """Return the newest flights or identification, or None."""
        return self._found.get(what, (None, None))[1]

    def is_current(self, what: str) -> bool:
        """Whether a result belongs to the present inputs."""
        return what in self._found and self._found[what][0] == self._inputs()

    def findings(self) -> tuple[Any, ...]:
        """Return what flights and identification of the present inputs say."""
        return tuple(
            f for what in ("identified", "flights") if self.is_current(what) for f in self.result(what).findings
        )

    def _inputs(self) -> object:
        project = self._desk.project
        fusion = project.fusion
        return (
            project.brief,
            project.parts,
            project.loops,
            project.bench.measured,
            fusion.estimators[0],
            fusion.navigation_ekf,
        )

    def fly(self, scenario: str, seed: int, flights: int, trouble: str | None = None) -> None:
        """Fly a scenario so many times, with one thing wrong on purpose or none."""
        document = self._desk.document
        if document is None:
            return
        folder, project = document.folder, document.project

        def work(progress: Any) -> Any:
            from fusus.study.bench.calibration_status import due_all
            from fusus.study.flying.closed_loop import simulate_flights

            due = any(d.is_due for d in due_all(folder, project))
            return simulate_flights(project, scenario, seed, flights, progress, calibration_due=due, trouble=trouble)

        self._start(f"Flying: {scenario}", "flights", work)

    def look_into(self, recording: str) -> None:
        """See what a recording shows of the loops."""
        document = self._desk.document
        if document is None:
            return
        folder, project = document.folder, document.project

        def work(_progress: Any) -> Any:
            from fusus.study.flying.identify import identify_flight

            return identify_flight(folder, project, recording)

        self._start(f"Looking into {recording}", "identified", work)

    def keep(self, scenario: str, seed: int, trouble: str | None = None) -> None:
        """Fly a scenario once and keep it as a recording like any other."""

        def make(folder: Any, project: Any, name: str) -> Any:
            from fusus.study.flying.closed_loop import keep_closed_flight

            return keep_closed_flight(folder, project, scenario, seed, name, trouble=trouble)

        self._desk.fusing.keep(f"flown-{scenario}-{seed}", make)

    def _start(self, title: str, what: str, work: Callable[[Any], Any]) -> None:
        if self._desk.document is None:
            return
        inputs = self._inputs()

        def take(found: Any) -> None:
            if self._desk.document is not None:
                self._found[what] = (inputs, found)
                self.changed.emit(what)

        self._desk.start_job(title, f"flying-{what}", work, take)
