"""Whether a gyro's axes fit those of the accelerometer or magnetometer beside it: reversed and swapped ones turn the wrong way.

Arrays, where a function does not say otherwise (shape, unit, frame):
t : (N,) s; rates : (N, 3) rad/s, b
"""

from itertools import permutations, product

import numpy as np

from fusus.core.arrays import Array
from fusus.logs.physics.turning import turn_evidence

RATE_HZ = 20.0  # what is faster is smoothed away before; fewer samples do
LONGEST_S = 300.0


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
        if not as_is.is_denied:
            continue
        best: tuple[int, int, str] | None = None
        for order, signs in product(permutations(range(3)), product((1, -1), repeat=3)):
            changes = sum(o != k for k, o in enumerate(order)) + sum(s < 0 for s in signs)
            if changes == 0:
                continue
            evidence = turn_evidence(at, w[:, order] * np.array(signs), {name: u}, (1.0,), rules_out=False)
            if evidence.readings[0].is_shown:
                rank = (evidence.votes, -changes, _words(order, signs))
                best = max(best, rank) if best is not None else rank
        if best is not None:
            return best[2], name
    return None


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
