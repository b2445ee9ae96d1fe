"""A gyro's scale by directions that do not turn: gravity and the field keep still while the body turns under them.

A vector that is fixed in space, measured in the body and turned back by the integral of the rates, keeps its direction:
its mean over a window is longer than without turning back. How much longer it must be, if the rates are right, follows
from the rates alone. The regression of the gain that is seen on the gain that is due, window by window, has slope 1 for
rates that are read rightly, 2 s₀/s - 1 for rates that are read with a factor s instead of s₀, and is negative where they
turn the direction away. Its standard error comes from the scatter over windows (HC3: MacKinnon and White, Journal of
Econometrics 29, 1985, from memory), so that accelerations, vibration and noise widen it by themselves.

Arrays, where a function does not say otherwise (shape, unit, frame):
t : (N,) s; gyro : (N, 3) as logged, b
"""

from dataclasses import dataclass, replace
from itertools import permutations, product

import numpy as np

from fusus.core.arrays import Array
from fusus.core.frames.quaternion import conjugate, from_rotation_vector, multiply, normalise, rotate

G = 9.80665
WINDOWS_S = (0.4, 0.6, 1.0, 2.0, 4.0, 8.0, 16.0)
LEAST_WINDOWS = 6
# So many standard errors must a slope differ from none.
SURE = 4.0
# Slopes between these fit a reading: the mean acceleration of real motion moves them from 1, but not to 57.
FITS, FAR = (0.2, 5.0), 8.0
VOTES = 2
# No craft, vehicle or hand that carries such a board changes its speed by more within so many seconds, m/s.
FASTEST_CHANGE_M_S, CHANGE_WINDOW_S = 100.0, 16.0
ARRANGED_HZ = 20.0
# Faster motion is taken out: on a lever arm it makes accelerations many times as large as what gravity turns by.
SMOOTHED_S, KEPT_A_WIDTH = 0.2, 8
# A craft in flight tilts its thrust, not gravity: what turns by less than this may be a small share of larger turns, rad.
LARGEST = 1e9
LEAST_TURN = np.radians(1.0)


@dataclass(frozen=True, slots=True)
class Slope:
    """Gain of steadiness seen over gain due, with its standard error, for windows of ``window_s``; ``turn_rad`` is by how much
    the direction turns within them."""

    vector: str
    window_s: float
    windows: int
    value: float
    error: float
    turn_rad: float

    @property
    def fits(self) -> bool:
        """Whether it is near one, not by chance, and of turns that are large enough."""
        near = self.value > SURE * self.error and FITS[0] <= self.value <= FITS[1]
        return bool(near and self.turn_rad > LEAST_TURN)

    @property
    def contradicts(self) -> bool:
        """Whether it is far from one and not by chance: turned the wrong way, or much too little."""
        return bool(abs(self.value) > SURE * self.error and (self.value < -FITS[0] or self.value > FAR))


@dataclass(frozen=True, slots=True)
class Reading:
    """The slopes of one reading of the rates, and the change of speed that it would mean, m/s."""

    factor: float
    slopes: tuple[Slope, ...]
    implied_change_m_s: float

    @property
    def is_shown(self) -> bool:
        """Whether the motion shows this reading."""
        return self._said is True

    @property
    def is_denied(self) -> bool:
        """Whether the motion contradicts this reading."""
        return self._said is False

    @property
    def _said(self) -> bool | None:
        """What the first vector says that says anything.

        In flight the specific force is thrust, which turns with the body: it does not contradict what the field shows.
        """
        for vector in dict.fromkeys(s.vector for s in self.slopes):
            own = [s for s in self.slopes if s.vector == vector]
            if any(s.contradicts for s in own):
                return False
            if sum(s.fits for s in own) >= VOTES:
                return True
        return None

    @property
    def is_impossible(self) -> bool:
        """Whether gravity could not last under it."""
        return self.implied_change_m_s > FASTEST_CHANGE_M_S

    @property
    def best(self) -> Slope | None:
        """The slope that is known best among those that fit, None without any."""
        return max((s for s in self.slopes if s.fits), key=lambda s: s.value / max(s.error, 1e-12), default=None)


