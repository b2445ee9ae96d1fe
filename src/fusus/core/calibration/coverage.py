"""Which directions a magnetometer capture has seen, and the gaps in words.

Arrays, where a function does not say otherwise (shape, unit, frame):

    directions : (N, 3) 1, b
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from fusus.core.arrays import Array, BoolArray

CELLS = 48
LEAST_EIGENVALUE = 0.06  # an even sphere has 1/3 each; a single level turn in mid latitudes below 0.01
FULL_SHARE, USABLE_SHARE = 0.75, 0.45


@dataclass(frozen=True, slots=True)
class Coverage:
    """Eigenvalues of the covariance of the directions (ascending), seen cells (K,) of ``centres`` (K, 3), and gaps."""

    eigenvalues: Array
    thin_axis: Array
    centres: Array
    seen: BoolArray
    gaps: tuple[str, ...]

    @property
    def share(self) -> float:
        """Share of the directions that were seen."""
        return float(self.seen.mean())


def even_directions(count: int = CELLS) -> Array:
    """Return unit vectors spread evenly over the sphere (a golden spiral), shape (count, 3)."""
    i = np.arange(count) + 0.5
    z = 1.0 - 2.0 * i / count
    angle = np.pi * (1.0 + np.sqrt(5.0)) * i
    r = np.sqrt(1.0 - z**2)
    return np.stack([r * np.cos(angle), r * np.sin(angle), z], axis=1)


def coverage(directions: ArrayLike) -> Coverage:
    """Return how well directions (N, 3) cover the sphere.

    The directions are those of the corrected field in body axes; a cell counts as seen by a sample nearest to its centre.
    """
    u = np.asarray(directions, dtype=float)
    u = u / np.maximum(np.linalg.norm(u, axis=1, keepdims=True), 1e-12)
    values, axes = np.linalg.eigh(np.cov(u.T)) if len(u) > 1 else (np.zeros(3), np.eye(3))
    centres = even_directions()
    seen = np.zeros(len(centres), dtype=bool)
    thin = u[:: max(1, len(u) // 20000)]
    seen[np.unique(np.argmax(thin @ centres.T, axis=1))] = True
    return Coverage(values, axes[:, 0], centres, seen, _gaps(centres, seen))


# Where the field stands in body axes, and how to hold the craft so that it stands there. The field dips steeply in mid
# latitudes: what points down into the ground is the part of the craft that the field runs out of.
_HOLD = {
    (1, 0): "nose down", (-1, 0): "nose up", (1, 1): "right side down", (-1, 1): "left side down",
    (1, 2): "level", (-1, 2): "upside down",
}  # fmt: skip


def _gaps(centres: Array, seen: BoolArray) -> tuple[str, ...]:
    """Return the poses that would fill the largest gaps, for a field that points mostly down."""
    out = []
    for (sign, axis), hold in _HOLD.items():
        near = centres[:, axis] * sign > 0.707
        missing = near & ~seen
        if missing.sum() >= 2:
            out.append((float(missing.sum() / near.sum()), f"{hold}, turning through all headings"))
    return tuple(words for _, words in sorted(out, key=lambda g: -g[0])[:3])
