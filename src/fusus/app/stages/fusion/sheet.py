"""Fusion's sheet: errors, consistency, sensors taken out, faults, schools, simulated flights."""

from fusus.app.desk import Desk
from fusus.app.stages.base import TabbedSheet
from fusus.app.stages.fusion.consistency_page import ConsistencyPage
from fusus.app.stages.fusion.errors_page import ErrorsPage
from fusus.app.stages.fusion.question_page import ablation_page, faults_page, schools_page
from fusus.app.stages.fusion.simulated_page import SimulatedPage


class FusionSheet(TabbedSheet):
    """Pages on one recording and the estimators that run over it, and one on flights that are simulated."""

    def __init__(self, desk: Desk) -> None:
        self.errors, self.consistency = ErrorsPage(desk), ConsistencyPage(desk)
        self.questions = {"ablation": ablation_page(desk), "faults": faults_page(desk), "schools": schools_page(desk)}
        self.simulated = SimulatedPage(desk)
        super().__init__(
            desk,
            (
                ("errors", "Errors", self.errors),
                ("consistency", "Consistency", self.consistency),
                ("ablation", "Sensors out", self.questions["ablation"]),
                ("faults", "Faults", self.questions["faults"]),
                ("schools", "Schools", self.questions["schools"]),
                ("simulate", "Simulated", self.simulated),
            ),
        )
        desk.fusing.ready.connect(self._on_ready)
        self.refresh()

    def draw(self, name: str) -> None:
        """Draw a page from what the desk holds."""
        page = {"errors": self.errors, "consistency": self.consistency, "simulate": self.simulated, **self.questions}[
            name
        ]
        page.draw()

    def restyle(self) -> None:
        """Take on the theme's colours."""
        self.errors.restyle()
        self.consistency.restyle()
        self.refresh()

    def _on_ready(self, question: str) -> None:
        if question in self.names:
            self._due.add(self.names.index(question))
            self._draw_due()
