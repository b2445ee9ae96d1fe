"""The public face of the navigation EKF: samples and measurements in, motion with its doubt out.

Arrays, where a function does not say otherwise (shape, unit, frame):

    t_s : (N,) s, any
    q_nb : (K, 4) 1, b to n
    p : (K, n, n) of the errors, n
"""

import math
from dataclasses import dataclass, replace

import numpy as np

from fusus.core.arrays import Array, ByteArray
from fusus.core.estimation.aiding import Aiding
from fusus.core.estimation.initial import Start
from fusus.core.estimation.navigation_ekf import kernel
from fusus.core.estimation.navigation_ekf.delay import LONGEST_S as DELAY_LONGEST_S
from fusus.core.estimation.navigation_ekf.delay import delay_from_motion
from fusus.core.estimation.navigation_ekf.heading import DELAYS_S, heading_from_motion
from fusus.core.estimation.navigation_ekf.heading import LONGEST_S as HEADING_LONGEST_S
from fusus.core.estimation.navigation_ekf.parameters import Parameters
from fusus.core.estimation.navigation_ekf.side_by_side import NOTHING_KNOWN, Known, Trial, stretch_of
from fusus.core.estimation.navigation_ekf.start import UNKNOWN_CARRIER, coefficients, initial_state, size_of
from fusus.core.estimation.navigation_ekf.states import (
    ACC,
    ARM,
    BARO,
    CH_POS,
    CH_VEL,
    DELAY,
    E_ACC,
    E_ATT,
    E_BARO,
    E_GYRO,
    E_POS,
    E_VEL,
    FIELD,
    GNSS_BIAS,
    GYRO,
    IRON,
    NOMINAL,
    Coefficients,
    State,
)
from fusus.core.estimation.outputs import AttitudeOutputs, Innovations, MotionOutputs
from fusus.core.estimation.samples import Samples
from fusus.core.frames.quaternion import to_euler
from fusus.core.world.site import Site

KEY_S = 0.05  # between kept covariances
# Where starts are tried side by side, fixes and their speeds are not taken to be better than this.
TRIAL_M, TRIAL_M_S = 0.3, 0.15
NAMES = (
    "gnss north", "gnss east", "gnss down", "gnss speed north", "gnss speed east", "gnss speed down", "barometer", "heading",
    "field y", "field z", "range", "rest north", "rest east", "rest down", "rest rate x", "rest rate y", "rest rate z", "course",
    "level north", "level east",
)  # fmt: skip
UNITS = (
    ("m",) * 3 + ("m/s",) * 3 + ("m", "rad", "µT", "µT", "m") + ("m/s",) * 3 + ("rad/s",) * 3 + ("rad", "m/s²", "m/s²")
)


@dataclass(frozen=True, slots=True)
class Run:
    """A run in progress: what was filled so far, block by block."""

    c: Coefficients
    state: State
    motion: Array
    flags: ByteArray
    key_every: int
    key_x: Array
    key_p: Array
    rows: Array
    was_still: bool = True


def begin(p: Parameters, site: Site, start: Start, aiding: Aiding, t_s: Array, samples: Samples) -> Run:
    """Return a run before its first sample, with room for all of them.

    Where no field shows the heading, the first motion does, and it shows how late the fixes are: in hindsight, and the run begins so.
    """
    if len(aiding.gnss) < 3:
        return begin_at(p, site, start, aiding, t_s)

    def trial(begins: Start, beside: Aiding, times: Array, coarse: Samples, assumed: Known) -> Trial:
        run = begin_at(p, site, begins, beside, times, assumed)
        # Filters that each made their own noise fit would all be as likely; and of fixes that are too good none would be.
        m, c = run.state.m, run.c
        m.is_held = True
        for channel, var, least in ((CH_POS, c.gnss_var_h, TRIAL_M), (CH_VEL, c.velocity_var_h, TRIAL_M_S)):
            at = slice(channel, channel + 3)
            m.noise_level[at] = np.maximum(m.noise_level[at], math.log(least**2 / var))
        return lambda first, last: advance(run, times, coarse, beside, first, last), run.state, run.rows

    usual, known, begins = p.gnss_delay_s, NOTHING_KNOWN, start
    learns_delay = p.gnss_delay_sigma_s > 0.0
    short = stretch_of(t_s, samples, aiding, start, DELAY_LONGEST_S) if learns_delay else None
    long = None
    if p.course_heading or not len(aiding.mag):
        long = stretch_of(t_s, samples, replace(aiding, mag=aiding.mag[:0]), start, HEADING_LONGEST_S)
    if long is not None:
        found = heading_from_motion(long, start, trial, usual, (usual, *DELAYS_S) if learns_delay else (usual,))
        if found is not None and short is not None:
            # A heading that was found with a wrong delay is wrong, and the other way round: once more with what is known now.
            known = delay_from_motion(short, found[0], trial, found[1], usual)
            found = heading_from_motion(long, start, trial, usual, (known.delay_s or 0.0,)) or (found[0], known)
        if found is not None:
            begins, known = found
    if short is not None:
        known = delay_from_motion(short, begins, trial, known, usual)
    return begin_at(p, site, begins, aiding, t_s, known)


