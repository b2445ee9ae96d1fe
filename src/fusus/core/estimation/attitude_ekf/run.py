"""The public face of the attitude EKF: checked and documented.

Arrays, where a function does not say otherwise (shape, unit, frame):

    gyro_b : (3,) rad/s, b
    acc_b : (3,) m/s^2, b
    mag_b : (3,) µT, b
"""

import math

import numpy as np
from numpy.typing import ArrayLike

from fusus.core.arrays import Array
from fusus.core.estimation.attitude_ekf import kernel
from fusus.core.estimation.attitude_ekf.kernel import State
from fusus.core.estimation.attitude_ekf.parameters import Parameters
from fusus.core.estimation.attitude_ekf.window import MAG_TAU_S, Coefficients, Window
from fusus.core.estimation.initial import Start
from fusus.core.estimation.outputs import AttitudeOutputs
from fusus.core.estimation.plain import sample_fields
from fusus.core.estimation.rests import LATER_S, REST_BIAS_RAD_S
from fusus.core.estimation.samples import Samples
from fusus.core.frames.quaternion import to_matrix
from fusus.core.world.site import Site

# One sigma of tilt where nothing rests at the start, and of a heading that nothing shows.
MOVING_TILT_RAD = 0.1
UNKNOWN_HEADING_RAD = math.pi / math.sqrt(3.0)


def coefficients(p: Parameters, site: Site, start: Start) -> Coefficients:
    """Return what is constant during a run at ``site``."""
    g, t = site.gravity_m_s2, p.acc_window_s
    horizontal = start.field_ut * math.cos(start.dip_rad) if start.has_heading else math.nan
    tan_dip = math.tan(start.dip_rad) if start.has_heading else 0.0
    tilt_bias = p.acc_bias_sigma_m_s2 / g
    heading_bias = math.hypot(p.mag_bias_sigma_ut / horizontal, tan_dip * tilt_bias) if start.has_heading else 0.0
    acc_start = (p.acc_noise_m_s2_rthz**2 / t + p.acc_bias_sigma_m_s2**2 + p.acc_motion_m_s2**2) / g**2
    rho = p.acc_motion_tau_s / (p.acc_motion_tau_s + t)
    return Coefficients(
        gyro_var=float(p.gyro_noise_rad_s_rthz**2),
        walk_var=float(p.gyro_walk_rad_s2_rthz**2),
        scale_var=float(p.gyro_scale_sigma**2),
        window_s=float(t),
        gravity_m_s2=float(g),
        acc_gate_m_s2=float(p.acc_gate_m_s2),
        # A constant accelerometer error turns with the body: no window shows tilt better than that.
        acc_floor_var=float((p.acc_noise_m_s2_rthz**2 / t + p.acc_bias_sigma_m_s2**2) / g**2),
        acc_start_var=float(acc_start),
        # What a first-order process of that time constant changes by from window to window, and over four: (1 + ρ) / (1 - ρ) = 1 + 2 τ / t.
        acc_start_near=float(acc_start * (1.0 - rho)),
        acc_start_far=float(acc_start * (1.0 - rho**2 * rho**2)),
        field_ut=float(start.field_ut),
        dip_rad=float(start.dip_rad),
        tan_dip=float(tan_dip),
        mag_gate=float(p.mag_gate),
        dip_gate_rad=float(p.dip_gate_rad),
        mag_white_var=float((p.mag_noise_ut / horizontal) ** 2),
        mag_start_var=float((p.mag_motion_ut / horizontal) ** 2),
        mag_inflate=1.0 + 2.0 * MAG_TAU_S / t,
        gate2=float(p.gate_sigma**2),
        recover_s=float(p.recover_s),
        sin_dec=math.sin(site.declination_rad),
        cos_dec=math.cos(site.declination_rad),
        tilt_bias_var=tilt_bias**2,
        heading_bias_var=heading_bias**2,
    )


def initial_covariance(p: Parameters, c: Coefficients, start: Start) -> Array:
    """Return the covariance, shape (6, 6), of attitude (rad, body axes) and gyro bias before the first sample."""
    tilt_var = c.acc_floor_var if start.is_still else MOVING_TILT_RAD**2
    heading_var = UNKNOWN_HEADING_RAD**2
    if start.has_heading:
        heading_var = c.mag_start_var + c.mag_white_var + c.tan_dip**2 * tilt_var
    rotation = to_matrix(start.q_nb)
    out = np.zeros((6, 6))
    out[:3, :3] = rotation.T @ np.diag([tilt_var, tilt_var, heading_var]) @ rotation
    bias_var = p.gyro_bias_sigma_rad_s**2
    if start.is_still:
        bias_var = min(bias_var, c.gyro_var / start.rest_s + c.walk_var * start.rest_s + REST_BIAS_RAD_S**2)
    elif start.bias_sigma_rad_s > 0.0:
        bias_var = min(bias_var, start.bias_sigma_rad_s**2 + c.walk_var * LATER_S + REST_BIAS_RAD_S**2)
    out[3:, 3:] = bias_var * np.eye(3)
    return out


def initial_state(p: Parameters, c: Coefficients, start: Start) -> State:
    """Return the state before the first sample."""
    w, x, y, z = (float(v) for v in start.q_nb)
    bx, by, bz = (float(v) for v in start.gyro_bias_b)
    empty = Window(*([0.0] * len(Window._fields)))._replace(
        acc_var=c.acc_start_var,
        near_var=c.acc_start_near,
        far_var=c.acc_start_far,
        mag_var=c.mag_start_var,
        nis_acc=math.nan,
        nis_mag=math.nan,
    )
    covariance = initial_covariance(p, c, start)
    return State(w, x, y, z, bx, by, bz, 0.0, 0.0, 0.0, 0.0, empty, 0, covariance, np.zeros((3, 6)))


def _own(state: State) -> State:
    # The kernel changes the arrays in place: the caller's state must survive.
    return state._replace(p=state.p.copy(), work=state.work.copy())


def _named(state: tuple[object, ...]) -> State:
    fields = list(state)
    fields[11] = Window(*fields[11])  # type: ignore[misc]
    return State(*fields)  # type: ignore[arg-type]


def step(
    c: Coefficients, state: State, dt_s: float, gyro_b: ArrayLike, acc_b: ArrayLike, mag_b: ArrayLike | None = None
) -> State:
    """Return the state after one live sample; the vectors (3,) are rad/s, m/s^2 and µT in body axes."""
    return _named(kernel.advance(c, _own(state), float(dt_s), *sample_fields(gyro_b, acc_b, mag_b)))


def run(c: Coefficients, state: State, samples: Samples) -> tuple[AttitudeOutputs, State]:
    """Return the outputs for all samples and the state after the last; blocks may follow one another."""
    n = len(samples.dt_s)
    q_nb, bias, flags = np.empty((n, 4)), np.empty((n, 3)), np.empty(n, dtype=np.uint8)
    sigma, nis_acc, nis_mag = np.empty((n, 3)), np.empty(n), np.empty(n)
    end = kernel.advance_all(c, _own(state), *samples, q_nb, bias, flags, sigma, nis_acc, nis_mag)
    return AttitudeOutputs(q_nb, bias, flags, sigma, nis_acc, nis_mag), _named(end)
