"""Ten causes of a drifting flight: how each shows, what parts it from the others, and their probabilities by a flight's signs."""

import math
from dataclasses import dataclass

import numpy as np

from fusus.core.judgement.drift_causes.hover import Hover, smoothed
from fusus.core.judgement.drift_causes.signs import ALL, Sign

# The sizes of signs are rough, and signs of one flight hang together: no log ratio of likelihoods may say more than this for or
# against a cause.
MOST_RATIO, LEAST_RATIO = 6.0, -2.5
# Below so much, m, a hover does not drift: common practice for a craft that nobody steers.
STEADY_M, STEADY_HEIGHT_M = 1.0, 0.7


@dataclass(frozen=True, slots=True)
class Cause:
    """A cause: how it shows, what to do, and how likely it is beforehand where the drift is sideways with no place held, sideways
    though a place is held, and up and down."""

    key: str
    title: str
    shows: str
    cure: str
    free: float
    held: float
    vertical: float


@dataclass(frozen=True, slots=True)
class Test:
    """A test with the minutes it takes, whether it flies, and the causes that it shows."""

    words: str
    minutes: float
    flies: bool
    tells: frozenset[str]


CAUSES = (
    Cause("level", "Level error", "It goes the same way as seen from the craft, whichever way that points.",
          "Calibrate the level on ground that a spirit level shows to be level.", 1.0, 0.1, 0.05),
    Cause("sticks", "Stick centre", "It goes where the resting stick points, and stops when trimmed.",
          "Calibrate the sticks' centres, or widen the dead band.", 1.0, 0.15, 0.3),
    Cause("gyro", "Gyro bias", "It tilts slowly away, or turns, more so in rate mode.",
          "Let it warm up and lie still before arming, or let the filter learn the bias.", 1.0, 0.3, 0.05),
    Cause("magnetometer", "Magnetometer", "Holding its place it circles, the wider the more it corrects.",
          "Calibrate the magnetometer, away from currents and steel.", 0.3, 1.0, 0.05),
    Cause("wind", "Wind without GNSS", "It goes with the air, the same way over ground whichever way it points.",
          "Nothing is broken: without a place to hold, a craft drifts with the wind. Fly by hand, or hold the place by GNSS.",
          1.0, 0.2, 0.05),
    Cause("airflow", "Airflow on the barometer", "Its height drifts with speed, gusts and throttle.",
          "Cover the barometer with open-cell foam, never with glue.", 0.1, 0.1, 1.0),
    Cause("centre", "Centre of gravity", "One side's motors work harder all the time; it lurches on take-off.",
          "Move the battery until all motors work alike.", 0.5, 0.3, 0.1),
    Cause("saturation", "Saturation", "Motors or sensors at their stops: the loops ask and nothing more comes.",
          "Take weight off, charge the battery, or choose a larger range.", 0.5, 0.5, 0.7),
    Cause("vibration", "Vibration", "Shaking is rectified into a tilt or a climb that is none.",
          "Balance the propellers, mount the board softer.", 0.5, 0.5, 0.6),
    Cause("multipath", "GNSS multipath", "Holding its place it follows fixes that walk, near walls and under trees.",
          "Keep away from walls, see more sky, take a better antenna.", 0.1, 1.0, 0.3),
)  # fmt: skip
# What a cause brings about by itself: where it shows clearly, the other's sign is no news.
BRINGS = {"saturation": ("vibration", "centre", "wind", "gyro"), "wind": ("gyro",)}
CLEAR, NO_NEWS = 3.0, 0.8
OTHER = "other"
OTHER_WEIGHT = 0.3
LEAST_WEIGHT = 0.1

