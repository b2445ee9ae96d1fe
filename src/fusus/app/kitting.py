"""The kit's questions, each a job on request: what is in it, whether it is equal, what it costs; its export; own code beside it."""

from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, pyqtSignal

from fusus.project.commands import SetValue

if TYPE_CHECKING:
    from fusus.app.desk import Desk


class Kitting(QObject):
    """Results by question: "contents", "proof", "cost", "exported", "own"."""

    ready = pyqtSignal(str)

    def __init__(self, desk: "Desk") -> None:
        super().__init__(desk)
        self._desk = desk
        self._found: dict[str, tuple[str, Any]] = {}
        self._asked = ""

    def forget(self) -> None:
        """Put all of it away: another project lies on the desk."""
        self._found, self._asked = {}, ""

    def result(self, question: str) -> Any:
        """Return the newest answer, or None."""
        return self._found.get(question, ("", None))[1]

    def is_current(self, question: str) -> bool:
        """Whether an answer belongs to what a kit of the project would be made of now."""
        return question in self._found and self._found[question][0] == self._state()

    def _state(self) -> str:
        from fusus.study.kit.state import state_of

        return state_of(self._desk.project) if self._desk.document is not None else ""

    def read_contents(self) -> None:
        """Make the files and list the constants, once for each state of the project."""
        if self._desk.document is None or self._asked == self._state():
            return
        self._asked = self._state()

        def work(folder: Any, project: Any, _progress: Any) -> Any:
            from fusus.firmware.writing.kit import constants_of
            from fusus.study.kit.planning import plan_of
            from fusus.study.kit.writing import files_of

            plan = plan_of(project)
            return plan, files_of(folder, project, plan), constants_of(plan)

        self._start("Making the kit", "contents", work)

    def export(self, target: Path) -> None:
        """Write the kit to a folder and note it in the project."""

        def work(folder: Any, project: Any, _progress: Any) -> Any:
            from fusus.study.kit.planning import plan_of
            from fusus.study.kit.writing import files_of, write_kit

            plan = plan_of(project)
            return write_kit(target, files_of(folder, project, plan), plan)

        def take(found: Any) -> None:
            self._desk.do(SetValue("kit.exported", found, "Export the kit"))
            self._desk.noticed.emit(
                "fine", f"Written: {len(found.files)} files in {target}. “make check” there proves it again."
            )

        self._start(f"Writing the kit to {target.name}", "exported", work, take)

    def prove(self) -> None:
        """Compile the kit here and hold it against the core over all recordings."""

        def work(folder: Any, project: Any, progress: Any) -> Any:
            from fusus.study.kit.proving import prove_kit

            return prove_kit(folder, project, progress=progress)

        def take(found: Any) -> None:
            exported = self._desk.project.kit.exported
            if found.why_not:
                self._desk.noticed.emit("stop", found.why_not)
            elif exported is not None and exported.state == found.state:
                told = exported.model_copy(update={"equal": found.is_equal})
                self._desk.do(SetValue("kit.exported", told, "Prove the kit"))

        self._start("Proving the kit", "proof", work, take)

    def count(self) -> None:
        """Count what it costs."""

        def work(folder: Any, project: Any, _progress: Any) -> Any:
            from fusus.study.kit.costing import cost_of, into_loops
            from fusus.study.loops.axes import study_loops

            cost = cost_of(folder, project)
            return cost, study_loops(into_loops(cost, project).apply(project))

        self._start("Counting what the kit costs", "cost", work)

    def put_into_loops(self) -> None:
        """Put the durations into the control cycle."""
        found = self.result("cost")
        if found is None:
            return
        from fusus.study.kit.costing import into_loops

        self._desk.do(into_loops(found[0], self._desk.project))
        self._desk.noticed.emit(
            "fine", "The kit's durations stand in Loops; the gains that follow from them are designed anew."
        )

    def own_case(self, name: str) -> Any:
        """Return how the maker's own code did over a recording or a simulated flight; None where it was not tried."""
        study = self.result("own")
        return next((c for c in study.cases if c.name == name), None) if study is not None else None

    def check_own(self, sources: Path, recordings: list[str], flights: tuple[tuple[str, int], ...]) -> None:
        """Compile and run the maker's own code in the sandbox; whoever calls this has asked."""

        def work(folder: Any, project: Any, progress: Any) -> Any:
            from fusus.study.kit.own import check_own

            return check_own(folder, project, sources, recordings or None, flights, progress)

        self._start(f"Trying {sources.name}", "own", work)

    def _start(self, title: str, question: str, work: Any, then: Any = None) -> None:
        document = self._desk.document
        if document is None:
            return
        folder, project, state = document.folder, document.project, self._state()

        def take(found: Any) -> None:
            if self._desk.document is None:
                return
            self._found[question] = (state, found)
            if then is not None:
                then(found)
            self.ready.emit(question)

        self._desk.start_job(title, f"kit-{question}", lambda progress: work(folder, project, progress), take)
