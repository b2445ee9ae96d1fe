"""Runs an estimator over a recording's samples, in blocks that can be cancelled."""

import time
from dataclasses import dataclass, field, replace
from importlib import import_module
from typing import Any

import numpy as np
from numpy.typing import ArrayLike

from fusus.core.arrays import Array
from fusus.core.estimation.aiding import Aiding
from fusus.core.estimation.catalogue import EstimatorInfo, EstimatorParameters, info_for
from fusus.core.estimation.initial import Start, start_from
from fusus.core.estimation.outputs import AttitudeOutputs, MotionOutputs
from fusus.core.estimation.samples import Samples, as_attitude_samples, sealed
from fusus.core.progress import Progress, Silent
from fusus.core.world.site import Site

BLOCK = 100_000  # some 10 ms of work: cancelling feels instant


@dataclass(frozen=True, slots=True)
class EstimatorInput:
    """A recording as estimators see it: times (N,) s, rate, specific force, and field (N, 3) with NaN rows; and the rest."""

    t_s: Array
    samples: Samples
    aiding: Aiding = field(default_factory=Aiding)


@dataclass(frozen=True, slots=True)
class Replay:
    """An estimate over a recording, how it began, and how long it took; ``motion`` is None for attitude estimators."""

    estimator: EstimatorInfo
    t_s: Array
    outputs: AttitudeOutputs
    start: Start
    elapsed_s: float
    motion: MotionOutputs | None = None


def estimator_input(
    t_s: ArrayLike,
    gyro_b: ArrayLike,
    acc_b: ArrayLike,
    mag_t_s: ArrayLike | None = None,
    mag_b: ArrayLike | None = None,
    aiding: Aiding | None = None,
) -> EstimatorInput:
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
    aiding : Aiding
        Fixes, heights, distances; attitude estimators use none of it.

    Returns
    -------
    EstimatorInput
        The first step equals the second; where two fields fall on one sample the later counts.
    """
    t = np.asarray(t_s, dtype=float)
    dt = np.empty(len(t))
    if len(t) > 1:
        dt[1:] = np.diff(t)
        dt[0] = float(np.median(dt[1:]))
    else:
        dt[:] = 0.01
    at_samples = np.full((len(t), 3), np.nan)
    if mag_t_s is not None and mag_b is not None:
        mag = np.asarray(mag_b, dtype=float)
        good = np.isfinite(mag).all(axis=1)
        rows = np.searchsorted(t, np.asarray(mag_t_s, dtype=float)[good])
        inside = rows < len(t)
        at_samples[rows[inside]] = mag[good][inside]
    return EstimatorInput(t, as_attitude_samples(dt, gyro_b, acc_b, at_samples), aiding or Aiding())


def run_estimator(
    name: str, parameters: EstimatorParameters, given: EstimatorInput, site: Site, progress: Progress | None = None
) -> Replay:
    """Return the estimate of the estimator called ``name`` over all samples."""
    progress = progress or Silent()
    info = info_for(name)
    module: Any = import_module(f"fusus.core.estimation.{info.module}.run")
    samples = sealed(given.samples)
    given = replace(given, samples=samples, t_s=np.ascontiguousarray(given.t_s))
    start = start_from(given.t_s, samples.gyro_b, samples.acc_b, samples.mag_b, site)
    run = _attitude if info.gives == "attitude" else _motion
    outputs, motion, elapsed = run(module, info, parameters, given, start, site, progress)
    sound = np.isfinite(outputs.q_nb).all() and (motion is None or not np.isinf(motion.pos_n).any())
    if not sound or (motion is not None and not np.isfinite(motion.pos_n[:, 2]).all()):
        raise ValueError(f"{info.title} left the range of numbers; its parameters are too extreme")
    return Replay(info, given.t_s, outputs, start, elapsed, motion)


Result = tuple[AttitudeOutputs, MotionOutputs | None, float]


def _attitude(
    module: Any,
    info: EstimatorInfo,
    parameters: EstimatorParameters,
    given: EstimatorInput,
    start: Start,
    site: Site,
    progress: Progress,
) -> Result:
    c = module.coefficients(parameters, site, start)
    state = module.initial_state(parameters, c, start)
    module.run(c, state, given.samples.part(0, 1))  # compiles, or loads what was compiled: not part of the time
    began = time.perf_counter()
    parts: list[AttitudeOutputs] = []
    for first in range(0, len(given.t_s), BLOCK):
        part, state = module.run(c, state, given.samples.part(first, first + BLOCK))
        parts.append(part)
        progress.step(min(first + BLOCK, len(given.t_s)), len(given.t_s), info.title)
    elapsed = time.perf_counter() - began
    joined = AttitudeOutputs(
        *(np.concatenate([getattr(p, f) for p in parts]) for f in AttitudeOutputs.__dataclass_fields__)
    )
    return joined, None, elapsed


def _motion(
    module: Any,
    info: EstimatorInfo,
    parameters: EstimatorParameters,
    given: EstimatorInput,
    start: Start,
    site: Site,
    progress: Progress,
) -> Result:
    t, samples, aiding = given.t_s, given.samples, given.aiding
    trial = module.begin(parameters, site, start, aiding, t[:1], samples.part(0, 1))
    module.advance(trial, t[:1], samples.part(0, 1), aiding, 0, 1)
    began = time.perf_counter()
    run = module.begin(parameters, site, start, aiding, t, samples)
    for first in range(0, len(t), BLOCK):
        last = min(first + BLOCK, len(t))
        module.advance(run, t, samples, aiding, first, last)
        progress.step(last, len(t), info.title)
    outputs, motion = module.finish(run, t)
    return outputs, motion, time.perf_counter() - began
