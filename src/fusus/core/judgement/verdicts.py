"""Pass, close or fail, per requirement."""

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np

from fusus.core.analysis.comparison import Comparison
from fusus.core.analysis.statistics import Interval, bootstrap_interval
from fusus.core.arrays import Array
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


# What a requirement is measured by where that is not its own name: places are judged apart from heights.
SERIES = {"position": "horizontal"}


def judge(
    requirement: Requirement, comparison: Comparison | None, why_not: str = "", trials: Array | None = None
) -> Verdict:
    """Return the verdict on one requirement; without a comparison it is not measured, for the reason given.

    ``trials`` (K,): the errors at the ends of outages of the requirement's length, m.
    """
    if comparison is None:
        return _unmeasured(requirement, why_not or "there is no reference to measure against")
    if requirement.quantity == "outage":
        if trials is None or not np.isfinite(trials).any():
            return _unmeasured(
                requirement, why_not or "no outage of this length could be tried: no fixes, or too short a recording"
            )
        return judge_errors(requirement, trials, f"{len(trials)} outages tried: ")
    errors = comparison.series(SERIES.get(requirement.quantity, requirement.quantity))
    if errors is None or len(errors) == 0:
        return _unmeasured(requirement, "estimate or reference does not hold it")
    return judge_errors(requirement, errors)


def _unmeasured(requirement: Requirement, reason: str) -> Verdict:
    return Verdict(requirement, None, None, None, "not measured", reason)


def judge_errors(requirement: Requirement, errors: Array, before: str = "") -> Verdict:
    """Return the verdict on errors (N,), SI units; ``before`` begins the reason."""
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
        before + reasons[word],
    )
