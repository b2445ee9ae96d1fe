"""The unit of roll and pitch by how the specific force leans.

Arrays, where a function does not say otherwise (shape, unit, frame):
roll, pitch : (N,) as logged; acc : (N, 3) any unit, b
"""

import numpy as np

from fusus.core.arrays import Array

SURE = 6.0
# The slope of logged angle over leaning, both in rad: near one with either sign for rad, near 57 for deg.
RAD, DEG = (0.4, 2.5), (23.0, 143.0)
BLOCKS = 20


def angle_unit(roll: Array | None, pitch: Array | None, acc: Array | None) -> str | None:
    """Return "rad" or "deg", or None where nothing leans enough to tell."""
    if acc is None:
        return None
    acc = np.where(np.abs(acc) < 1e9, acc, np.nan)  # a wrong field may hold any number
    size = np.linalg.norm(acc, axis=1)
    if not np.isfinite(size).any():
        return None
    usual = float(np.nanmedian(size))
    if not usual > 0:
        return None
    found = set()
    for angle, leaning in ((roll, acc[:, 1] / usual), (pitch, acc[:, 0] / usual)):
        if angle is None:
            continue
        good = np.isfinite(angle) & np.isfinite(leaning) & (np.abs(size / usual - 1) < 0.3)
        unit = _unit(angle[good], leaning[good])
        if unit is not None:
            found.add(unit)
    return found.pop() if len(found) == 1 else None


def _unit(angle: Array, leaning: Array) -> str | None:
    """Return the unit by the regression of an angle on the leaning, over blocks so that the error covers."""
    n = len(angle) // BLOCKS
    if n < 3:
        return None
    x = leaning[: n * BLOCKS].reshape(BLOCKS, n).mean(axis=1)
    y = angle[: n * BLOCKS].reshape(BLOCKS, n).mean(axis=1)
    x, y = x - x.mean(), y - y.mean()
    xx = float(x @ x)
    if not xx > BLOCKS * 1e-5:
        return None
    slope = float(x @ y) / xx
    error = float(np.sqrt(np.sum(((y - slope * x) * x) ** 2))) / xx
    if abs(slope) < SURE * error:
        return None
    if RAD[0] <= abs(slope) <= RAD[1]:
        return "rad"
    return "deg" if DEG[0] <= abs(slope) <= DEG[1] else None
