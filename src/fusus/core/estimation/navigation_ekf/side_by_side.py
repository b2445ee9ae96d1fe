"""Filters side by side: the navigation EKF itself over a recording's first minutes, from several starts, to see which the fixes bear out.

Arrays, where a function does not say otherwise (shape, unit, frame):

    t_s : (N,) s, any
    known : (N,) bits, any
    averaged() : (K,) s and bits, any
"""

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any, NamedTuple

import numpy as np

from fusus.core.arrays import Array, ByteArray
from fusus.core.estimation.aiding import Aiding
from fusus.core.estimation.attitude_math import MOST_M_S2, MOST_RAD_S, MOST_S
from fusus.core.estimation.initial import Start, readings
from fusus.core.estimation.navigation_ekf.states import CH_BARO, State
from fusus.core.estimation.samples import Samples, sealed

# A rest shows neither heading nor delay: the look begins so long before its end.
BEFORE_S = 1.0
# An innovation counts as no more than so many sigmas, squared.
MOST_SIGMAS2 = 25.0
# How far delays usually are from the tuning's.
USUAL_SPREAD_S = 0.2
# Samples are averaged to some hundred a second: enough to tell starts apart.
STEP_S = 0.009


class Known(NamedTuple):
    """What is known of a run before it begins beside its start, None for what is not: one sigma of the heading, rad; delay of the fixes and
    its sigma, s; logarithms of the factors of the measurements' noise (20,) and of the inertial noise."""

    heading_sigma_rad: float | None = None
    delay_s: float | None = None
    delay_sigma_s: float = 0.0
    noise_level: Array | None = None
    motion_level: float | None = None


NOTHING_KNOWN = Known()


@dataclass(slots=True)
class Hypothesis:
    """A filter in progress: ``advance`` takes samples in up to a number; ``rows`` its innovations, ``value`` what it assumes."""

    advance: Callable[[int, int], None]
    state: State
    rows: Array
    value: float
    likelihood: float = 0.0
    counted: int = 0


Trial = tuple[Callable[[int, int], None], State, Array]
Begin = Callable[[Start, Aiding, Array, Samples, Known], Trial]


def unlikelihood(delay_s: float, usual_s: float) -> float:
    """Return how unlikely a delay is before anything is seen, as a logarithm: a flight that shows little leaves it at the tuning's."""
    return 0.5 * ((delay_s - usual_s) / USUAL_SPREAD_S) ** 2


class Stretch(NamedTuple):
    """The part of a recording that is looked at: times, samples and aiding, coarse."""

    t_s: Array
    samples: Samples
    aiding: Aiding


def stretch_of(t_s: Array, samples: Samples, aiding: Aiding, start: Start, longest_s: float) -> Stretch | None:
    """Return the recording from the end of its rest on; None where it holds too little."""
    if len(t_s) < 10:
        return None
    first = int(np.searchsorted(t_s, t_s[0] + start.rest_s - BEFORE_S)) if start.is_still else 0
    last = int(np.searchsorted(t_s, t_s[first] + longest_s))
    t, coarse, known = averaged(t_s[first:last], samples.part(first, last), aiding.known[first:last])
    if not len(t):
        return None
    gnss, baro, mag = (
        rows[(rows[:, 0] >= t[0]) & (rows[:, 0] <= t[-1])] for rows in (aiding.gnss, aiding.baro, aiding.mag)
    )
    if len(gnss) < 3:
        return None
    return Stretch(t, coarse, replace(aiding, gnss=gnss, baro=baro, mag=mag, ranges=aiding.ranges[:0], known=known))


def averaged(t_s: Array, samples: Samples, known: ByteArray) -> tuple[Array, Samples, ByteArray]:
    """Return the samples as means over some hundredth of a second, with the last time and all bits of each."""
    steps = np.where((samples.dt_s >= 0.0) & (samples.dt_s <= MOST_S), samples.dt_s, 0.0)
    step = float(np.median(steps)) if len(t_s) else STEP_S
    every = max(1, int(STEP_S / max(step, 1e-6)))
    count = len(t_s) // every
    n = count * every

    def groups(values: Any) -> Any:
        return values[:n].reshape(count, every, *values.shape[1:])

    dt = groups(steps)
    weight = (dt / np.maximum(dt.sum(axis=1, keepdims=True), 1e-12))[:, :, None]
    gyro, acc = readings(samples.gyro_b, MOST_RAD_S), readings(samples.acc_b, MOST_M_S2)
    coarse = Samples(
        dt.sum(axis=1), (groups(gyro) * weight).sum(axis=1), (groups(acc) * weight).sum(axis=1),
        np.full((count, 3), np.nan),
    )  # fmt: skip
    bits = np.bitwise_or.reduce(groups(known), axis=1) if len(known) >= n else np.zeros(count, dtype=np.uint8)
    return np.ascontiguousarray(groups(t_s)[:, -1]), sealed(coarse), np.ascontiguousarray(bits)


def count(h: Hypothesis) -> None:
    """Add the likelihood of the fixes' innovations since the last look."""
    now = int(h.state.m.next_row)
    rows = h.rows[h.counted : now]
    rows = rows[rows[:, 0] < CH_BARO]
    h.likelihood -= 0.5 * float(np.sum(np.minimum(rows[:, 2] ** 2 / rows[:, 3], MOST_SIGMAS2) + np.log(rows[:, 3])))
    h.counted = now
