"""What a closed-loop flight comes to: how it ended, how well it held, what the estimate was off, what the battery gave."""

import math
from dataclasses import dataclass

import numpy as np

from fusus.core.analysis.attitude_error import attitude_error
from fusus.core.arrays import Array
from fusus.core.control.arming import words
from fusus.core.control.cascade import PATH, PLACE
from fusus.core.simulation.flight import groups
from fusus.core.simulation.flight.fly import Flown
from fusus.core.simulation.flight.plan import MODE, PATH_AT, PLAN_HZ

QUANTITIES = ("tilt", "heading", "horizontal", "height", "velocity")


@dataclass(frozen=True, slots=True)
class Figures:
    """How a flight ended (in words: "landed", "crashed", "motors refused", "in the air", "stayed on the ground"), why motors refused;
    time in the air s; largest tilt rad; distance from the wanted place, RMS and largest m, horizontally and in height (NaN where no
    place was held); RMS errors of the estimate that was flown on, SI; share of loops in which a motor was full; lowest voltage of the
    battery, mean current, charge A s; for how long the place was unknown s; how far the wind carried it meanwhile, m."""

    seed: int
    end: str
    refused: tuple[str, ...]
    air_s: float
    tilt_rad: float
    held_rms_m: float
    held_max_m: float
    height_rms_m: float
    height_max_m: float
    rmse: dict[str, float]
    saturated: float
    low_v: float
    mean_a: float
    charge_as: float
    lost_s: float
    lost_m: float


def figures(flown: Flown, seed: int) -> Figures:
    """Return a flight's figures."""
    log, t = flown.log, flown.t_s
    events = flown.events
    numbers = [n for n, _, _ in events]
    refused = tuple(w for n, _, d in events if n == groups.REFUSED for w in words(int(d)))
    if groups.CRASHED in numbers:
        end = "crashed"
    elif groups.STARTED not in numbers:
        end = "motors refused" if refused else "stayed on the ground"
    elif groups.LEFT_GROUND not in numbers:
        end = "stayed on the ground"
    else:
        last_up = max(i for i, n in enumerate(numbers) if n == groups.LEFT_GROUND)
        end = "landed" if groups.TOUCHED_DOWN in numbers[last_up:] else "in the air"
    truth, air = log.truth, _in_air(flown)
    row = np.minimum((t * PLAN_HZ + 1e-6).astype(int), len(flown.plan.rows) - 1)
    plan = flown.plan.rows[row]
    mode = np.floor(log.wanted[:, 4])
    # Held is a place that a path asks for while it is flown, or the one at which holding began.
    away = truth[:, 0:3] - plan[:, PATH_AT : PATH_AT + 3]
    # Once sticks have led the craft elsewhere it is not where the path was.
    first_other = int(np.argmax(plan[:, MODE] != PATH)) if (plan[:, MODE] != PATH).any() else len(t)
    on_path = air & (plan[:, PATH_AT + 2] < 0) & (np.arange(len(t)) < first_other)
    holds = air & (plan[:, MODE] == PLACE)
    if holds.any():
        away[holds] = truth[holds, 0:3] - truth[np.flatnonzero(holds)[0], 0:3]
    held = on_path | holds
    level, height = np.hypot(away[held, 0], away[held, 1]), away[held, 2]
    lost = _lost(events, float(t[-1]))
    saturated = log.wanted[:, 4] - mode > 0.25
    down_cos = 1.0 - 2.0 * (truth[:, 7] ** 2 + truth[:, 8] ** 2)
    power = log.power
    return Figures(
        seed, end, refused, float(air.sum() / flown.controller.rate_hz),
        float(np.arccos(np.clip(down_cos[air].min(initial=1.0), -1.0, 1.0))), _rms(level), _most(level), _rms(height), _most(height),
        _errors(flown, air), float(saturated[air].mean()) if air.any() else 0.0, float(power[:, 0].min()),
        float(power[air, 1].mean()) if air.any() else math.nan, float(power[-1, 2] - power[0, 2]), sum(b - a for a, b in lost),
        max((_carried(t, truth, a, b) for a, b in lost), default=0.0),
    )  # fmt: skip


def _in_air(flown: Flown) -> Array:
    """Return which loops are in the air, bool (N,)."""
    out = np.zeros(len(flown.t_s), dtype=bool)
    up = None
    for number, time, _ in flown.events:
        if number == groups.LEFT_GROUND:
            up = time
        elif number in (groups.TOUCHED_DOWN, groups.CRASHED) and up is not None:
            out |= (flown.t_s >= up) & (flown.t_s < time)
            up = None
    if up is not None:
        out |= flown.t_s >= up
    return out


def _lost(events: tuple[tuple[int, float, float], ...], end_s: float) -> list[tuple[float, float]]:
    out: list[tuple[float, float]] = []
    since = None
    for number, time, _ in events:
        if number == groups.LOST_PLACE:
            since = time
        elif number == groups.FOUND_PLACE and since is not None:
            out.append((since, time))
            since = None
    return out if since is None else [*out, (since, end_s)]


def _carried(t: Array, truth: Array, start_s: float, end_s: float) -> float:
    a, b = (min(int(np.searchsorted(t, s)), len(t) - 1) for s in (start_s, end_s))
    return float(np.hypot(*(truth[b, 0:2] - truth[a, 0:2])))


def _errors(flown: Flown, air: Array) -> dict[str, float]:
    """Return RMS errors of the estimate in the air."""
    if not air.any():
        return dict.fromkeys(QUANTITIES, math.nan)
    truth, estimate = flown.log.truth[air], flown.log.estimate[air]
    tilt, heading, _ = attitude_error(estimate[:, 6:10], truth[:, 6:10])
    off = estimate[:, 0:6] - truth[:, 0:6]
    return {
        "tilt": _rms(tilt), "heading": _rms(heading), "horizontal": _rms(np.hypot(off[:, 0], off[:, 1])), "height": _rms(off[:, 2]),
        "velocity": _rms(np.linalg.norm(off[:, 3:6], axis=1)),
    }  # fmt: skip


def _rms(values: Array) -> float:
    return float(np.sqrt(np.mean(np.square(values)))) if len(values) else math.nan


def _most(values: Array) -> float:
    return float(np.abs(values).max()) if len(values) else math.nan
