"""The stretch of a flight in which nothing was asked for, and what its sensors say there.

Arrays, where a function does not say otherwise (shape, unit, frame):

    values : (N,) any, any
"""

import math
from dataclasses import dataclass

import numpy as np

from fusus.core.arrays import Array, BoolArray
from fusus.core.estimation.initial import rest_at_start
from fusus.core.estimation.replay import EstimatorInput
from fusus.core.frames.quaternion import rotate
from fusus.core.world.site import Site
from fusus.errors import ParameterError

GRID_S = 0.1
SHORTEST_S = 8.0
# Beyond this climb the craft rises or sinks on purpose, at the ends of the flight.
CLIMBS_M_S = 0.7
FLIES_SHARE = 0.5  # of the motors' usual work


@dataclass(frozen=True, slots=True)
class Controls:
    """What the board logged beside its sensors: motors' shares (K, M) at ``motor_s``, thrust and torques of full motors (4, M) where
    the layout is known; sticks roll and pitch (S, 2) and mode (S,) by number, NaN where not told, at ``stick_s``."""

    motor_s: Array
    motors: Array
    effect: Array | None
    stick_s: Array
    sticks: Array
    modes: Array


@dataclass(frozen=True, slots=True)
class Known:
    """The motion as fixes show it afterwards: attitude (N, 4), gyro bias (N, 3) rad/s and one sigma of a component of it."""

    q_nb: Array
    gyro_bias_b: Array
    bias_sigma: float


NO_CONTROLS = Controls(np.empty(0), np.empty((0, 0)), None, np.empty(0), np.empty((0, 2)), np.empty(0))


@dataclass(frozen=True, slots=True)
class Hover:
    """A stretch (``start_s`` to ``end_s``) on a grid ``t_s`` (N,) of 0.1 s: mean specific force and rate in the body (N, 3), specific
    force turned by the estimate (N, 3), attitude as gyro, gravity and field show it (N, 4), and as fixes show it (N, 4), NaN without;
    means at rest before it (3,) or NaN; by how much the gyro's bias has moved since, rad/s (3,), with sigma; ``holds_place``: whether
    the mode holds a place, None where not told."""

    start_s: float
    end_s: float
    t_s: Array
    acc_b: Array
    gyro_b: Array
    force_n: Array
    q_nb: Array
    true_q_nb: Array
    rest_acc_b: Array
    rest_gyro_b: Array
    bias_moved_b: Array
    bias_sigma: float
    holds_place: bool | None
    given: EstimatorInput
    controls: Controls
    site: Site
    drag_per_s: float

    def within(self, t: Array) -> BoolArray:
        """Return which of the times lie in the stretch."""
        return np.asarray((t >= self.start_s) & (t <= self.end_s))


