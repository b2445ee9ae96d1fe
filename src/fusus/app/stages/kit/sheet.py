"""Kit's sheet: contents, constants, equality, cost."""

from fusus.app.desk import Desk
from fusus.app.stages.base import TabbedSheet
from fusus.app.stages.kit.contents_page import ContentsPage
from fusus.app.stages.kit.table_pages import ConstantsPage, CostPage, EqualityPage


class KitSheet(TabbedSheet):
    """What goes onto the board, and why it may be trusted."""

    def __init__(self, desk: Desk) -> None:
        self.contents, self.constants = ContentsPage(desk), ConstantsPage(desk)
        self.equality, self.cost = EqualityPage(desk), CostPage(desk)
        super().__init__(
            desk,
            (
                ("contents", "Contents", self.contents),
                ("constants", "Constants", self.constants),
                ("equality", "Equality", self.equality),
                ("cost", "Cost", self.cost),
            ),
        )
        desk.kitting.ready.connect(lambda _: self.refresh())
        self.refresh()

    def draw(self, name: str) -> None:
        """Draw a page from what the desk holds."""
        pages = {"contents": self.contents, "constants": self.constants, "equality": self.equality, "cost": self.cost}
        pages[name].draw()

    def restyle(self) -> None:
        """Take on the theme's colours."""
        self.cost.restyle()
        self.refresh()
