"""Pass, close or fail, per requirement."""

import math
from dataclasses import dataclass
from typing import Literal

from fusus.core.analysis.comparison import Comparison
from fusus.core.analysis.statistics import Interval, bootstrap_interval
from fusus.core.judgement.requirements import Requirement

VerdictWord = Literal["pass", "close", "fail", "not measured"]


@dataclass(frozen=True, slots=True)
class Verdict:
    """A requirement, what was measured with its 95 % interval (SI units), the word, and the reason."""

    requirement: Requirement
    value: float | None
    low: float | None
    high: float | None
    word: VerdictWord
    reason: str


def word_for(interval: Interval, limit: float) -> VerdictWord:
    """Return fail above the limit, close if the interval reaches over it, pass below."""
    if interval.value > limit:
        return "fail"
    return "pass" if math.isfinite(interval.high) and interval.high <= limit else "close"


def judge(requirement: Requirement, comparison: Comparison | None, why_not: str = "") -> Verdict:
    """Return the verdict on one requirement; without a comparison it is not measured, for the reason given."""
    errors = None
    if comparison is None:
        reason = why_not or "there is no reference to measure against"
    else:
        errors = comparison.series(requirement.quantity)
        reason = "the estimator gives attitude only" if errors is None else ""
    if errors is None or len(errors) == 0:
        return Verdict(requirement, None, None, None, "not measured", reason)
    interval = bootstrap_interval(errors, requirement.statistic)
    word = word_for(interval, requirement.limit)
    reasons = {
        "pass": "the whole 95 % interval lies within the limit",
        "close": "the value lies within the limit, its 95 % interval does not: record longer to be sure",
        "fail": "the value lies above the limit",
        "not measured": "",
    }
    finite = math.isfinite(interval.low)
    return Verdict(
        requirement,
        interval.value,
        interval.low if finite else None,
        interval.high if finite else None,
        word,
        reasons[word],
    )
