"""Answers that one test has waited for, handed to the next that asks the same of the same project and files.

An answer notes what was read for it; where a later project would read the same, the answer and its notes are handed on. What such
answers are is tested where nothing is shared: in ``tests/study`` and in the tests that patch something.
"""

import shutil
from dataclasses import dataclass, field, replace
from pathlib import Path

from fusus.app import session
from fusus.project import reads as noted

SHARED = {
    "parts.prediction", "fusion.run", "fusion.signals", "proof.verdicts", "proof.reference", "proof.cards", "proof.pooled",
    "loops.study", "loops.steps", "kit.contents", "kit.equality",
}  # fmt: skip


@dataclass
class Known:
    """One answer, with what was asked and read for it."""

    folder: Path
    asked: tuple
    given: object
    reads: noted.Reads
    found: object


@dataclass
class SharedAnswers:
    """All answers of one process, by the question's name."""

    known: dict = field(default_factory=dict)

    def of(self, question):
        """Return the question, answered from what is known where that is the same."""
        return replace(question, work=self._work(question)) if question.name in SHARED else question

    def _work(self, question):
        def work(inputs, *asked):
            project, reads = noted._watch_of(inputs.project).source, noted._CURRENT.get()
            for known in self.known.setdefault(question.name, []):
                is_same = (known.folder, known.asked) == (inputs.folder, asked) and known.given is inputs.given
                if is_same and known.reads.still_hold(project):
                    reads.fields.update(known.reads.fields)
                    reads.files.update(known.reads.files)
                    return known.found
            found = question.work(inputs, *asked)
            copy = noted.Reads()
            copy.fields, copy.files = dict(reads.fields), dict(reads.files)
            self.known[question.name].append(Known(inputs.folder, asked, inputs.given, copy, found))
            return found

        return work

    def use(self, monkeypatch) -> None:
        """Let windows that are opened from now on ask here."""
        monkeypatch.setattr(session, "QUESTIONS", tuple(self.of(q) for q in session.QUESTIONS))


def same_place(template: Path, folder: Path) -> Path:
    """Return ``folder`` as a fresh copy of a template, times of writing included: what was read of it before holds."""
    shutil.rmtree(folder, ignore_errors=True)
    shutil.copytree(template, folder)
    return folder
