"""A conclusion in words."""

from dataclasses import dataclass
from typing import Literal

Severity = Literal["stop", "mind", "fine"]
# How readers are told them; the names above stand in files and JSON.
SEVERITY_WORDS: dict[str, str] = {"stop": "error", "mind": "warning", "fine": "ok"}


@dataclass(frozen=True, slots=True)
class Finding:
    """One conclusion: what it is about, how grave, the statement, why, what to do, and where (a row or stage).

    ``size``: the figure that says how much of it there is, in whatever unit the statement has; two findings of one subject
    are told apart by it. None where it is there or not.
    """

    subject: str
    severity: Severity
    statement: str
    reason: str
    next_step: str
    link: str
    size: float | None = None


def new_among(found: tuple[Finding, ...], before: tuple[Finding, ...], more: float) -> tuple[Finding, ...]:
    """Return the findings that were not there before, are graver now, or have more than so many times the size."""
    # Of several with one subject the largest counts: dicts keep the last of equal keys.
    known = {f.subject: f for f in sorted(before, key=lambda f: f.size or 0.0)}
    return tuple(f for f in found if _is_news(f, known.get(f.subject), more))


def _is_news(now: Finding, before: Finding | None, more: float) -> bool:
    if before is None:
        return now.severity != "fine" or now.size is not None
    if now.severity not in ("fine", before.severity):
        return True
    return now.size is not None and before.size is not None and now.size > more * before.size
