"""Gains of the loops above the rate loops: each crosses over so much slower than the one inside it that both keep their margins."""

import math
from dataclasses import dataclass

from fusus.core.control.cascade import Cascade
from fusus.core.control.pid import Gains
from fusus.errors import ParameterError

# How much slower a loop is than the one inside it: common practice is three to five times.
SLOWER = 4.0
PLACE_SLOWER = 3.0


@dataclass(frozen=True, slots=True)
class Handling:
    """What full sticks ask for and what the craft is allowed: rates rad/s, tilt rad, speeds m/s; how sticks are shaped; the height
    of coming home m; the share of the rate loops' feed-forward; tilt and yaw gains 1/s, speed gain 1/s, None: by the rate loops."""

    rate_rad_s: float = math.radians(360.0)
    yaw_rate_rad_s: float = math.radians(120.0)
    tilt_rad: float = math.radians(30.0)
    speed_m_s: float = 8.0
    up_m_s: float = 2.5
    down_m_s: float = 1.5
    shaping_s: float = 0.06
    curve: float = 0.4
    dead: float = 0.03
    home_m: float = 5.0
    ahead: float = 0.0
    tilt_p: float | None = None
    heading_p: float | None = None
    climb_p: float | None = None
    speed_p: float | None = None
    place_p: float | None = None


@dataclass(frozen=True, slots=True)
class RateLoop:
    """One axis: its gains, where it crosses over rad/s, the torque of a full command N m and what that makes of it rad/s²."""

    gains: Gains
    crossover_rad_s: float
    torque_nm: float
    gain_rad_s2: float


def cascade_of(
    loops: tuple[RateLoop, RateLoop, RateLoop], h: Handling, lag_s: float, mass_kg: float, gravity_m_s2: float, full_n: float
) -> Cascade:  # fmt: skip
    """Return the cascade over three rate loops; ``lag_s`` is what stands between a command and thrust: motor lag and latency.

    Tilt and heading cross over at a quarter of their rate loop's frequency, speed at a quarter of the tilt loop's, place at a third
    of that; climb at a quarter of 1 / lag, at most an eighth of the rate loop's.
    """
    if full_n <= mass_kg * gravity_m_s2:
        raise ParameterError("Thrust over weight", full_n / (mass_kg * gravity_m_s2), 1.0, math.inf, "")
    roll, pitch, yaw = loops
    inner = min(roll.crossover_rad_s, pitch.crossover_rad_s)
    tilt = h.tilt_p or inner / SLOWER
    speed = h.speed_p or tilt / SLOWER
    climb = h.climb_p or min(inner / (2.0 * SLOWER), 1.0 / (SLOWER * lag_s))
    return Cascade(
        roll.gains, pitch.gains, yaw.gains, roll.torque_nm, pitch.torque_nm, yaw.torque_nm,
        h.ahead / roll.gain_rad_s2, h.ahead / pitch.gain_rad_s2, h.ahead / yaw.gain_rad_s2, h.rate_rad_s, h.yaw_rate_rad_s,
        tilt, h.heading_p or yaw.crossover_rad_s / SLOWER, h.tilt_rad,
        gravity_m_s2 * math.tan(h.tilt_rad), climb / PLACE_SLOWER, climb, climb * climb / 6.0, h.up_m_s,
        h.down_m_s, h.place_p or speed / PLACE_SLOWER, speed, speed * speed / 6.0, h.speed_m_s, h.shaping_s, h.curve, h.dead, h.home_m,
        mass_kg, gravity_m_s2, full_n,
    )  # fmt: skip
