"""What the filters without a covariance share at their border: one way to step, one way to run.

Arrays, where a function does not say otherwise (shape, unit, frame):

    gyro_b : (3,) rad/s, b
    acc_b : (3,) m/s^2, b
    mag_b : (3,) µT, b
"""

import math
from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import ArrayLike

from fusus.core.estimation.initial import Start
from fusus.core.estimation.outputs import AttitudeOutputs
from fusus.core.estimation.samples import Samples


def start_fields(start: Start) -> tuple[float, ...]:
    """Return attitude and gyro bias of a start as seven plain floats: kernels compile one version for them."""
    return (*(float(v) for v in start.q_nb), *(float(v) for v in start.gyro_bias_b))


def sample_fields(gyro_b: ArrayLike, acc_b: ArrayLike, mag_b: ArrayLike | None) -> tuple[float, ...]:
    """Return one live sample as nine plain floats; no field is NaN."""
    field = np.full(3, math.nan) if mag_b is None else mag_b
    return tuple(float(v) for vector in (gyro_b, acc_b, field) for v in np.asarray(vector, dtype=float))


def run_all(advance_all: Callable[..., Any], c: Any, state: Any, samples: Samples) -> tuple[AttitudeOutputs, Any]:
    """Return the outputs of a filter's compiled loop over all samples, and the state after the last."""
    n = len(samples.dt_s)
    q_nb, bias, flags = np.empty((n, 4)), np.empty((n, 3)), np.empty(n, dtype=np.uint8)
    end = advance_all(c, state, *samples, q_nb, bias, flags)
    return AttitudeOutputs(q_nb, bias, flags), end
