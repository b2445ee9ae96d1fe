"""The public face of the filter of Madgwick: checked and documented.

Arrays, where a function does not say otherwise (shape, unit, frame):

    gyro_b : (3,) rad/s, b
    acc_b : (3,) m/s^2, b
    mag_b : (3,) µT, b
"""

import math

from numpy.typing import ArrayLike

from fusus.core.estimation.attitude_math import State
from fusus.core.estimation.initial import Start
from fusus.core.estimation.madgwick import kernel
from fusus.core.estimation.madgwick.kernel import Coefficients
from fusus.core.estimation.madgwick.parameters import Parameters
from fusus.core.estimation.outputs import AttitudeOutputs
from fusus.core.estimation.plain import run_all, sample_fields, start_fields
from fusus.core.estimation.samples import Samples
from fusus.core.world.site import Site


def coefficients(p: Parameters, site: Site, start: Start) -> Coefficients:
    """Return what is constant during a run at ``site``."""
    return Coefficients(
        beta=float(p.beta_rad_s),
        zeta=float(p.zeta_rad_s2),
        sin_dec=math.sin(site.declination_rad),
        cos_dec=math.cos(site.declination_rad),
    )


def initial_state(p: Parameters, c: Coefficients, start: Start) -> State:
    """Return the state before the first sample."""
    return State._make((*start_fields(start), 0.0, 0))


def step(
    c: Coefficients, state: State, dt_s: float, gyro_b: ArrayLike, acc_b: ArrayLike, mag_b: ArrayLike | None = None
) -> State:
    """Return the state after one live sample; the vectors (3,) are rad/s, m/s^2 and µT in body axes."""
    return State(*kernel.advance(c, state, float(dt_s), *sample_fields(gyro_b, acc_b, mag_b)))


def run(c: Coefficients, state: State, samples: Samples) -> tuple[AttitudeOutputs, State]:
    """Return the outputs for all samples and the state after the last; blocks may follow one another."""
    outputs, end = run_all(kernel.advance_all, c, state, samples)
    return outputs, State(*end)
