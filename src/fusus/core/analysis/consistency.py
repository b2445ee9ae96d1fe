"""Does an estimate tell the truth about itself: innovations and errors against what the filter claims of them.

Arrays, where a function does not say otherwise (shape, unit, frame):

    z : (N,) 1, any
"""

from dataclasses import dataclass

import numpy as np
from scipy import stats

from fusus.core.analysis.comparison import Comparison
from fusus.core.analysis.long_run import correlation_length
from fusus.core.analysis.statistics import Coverage, chi2_bounds, coverage
from fusus.core.arrays import Array
from fusus.core.estimation.outputs import Innovations, MotionOutputs
from fusus.core.frames import quaternion

MOST = 10_000
LAGS = 10
GROUPS: dict[str, tuple[str, ...]] = {
    "gnss_position": ("gnss north", "gnss east", "gnss down"),
    "gnss_velocity": ("gnss speed north", "gnss speed east", "gnss speed down"),
    "barometer": ("barometer",),
    "heading": ("heading",),
    "field": ("field x", "field y", "field z"),
    "range": ("range",),
    "course": ("course",),
}
PARTS = {"position": slice(0, 3), "velocity": slice(3, 6), "attitude": slice(6, 9), "all": slice(0, 9)}
COMPONENTS = (
    "north",
    "east",
    "height",
    "v north",
    "v east",
    "v down",
    "tilt about north",
    "tilt about east",
    "heading",
)


@dataclass(frozen=True, slots=True)
class Channel:
    """Innovations of one kind: the mean of their squares over their variances (1 is due) with its 95 % bounds, the share that
    was used, the correlation of neighbours, and the chance that white innovations would be as correlated (Ljung & Box 1978)."""

    name: str
    count: int
    nis: float
    low: float
    high: float
    used: float
    correlation: float
    whiteness: float
    mean: float


@dataclass(frozen=True, slots=True)
class Nees:
    """Squared errors over their claimed covariance, by its dimension (1 is due), with the 95 % band of so short a record."""

    name: str
    value: float
    low: float
    high: float

    @property
    def holds(self) -> bool:
        """Whether the value lies in its band."""
        return self.low <= self.value <= self.high


def channels(found: Innovations) -> tuple[Channel, ...]:
    """Return how the innovations of each kind behave."""
    out = []
    for name, members in GROUPS.items():
        each = [part for m in members if len(part := found.of(m)) > 8]
        if not each:
            continue
        squares = np.concatenate([e.normalised**2 for e in each])
        squares = squares[np.isfinite(squares)]
        if not len(squares):
            continue
        low, high = chi2_bounds(1, len(squares))
        lag, chance = zip(*(whiteness(e.normalised) for e in each), strict=True)
        out.append(
            Channel(
                name, len(squares), float(squares.mean()), low, high, float(np.concatenate([e.used for e in each]).mean()),
                float(np.mean(lag)), float(min(chance)), float(np.mean([e.normalised.mean() for e in each])),
            )
        )  # fmt: skip
    return tuple(out)


def whiteness(z: Array) -> tuple[float, float]:
    """Return the correlation of neighbours and the Ljung-Box chance, (0 to 1), of a series that should be white."""
    z = z[np.isfinite(z)]
    n = len(z)
    if n < 3 * LAGS:
        return 0.0, 1.0
    v = z - z.mean()
    power = float(v @ v)
    if power <= 0.0:
        return 0.0, 1.0
    rho = np.array([float(v[k:] @ v[:-k]) / power for k in range(1, LAGS + 1)])
    q = n * (n + 2) * float(np.sum(rho**2 / (n - np.arange(1, LAGS + 1))))
    return float(rho[0]), float(stats.chi2.sf(q, LAGS))


@dataclass(frozen=True, slots=True)
class Errors:
    """Errors (K, 9), truth minus estimate: position m, velocity m/s, attitude rad about north, east, down, at ``t_s`` (K,), and
    their claimed covariance (K, 9, 9)."""

    t_s: Array
    error: Array
    covariance: Array

    @property
    def sigma(self) -> Array:
        """Claimed sigmas, (K, 9)."""
        return np.asarray(np.sqrt(np.maximum(np.einsum("kii->ki", self.covariance), 0.0)))


def errors_of(motion: MotionOutputs, comparison: Comparison) -> Errors | None:
    """Return errors with claimed covariances where both are known, None without either.

    One a kept moment, some thousands at most, at the reference's row nearest to it: errors last, and more say nothing more.
    """
    c = comparison
    if len(motion.key_p) == 0 or c.pos is None or c.vel is None:
        return None
    step = max(1, len(motion.key_t_s) // MOST)
    kept = motion.key_t_s[::step]
    after = np.clip(np.searchsorted(c.t_s, kept), 0, len(c.t_s) - 1)
    before = np.maximum(after - 1, 0)
    nearest = np.where(kept - c.t_s[before] < c.t_s[after] - kept, before, after)
    near = np.flatnonzero(np.abs(c.t_s[nearest] - kept) < 0.1)
    at, first = np.unique(nearest[near], return_index=True)
    rows = near[first] * step
    turned = quaternion.multiply(c.reference_q_nb[at], quaternion.conjugate(c.estimate_q_nb[at]))
    error = np.hstack([-c.pos[at], -c.vel[at], quaternion.to_rotation_vector(turned)])
    good = np.isfinite(error).all(axis=1)
    if good.sum() < 10:
        return None
    return Errors(c.t_s[at][good], error[good], motion.key_p[rows[good], :9, :9])


def nees(found: Errors) -> tuple[Nees, ...]:
    """Return the normalised errors of each part of the state.

    Errors last: a record holds as many independent ones as its length over their correlation length, and the band is
    that of so many (Bar-Shalom, Li & Kirubarajan 2001, section 5.4).
    """
    out = []
    for name, part in PARTS.items():
        e, p = found.error[:, part], found.covariance[:, part, part]
        d = e.shape[1]
        squares = np.einsum("ki,ki->k", e, np.linalg.solve(p + np.eye(d) * 1e-15, e[..., None])[..., 0])
        lengths = [correlation_length(e[:, i], about_zero=True) for i in range(d)]
        count = max(1, round(len(e) / max(1.0, float(np.mean(lengths)))))
        low, high = chi2_bounds(d, count)
        out.append(Nees(name, float(squares.mean()) / d, low / d, high / d))
    return tuple(out)


def coverages(found: Errors) -> dict[str, Coverage]:
    """Return how often each component lies within one, two, three claimed sigmas."""
    return {name: coverage(found.error[:, i], found.sigma[:, i]) for i, name in enumerate(COMPONENTS)}
