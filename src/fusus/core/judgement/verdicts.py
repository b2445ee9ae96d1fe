"""Pass, close or fail, per requirement.

Arrays, where a function does not say otherwise (shape, unit, frame):

    trials : (K,) any, any
    errors : (N,) any, any
    stretch : (N,) whole numbers, any
"""

import math
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from fusus.core.analysis.comparison import Comparison
from fusus.core.analysis.statistics import Interval, error_interval, stretches_interval
from fusus.core.arrays import Array, IntArray
from fusus.core.judgement.deciding import Deciding, deciding
from fusus.core.requirements import Requirement

VerdictWord = Literal["pass", "close", "fail", "not measured"]


@dataclass(frozen=True, slots=True)
class Verdict:
    """A requirement, what was measured with its 95 % interval (SI units), the word, the reason, and the stretch of time that decides
    it."""

    requirement: Requirement
    value: float | None
    low: float | None
    high: float | None
    word: VerdictWord
    reason: str
    deciding: Deciding | None = None


# Two sides of a normal distribution that hold 95 %.
SIDES = 1.959964


def widened(interval: Interval, sigma: float) -> Interval:
    """Return an interval that holds the reference's own uncertainty too, one sigma: spreads add as squares."""
    if sigma <= 0.0:
        return interval
    value, extra = interval.value, SIDES * sigma
    low = value - math.hypot(value - interval.low, extra)
    return Interval(value, max(low, 0.0), value + math.hypot(interval.high - value, extra))


def word_for(interval: Interval, limit: float) -> VerdictWord:
    """Return fail above the limit, close if the interval reaches over it, pass below; a value that is no number measures nothing."""
    if math.isnan(interval.value):
        return "not measured"
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
    name = SERIES.get(requirement.quantity, requirement.quantity)
    errors = comparison.series(name)
    if errors is None or len(errors) == 0:
        return _unmeasured(requirement, "estimate or reference does not hold it")
    lacking = comparison.lacking(name)
    if lacking:
        return _unmeasured(
            requirement, f"the estimate is no number at {lacking} of the moments that the reference tells"
        )
    sigma = comparison.sigmas.get(requirement.quantity, 0.0)
    found = judge_errors(requirement, errors, sigma=sigma, stretch=comparison.stretch)
    return replace(found, deciding=deciding(comparison.t_s, errors, requirement.statistic))


def _unmeasured(requirement: Requirement, reason: str) -> Verdict:
    return Verdict(requirement, None, None, None, "not measured", reason)


def judge_errors(
    requirement: Requirement, errors: Array, before: str = "", sigma: float = 0.0, stretch: IntArray | None = None
) -> Verdict:
    """Return the verdict on errors (N,), SI units; ``before`` begins the reason.

    ``sigma``: what the reference is itself off; ``stretch`` (N,): where it tells only in stretches, the number of each.
    """
    interval = (
        error_interval(errors, requirement.statistic)
        if stretch is None
        else stretches_interval(errors, requirement.statistic, stretch)
    )
    interval = widened(interval, sigma)
    word = word_for(interval, requirement.limit)
    if word == "not measured":
        return _unmeasured(requirement, "the error is no number at any moment")
    reasons = {
        "pass": "the whole 95 % interval lies within the limit",
        "close": "the value lies within the limit, its 95 % interval does not: record longer to be sure",
        "fail": "the value lies above the limit",
    }
    reason = reasons[word]
    finite = math.isfinite(interval.low)
    if stretch is not None and not finite:
        reason = {"close": "the value lies within the limit, but too few stretches show how it differs: repeat it"}.get(
            word, reason
        )
    elif sigma > 0.0 and word == "close" and SIDES * sigma > requirement.limit - interval.value:
        reason = (
            "the value lies within the limit, but the reference is itself too uncertain to show it: take a better one"
        )
    elif sigma > 0.0 and word == "fail" and interval.low < requirement.limit:
        reason = "the value lies above the limit, by no more than the interval with the reference's own uncertainty"
    return Verdict(
        requirement,
        interval.value,
        interval.low if finite else None,
        interval.high if finite else None,
        word,
        before + reason,
    )
