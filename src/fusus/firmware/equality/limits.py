"""How far single precision may lead a filter away from double, worked out from its own time constants.

u = 2^-24 is the greatest relative error of one rounding. Four things add up (a running error analysis, Higham 2002, ch. 4):

* chance: each sample's turn of the quaternion leaves some 1.2 u rad per axis (four roundings of the greatest term in each part, doubled
  for the angle); corrections forget it with the filter's time constant τ, so 4 sigma of it are 4.8 u sqrt(min(N, 2 τ/dt));
* what is lost: a correction smaller than half the last place of the quaternion changes nothing; the error at which that sets in is
  u τ / h, where h is the time between corrections;
* turning: intervals and rates are rounded once, so that a turn by Θ is off by u Θ;
* decisions: where a gate's edge falls on another side, one correction is missing or added.

Figures with a claimed sigma may be off by a twentieth of it, attitudes by a hundredth beside the above: that adds 0.25 % and 0.01 % to
the squared error, which nobody can measure. What leads further is called not equal.
"""

import math
from dataclasses import dataclass

import numpy as np

from fusus.core.arrays import Array
from fusus.core.estimation.altitude.parameters import ComplementaryParameters as ComplementaryAltitude
from fusus.core.estimation.attitude_ekf.parameters import Parameters as AttitudeEkf
from fusus.core.estimation.catalogue import EstimatorParameters
from fusus.core.estimation.complementary.parameters import Parameters as Complementary
from fusus.core.estimation.madgwick.parameters import Parameters as Madgwick
from fusus.core.estimation.mahony.parameters import Parameters as Mahony
from fusus.core.estimation.replay import EstimatorInput

U = 2.0**-24
DOUBLE = 1e-9
PER_STEP, SIGMAS = 1.2, 4.0
SHARE, ATTITUDE_SHARE = 0.05, 0.01  # of a claimed sigma
SIGMA_SHARE = 0.02  # relative, of a claimed sigma itself: it is told to two figures
# What a gradient step of fixed length points at: the accelerometer's wavering in flight, common practice.
WAVERS_RAD = 0.2
# A gate is as wide as this; horizontal acceleration of a manoeuvre.
GATE_RAD, PUSH_M_S2 = 0.1, 3.0


@dataclass(frozen=True, slots=True)
class Pace:
    """How long a filter remembers an attitude error, s, and how long it is from correction to correction, s."""

    tau_s: float
    every_s: float


def pace_of(p: EstimatorParameters, dt_s: float, span_s: float) -> Pace:
    """Return the pace of a filter on a recording: heading without a field is never corrected, so it is the longest that counts."""
    if isinstance(p, Complementary):
        return Pace(max(p.tau_acc_s, p.tau_mag_s), dt_s)
    if isinstance(p, Mahony):
        return Pace(1.0 / max(min(p.kp_acc, p.kp_mag), 1e-3), dt_s)
    if isinstance(p, Madgwick):
        return Pace(WAVERS_RAD / (2.0 * max(p.beta_rad_s, 1e-4)), dt_s)
    # Kalman filters hold on to what they have learnt: they may remember all of it.
    return Pace(span_s, p.acc_window_s if isinstance(p, AttitudeEkf) else 0.5)


def limits_for(
    p: EstimatorParameters,
    given: EstimatorInput,
    has_field: bool,
    flips: int,
    is_single: bool,
    sigmas: dict[str, Array],
) -> dict[str, float | Array]:
    """Return how far figures may differ, at all samples (N,) or at each, by name: attitude rad, gyro bias rad/s, position m, velocity m/s,
    sigmas relative.

    ``flips``: decisions that fell on another side; ``sigmas`` (N,): the claimed sigma of a figure, where there is one.
    """
    if not is_single:
        return dict.fromkeys(("attitude", "gyro bias", "position", "velocity", "sigmas", "states"), DOUBLE)
    dt = float(np.median(given.samples.dt_s))
    span = float(given.t_s[-1] - given.t_s[0])
    pace = pace_of(p, dt, span)
    tau = pace.tau_s if has_field else max(pace.tau_s, span)
    n = min(len(given.t_s), 2.0 * tau / dt)
    turned = float((np.linalg.norm(given.samples.gyro_b, axis=1) * given.samples.dt_s).sum()) * min(
        1.0, 3.0 * tau / max(span, dt)
    )
    attitude = SIGMAS * PER_STEP * U * math.sqrt(n) + U * min(tau, span) / pace.every_s + U * turned
    attitude += flips * GATE_RAD * min(1.0, pace.every_s / pace.tau_s)
    out: dict[str, float | Array] = {"attitude": attitude, "sigmas": SIGMA_SHARE}
    if "attitude" in sigmas:
        out["attitude"] = attitude + ATTITUDE_SHARE * sigmas["attitude"]
    out["gyro bias"] = SHARE * sigmas["gyro bias"] if "gyro bias" in sigmas else attitude / min(pace.tau_s, 10.0)
    if isinstance(p, ComplementaryAltitude):
        # Without a barometer nothing takes an error back: it grows all along.
        tau = p.time_constant_s if len(given.aiding.baro) else span
        rounding = U * (4.0 * math.sqrt(tau / dt) + tau / dt)
        highest = float(np.abs(given.aiding.baro[:, 1]).max(initial=1.0))
        out["velocity"] = rounding * max(highest / tau, 1.0) + attitude * PUSH_M_S2 * tau
        out["position"] = rounding * max(highest, 1.0) + attitude * PUSH_M_S2 * tau * tau
    else:
        out |= {name: SHARE * sigmas[name] for name in ("position", "velocity") if name in sigmas}
    return out
