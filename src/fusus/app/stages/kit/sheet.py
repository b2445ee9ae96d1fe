"""Kit's sheet: contents, constants, equality, cost."""

from fusus.app.session import Session
from fusus.app.stages.base import Page, TabbedSheet
from fusus.app.stages.kit.contents_page import ContentsPage
from fusus.app.stages.kit.table_pages import ConstantsPage, CostPage, EqualityPage


class KitSheet(TabbedSheet):
    """What goes onto the board, and why it may be trusted."""

    def __init__(self, session: Session) -> None:
        self.contents, self.constants = ContentsPage(session), ConstantsPage(session)
        self.equality, self.cost = EqualityPage(session), CostPage(session)
        super().__init__(
            session,
            (
                ("contents", "Contents", self.contents),
                ("constants", "Constants", self.constants),
                ("equality", "Equality", self.equality),
                ("cost", "Cost", self.cost),
            ),
        )
        session.answers.ready.connect(self._on_ready)
        self.refresh()

    def _on_ready(self, question: str) -> None:
        if question.startswith("kit."):
            self.refresh()

    def draw(self, name: str) -> None:
        """Draw a page from what the session holds."""
        pages: dict[str, Page] = {
            "contents": self.contents,
            "constants": self.constants,
            "equality": self.equality,
            "cost": self.cost,
        }
        pages[name].draw()

    def restyle(self) -> None:
        """Take on the theme's colours."""
        self.cost.restyle()
        self.refresh()
