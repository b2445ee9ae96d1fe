"""Fusion's sheet: recordings and their signals, errors, consistency, sensors taken out, faults, schools, simulated flights."""

from fusus.app.session import Session
from fusus.app.stages.base import Page, TabbedSheet
from fusus.app.stages.fusion.consistency_page import ConsistencyPage
from fusus.app.stages.fusion.errors_page import ErrorsPage
from fusus.app.stages.fusion.question_page import ablation_page, faults_page, schools_page
from fusus.app.stages.fusion.recordings_page import RecordingsPage
from fusus.app.stages.fusion.signals_page import SignalsPage
from fusus.app.stages.fusion.simulated_page import SimulatedPage


class FusionSheet(TabbedSheet):
    """Pages on one recording and the estimators that run over it, and one on flights that are simulated."""

    def __init__(self, session: Session) -> None:
        self.errors, self.consistency = ErrorsPage(session), ConsistencyPage(session)
        self.questions = {
            "ablation": ablation_page(session),
            "faults": faults_page(session),
            "schools": schools_page(session),
        }
        self.simulated = SimulatedPage(session)
        self.signals, self.recordings = SignalsPage(session), RecordingsPage(session)
        super().__init__(
            session,
            (
                ("recordings", "Recordings", self.recordings),
                ("signals", "Signals", self.signals),
                ("errors", "Errors", self.errors),
                ("consistency", "Consistency", self.consistency),
                ("ablation", "Ablation", self.questions["ablation"]),
                ("faults", "Faults", self.questions["faults"]),
                ("schools", "Schools", self.questions["schools"]),
                ("simulated", "Simulated", self.simulated),
            ),
        )
        session.answers.ready.connect(self._on_ready)
        # Without a reference there are no errors to show: the signals are what such a log has to say.
        info = session.recording()
        is_measured = info is not None and (
            "reference" in info.streams or session.project.proof.declared(info.name) is not None
        )
        self.show_page("errors" if is_measured or info is None else "signals")
        self.refresh()

    def draw(self, name: str) -> None:
        """Draw a page from what the session holds."""
        pages: dict[str, Page] = {
            "recordings": self.recordings,
            "signals": self.signals,
            "errors": self.errors,
            "consistency": self.consistency,
            "simulated": self.simulated,
            **self.questions,
        }
        pages[name].draw()

    def restyle(self) -> None:
        """Take on the theme's colours."""
        self.errors.restyle()
        self.consistency.restyle()
        self.signals.restyle()
        self.refresh()

    def _on_ready(self, question: str) -> None:
        stage, _, name = question.partition(".")
        if stage == "fusion" and name in self.names:
            self._due.add(self.names.index(name))
            self._draw_due()
