"""A conclusion in words."""

from dataclasses import dataclass
from typing import Literal

Severity = Literal["stop", "mind", "fine"]


@dataclass(frozen=True, slots=True)
class Finding:
    """One conclusion: what it is about, how grave, the statement, why, what to do, and where (a row or stage)."""

    subject: str
    severity: Severity
    statement: str
    reason: str
    next_step: str
    link: str
