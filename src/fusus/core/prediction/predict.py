"""Predicted errors of a suite on a mission, and where they come from."""

from dataclasses import dataclass, replace

import numpy as np

from fusus.core.arrays import Array, IntArray
from fusus.core.mission.trajectory import Trajectory
from fusus.core.parts.models import SuiteModel
from fusus.core.prediction import kernel
from fusus.core.prediction.design import Design, Source, arms, design, direct_table, ranges_of
from fusus.core.prediction.statistics import figure_of, variance_of
from fusus.core.requirements import Requirement


@dataclass(frozen=True, slots=True)
class Spread:
    """Variances along a trajectory, (N, 11): position, velocity and attitude by axis, then the covariances of north and
    east in position and in attitude. SI units."""

    t_s: Array
    true: Array
    claimed: Array


@dataclass(frozen=True, slots=True)
class Figure:
    """A requirement's predicted value (SI), None where the suite cannot give it, with the reason."""

    requirement: Requirement
    value: float | None
    reason: str = ""


@dataclass(frozen=True, slots=True)
class Budget:
    """What each group of sources adds to the mean variance of one requirement; shares add up to one."""

    requirement: Requirement
    value: float
    variance: float
    pieces: dict[str, float]

    @property
    def shares(self) -> dict[str, float]:
        """The pieces as shares of the total, largest first."""
        total = self.variance if self.variance > 0 else 1.0
        return {k: v / total for k, v in sorted(self.pieces.items(), key=lambda kv: -kv[1])}


@dataclass(frozen=True, slots=True)
class Prediction:
    """All that the covariance recursion says of a suite."""

    trajectory: Trajectory
    spread: Spread
    figures: tuple[Figure, ...]
    budgets: tuple[Budget, ...] = ()


class Tables:
    """What depends on the trajectory alone and is the same for many suites, computed once."""

    def __init__(self, trajectory: Trajectory) -> None:
        self._course = trajectory
        self._arms: dict[tuple[float, float, float], Array] = {}
        self._direct: dict[tuple[tuple[int, int, str], ...], tuple[IntArray, Array]] = {}

    def of_arm(self, arm: tuple[float, float, float]) -> Array:
        """Return the antenna's offset and its velocity."""
        if arm not in self._arms:
            self._arms[arm] = arms(self._course, arm)
        return self._arms[arm]

    def of_sources(self, sources: tuple[Source, ...]) -> tuple[IntArray, Array]:
        """Return ranges and direct shares of sources."""
        key = tuple((s.kind, s.axis, s.profile) for s in sources)
        if key not in self._direct:
            ranges = ranges_of(sources)
            self._direct[key] = ranges, direct_table(self._course, sources, ranges)
        return self._direct[key]


class Recursion:
    """One suite's recursion on one trajectory; the gains are kept for the budget and for simulated flights."""

    def __init__(
        self, suite: SuiteModel, trajectory: Trajectory, course_heading: bool = False, keeps: bool = True,
        tables: "Tables | None" = None,
    ) -> None:  # fmt: skip
        self.suite, self.trajectory = suite, trajectory
        self.design = design(suite, trajectory, course_heading)
        self._tables = tables or Tables(trajectory)
        n = len(trajectory.t_s)
        self.gains = np.zeros((n if keeps else 1, kernel.MEASUREMENTS, kernel.STATES))
        self._keeps = keeps
        self.claimed = np.zeros((n, kernel.OUTPUTS))
        self.true = self._run(self.design, designs=True)

    def _run(self, d: Design, designs: bool) -> Array:
        c = self.trajectory
        true = np.zeros((len(c.t_s), kernel.OUTPUTS))
        arm = self.suite.gnss.lever_arm_b_m if self.suite.gnss else (0.0, 0.0, 0.0)
        ranges, direct = self._tables.of_sources(d.sources)
        kinds = d.kinds()
        inertial = int((kinds[:, 0] <= kernel.FORCE).sum())
        kernel.run(
            kernel.Track(
                c.step_s, c.rot_mid, c.rot_end, c.force_n, self._tables.of_arm(arm), d.due, c.place, c.profiles
            ),
            kernel.Model(d.p_filter, d.q_filter, d.r_filter),
            kernel.Model(d.p_true, d.q_true, d.r_true),
            kernel.Sources(kinds, inertial, d.tables(c.step_s), ranges, direct),
            kernel.Results(self.gains, self.claimed, true),
            designs,
            self._keeps,
        )
        return true

    def spread(self) -> Spread:
        """Return the variances along the trajectory."""
        return Spread(self.trajectory.t_s, self.true, self.claimed)

    def by_group(self) -> dict[str, Array]:
        """Return the true variances (N, 11) that each group of sources causes alone under the designed gains.

        They add up to the total: the error is linear in its sources once the gains are fixed (Gelb 1974, ch. 7).
        """
        d = self.design
        nothing = replace(
            d, q_true=np.zeros(5), r_true=np.zeros_like(d.r_true), p_true=np.zeros_like(d.p_true), sources=()
        )
        out = {}
        for name, alone in _groups(d, nothing).items():
            found = self._run(alone, designs=False)
            if found.any():
                out[name] = found
        return out


