"""Loops' sheet: control cycle, step and margins, what the loops bear, tuning ladders, flight,
failsafes, what a recording shows, motors."""

from typing import Any, Protocol

from fusus.app.session import Session
from fusus.app.stages.base import TabbedSheet
from fusus.app.stages.loops.cycle_page import CyclePage
from fusus.app.stages.loops.failsafe_page import FailsafePage
from fusus.app.stages.loops.flight_page import FlightPage
from fusus.app.stages.loops.flown_page import FlownPage
from fusus.app.stages.loops.ladder_page import LadderPage
from fusus.app.stages.loops.margins_page import MarginsPage
from fusus.app.stages.loops.table_pages import BearsPage, MotorsPage


class StudyPage(Protocol):
    """A page on the loops as they were worked out."""

    def draw(self, study: Any, /) -> None:
        """Draw it."""


class LoopsSheet(TabbedSheet):
    """Eight pages, a file each but for the tables."""

    def __init__(self, session: Session) -> None:
        self.cycle, self.margins, self.bears = CyclePage(), MarginsPage(), BearsPage(session)
        self.failsafes = FailsafePage(session)
        self.ladder, self.flight, self.flown, self.motors = (
            LadderPage(session),
            FlightPage(session),
            FlownPage(session),
            MotorsPage(),
        )
        super().__init__(
            session,
            (
                ("timing", "Cycle", self.cycle),
                ("margins", "Margins", self.margins),
                ("spread", "Robustness", self.bears),
                ("ladder", "Ladder", self.ladder),
                ("flight", "Flight", self.flight),
                ("failsafes", "Failsafes", self.failsafes),
                ("flown", "Identification", self.flown),
                ("motors", "Motors", self.motors),
            ),
        )
        session.answers.ready.connect(self._on_ready)
        session.project_changed.connect(lambda _: self._on_project())
        self.refresh()

    def _on_ready(self, question: str) -> None:
        if question.startswith("loops."):
            self.refresh()

    def _on_project(self) -> None:
        """Draw the failsafes anew: they follow from figures that nothing else here is worked out from."""
        self._due.add(self.names.index("failsafes"))
        if self.isVisible():
            self._draw_due()

    def draw(self, name: str) -> None:
        """Draw one page."""
        study = self.session.loop_study
        if study is None:
            self.cycle.timeline.title.setText(
                self.session.answers.refusal("loops.study") or "The loops are being worked out …"
            )
            return
        pages: dict[str, StudyPage] = {
            "timing": self.cycle,
            "margins": self.margins,
            "spread": self.bears,
            "ladder": self.ladder,
            "flight": self.flight,
            "failsafes": self.failsafes,
            "flown": self.flown,
            "motors": self.motors,
        }
        pages[name].draw(study)

    def restyle(self) -> None:
        """Take on the theme's colours."""
        for page in (self.cycle, self.margins, self.ladder, self.flight, self.flown):
            page.restyle()
        self.refresh()