def hover_of(
    given: EstimatorInput, q_nb: Array, controls: Controls, site: Site, drag_per_s: float,
    seen: Known | None = None, span: tuple[float, float] | None = None, holding: tuple[int, ...] = (4, 5, 6),
) -> Hover:  # fmt: skip
    """Return the stretch to look at.

    Parameters
    ----------
    given : EstimatorInput
        The recording, N samples.
    q_nb : ndarray, (N, 4), 1, n to b
        An attitude that rests on gyro, accelerometer and magnetometer alone.
    controls : Controls
        Motors and sticks, as far as logged.
    site : Site
        Gravity and field.
    drag_per_s : float
        Drag over mass, 1/s.
    seen : Known or None
        The motion as fixes show it.
    span : tuple or None
        From and to, s after the first sample; without it the longest stretch in the air in one mode, ends of climb left out.
    holding : tuple
        The modes, by number, that hold a place.

    Raises
    ------
    ParameterError
        If the stretch is shorter than 8 s.
    """
    t = given.t_s
    first = float(t[0])
    chosen = (first + span[0], first + span[1]) if span is not None else longest(given, controls)
    start, end = max(chosen[0], first), min(chosen[1], float(t[-1]))
    if end - start < SHORTEST_S:
        raise ParameterError("Length of the hover", round(max(end - start, 0.0), 1), SHORTEST_S, math.inf, "s")
    edges = np.arange(start, end, GRID_S)
    stop = int(np.searchsorted(t, end))
    rows = np.searchsorted(t, edges)
    rows = np.unique(rows[rows < stop])
    middles = np.append(rows[1:], stop)
    counts = np.maximum(middles - rows, 1)[:, None]
    samples = given.samples
    acc = np.add.reduceat(samples.acc_b[:stop], rows, axis=0) / counts
    gyro = np.add.reduceat(samples.gyro_b[:stop], rows, axis=0) / counts
    at = np.clip((rows + middles) // 2, 0, len(t) - 1)
    still = rest_at_start(samples.gyro_b, samples.acc_b, t)
    rests = still > 20 and t[still - 1] < start
    nan = np.full(3, np.nan)
    modes = controls.modes[(controls.stick_s >= start) & (controls.stick_s <= end)]
    known = modes[np.isfinite(modes)]
    rest_gyro = samples.gyro_b[:still].mean(axis=0) if rests else nan
    late = at[len(at) // 3 :]  # by then the filter knows
    moved = seen.gyro_bias_b[late].mean(axis=0) - rest_gyro if seen is not None else nan
    return Hover(
        start, end, t[at], acc, gyro, rotate(q_nb[at], acc), q_nb[at],
        seen.q_nb[at] if seen is not None else np.full((len(at), 4), np.nan),
        samples.acc_b[:still].mean(axis=0) if rests else nan, rest_gyro, moved, seen.bias_sigma if seen is not None else math.nan,
        bool(np.median(known) in holding) if len(known) else None, given, controls, site, drag_per_s,
    )  # fmt: skip


def longest(given: EstimatorInput, controls: Controls) -> tuple[float, float]:
    """Return from and to, s, of the longest stretch in the air in one mode, without the climb and descent at its ends."""
    grid = np.arange(given.t_s[0], given.t_s[-1], GRID_S)
    if len(grid) < 3:
        return float(given.t_s[0]), float(given.t_s[-1])
    flies = _flies(given, controls, grid)
    changes = np.zeros(len(grid), dtype=bool)
    known = np.isfinite(controls.modes)
    if known.any():
        mode = controls.modes[known][np.clip(np.searchsorted(controls.stick_s[known], grid, "right") - 1, 0, None)]
        changes[1:] = np.diff(mode) != 0
    parts = np.split(np.arange(len(grid)), np.flatnonzero(changes | np.append(False, np.diff(flies.astype(int)) != 0)))
    best = max((p for p in parts if len(p) and flies[p[0]]), key=len, default=np.arange(len(grid)))
    if not changes.any():
        best = best[_between_climbs(np.abs(_climb(given, grid)[best]) > CLIMBS_M_S)]
    return float(grid[best[0]]), float(grid[best[-1]])


def _between_climbs(climbs: BoolArray) -> slice:
    """Return what lies after the climb in the first third and before the descent in the last."""
    third = len(climbs) // 3
    up, down = np.flatnonzero(climbs[:third]), np.flatnonzero(climbs[-third:]) if third else np.zeros(0, dtype=np.int64)
    return slice(int(up[-1]) + 1 if len(up) else 0, len(climbs) - third + int(down[0]) if len(down) else len(climbs))


def _flies(given: EstimatorInput, controls: Controls, grid: Array) -> BoolArray:
    if len(controls.motor_s) > 20:
        work = np.nanmean(controls.motors, axis=1)
        usual = float(np.nanpercentile(work, 80))
        found = np.interp(grid, controls.motor_s, np.nan_to_num(work)) > FLIES_SHARE * usual
        if found.any() and usual > 0.1:
            return np.asarray(found)
    rest = rest_at_start(given.samples.gyro_b, given.samples.acc_b, given.t_s)
    return np.asarray(grid > given.t_s[max(rest - 1, 0)])


def _climb(given: EstimatorInput, grid: Array) -> Array:
    """Return the climb at the grid's times, smoothed over two seconds: by the rangefinder's height or else the barometer's."""
    for rows in (given.aiding.ranges, given.aiding.baro):
        if len(rows) > 20:
            height = np.interp(grid, rows[:, 0], rows[:, 1])
            smooth = smoothed(height, 2.0)
            return np.asarray(np.gradient(smooth, GRID_S))
    return np.zeros(len(grid))


def smoothed(values: Array, over_s: float) -> Array:
    """Return values (N,) on the grid as means over so many seconds around each, fewer at the ends."""
    width = max(1, round(over_s / GRID_S))
    ones = np.ones(width)
    total = np.convolve(np.ones(len(values)), ones, "same")
    return np.asarray(np.convolve(values, ones, "same") / total)
