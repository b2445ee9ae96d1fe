"""What estimators get to feel: the accelerometer behind a filter of its own, where there is one, or none at all."""

from dataclasses import replace

import numpy as np

from fusus.core.arrays import Array
from fusus.core.control.elements import LowPass
from fusus.core.control.sections import sections_of, through
from fusus.core.estimation.replay import EstimatorInput


def without_accelerometer(given: EstimatorInput) -> EstimatorInput:
    """Return a recording as it is without its accelerometer: what the gyro does alone, and what the other sensors make of that."""
    return replace(given, samples=given.samples._replace(acc_b=np.full_like(given.samples.acc_b, np.nan)))


def filter_accelerometer(filters: tuple[LowPass, ...], given: EstimatorInput) -> EstimatorInput:
    """Return a recording whose specific force has passed through filters, as on the board, at the recording's own rate."""
    if not filters or len(given.t_s) < 3:
        return given
    acc: Array = np.empty_like(given.samples.acc_b)
    rate_hz = 1.0 / float(np.median(np.diff(given.t_s)))
    through(sections_of(filters, rate_hz), np.ascontiguousarray(given.samples.acc_b), acc)
    return replace(given, samples=given.samples._replace(acc_b=acc))