def begin_at(p: Parameters, site: Site, start: Start, aiding: Aiding, t_s: Array, known: Known = NOTHING_KNOWN) -> Run:
    """Return a run that begins at a start as it is; ``known`` says what is known beside it."""
    c = coefficients(p, site, start, aiding)
    n, count = size_of(c), len(t_s)
    step = float(np.median(np.diff(t_s))) if count > 1 else 0.01
    key_every = max(1, round(KEY_S / max(step, 1e-6)))
    keys = -(-count // key_every)
    rests = int(min((t_s[-1] - t_s[0]) / 0.1, 1e7)) + 1 if count else 0
    state = initial_state(p, c, start, aiding, site, known)
    if count:
        # Nothing has been missed before the recording began.
        state.m.channel_used_s[:] = t_s[0]
        state.m.fix_s = t_s[0]
    most = 8 * len(aiding.gnss) + len(aiding.baro) + 3 * len(aiding.mag) + len(aiding.ranges) + 7 * rests + 8
    return Run(
        c, state, np.empty((count, 10)), np.empty(count, dtype=np.uint8), key_every,
        np.empty((keys, NOMINAL)), np.empty((keys, n, n)), np.empty((most, 5)), start.is_still,
    )  # fmt: skip


def advance(run: Run, t_s: Array, samples: Samples, aiding: Aiding, first: int, last: int) -> None:
    """Take the samples from ``first`` to ``last`` in."""
    known = aiding.known if len(aiding.known) else np.zeros(len(t_s), dtype=np.uint8)
    kernel.advance_all(
        run.c, run.state, t_s, samples.dt_s, samples.gyro_b, samples.acc_b, known, aiding.gnss, aiding.baro, aiding.mag,
        aiding.ranges, run.motion, run.flags, run.key_every, run.key_x, run.key_p, run.rows, first, last,
    )  # fmt: skip


def finish(run: Run, t_s: Array) -> tuple[AttitudeOutputs, MotionOutputs]:
    """Return what the run left."""
    c = run.c
    keys = t_s[:: run.key_every]
    x, p = run.key_x, run.key_p
    var = np.sqrt(np.maximum(np.einsum("kii->ki", p), 0.0))

    def sigma(first: int) -> Array:
        return np.asarray(var[:, first : first + 3])

    values = {
        "gyro bias": x[:, GYRO : GYRO + 3],
        "accelerometer bias": x[:, ACC : ACC + 3],
        "barometer offset": x[:, BARO],
    }
    sigmas = {
        "position": sigma(E_POS),
        "velocity": sigma(E_VEL),
        "attitude": euler_sigmas(run.motion[:: run.key_every, 6:10], p),
        "gyro bias": sigma(E_GYRO),
        "accelerometer bias": sigma(E_ACC),
        "barometer offset": var[:, E_BARO],
    }
    for name, at, nominal, size in (
        ("gnss drift", c.i_gnss_bias, GNSS_BIAS, 3),
        ("gnss delay", c.i_delay, DELAY, 1),
        ("lever arm", c.i_arm, ARM, 3),
        ("earth field", c.i_field, FIELD, 3),
        ("craft field", c.i_iron, IRON, 3),
    ):
        if at > 0:
            values[name] = x[:, nominal : nominal + 3] if size == 3 else x[:, nominal]
            sigmas[name] = sigma(at) if size == 3 else var[:, at]
    rows = run.rows[: int(run.state.m.next_row)]
    names = tuple("field x" if i == 7 and c.vector else n for i, n in enumerate(NAMES))
    units = tuple("µT" if i == 7 and c.vector else u for i, u in enumerate(UNITS))
    innovations = Innovations(rows[:, 0], rows[:, 1], rows[:, 2], rows[:, 3], rows[:, 4] > 0, names, units)
    m = run.state.m
    levels = {
        "the motion of the inertial sensors": 0.5 * float(m.motion_level)
        - (0.0 if run.was_still else 0.5 * UNKNOWN_CARRIER),
        "the place of the fixes": 0.5 * float(np.mean(m.noise_level[CH_POS : CH_POS + 2]) - m.first_level[0]),
        "the speed of the fixes": 0.5 * float(np.mean(m.noise_level[CH_VEL : CH_VEL + 2])),
    }
    factors = {name: math.exp(level) for name, level in levels.items()}
    motion = MotionOutputs(run.motion[:, 0:3], run.motion[:, 3:6], keys, values, sigmas, p, innovations, factors)
    every = np.stack([np.interp(t_s, keys, values["gyro bias"][:, i]) for i in range(3)], axis=1)
    attitude = AttitudeOutputs(run.motion[:, 6:10], every, run.flags, motion.sigma_at("attitude", t_s))
    return attitude, motion


def euler_sigmas(q_nb: Array, p: Array) -> Array:
    """Return one sigma of roll, pitch and yaw, (K, 3) rad, of attitude errors about north, east, down (Diebel 2006)."""
    block = p[:, E_ATT : E_ATT + 3, E_ATT : E_ATT + 3]
    yaw, pitch, _ = to_euler(q_nb).T
    c, s = np.cos(yaw), np.sin(yaw)
    cos = np.maximum(np.abs(np.cos(pitch)), 1e-2)
    zero, one = np.zeros_like(c), np.ones_like(c)
    roll_row = np.stack([c / cos, s / cos, zero], axis=1)
    pitch_row = np.stack([-s, c, zero], axis=1)
    tan = np.sin(pitch) / cos
    yaw_row = np.stack([tan * c, tan * s, one], axis=1)
    out = [np.einsum("ki,kij,kj->k", row, block, row) for row in (roll_row, pitch_row, yaw_row)]
    return np.asarray(np.sqrt(np.maximum(np.stack(out, axis=1), 0.0)).clip(max=math.pi))
