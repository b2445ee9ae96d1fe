"""The public face of the altitude filters. They need an attitude: the attitude EKF with its usual tuning gives it.

Arrays, where a function does not say otherwise (shape, unit, frame):

    t_s : (N,) s, any
"""

from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from fusus.core.arrays import Array, ByteArray
from fusus.core.estimation.aiding import Aiding
from fusus.core.estimation.altitude import kernel
from fusus.core.estimation.altitude.kernel import Coefficients
from fusus.core.estimation.altitude.parameters import ComplementaryParameters, Parameters, ThreeStateParameters
from fusus.core.estimation.attitude_ekf import run as attitude_ekf
from fusus.core.estimation.attitude_ekf.parameters import Parameters as AttitudeParameters
from fusus.core.estimation.attitude_math import MOST_M_S2
from fusus.core.estimation.initial import Start, readings
from fusus.core.estimation.navigation_ekf.states import NEVER_S
from fusus.core.estimation.outputs import AttitudeOutputs, Innovations, MotionOutputs
from fusus.core.estimation.samples import Samples
from fusus.core.frames.quaternion import rotate
from fusus.core.world.site import Site

KEY_S = 0.05
NAMES, UNITS = ("barometer", "gnss down", "gnss speed down"), ("m", "m", "m/s")
# One sigma at the start: the craft's height is where it stands, and its barometer is zeroed there.
START_M, START_M_S = 0.02, 0.05

AnyParameters = Parameters | ThreeStateParameters | ComplementaryParameters


@dataclass(slots=True)
class Run:
    """A run in progress: filter, attitude filter, and what was filled so far."""

    c: Coefficients
    attitude: tuple[Any, Any]
    gravity: float
    x: Array
    p: Array
    at: Array
    motion: Array
    flags: ByteArray
    key_every: int
    key_x: Array
    key_p: Array
    rows: Array
    up: Array
    parts: list[AttitudeOutputs]


def coefficients(p: AnyParameters, aiding: Aiding) -> Coefficients:
    """Return what is constant during a run."""
    if isinstance(p, ComplementaryParameters):
        a = 1.0 / p.time_constant_s
        return Coefficients(True, 1.0, 0.0, 1.0, 0.0, 0.0, 1.0, 1.0, False, 1e9, 3 * a, 3 * a * a, a**3)
    k = p.as_kalman() if isinstance(p, ThreeStateParameters) else p
    return Coefficients(
        False, k.acc_noise_m_s2_rthz**2, k.acc_walk_m_s3_rthz**2, k.baro_noise_m**2, k.baro_walk_m_rthz**2, k.baro_delay_s,
        k.gnss_vertical_m**2, k.gnss_climb_m_s**2, not isinstance(p, ThreeStateParameters) and len(aiding.gnss) > 0,
        k.gate_sigma**2, 0.0, 0.0, 0.0,
    )  # fmt: skip


def first_covariance(p: AnyParameters) -> Array:
    """Return the covariance (4, 4) of height, climb, accelerometer bias and barometer zero before the first sample."""
    sigma = p.acc_bias_sigma_m_s2 if not isinstance(p, ComplementaryParameters) else 0.1
    learns = isinstance(p, Parameters) and p.baro_walk_m_rthz > 0.0
    return np.diag([START_M**2, START_M_S**2, sigma**2, START_M**2 if learns else 0.0])


def first_times() -> Array:
    """Return counts, times and shaking (10,) before the first sample: see :func:`kernel.advance_all`."""
    return np.array([0.0] * 4 + [NEVER_S] * 2 + [0.0] * 4)


def begin(p: AnyParameters, site: Site, start: Start, aiding: Aiding, t_s: Array, samples: Samples) -> Run:
    """Return a run before its first sample."""
    count = len(t_s)
    step = float(np.median(np.diff(t_s))) if count > 1 else 0.01
    key_every = max(1, round(KEY_S / max(step, 1e-6)))
    keys = -(-count // key_every)
    tuning = AttitudeParameters()
    c = attitude_ekf.coefficients(tuning, site, start)
    return Run(
        coefficients(p, aiding), (c, attitude_ekf.initial_state(tuning, c, start)), site.gravity_m_s2, np.zeros(4),
        first_covariance(p), first_times(),
        np.empty((count, 2)), np.empty(count, dtype=np.uint8), key_every, np.empty((keys, 4)), np.empty((keys, 4, 4)),
        np.empty((len(aiding.baro) + 2 * len(aiding.gnss) + 1, 5)), np.empty(count), [],
    )  # fmt: skip


def advance(run: Run, t_s: Array, samples: Samples, aiding: Aiding, first: int, last: int) -> None:
    """Take the samples from ``first`` to ``last`` in."""
    c, state = run.attitude
    attitude, state = attitude_ekf.run(c, state, samples.part(first, last))
    run.attitude = (c, state)
    run.parts.append(attitude)
    known = aiding.known if len(aiding.known) else np.zeros(len(t_s), dtype=np.uint8)
    run.up[first:last] = -rotate(attitude.q_nb, readings(samples.acc_b[first:last], MOST_M_S2))[:, 2] - run.gravity
    kernel.advance_all(
        run.c, run.x, run.p, run.at, t_s, samples.dt_s, run.up, known, aiding.baro, aiding.gnss, run.motion, run.flags, run.key_every,
        run.key_x, run.key_p, run.rows, np.zeros((2, 4)), first, last,
    )  # fmt: skip


def finish(run: Run, t_s: Array) -> tuple[AttitudeOutputs, MotionOutputs]:
    """Return what the run left: height and climb as the down components, the others unknown."""
    pos, vel = np.full((len(t_s), 3), np.nan), np.full((len(t_s), 3), np.nan)
    pos[:, 2], vel[:, 2] = -run.motion[:, 0], -run.motion[:, 1]
    keys = t_s[:: run.key_every]
    sigmas: dict[str, Array] = {}
    if not run.c.by_gains:
        root = np.sqrt(np.maximum(np.einsum("kii->ki", run.key_p), 0.0))
        nothing = np.full(len(root), np.nan)
        sigmas = {
            "position": np.stack([nothing, nothing, root[:, 0]], axis=1),
            "velocity": np.stack([nothing, nothing, root[:, 1]], axis=1),
            "vertical accelerometer bias": root[:, 2],
            "barometer offset": root[:, 3],
        }
    rows = run.rows[: int(run.at[2])]
    innovations = Innovations(rows[:, 0], rows[:, 1], rows[:, 2], rows[:, 3], rows[:, 4] > 0, NAMES, UNITS)
    joined = AttitudeOutputs(
        *(np.concatenate([getattr(p, f) for p in run.parts]) for f in AttitudeOutputs.__dataclass_fields__)
    )
    joined = replace(joined, flags=joined.flags | run.flags)
    values = {"vertical accelerometer bias": run.key_x[:, 2], "barometer offset": run.key_x[:, 3]}
    return joined, MotionOutputs(pos, vel, keys, values, sigmas, np.empty((0, 0, 0)), innovations)
