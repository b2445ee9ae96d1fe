"""Proof asks: verdicts, a cell in full, causes of drift, flights pooled and compared, references, test cards."""

from typing import Any

from fusus.app.answers.store import Inputs, Question

OWN = "own"  # the source of a verdict: the maker's own code


def _verdicts(i: Inputs) -> Any:
    from fusus.study.proof.verdicts import judge_all

    return judge_all(i.folder, i.project, i.progress)


def _stretch(i: Inputs, recording: str, requirement: str, source: str) -> Any:
    """Return the stretch and its envelope in the shown unit; ``given``: the study that Fusion shows, and the case of own code."""
    from fusus.app.figures.long import Envelope
    from fusus.app.text import KIND_OF_UNIT, SHOWN
    from fusus.core.frames.units import from_si
    from fusus.study.proof.stretch import stretch_in, stretch_of

    done, own = i.given
    found = (
        stretch_in(recording, source, own.own, own.verdict(requirement), float(own.t_s[0]))
        if own is not None
        else stretch_of(i.folder, i.project, recording, requirement, source, i.progress, done)
    )
    unit = found.requirement.unit
    shown = found.errors * from_si(1.0, SHOWN[unit][0], KIND_OF_UNIT[unit])
    return found, Envelope(found.t_s, shown)  # of hours it takes too long for the interface thread


def _causes(i: Inputs, recording: str, span: tuple[float, float] | None) -> Any:
    from fusus.study.proof.drift_causes import drift_causes_of

    return recording, drift_causes_of(i.folder, i.project, recording, span, i.progress)


def _pooled(i: Inputs) -> Any:
    from fusus.study.proof.pooling import pool, pooled_report

    return pooled_report(pool(i.folder, i.project, i.progress))


def _difference(i: Inputs, before: str, after: str) -> Any:
    from fusus.study.proof.before_after import changes_report, compare_recordings

    return changes_report(compare_recordings(i.folder, i.project, before, after, i.progress), before, after)


def _reference(i: Inputs, recording: str) -> Any:
    from fusus.study.proof.referencing import declared_report

    return declared_report(i.folder, i.project, recording)


def _cards(i: Inputs) -> Any:
    from fusus.study.keeping.card_results import cards_report

    return cards_report(i.folder, i.project)


QUESTIONS = (
    Question("proof.verdicts", lambda: "Judging the recordings", _verdicts),
    Question("proof.stretch", lambda recording, *_: f"Looking at {recording}", _stretch),
    Question("proof.causes", lambda recording, _: f"Looking for causes in {recording}", _causes),
    Question("proof.pooled", lambda: "Judging all flights together", _pooled),
    Question("proof.difference", lambda before, after: f"Comparing {before} with {after}", _difference),
    Question("proof.reference", lambda recording: f"Reading the reference of {recording}", _reference),
    Question("proof.cards", lambda: "Reading the test cards", _cards),
)
