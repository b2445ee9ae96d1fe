"""Proof's sheet: verdicts, before and after, causes of drift, references, test cards."""

from fusus.app.session import Session
from fusus.app.stages.base import Page, TabbedSheet
from fusus.app.stages.proof.cards_page import CardsPage
from fusus.app.stages.proof.causes_page import CausesPage
from fusus.app.stages.proof.compare_page import ComparePage
from fusus.app.stages.proof.own_page import OwnPage
from fusus.app.stages.proof.reference_page import ReferencePage
from fusus.app.stages.proof.verdict_page import VerdictPage

# Which page an answer belongs to.
ANSWERS = {
    "proof.pooled": "verdicts", "proof.difference": "compare", "proof.causes": "causes", "proof.reference": "references",
    "proof.cards": "cards", "kit.own": "own",
}  # fmt: skip


class ProofSheet(TabbedSheet):
    """Pages on what recordings say of the requirements, and what they are held against."""

    def __init__(self, session: Session) -> None:
        self.verdicts, self.compare, self.causes = VerdictPage(session), ComparePage(session), CausesPage(session)
        self.references, self.cards, self.own = ReferencePage(session), CardsPage(session), OwnPage(session)
        super().__init__(
            session,
            (
                ("verdicts", "Verdicts", self.verdicts),
                ("compare", "Before and after", self.compare),
                ("causes", "Causes of drift", self.causes),
                ("references", "References", self.references),
                ("cards", "Test cards", self.cards),
                ("own", "Own code", self.own),
            ),
        )
        session.answers.ready.connect(self._on_ready)
        self.refresh()

    def draw(self, name: str) -> None:
        """Draw a page from what the session holds."""
        pages: dict[str, Page] = {
            "verdicts": self.verdicts, "compare": self.compare, "causes": self.causes, "references": self.references, "cards": self.cards,
            "own": self.own,
        }  # fmt: skip
        pages[name].draw()

    def restyle(self) -> None:
        """Take on the theme's colours."""
        self.verdicts.restyle()
        self.causes.restyle()
        self.own.restyle()
        self.refresh()

    def _on_ready(self, question: str) -> None:
        if question == "proof.stretch":
            self.verdicts.show_stretch()
        elif question in ANSWERS:
            self._due.add(self.names.index(ANSWERS[question]))
            if question == "kit.own":  # its verdicts stand in the great table too
                self._due.add(self.names.index("verdicts"))
            self._draw_due()