TESTS = (
    Test("Look at the sticks' values with nobody touching them.", 1, False, frozenset({"sticks"})),
    Test("Set it on a surface that a spirit level shows to be level, and read roll and pitch; then turn it by 180° and read again.",
         2, False, frozenset({"level"})),
    Test("Balance the craft, battery in and propellers off, on two fingers under its middle.", 2, False, frozenset({"centre"})),
    Test("Let it lie still for a minute straight after a flight, and compare the gyro's mean with the calibration.",
         3, False, frozenset({"gyro"})),
    Test("Turn it by hand through a circle, level, outdoors: the field's strength must stay the same.",
         3, False, frozenset({"magnetometer"})),
    Test("Leave it standing in the open at the same place for five minutes: fixes that walk, walk there too.",
         5, False, frozenset({"multipath"})),
    Test("Hover, turn by 180°, hover again: what turns along sits in the craft, what keeps its direction over ground is the air.",
         5, True, frozenset({"level", "sticks", "centre", "gyro"})),
    Test("Hover the same again on a calm morning, or in a hall.", 20, True, frozenset({"wind", "airflow"})),
    Test("Hover once with the barometer under foam, once without.", 10, True, frozenset({"airflow"})),
    Test("Hover with a fresh battery and without load.", 10, True, frozenset({"saturation"})),
    Test("Hover with the propellers balanced, or with another set.", 15, True, frozenset({"vibration"})),
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class Scored:
    """A cause with its probability and the sign that the log shows of it."""

    cause: Cause
    probability: float
    sign: Sign


@dataclass(frozen=True, slots=True)
class DriftCauses:
    """How far a hover drifted sideways and up and down, m (NaN where the log does not show it), and why: causes, likeliest first;
    what is left for others; the cheapest test that parts the first two, None where none is known."""

    hover: Hover
    sideways_m: float
    vertical_m: float
    scored: tuple[Scored, ...]
    other: float
    test: Test | None

    @property
    def is_drifting(self) -> bool:
        """Whether it went further than a craft that nobody steers should."""
        return self.sideways_m > STEADY_M or self.vertical_m > STEADY_HEIGHT_M


def causes_of(hover: Hover) -> DriftCauses:
    """Return why a hover drifted.

    Each sign's likelihood with its cause over without it (two normal distributions whose sizes stand with the sign: common
    practice, held against simulated flights) weighs the cause's probability beforehand, which depends on whether the craft drifted
    sideways or up and down, and on whether it held a place.
    """
    sideways, vertical = extent(hover)
    weights = _beforehand(hover, sideways, vertical)
    signs = {s.cause: s for s in (make(hover) for make in ALL)}
    ratios = {key: softened(s.log_ratio) for key, s in signs.items()}
    for key, parents in BRINGS.items():
        by = max(ratios[p] for p in parents)
        if by > CLEAR:
            ratios[key] -= NO_NEWS * max(min(by, ratios[key]), 0.0)
    # What is there, but hardly makes a craft drift in this way, explains so much less.
    logs = [
        math.log(weights[c.key]) + (r if (r := ratios[c.key]) < 0 else r * min(max(weights[c.key], LEAST_WEIGHT), 1.0))
        for c in CAUSES
    ] + [math.log(OTHER_WEIGHT)]
    shares = np.exp(np.array(logs) - max(logs))
    shares /= shares.sum()
    scored = sorted(
        (Scored(c, float(p), signs[c.key]) for c, p in zip(CAUSES, shares[:-1], strict=True)),
        key=lambda s: -s.probability,
    )
    return DriftCauses(
        hover, sideways, vertical, tuple(scored), float(shares[-1]), cheapest(scored[0].cause.key, scored[1].cause.key)
    )


def softened(ratio: float) -> float:
    """Return a log ratio held within its bounds without losing its place among others."""
    bound = MOST_RATIO if ratio > 0 else -LEAST_RATIO
    return math.copysign(bound * -math.expm1(-abs(ratio) / bound), ratio)


def cheapest(first: str, second: str) -> Test | None:
    """Return the cheapest test that shows one of two causes and not the other: on the ground before in the air, then by minutes."""
    found = [t for t in TESTS if (first in t.tells) != (second in t.tells)]
    return min(found, key=lambda t: (t.flies, t.minutes), default=None)


def extent(h: Hover) -> tuple[float, float]:
    """Return how far a hover went from where it began, sideways and up and down, m; NaN where nothing shows it."""
    g = h.given.aiding.gnss
    g = g[h.within(g[:, 0]) & np.isfinite(g[:, 4:6]).all(axis=1)]
    sideways = math.nan
    if len(g) > 10:
        # By velocity: fixes that walk are no way of the craft.
        way = np.cumsum(0.5 * (g[1:, 4:6] + g[:-1, 4:6]) * np.diff(g[:, 0])[:, None], axis=0)
        sideways = float(np.linalg.norm(way, axis=1).max())
    heights = (h.given.aiding.ranges, h.given.aiding.baro)
    rows = next((r for r in heights if h.within(r[:, 0]).sum() > 20), None)
    vertical = math.nan
    if rows is not None:
        low, high = np.percentile(smoothed(np.interp(h.t_s, rows[:, 0], rows[:, 1]), 1.0), [2, 98])
        vertical = float(high - low)
    return sideways, vertical


def _beforehand(h: Hover, sideways: float, vertical: float) -> dict[str, float]:
    # What hardly drifts is taken to drift sideways, as most complaints do.
    a = max(0.0 if math.isnan(sideways) else sideways - STEADY_M, 0.3)
    b = 3.0 * max(0.0 if math.isnan(vertical) else vertical - STEADY_HEIGHT_M, 0.02)
    share = a / (a + b)
    out = {}
    for c in CAUSES:
        level = c.held if h.holds_place is True else c.free if h.holds_place is False else 0.5 * (c.free + c.held)
        out[c.key] = share * level + (1.0 - share) * c.vertical
    return out
