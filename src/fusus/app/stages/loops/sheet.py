"""Loops' sheet: control cycle, step and margins, what the loops bear, tuning ladders, flight, what a recording shows, motors."""

from fusus.app.desk import Desk
from fusus.app.stages.base import TabbedSheet
from fusus.app.stages.loops.cycle_page import CyclePage
from fusus.app.stages.loops.flight_page import FlightPage
from fusus.app.stages.loops.flown_page import FlownPage
from fusus.app.stages.loops.ladder_page import LadderPage
from fusus.app.stages.loops.margins_page import MarginsPage
from fusus.app.stages.loops.table_pages import BearsPage, MotorsPage


class LoopsSheet(TabbedSheet):
    """Seven pages, a file each but for the tables."""

    def __init__(self, desk: Desk) -> None:
        self.cycle, self.margins, self.bears = CyclePage(), MarginsPage(), BearsPage(desk)
        self.ladder, self.flight, self.flown, self.motors = (
            LadderPage(desk),
            FlightPage(desk),
            FlownPage(desk),
            MotorsPage(),
        )
        super().__init__(
            desk,
            (
                ("timing", "Cycle", self.cycle),
                ("margins", "Margins", self.margins),
                ("spread", "It bears", self.bears),
                ("ladder", "Ladder", self.ladder),
                ("flight", "Flight", self.flight),
                ("flown", "As flown", self.flown),
                ("motors", "Motors", self.motors),
            ),
        )
        desk.looping.changed.connect(self.refresh)
        desk.looping.played.connect(self.refresh)
        desk.flying.changed.connect(lambda _: self.refresh())
        self.refresh()

    def draw(self, name: str) -> None:
        """Draw one page."""
        study = self.desk.looping.study
        if study is None:
            self.cycle.timeline.title.setText(self.desk.looping.refusal or "The loops are being worked out …")
            return
        {
            "timing": self.cycle,
            "margins": self.margins,
            "spread": self.bears,
            "ladder": self.ladder,
            "flight": self.flight,
            "flown": self.flown,
            "motors": self.motors,
        }[name].draw(study)

    def restyle(self) -> None:
        """Take on the theme's colours."""
        for page in (self.cycle, self.margins, self.ladder, self.flight, self.flown):
            page.restyle()
        self.refresh()
