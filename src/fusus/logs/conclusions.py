"""What was concluded of a source and how sure that is, and what has to be asked because the data do not decide it."""

from dataclasses import dataclass, field
from typing import Literal

from fusus.logs.problems import Problems
from fusus.project.evidence import Record

# Stated: the source or the mapping says so. Shown: the values or the motion show it. Likely: it fits, and nothing speaks against it.
Certainty = Literal["stated", "shown", "likely"]


class Conclusion(Record):
    """One thing that was concluded of a column, or of a whole file where ``column`` is None."""

    file: str
    column: str | None = None
    conclusion: str
    reason: str
    certainty: Certainty


class Candidate(Record):
    """One answer to a question: the value that a mapping takes, and what it would mean."""

    value: str
    meaning: str


class Question(Record):
    """What the data do not decide: the candidates, and the line of a mapping that settles it."""

    file: str
    column: str | None = None
    asks: str
    candidates: tuple[Candidate, ...]
    mapping: str

    def sentence(self) -> str:
        """Return the question in one sentence, with its candidates and the line that settles it."""
        place = self.file + (f", column “{self.column}”" if self.column else "")
        choices = "; ".join(f"{c.value}: {c.meaning}" for c in self.candidates)
        return f"{place}: {self.asks} ({choices}). Settle it with --mapping, for example {self.mapping}"


@dataclass(slots=True)
class Findings:
    """All that is found while a source is looked at."""

    problems: Problems = field(default_factory=Problems)
    conclusions: list[Conclusion] = field(default_factory=list)
    questions: list[Question] = field(default_factory=list)

    def conclude(self, file: str, column: str | None, conclusion: str, reason: str, certainty: Certainty) -> None:
        """Add a conclusion."""
        self.conclusions.append(
            Conclusion(file=file, column=column, conclusion=conclusion, reason=reason, certainty=certainty)
        )

    def ask(
        self, file: str, column: str | None, asks: str, candidates: tuple[tuple[str, str], ...], mapping: str
    ) -> None:
        """Add a question; each candidate is a value and what it would mean."""
        found = tuple(Candidate(value=v, meaning=m) for v, m in candidates)
        self.questions.append(Question(file=file, column=column, asks=asks, candidates=found, mapping=mapping))

    def extend(self, other: "Findings") -> None:
        """Add what was found of another table."""
        self.problems.extend(other.problems.all())
        self.conclusions += other.conclusions
        self.questions += other.questions
