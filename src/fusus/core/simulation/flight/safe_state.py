"""What failsafes did in a flight: when they acted, when the craft was safe, how far away, how fast it met the ground."""

import math
from dataclasses import dataclass

import numpy as np

from fusus.core.simulation.flight import groups
from fusus.core.simulation.flight.campaign import FlightTask, fly_task, planned_flight_of
from fusus.core.simulation.flight.fly import Flown

# A craft that meets the ground slower than this is not harmed, and harms less, m/s.
SOFT_M_S = 2.0


@dataclass(frozen=True, slots=True)
class SafeState:
    """A flight after something failed: ``acts_s`` until a failsafe acted, ``stopped_s`` until the motors stood, s (NaN: never); what was
    done, by number in order, and why, bits of all causes; horizontal distance from where it failed m, the farthest; speed at the ground
    m/s (NaN: it never met it); whether it broke, and whether motors started again."""

    seed: int
    acts_s: float
    stopped_s: float
    stages: tuple[int, ...]
    why: int
    distance_m: float
    ground_m_s: float
    broke: bool
    restarted: bool

    @property
    def is_safe(self) -> bool:
        """Whether motors stand for good, and it met the ground softly, if at all."""
        soft = not self.ground_m_s > SOFT_M_S
        return math.isfinite(self.stopped_s) and not self.restarted and not self.broke and soft


def safe_state(flown: Flown, seed: int, fails_s: float) -> SafeState:
    """Return what failsafes made of a flight in which something failed at a moment."""
    events = [e for e in flown.events if e[1] >= fails_s - 1e-9]
    acted = [(t, int(d)) for n, t, d in events if n == groups.FAILSAFE]
    stops = [t for n, t, _ in events if n == groups.STOPPED]
    # A craft that breaks stops its motors by breaking: the switch of a failsafe counts where it comes before.
    stopped = min(stops, default=math.nan)
    met = [(t, d) for n, t, d in events if n in (groups.TOUCHED_DOWN, groups.CRASHED)]
    at = int(np.searchsorted(flown.t_s, fails_s))
    end = int(np.searchsorted(flown.t_s, met[0][0])) if met else len(flown.t_s)
    away = flown.log.truth[at : max(end, at + 1), 0:2] - flown.log.truth[at, 0:2]
    restarted = any(n == groups.STARTED and t > stopped for n, t, _ in events) if stops else False
    why = 0
    for _, detail in acted:
        why |= detail % groups.STAGES_BY
    return SafeState(
        seed, acted[0][0] - fails_s if acted else math.nan, stopped - fails_s, tuple(d // groups.STAGES_BY for _, d in acted), why,
        float(np.hypot(away[:, 0], away[:, 1]).max()), met[0][1] if met else math.nan,
        any(n == groups.CRASHED for n, _, _ in events), restarted,
    )  # fmt: skip


def fly_to_safety(task: FlightTask) -> SafeState:
    """Return what failsafes made of a task's flight."""
    return safe_state(fly_task(task), task.seed, planned_flight_of(task).fails_s)