def _groups(d: Design, nothing: Design) -> dict[str, Design]:
    k = kernel
    out: dict[str, Design] = {}

    def noise(name: str, first: int, last: int) -> None:
        r = np.zeros_like(d.r_true)
        r[:, first:last] = d.r_true[:, first:last]
        out[name] = replace(nothing, r_true=r)

    for i, name in enumerate(("gyro noise", "accelerometer noise", "gyro bias walk", "accelerometer bias walk")):
        q = np.zeros(5)
        q[i] = d.q_true[i]
        out[name] = replace(nothing, q_true=q)
    for name, first, last in (
        ("start position and velocity", 0, 6), ("start attitude", 6, 9), ("gyro offset", 9, 12),
        ("accelerometer offset", 12, 15),
    ):  # fmt: skip
        p = np.zeros_like(d.p_true)
        p[first:last, first:last] = d.p_true[first:last, first:last]
        out[name] = replace(nothing, p_true=p)
    noise("GNSS position noise", k.POSITION, k.VELOCITY)
    noise("GNSS speed noise", k.VELOCITY, k.BARO)
    noise("barometer noise", k.BARO, k.HEADING)
    noise("magnetometer noise", k.HEADING, k.RANGE)
    noise("rangefinder", k.RANGE, k.STILL)
    noise("rest that is not quite still", k.STILL, k.COURSE)
    noise("trajectory noise", k.COURSE, k.GRAVITY)
    noise("motion taken for gravity", k.GRAVITY, k.MEASUREMENTS)
    for source in d.sources:
        before = out.get(source.group, nothing)
        out[source.group] = replace(before, sources=(*before.sources, source))  # their order by kind stays
    return out


def predict(
    suite: SuiteModel,
    trajectory: Trajectory,
    requirements: tuple[Requirement, ...],
    course_heading: bool = False,
    with_budget: bool = True,
) -> Prediction:
    """Return what a suite will do on a trajectory.

    Parameters
    ----------
    suite : SuiteModel
        Error models.
    trajectory : Trajectory
        The mission laid out.
    requirements : tuple of Requirement
        What is wanted.
    course_heading : bool
        Heading from the GNSS course (second school) instead of the magnetometer.
    with_budget : bool
        Also cut the errors by source; some twenty more runs.

    Returns
    -------
    Prediction
        Values are true errors of the designed filter, relative to the place of take-off; accuracy some 10 %.
    """
    recursion = Recursion(suite, trajectory, course_heading, keeps=with_budget)
    spread = recursion.spread()
    figures = figures_of(requirements, spread.true, trajectory, suite)
    budgets: tuple[Budget, ...] = ()
    if with_budget:
        groups = recursion.by_group()
        budgets = tuple(
            Budget(
                f.requirement, f.value, variance_of(f.requirement, spread.true, trajectory),
                {name: variance_of(f.requirement, part, trajectory) for name, part in groups.items()},
            )
            for f in figures if f.value is not None
        )  # fmt: skip
    return Prediction(trajectory, spread, figures, budgets)


def figures_of(
    requirements: tuple[Requirement, ...], true: Array, trajectory: Trajectory, suite: SuiteModel
) -> tuple[Figure, ...]:
    """Return each requirement's predicted value, or why there is none.

    Parameters
    ----------
    requirements : tuple of Requirement
        What is wanted.
    true : array_like, (N, 11), any, n
        True variances as in ``Spread``.
    trajectory : Trajectory
        The mission laid out.
    suite : SuiteModel
        Tells what is measured at all.

    Returns
    -------
    tuple of Figure
        One a requirement.
    """
    out = []
    for r in requirements:
        missing = _missing(r, suite, trajectory)
        out.append(Figure(r, None, missing) if missing else Figure(r, figure_of(r, true, trajectory)))
    return tuple(out)


def _missing(requirement: Requirement, suite: SuiteModel, trajectory: Trajectory) -> str:
    q = requirement.quantity
    if q in ("position", "velocity", "outage") and suite.gnss is None:
        return "no GNSS receiver is chosen"
    if q == "height" and suite.baro is None and suite.gnss is None and suite.rangefinder is None:
        return "nothing measures height"
    if q == "heading" and suite.mag is None and suite.gnss is None:
        return "nothing measures heading"
    if q == "outage" and trajectory.outage is None:
        return "the mission has no outage"
    return ""
