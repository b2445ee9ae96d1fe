"""Whether a gyro's axes fit those of the accelerometer or magnetometer beside it: reversed and swapped ones turn the wrong way.

Arrays, where a function does not say otherwise (shape, unit, frame):
t : (N,) s; rates : (N, 3) rad/s, b
"""

from itertools import permutations, product

import numpy as np

from fusus.core.arrays import Array
from fusus.logs.physics.turning import LEAST_TURN, Reading, turn_evidence

RATE_HZ = 20.0  # what is faster is smoothed away before; fewer samples do
LONGEST_S = 300.0
# In so many windows a reading must be off by so many standard errors, or fit so closely.
AGREEING, MISFIT, CLOSE = 3, 3.0, 0.2
FAR_OFF = 0.4  # a slope's distance from 1 that no lever arm or acceleration of usual motion explains


def fitting_arrangement(t: Array, rates: Array, vectors: dict[str, Array]) -> tuple[str, str] | None:
    """Return how the rates would have to be arranged to fit, and against which vector; None where they fit or nothing shows it."""
    step = max(1, int(1.0 / (RATE_HZ * max(float(np.median(np.diff(t))), 1e-6)))) if len(t) > 2 else 1
    keep = t <= t[0] + LONGEST_S if len(t) else np.zeros(0, dtype=bool)
    for name, v in vectors.items():
        n = int(keep.sum()) // step * step
        if n < 100:
            continue
        at, w, u = (_means(x[keep][:n], step) for x in (t, rates, v))
        as_is = turn_evidence(at, w, {name: u}, (1.0,), rules_out=False).readings[0]
        if not as_is.is_denied and not _misfits(as_is):
            continue
        best: tuple[int, int, str] | None = None
        for order, signs in product(permutations(range(3)), product((1, -1), repeat=3)):
            changes = sum(o != k for k, o in enumerate(order)) + sum(s < 0 for s in signs)
            if changes == 0:
                continue
            evidence = turn_evidence(at, w[:, order] * np.array(signs), {name: u}, (1.0,), rules_out=False)
            reading = evidence.readings[0]
            if reading.is_shown and (as_is.is_denied or _is_plain(reading)):
                rank = (evidence.votes, -changes, _words(order, signs))
                best = max(best, rank) if best is not None else rank
        if best is not None:
            return best[2], name
    return None


def _misfits(reading: Reading) -> bool:
    """Return whether the axes as they stand do not fit, without turning the direction away either: one axis of three reversed."""
    turning = [s for s in reading.slopes if s.turn_rad > LEAST_TURN]
    off = [s for s in turning if abs(s.value - 1.0) > MISFIT * s.error]
    return len(off) >= AGREEING and float(np.median([abs(s.value - 1.0) for s in turning])) > FAR_OFF


def _is_plain(reading: Reading) -> bool:
    """Return whether an arrangement fits so closely, in several windows, that chance among all arrangements does not explain it."""
    return sum(abs(s.value - 1.0) < CLOSE and s.error < CLOSE / 2 for s in reading.slopes) >= AGREEING


def _means(v: Array, step: int) -> Array:
    return np.asarray(v.reshape(-1, step, *v.shape[1:]).mean(axis=1))


def _words(order: tuple[int, ...], signs: tuple[int, ...]) -> str:
    """Return an arrangement for people: which axis stands where."""
    if order == (0, 1, 2):
        turned = [a for a, s in zip("xyz", signs, strict=True) if s < 0]
        return f"{' and '.join(turned)} reversed"
    parts = [
        f"{'-' if s < 0 else ''}{'xyz'[o]} as {a}"
        for a, o, s in zip("xyz", order, signs, strict=True)
        if o != "xyz".index(a) or s < 0
    ]
    return ", ".join(parts)
