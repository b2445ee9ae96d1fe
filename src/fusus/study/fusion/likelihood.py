"""Noises by maximum likelihood: those under which the filter would have been least surprised by what came."""

import math
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from fusus.core.estimation.aiding import NO_ACCURACY
from fusus.core.estimation.navigation_ekf.parameters import RANGES, Parameters
from fusus.core.estimation.replay import EstimatorInput, run_estimator
from fusus.core.progress import Progress, Silent
from fusus.core.world.site import Site
from fusus.errors import RecordingError

TUNED = (
    "gnss_horizontal_m", "gnss_vertical_m", "gnss_velocity_horizontal_m_s", "gnss_velocity_vertical_m_s",
    "gnss_wander_horizontal_m", "gnss_wander_vertical_m", "baro_noise_m", "baro_walk_m_rthz", "acc_noise_m_s2_rthz",
)  # fmt: skip
CHANNELS = (
    "gnss north", "gnss east", "gnss down", "gnss speed north", "gnss speed east", "gnss speed down", "barometer",
)  # fmt: skip
ROUNDS, LONGEST_S = 3, 150.0
FIRST_STEP = math.log(1.6)
OUTLIER = 25.0  # squared sigmas at which an innovation counts no further


@dataclass(frozen=True, slots=True)
class Tuned:
    """One parameter: before, after, and one sigma of its logarithm (None where the data say nothing of it)."""

    name: str
    before: float
    after: float
    log_sigma: float | None


@dataclass(frozen=True, slots=True)
class Likelihood:
    """The tuning found, and by how much the logarithm of the likelihood rose over how many innovations."""

    recording: str
    parameters: Parameters
    tuned: tuple[Tuned, ...]
    gain: float
    innovations: int


def log_likelihood(parameters: Parameters, given: EstimatorInput, site: Site) -> tuple[float, int]:
    """Return -½ Σ (y²/s + ln s) over the innovations of fixes and barometer, and how many they are."""
    motion = run_estimator("navigation-ekf", parameters, given, site).motion
    if motion is None:
        return -math.inf, 0
    found = motion.innovations.of(*CHANNELS)
    nis = np.minimum(found.normalised**2, OUTLIER)
    return -0.5 * float(np.sum(nis + np.log(found.variance))), len(found)


def by_likelihood(
    recording: str, given: EstimatorInput, parameters: Parameters, site: Site, progress: Progress | None = None
) -> Likelihood:
    """Return the noises that make the recording most likely: one after the other in logarithmic steps, twice round.

    At each, a parabola through three values gives the top, and its curvature the standard error. The filter's own following
    of the fixes' noise is off meanwhile. At most 150 s of the recording are used.
    """
    progress = progress or Silent()
    if len(given.aiding.gnss) < 50:
        raise RecordingError(recording, "a tuning by likelihood needs at least fifty fixes.")
    # What the receiver says of itself would stand in the place of the noise that is looked for.
    unsaid = replace(given, aiding=replace(given.aiding, accuracy=NO_ACCURACY))
    short = first_seconds(unsaid, LONGEST_S)
    p = replace(parameters, follow_gnss=False)
    start, count = log_likelihood(p, short, site)
    best = start
    sigmas: dict[str, float | None] = {}
    total = ROUNDS * len(TUNED)
    for k in range(total):
        name = TUNED[k % len(TUNED)]
        progress.step(k, total, "Tuning by likelihood")
        p, best, sigmas[name] = _climb(p, name, best, short, site, FIRST_STEP / (1 + k // len(TUNED)))
    progress.step(total, total, "Tuning by likelihood")
    tuned = tuple(Tuned(n, getattr(parameters, n), getattr(p, n), sigmas[n]) for n in TUNED)
    return Likelihood(recording, replace(p, follow_gnss=parameters.follow_gnss), tuned, best - start, count)


def first_seconds(given: EstimatorInput, seconds: float) -> EstimatorInput:
    """Return the beginning of a recording."""
    last = int(np.searchsorted(given.t_s, given.t_s[0] + seconds))
    a = given.aiding
    known = a.known[:last] if len(a.known) else a.known
    return replace(given, t_s=given.t_s[:last], samples=given.samples.part(0, last), aiding=replace(a, known=known))


def with_value(p: Parameters, name: str, value: float) -> Parameters:
    """Return the parameters with one figure changed."""
    changed: dict[str, Any] = {name: value}
    return replace(p, **changed)


def _climb(
    p: Parameters, name: str, best: float, given: EstimatorInput, site: Site, step: float
) -> tuple[Parameters, float, float | None]:
    """Return the parameters with one of them at its top, the likelihood there, and one sigma of its logarithm."""
    value = float(getattr(p, name))
    low, high, _ = RANGES[name]
    if value <= 0.0:
        return p, best, None

    def at(shift: float) -> tuple[Parameters, float]:
        tried = with_value(p, name, min(max(value * math.exp(shift), low), high))
        return tried, log_likelihood(tried, given, site)[0]

    candidates = [(p, best), at(step), at(-step)]
    up, down = candidates[1][1], candidates[2][1]
    bend = up + down - 2 * best
    sigma = None
    if bend < 0.0:
        sigma = step / math.sqrt(-bend)
        top = 0.5 * step * (down - up) / bend
        if abs(top) < 2 * step:
            candidates.append(at(top))
    elif max(up, down) > best:
        candidates.append(at(2 * step if up > down else -2 * step))
    winner, found = max(candidates, key=lambda c: c[1])
    return winner, found, sigma