@dataclass(frozen=True, slots=True)
class TurnEvidence:
    """All readings; ``shown`` is the factor that the motion shows, None where it shows none."""

    readings: tuple[Reading, ...]

    @property
    def shown(self) -> float | None:
        """The one factor that the motion shows, or that alone is left possible."""
        shown = [r.factor for r in self.readings if r.is_shown]
        if len(shown) == 1:
            return shown[0]
        left = [r.factor for r in self.readings if not r.is_impossible]
        return left[0] if not shown and len(left) == 1 and len(self.readings) > 1 else None

    @property
    def turns_too_little(self) -> tuple[float, ...]:
        """The factors under which the direction turns many times as much as the rates say, beyond chance and more than once."""
        return tuple(r.factor for r in self.readings if sum(s.contradicts and s.value > FAR for s in r.slopes) >= VOTES)

    @property
    def votes(self) -> int:
        """How many slopes fit the reading that fits best, less those that contradict it."""
        return max((sum(int(s.fits) - int(s.contradicts) for s in r.slopes) for r in self.readings), default=0)

    def reading(self, factor: float) -> Reading:
        """Return the reading with a factor."""
        return next(r for r in self.readings if r.factor == factor)


def turn_evidence(
    t: Array, gyro: Array, vectors: dict[str, Array], factors: tuple[float, ...], rules_out: bool = True
) -> TurnEvidence:
    """Return what the motion shows of some readings of the rates.

    Parameters
    ----------
    vectors : dict of str to (N, 3) array, any unit, b
        Directions that do not turn, as the body sees them, the surest first; "gravity" is the specific force.
    factors : tuple of float
        Readings of the rates: what one logged unit would be in rad/s.
    rules_out : bool
        Whether to make sure of what is impossible, which takes longer.

    Returns
    -------
    TurnEvidence
        One reading a factor; without enough samples each has no slope.
    """
    good = np.isfinite(t) & np.isfinite(gyro).all(axis=1)
    for v in vectors.values():
        good &= (np.abs(v) < LARGEST).all(axis=1)  # a wrong field may hold any number
    good &= (np.abs(gyro) < LARGEST).all(axis=1)
    kept = np.flatnonzero(good)
    kept = kept[np.concatenate([[True], np.diff(t[kept]) > 0])] if len(kept) else kept  # times that stand turn nothing
    t, gyro = t[kept], gyro[kept]
    if len(t) < 50 or not t[-1] > t[0]:
        return TurnEvidence(tuple(Reading(f, (), 0.0) for f in factors))
    width = max(1, round(SMOOTHED_S / float(np.median(np.diff(t)))))
    # What is smoothed needs no more than some samples in a width.
    fewer = slice(None, None, max(1, width // KEPT_A_WIDTH))
    units = {name: _of_unit_size(_smoothed(v[kept], width)[fewer]) for name, v in vectors.items()}
    t, gyro = t[fewer], _smoothed(gyro, width)[fewer]
    resting = np.median(gyro, axis=0)
    out = []
    for factor in factors:
        # With and without the middle of the rates taken off: an offset of some degrees a second is usual, steady turning is too.
        options = [_reading(t, gyro * factor, units, factor), _reading(t, (gyro - resting) * factor, units, factor)]
        possible = min(o.implied_change_m_s for o in options)
        best = max(options, key=lambda o: sum(int(s.fits) - int(s.contradicts) for s in o.slopes))
        out.append(Reading(factor, best.slopes, possible))
    if rules_out and not any(r.is_shown for r in out):
        # Only then does it count what is impossible; axes that are reversed or swapped would look the same.
        out = [
            replace(r, implied_change_m_s=_least_change(t, gyro * r.factor, units["gravity"])) if r.is_impossible else r
            for r in out
        ]
    return TurnEvidence(tuple(out))


def _least_change(t: Array, rates: Array, gravity: Array) -> float:
    """Return the least change of speed that any arrangement of the gyro's axes would mean, m/s."""
    step = max(1, round(1.0 / (ARRANGED_HZ * float(np.median(np.diff(t))))))
    n = len(t) // step * step
    at, w, u = (x[:n].reshape(-1, step, *x.shape[1:]).mean(axis=1) for x in (t, rates, gravity))
    least = np.inf
    for order, signs in product(permutations(range(3)), product((1, -1), repeat=3)):
        q = attitudes(at, w[:, order] * np.array(signs))
        found = _gains(at, q, rotate(q, u), u, CHANGE_WINDOW_S)
        if found is None:
            return 0.0
        least = min(least, _change(found[2]))
        if least < FASTEST_CHANGE_M_S:
            break
    return least


def _change(length: Array) -> float:
    """Return the change of speed within a window in which the mean direction keeps only so much of its length, m/s."""
    return float(np.median(1.0 - np.minimum(length, 1.0))) * G * CHANGE_WINDOW_S


def _smoothed(v: Array, width: int) -> Array:
    """Return centred means over ``width`` samples."""
    if width < 2:
        return v
    total = np.vstack([np.zeros(v.shape[1]), np.cumsum(v, axis=0)])
    n = len(v)
    low = np.maximum(np.arange(n) - width // 2, 0)
    high = np.minimum(np.arange(n) + (width + 1) // 2, n)
    return np.asarray((total[high] - total[low]) / (high - low)[:, None])


def _of_unit_size(v: Array) -> Array:
    size = float(np.median(np.linalg.norm(v, axis=1)))
    return v / size if size > 0 else v


def _reading(t: Array, rates: Array, units: dict[str, Array], factor: float) -> Reading:
    q = attitudes(t, rates)
    slopes: list[Slope] = []
    change = 0.0
    for name, u in units.items():
        turned = rotate(q, u)
        for seconds in WINDOWS_S:
            found = _gains(t, q, turned, u, seconds)
            if found is None:
                continue
            seen, due, length = found
            if name == "gravity" and seconds == CHANGE_WINDOW_S:
                change = _change(length)
            slope = _regress(seen, due)
            if slope is not None:
                turn = float(np.sqrt(2.0 * (due @ due) / due.sum()))
                slopes.append(Slope(name, seconds, len(seen), *slope, turn))
    return Reading(factor, tuple(slopes), change)


def attitudes(t: Array, rates: Array) -> Array:
    """Return attitudes (N, 4), body to the frame of the first sample, by the integral of rates (N, 3) in rad/s."""
    steps = 0.5 * (rates[1:] + rates[:-1]) * np.diff(t)[:, None]
    q = np.vstack([[1.0, 0.0, 0.0, 0.0], from_rotation_vector(steps)])
    # A running product by doubling: each pass joins twice as many turns.
    reach = 1
    while reach < len(q):
        q[reach:] = normalise(multiply(q[:-reach], q[reach:]))
        reach *= 2
    return q


def _gains(t: Array, q: Array, turned: Array, as_is: Array, seconds: float) -> tuple[Array, Array, Array] | None:
    """Return, for each window that is mostly filled, how much longer the mean direction is when turned back, how much
    longer it would be for a direction that stands still, and its length; None without such a window."""
    number = ((t - t[0]) / seconds).astype(np.int64)
    edges = np.concatenate([[0], np.flatnonzero(np.diff(number)) + 1])
    counts = np.diff(np.append(edges, len(t)))
    full = counts >= max(5, 0.7 * seconds / float(np.median(np.diff(t))))
    if not full.any():
        return None

    def mean_of(v: Array) -> Array:
        return np.asarray(np.add.reduceat(v, edges, axis=0) / counts[:, None])

    mean = mean_of(turned)
    length = np.linalg.norm(mean, axis=1)
    direction = mean / np.maximum(length, 1e-12)[:, None]
    still = rotate(conjugate(q), np.repeat(direction, counts, axis=0))
    due = 1.0 - np.linalg.norm(mean_of(still), axis=1)
    seen = length - np.linalg.norm(mean_of(as_is), axis=1)
    return seen[full], due[full], length[full]


def _regress(seen: Array, due: Array) -> tuple[float, float] | None:
    """Return the slope through the origin and its standard error by HC3; None where nothing turns, or too few windows do."""
    weight = float(due @ due)
    if len(seen) < LEAST_WINDOWS or not weight > 1e-16:
        return None
    slope = float(seen @ due) / weight
    leverage = due * due / weight
    left = (seen - slope * due) / (1.0 - np.minimum(leverage, 0.99))
    return slope, float(np.sqrt(np.sum((left * due) ** 2))) / weight
