"""What came of the test cards: results stand in the book, recordings tick requirements."""

from collections.abc import Iterable
from dataclasses import asdict
from pathlib import Path
from typing import Any

from fusus.errors import RecordingError
from fusus.logs.info import load_info
from fusus.project import book
from fusus.project.records import Project
from fusus.study.keeping.test_cards import ladder
from fusus.study.proof.verdicts import judge_recording

RESULTS = ("pass", "fail", "aborted")


def note_result(
    folder: Path, project: Project, card: str, result: str | None, recording: str | None, words: str = ""
) -> None:
    """Write a card's result into the book; RecordingError for a card or result that does not exist."""
    known = [c.card for c in ladder(project)]
    if card not in known:
        raise RecordingError(card, f"this is no card of this craft; the cards are {', '.join(known)}.")
    if result not in RESULTS:
        raise RecordingError(card, f"say with --result how it went: {', '.join(RESULTS)}.")
    if recording is not None:
        load_info(folder, recording)
    details = {"card": card, "result": result, "recording": recording, "note": words}
    book.note(folder, "test card", **{k: v for k, v in details.items() if v})


def cards_report(folder: Path, project: Project) -> dict[str, Any]:
    """Return the ladder with what the book says of each card and what its recording shows of its requirements."""
    found = {str(e.get("card")): e for e in book.entries(folder) if e.get("what") == "test card"}
    out: list[dict[str, Any]] = []
    for card in ladder(project):
        last = found.get(card.card)
        shown = {} if last is None else _shown(folder, project, str(last.get("recording", "")), card.requirements)
        out.append(
            asdict(card)
            | {
                "steps": list(card.steps),
                "cautions": list(card.cautions),
                "requirements": list(card.requirements),
                "state": _state(last, shown.values()),
                "last": last,
                "verdicts": shown,
            }
        )
    waiting = next((c["card"] for c in out if c["state"] != "passed"), None)
    ticked = sorted({k for c in out for k, word in c["verdicts"].items() if word == "pass"})
    return {
        "cards": out,
        "next": waiting,
        "ticked": ticked,
        "requirements": [r.key for r in project.brief.requirements],
    }


def _shown(folder: Path, project: Project, recording: str, keys: tuple[str, ...]) -> dict[str, str]:
    if not recording or not keys:
        return {}
    try:
        judged = judge_recording(folder, project, load_info(folder, recording))
    except RecordingError:
        return {}
    return {k: v["verdict"] for k in keys if (v := judged.verdict(k)) is not None}


def _state(last: dict[str, Any] | None, verdicts: Iterable[str]) -> str:
    if last is None:
        return "to do"
    result = str(last.get("result"))
    if result == "pass" and "fail" in verdicts:
        return "noted as passed, but a requirement fails"
    return {"pass": "passed", "fail": "failed", "aborted": "broken off"}.get(result, result)


def card_text(c: dict[str, Any]) -> str:
    """Return a card as text for people."""
    steps = "\n".join(f"  {i}. {s}" for i, s in enumerate(c["steps"], 1))
    return (
        f"{c['card'].capitalize()}: {c['purpose']}\nConditions: {c['conditions']}\n{steps}\nRecord: {c['record']}\n"
        f"Passed: {c['passes']}\nBreak off: {c['abort']}\nCautions: {' '.join(c['cautions'])}\nState: {c['state']}"
    )
