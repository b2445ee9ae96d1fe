"""Proof's questions, each a job on request: a cell in full, causes of wandering, flights pooled, references, test cards."""

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, Qt, pyqtSignal
from PyQt6.QtGui import QImageReader

from fusus.errors import FususError
from fusus.project.commands import DeclareReference

if TYPE_CHECKING:
    from fusus.app.desk import Desk

OWN = "own"  # the source of a verdict: the maker's own code


class Proving(QObject):
    """Results by question: "stretch", "causes", "pooled", "reference", "cards", "logbook", "written", "picture"."""

    ready = pyqtSignal(str)

    def __init__(self, desk: "Desk") -> None:
        super().__init__(desk)
        self._desk = desk
        self._found: dict[str, tuple[object, Any]] = {}
        self.envelope: Any = None  # of the stretch, in the shown unit

    def forget(self) -> None:
        """Put all of it away: another project lies on the desk."""
        self._found = {}

    def result(self, question: str) -> Any:
        """Return the newest answer, or None."""
        return self._found.get(question, (None, None))[1]

    def is_current(self, question: str) -> bool:
        """Whether an answer belongs to the project as it is now."""
        return question in self._found and self._found[question][0] == self._desk.project

    def show_stretch(self, recording: str, requirement: str, source: str) -> None:
        """See one requirement over one recording in full."""
        desk = self._desk
        done = desk.study.study if desk.study_is_current else None
        own = desk.kitting.own_case(recording) if source == OWN else None

        def work(folder: Any, project: Any, progress: Any) -> Any:
            from fusus.app.figures.long import Envelope
            from fusus.app.text import KIND_OF_UNIT, SHOWN
            from fusus.core.frames.units import from_si
            from fusus.study.proof.stretch import stretch_in, stretch_of

            found = (
                stretch_in(recording, source, own.own, own.verdict(requirement), float(own.t_s[0]))
                if own is not None
                else stretch_of(folder, project, recording, requirement, source, progress, done)
            )
            unit = found.requirement.unit
            shown = found.errors * from_si(1.0, SHOWN[unit][0], KIND_OF_UNIT[unit])
            self.envelope = Envelope(found.t_s, shown)  # of hours it takes too long for the window's own thread
            return found

        self._start(f"Looking at {recording}", "stretch", work)

    def find_causes(self, recording: str, span: tuple[float, float] | None) -> None:
        """See why a recording wandered."""

        def work(folder: Any, project: Any, progress: Any) -> Any:
            from fusus.study.proof.drift_causes import wander_of

            return recording, wander_of(folder, project, recording, span, progress)

        self._start(f"Looking for causes in {recording}", "causes", work)

    def pool(self) -> None:
        """Judge all flights together."""

        def work(folder: Any, project: Any, progress: Any) -> Any:
            from fusus.study.proof.pooling import pool, pooled_report

            return pooled_report(pool(folder, project, progress))

        self._start("Judging all flights together", "pooled", work)

    def read_reference(self, recording: str) -> None:
        """See what a recording is held against."""

        def work(folder: Any, project: Any, _progress: Any) -> Any:
            from fusus.study.proof.referencing import declared_report

            return declared_report(folder, project, recording)

        self._start(f"Reading the reference of {recording}", "reference", work)

    def align(self, declared: Any) -> None:
        """Find the clock of a declared reference, and keep it."""

        def work(folder: Any, project: Any, _progress: Any) -> Any:
            from fusus.study.proof.referencing import aligned

            return aligned(folder, project, declared)

        def take(found: Any) -> None:
            self._desk.do(DeclareReference(found.recording, found, "Align the reference's clock"))
            self._desk.noticed.emit(
                "fine", f"The reference's clock: {found.clock_offset_s * 1000:+.1f} ms, {found.clock_ppm:+.1f} ppm."
            )

        self._start("Comparing clocks", "aligned", work, take)

    def read_cards(self) -> None:
        """See how far the ladder of test cards is."""

        def work(folder: Any, project: Any, _progress: Any) -> Any:
            from fusus.study.keeping.card_results import cards_report

            return cards_report(folder, project)

        self._start("Reading the test cards", "cards", work)

    def note_card(self, card: str, result: str, recording: str | None, words: str) -> None:
        """Write a card's result into the book."""
        document = self._desk.document
        if document is None:
            return
        from fusus.study.keeping.card_results import note_result

        try:
            note_result(document.folder, document.project, card, result, recording, words)
        except FususError as error:
            self._desk.noticed.emit("stop", str(error))
            return
        self.read_cards()

    def read_logbook(self) -> None:
        """See what is due when, firmware versions and the list before a flight."""

        def work(folder: Any, project: Any, _progress: Any) -> Any:
            from fusus.study.keeping.logbook import logbook_report

            return logbook_report(folder, project)

        self._start("Reading the book", "logbook", work)

    def write_entry(self, what: str, words: str, details: dict[str, Any], attached: tuple[Path, ...]) -> None:
        """Write an event with its pictures into the book; pictures are looked at and copied in the job."""

        def work(folder: Any, _project: Any, _progress: Any) -> Any:
            from fusus.project import book, pictures

            book.add_event(
                folder, what, words, **details, pictures=[pictures.attach(folder, p) for p in attached] or None
            )

        self._start("Writing into the book", "written", work)

    def show_picture(self, place: str, width: int, height: int) -> None:
        """Read a picture of the book, made small enough for a place of so many pixels."""

        def work(folder: Any, _project: Any, _progress: Any) -> Any:
            reader = QImageReader(str(folder / place))
            reader.setAutoTransform(True)
            size = reader.size()
            if size.isValid():
                reader.setScaledSize(size.scaled(width, height, Qt.AspectRatioMode.KeepAspectRatio))
            return place, reader.read()

        self._start(f"Reading {place}", "picture", work)

    def _start(
        self, title: str, question: str, work: Callable[[Any, Any, Any], Any], then: Callable[[Any], None] | None = None
    ) -> None:
        document = self._desk.document
        if document is None:
            return
        folder, project = document.folder, document.project

        def take(found: Any) -> None:
            if self._desk.document is None:
                return
            self._found[question] = (project, found)
            if then is not None:
                then(found)
            self.ready.emit(question)

        self._desk.start_job(title, f"proving-{question}", lambda progress: work(folder, project, progress), take)
