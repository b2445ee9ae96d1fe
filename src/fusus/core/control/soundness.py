"""What the loops may believe of what they are given: no figure that is none, and none beyond reason, goes on into an integral or a motor.

What is unsound is replaced by what is safest at that place, never by a guess of what was meant; each rule stands where it acts.

Arrays, where a function does not say otherwise (shape, unit, frame):

    k : (29,) by the places of cascade, any
"""

import math

from fusus.core._jit import kernel
from fusus.core.arrays import Array

# No board asks its loops to run faster or slower than between these, s: what is longer was a stop of the processor.
LEAST_S, MOST_S, USUAL_S = 1e-5, 0.5, 1e-3
# Beyond these a rate, a place, a speed or a heading is none: rad/s, m, m/s, rad.
MOST_RAD_S, MOST_M, MOST_M_S, MOST_RAD = 1e3, 1e7, 1e4, 1e3
# By how much the square of a quaternion's length may be off one.
LENGTH = 0.01


@kernel
def is_attitude(w: float, x: float, y: float, z: float) -> bool:
    """Return whether four figures are a quaternion of length one."""
    return abs(w * w + x * x + y * y + z * z - 1.0) <= LENGTH


@kernel
def sound_stick(value: float) -> float:
    """Return a stick within ± 1; its centre where it is no number."""
    if not abs(value) <= MOST_M:
        return 0.0
    return min(max(value, -1.0), 1.0)


@kernel
def sound_throttle(value: float, before: float) -> float:
    """Return a throttle from 0 to 1; where it is no number, the one ``before``."""
    if not abs(value) <= MOST_M:
        return before
    return min(max(value, 0.0), 1.0)


@kernel
def sound_interval(k: Array, at: int, dt: float) -> float:
    """Return an interval of the loops, s: where it is no number, zero or negative, the last that was sound, which ``k[at]`` keeps."""
    if not dt >= LEAST_S:
        return float(k[at]) if k[at] > 0.0 else USUAL_S
    k[at] = min(dt, MOST_S)
    return min(dt, MOST_S)


@kernel
def cos_of_tilt(w: float, x: float, y: float, z: float) -> float:
    """Return the cosine of an attitude's tilt; no number where it is no attitude."""
    return 1.0 - 2.0 * (x * x + y * y) if is_attitude(w, x, y, z) else math.nan
