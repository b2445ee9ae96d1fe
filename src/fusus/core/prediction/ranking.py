"""Every combination of a catalogue's parts, predicted; and those that no other beats.

Arrays, where a function does not say otherwise (shape, unit, frame):

    table : (K, C) any, any
"""

from concurrent.futures import Executor
from dataclasses import dataclass
from itertools import product

import numpy as np

from fusus.core.arrays import Array, BoolArray
from fusus.core.mission.trajectory import Trajectory
from fusus.core.parts.fields import PartKind
from fusus.core.parts.fitting import Fitting
from fusus.core.parts.models import suite_model
from fusus.core.parts.part import Completed
from fusus.core.prediction.predict import Recursion, Tables
from fusus.core.prediction.statistics import figure_of
from fusus.core.progress import Progress, Silent
from fusus.core.requirements import Requirement
from fusus.core.workers import work_off

# So many batches keep all cores busy till the end, and progress in motion.
BATCHES = 32


@dataclass(frozen=True, slots=True)
class Choice:
    """The parts of one suite; the magnetometer may be the IMU itself, a nine-axis board."""

    imu: Completed
    barometer: Completed | None
    magnetometer: Completed | None
    receiver: Completed | None
    rangefinder: Completed | None = None

    def separate(self) -> tuple[Completed, ...]:
        """Return the parts to buy."""
        found = [self.imu, self.barometer, self.magnetometer, self.receiver, self.rangefinder]
        if self.magnetometer is self.imu:
            found[2] = None
        return tuple(p for p in found if p is not None)

    def names(self) -> dict[str, str]:
        """Return the parts' names by their kinds."""
        kinds = {
            "imu": self.imu, "barometer": self.barometer, "magnetometer": self.magnetometer, "receiver": self.receiver,
            "rangefinder": self.rangefinder,
        }  # fmt: skip
        return {k: p.part.name for k, p in kinds.items() if p is not None}

    def total(self, name: str) -> float:
        """Return the sum of a figure over all parts to buy."""
        return sum(p.get(name, 0.0) for p in self.separate())


@dataclass(frozen=True, slots=True)
class Ranked:
    """One suite with what it costs and does; ``score`` is the largest error over its limit: 1 just meets them all."""

    choice: Choice
    price: float
    mass_kg: float
    current_a: float
    values: tuple[float, ...]
    score: float


@dataclass(frozen=True, slots=True)
class Ranking:
    """All suites, and which of them lie on the front over score, price, mass and current."""

    requirements: tuple[Requirement, ...]
    suites: tuple[Ranked, ...]
    front: tuple[int, ...]

    def best(self) -> tuple[Ranked, ...]:
        """Return the front, best score first."""
        return tuple(sorted((self.suites[i] for i in self.front), key=lambda s: s.score))


def choices(parts: tuple[Completed, ...], rangefinder: Completed | None = None) -> list[Choice]:
    """Return every combination of IMU, barometer, magnetometer (or the IMU's own) and receiver."""

    def of(kind: PartKind) -> list[Completed | None]:
        return [p for p in parts if p.part.kind == kind]

    out = []
    imus = [p for p in parts if p.part.kind == "imu"]
    for imu, baro, receiver in product(imus, of("barometer") or [None], of("receiver") or [None]):
        own = [imu] if imu.part.has_magnetometer else []
        for magnetometer in [*of("magnetometer"), *own] or [None]:
            out.append(Choice(imu, baro, magnetometer, receiver, rangefinder))
    return out


@dataclass(frozen=True, slots=True)
class Batch:
    """Some of the candidates with all that ranking them takes."""

    candidates: tuple[Choice, ...]
    trajectory: Trajectory
    requirements: tuple[Requirement, ...]
    fitting: Fitting


def rank_batch(batch: Batch) -> list[Ranked]:
    """Return the candidates of a batch predicted."""
    tables = Tables(batch.trajectory)
    return [_ranked(c, batch.trajectory, batch.requirements, batch.fitting, tables) for c in batch.candidates]


def rank(
    candidates: list[Choice],
    trajectory: Trajectory,
    requirements: tuple[Requirement, ...],
    fitting: Fitting,
    progress: Progress | None = None,
    executor: Executor | None = None,
) -> Ranking:
    """Return all candidates predicted, in batches that any worker can take; a cancelled progress stops it.

    Parameters
    ----------
    candidates : list of Choice
        As from ``choices``.
    trajectory : Trajectory
        The mission laid out.
    requirements : tuple of Requirement
        Those that the mission can tell about count.
    fitting : Fitting
        How parts are fitted and calibrated.
    progress : Progress
        Told about batches done.
    executor : Executor
        Who works the batches off; None: one after the other, here.

    Returns
    -------
    Ranking
        In the order of the candidates.
    """
    asked = tuple(r for r in requirements if r.quantity != "outage" or trajectory.outage is not None)
    size = max(1, -(-len(candidates) // BATCHES))
    batches = [
        Batch(tuple(candidates[i : i + size]), trajectory, asked, fitting) for i in range(0, len(candidates), size)
    ]
    found = work_off(rank_batch, batches, executor, progress or Silent(), "Ranking suites")
    suites = [s for part in found for s in part]
    table = np.array([[s.score, s.price, s.mass_kg, s.current_a] for s in suites]).reshape(len(suites), 4)
    return Ranking(asked, tuple(suites), tuple(np.flatnonzero(front_of(table)).tolist()))


def _ranked(
    choice: Choice, trajectory: Trajectory, requirements: tuple[Requirement, ...], fitting: Fitting, tables: Tables
) -> Ranked:
    model = suite_model(choice.imu, choice.barometer, choice.magnetometer, choice.receiver, choice.rangefinder, fitting)
    spread = Recursion(model, trajectory, keeps=False, tables=tables).true
    values = tuple(figure_of(r, spread, trajectory) for r in requirements)
    score = max((v / r.limit for v, r in zip(values, requirements, strict=True)), default=0.0)
    return Ranked(choice, choice.total("price"), choice.total("mass"), choice.total("current"), values, score)


def front_of(table: Array) -> BoolArray:
    """Return which rows no other row beats: none is at most as large in all columns and smaller in one, (N,) bool."""
    n = len(table)
    kept = np.ones(n, dtype=bool)
    for i in range(n):
        if not kept[i]:
            continue
        no_larger = (table <= table[i]).all(axis=1)
        smaller = (table < table[i]).any(axis=1)
        if (no_larger & smaller).any():
            kept[i] = False
        else:
            kept &= ~((table >= table[i]).all(axis=1) & (table > table[i]).any(axis=1))
    return kept
