"""Runs an attitude estimator over a recording's samples, in blocks that can be cancelled."""

import time
from dataclasses import dataclass
from importlib import import_module
from typing import Any

import numpy as np
from numpy.typing import ArrayLike

from fusus.core.arrays import Array
from fusus.core.estimation.catalogue import AttitudeParameters, EstimatorInfo, info_for
from fusus.core.estimation.initial import Start, start_from
from fusus.core.estimation.outputs import AttitudeOutputs
from fusus.core.estimation.samples import Samples, as_attitude_samples
from fusus.core.progress import Progress, Silent
from fusus.core.world.site import Site

BLOCK = 100_000  # some 10 ms of work: cancelling feels instant


@dataclass(frozen=True, slots=True)
class AttitudeInput:
    """A recording as estimators see it: times (N,) s, rate, specific force, and field (N, 3) with NaN rows."""

    t_s: Array
    samples: Samples


@dataclass(frozen=True, slots=True)
class AttitudeReplay:
    """An estimate over a recording, how it began, and how long it took."""

    estimator: EstimatorInfo
    t_s: Array
    outputs: AttitudeOutputs
    start: Start
    elapsed_s: float


def attitude_input(
    t_s: ArrayLike,
    gyro_b: ArrayLike,
    acc_b: ArrayLike,
    mag_t_s: ArrayLike | None = None,
    mag_b: ArrayLike | None = None,
) -> AttitudeInput:
    """Return the samples with each field put at the first IMU sample that is not earlier.

    Parameters
    ----------
    t_s : array_like, (N,), s, any
        Rising times.
    gyro_b : array_like, (N, 3), rad/s, b
        Angular rate.
    acc_b : array_like, (N, 3), m/s^2, b
        Specific force.
    mag_t_s : array_like, (M,), s, any
        Times of the field, or None.
    mag_b : array_like, (M, 3), uT, b
        Field, or None.

    Returns
    -------
    AttitudeInput
        The first step equals the second; where two fields fall on one sample the later counts.
    """
    t = np.asarray(t_s, dtype=float)
    dt = np.empty(len(t))
    if len(t) > 1:
        dt[1:] = np.diff(t)
        dt[0] = float(np.median(dt[1:]))
    else:
        dt[:] = 0.01
    field = np.full((len(t), 3), np.nan)
    if mag_t_s is not None and mag_b is not None:
        mag = np.asarray(mag_b, dtype=float)
        good = np.isfinite(mag).all(axis=1)
        rows = np.searchsorted(t, np.asarray(mag_t_s, dtype=float)[good])
        inside = rows < len(t)
        field[rows[inside]] = mag[good][inside]
    return AttitudeInput(t, as_attitude_samples(dt, gyro_b, acc_b, field))


def replay_attitude(
    name: str, parameters: AttitudeParameters, given: AttitudeInput, site: Site, progress: Progress | None = None
) -> AttitudeReplay:
    """Return the estimate of the estimator called ``name`` over all samples."""
    progress = progress or Silent()
    info = info_for(name)
    module: Any = import_module(f"fusus.core.estimation.{info.module}.run")
    samples = given.samples
    start = start_from(given.t_s, samples.gyro_b, samples.acc_b, samples.mag_b, site)
    c = module.coefficients(parameters, site, start)
    state = module.initial_state(parameters, c, start)
    module.run(c, state, samples.part(0, 1))  # compiles, or loads what was compiled: not part of the time
    began = time.perf_counter()
    parts: list[AttitudeOutputs] = []
    for first in range(0, len(given.t_s), BLOCK):
        part, state = module.run(c, state, samples.part(first, first + BLOCK))
        parts.append(part)
        progress.step(min(first + BLOCK, len(given.t_s)), len(given.t_s), info.title)
    joined = AttitudeOutputs(
        *(np.concatenate([getattr(p, f) for p in parts]) for f in AttitudeOutputs.__dataclass_fields__)
    )
    if not np.isfinite(joined.q_nb).all():
        raise ValueError(f"{info.title} left the range of numbers; its parameters are too extreme")
    return AttitudeReplay(info, given.t_s, joined, start, time.perf_counter() - began)
