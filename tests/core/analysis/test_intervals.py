"""95 % intervals of errors hold in 95 of 100 records of a minute, whatever the errors are like; made here, by autoregressions."""

import numpy as np
import pytest
from scipy.signal import lfilter
from tests.runs import LONG

from fusus.core.analysis.long_run import long_run
from fusus.core.analysis.statistics import error_interval, measure

STEP_S, SPAN_S = 0.02, 60.0


def lasting(rng, n, tau_s, order=1):
    """Return unit errors that last for ``tau_s``: first order, or second (smooth), shape (n,)."""
    a = np.exp(-STEP_S / tau_s)
    x = rng.standard_normal(n + round(10 * tau_s / STEP_S))
    for _ in range(order):
        x = lfilter([1.0], [1.0, -a], x)
    power = 1 / (1 - a**2) if order == 1 else (1 + a**2) / (1 - a**2) ** 3
    return x[-n:] / np.sqrt(power)


KINDS = {
    "0.2 s": lambda rng, n: lasting(rng, n, 0.2),
    "0.5 s": lambda rng, n: lasting(rng, n, 0.5),
    "1 s": lambda rng, n: lasting(rng, n, 1.0),
    "smooth, 0.2 s": lambda rng, n: lasting(rng, n, 0.2, 2),
    "smooth, 0.5 s": lambda rng, n: lasting(rng, n, 0.5, 2),
    "two axes": lambda rng, n: np.hypot(lasting(rng, n, 0.5), lasting(rng, n, 0.5)),
    "three axes": lambda rng, n: np.sqrt(sum(lasting(rng, n, 1.0) ** 2 for _ in range(3))),
    "offset": lambda rng, n: 1.0 + lasting(rng, n, 0.5),
    "large offset": lambda rng, n: 2.0 + lasting(rng, n, 1.0),
    "heavy tails": lambda rng, n: (lambda x: x * np.sqrt(np.abs(x)))(lasting(rng, n, 0.3)),
    "bounded": lambda rng, n: np.tanh(1.5 * lasting(rng, n, 0.5)),
    "swelling": lambda rng, n: lasting(rng, n, 0.3) * (1 + 0.5 * np.sin(np.arange(n) * STEP_S * 0.314 + rng.uniform(0, 6.3))),
    "white": lambda rng, n: rng.standard_normal(n),
}  # fmt: skip


def held(kind, statistic, records):
    """Return the share of records whose interval holds what a very long record shows."""
    long = np.concatenate([KINDS[kind](np.random.default_rng(10**6 + i), 100_000) for i in range(8)])
    truth = measure(long, statistic)
    found = [
        error_interval(KINDS[kind](np.random.default_rng(s), round(SPAN_S / STEP_S)), statistic) for s in range(records)
    ]
    return np.mean([f.low <= truth <= f.high for f in found])


@pytest.mark.parametrize("statistic", ["rmse", "p95"])
def test_intervals_hold_over_all_kinds_of_errors(statistic):
    """Before, by the block bootstrap: 88 of 100 in the mean, 78 at worst. One kind's share of 200 spreads by 1.5 points."""
    shares = [held(kind, statistic, 200 if LONG else 60) for kind in KINDS]
    assert 0.93 <= np.mean(shares) <= 0.97
    assert min(shares) >= (0.905 if LONG else 0.85)


@pytest.mark.parametrize("tau_s", [0.2, 1.0])
def test_the_variance_of_a_mean_against_its_closed_form(tau_s):
    """First order of τ over T: 2τ/T for T >> τ."""
    rng = np.random.default_rng(3)
    found = [long_run(lasting(rng, 20_000, tau_s)) for _ in range(40)]
    a = np.exp(-STEP_S / tau_s)
    want = (1 + a) / (1 - a) / 20_000
    assert np.mean([f.variance for f in found]) == pytest.approx(want, rel=0.15)


def test_too_few_and_steady_errors():
    assert np.isnan(error_interval(np.ones(5), "rmse").low)
    assert error_interval(np.full(500, 2.0), "rmse") == (2.0, 2.0, 2.0)
    assert error_interval(np.full(500, 2.0), "p95").high == 2.0
    assert error_interval(np.zeros(500), "p95") == (0.0, 0.0, 0.0)
    assert error_interval(np.linspace(0, 1, 9), "rmse").high > 0.6
