"""Rules that motors obey before they start, each a bit of a mask. Common practice; a switch that stops them comes first."""

import math
from dataclasses import dataclass

from fusus.core._jit import kernel
from fusus.core.control.cascade import HEIGHT, PATH, RATE
from fusus.core.control.cascade import PLACE as PLACE_HOLD

THROTTLE, TILT, MOVES, CALIBRATION, SENSOR, PLACE, ATTITUDE, MODE, FAILSAFE = 1, 2, 4, 8, 16, 32, 64, 128, 256
REASONS: dict[int, str] = {
    THROTTLE: "the throttle is raised, or not known",
    TILT: "the craft is tilted beyond the limit",
    MOVES: "the craft turns",
    CALIBRATION: "a calibration is due",
    SENSOR: "a sensor is not healthy",
    PLACE: "the mode needs a position, and none is known",
    ATTITUDE: "the estimate holds no attitude",
    MODE: "there is no such mode",
    FAILSAFE: "a failsafe stopped the motors: disarm first",
}
LEAST_THROTTLE, MOST_RATE_RAD_S = 0.05, 0.3
# Where a height is held the middle of the throttle holds it; beyond, the craft would climb at once.
HOLDING_THROTTLE = 0.55


@dataclass(frozen=True, slots=True)
class ArmingRules:
    """The tilt beyond which motors do not start, rad (π: never refuse for tilt), and what is known before: whether a calibration
    is due and whether all sensors answer soundly."""

    tilt_rad: float = math.radians(25.0)
    calibration_due: bool = False
    sensors_healthy: bool = True


@kernel
def refusals(
    tilt_limit_rad: float, due: bool, healthy: bool, mode: int, throttle: float, down_cos: float, rate_rad_s: float, knows_place: bool,
) -> int:  # fmt: skip
    """Return the bits of the rules that refuse; 0: the motors may start. ``down_cos``: cosine of the estimated tilt.

    A figure that is no number never lets motors start.
    """
    out = 0
    if not RATE <= mode <= PATH:
        out |= MODE
    if not throttle <= (LEAST_THROTTLE if mode < HEIGHT else HOLDING_THROTTLE):
        out |= THROTTLE
    if not abs(down_cos) <= 2.0:
        out |= ATTITUDE
    elif math.acos(min(max(down_cos, -1.0), 1.0)) > tilt_limit_rad:
        out |= TILT
    if not rate_rad_s <= MOST_RATE_RAD_S:
        out |= MOVES if rate_rad_s > MOST_RATE_RAD_S else SENSOR
    if due:
        out |= CALIBRATION
    if not healthy:
        out |= SENSOR
    if mode >= PLACE_HOLD and not knows_place:
        out |= PLACE
    return out


def words(bits: int) -> tuple[str, ...]:
    """Return the reasons of a mask."""
    return tuple(text for bit, text in REASONS.items() if bits & bit)
