"""The form that every calibration's result has.

Arrays, where a function does not say otherwise (shape, unit, frame):

    values : (...) any, any
"""

from dataclasses import dataclass, field
from typing import Any, Literal

import numpy as np
from numpy.typing import ArrayLike

Word = Literal["pass", "close", "fail"]
Value = float | None | list["Value"]


@dataclass(frozen=True, slots=True)
class CaptureProblem:
    """What is wrong with a capture: a kind in one word, a sentence, and what to do."""

    kind: str
    message: str
    action: str


@dataclass(frozen=True, slots=True)
class Calibration:
    """Fitted parameters with one-sigma standard errors of the same shapes, SI units (fields in µT) by name.

    ``before`` and ``after`` are residuals without and with it; ``details`` holds arrays for figures.
    """

    kind: str
    parameters: dict[str, Value]
    standard_errors: dict[str, Value]
    units: dict[str, str]
    before: dict[str, float]
    after: dict[str, float]
    condition: float | None
    verdict: Word
    reason: str
    problems: tuple[CaptureProblem, ...] = ()
    details: dict[str, Any] = field(default_factory=dict)


def plain(values: ArrayLike) -> Value:
    """Return numbers as plain lists and floats; what is not finite becomes None."""
    array = np.asarray(values, dtype=float)
    if array.ndim == 0:
        return float(array) if np.isfinite(array) else None
    return [plain(v) for v in array]


def worst_word(words: list[Word]) -> Word:
    """Return the worst of several verdicts."""
    return "fail" if "fail" in words else "close" if "close" in words else "pass"


def judged(problems: list[tuple[Word, CaptureProblem]], good: str) -> tuple[Word, str, tuple[CaptureProblem, ...]]:
    """Return the verdict that problems give, the reason in words, and the problems, worst first."""
    order = sorted(problems, key=lambda p: ("fail", "close", "pass").index(p[0]))
    word = worst_word([w for w, _ in problems])
    reason = " ".join(f"{p.message} {p.action}" for w, p in order if w == word) if word != "pass" else good
    return word, reason, tuple(p for _, p in order)


def refused(
    kind: str, problems: list[tuple[Word, CaptureProblem]], details: dict[str, Any] | None = None
) -> Calibration:
    """Return the result of a capture that nothing can be fitted to."""
    word, reason, found = judged(problems, "")
    return Calibration(kind, {}, {}, {}, {}, {}, None, word, reason, found, details or {})
