"""From sticks or a path, by the chosen mode, to rates and thrust: place, speed, height, climb and tilt loops above the rate loops.

Each loop is slower than the one inside it. Compiled; the memory lies in one array, places below.

Arrays, where a function does not say otherwise (shape, unit, frame):

    k : (29,) by the places below, any
"""

import math
from typing import NamedTuple

from fusus.core._jit import kernel
from fusus.core.arrays import Array
from fusus.core.control.pid import Gains
from fusus.core.control.soundness import (
    MOST_M,
    MOST_M_S,
    MOST_RAD,
    is_attitude,
    sound_interval,
    sound_stick,
    sound_throttle,
)

# In the order of core.needs.modes.MODES.
RATE, LEVEL, MIXED, HEIGHT, PLACE, HOME, PATH = 0, 1, 2, 3, 4, 5, 6

# Places in the memory: rate integrals, D parts, last rates, last wanted rates (3 each); speed integrals north, east and climb;
# shaped sticks (3); heading wanted; place held (3); whether it stands (horizontal, height); mode of before; homecoming; the last
# thrust N, throttle and interval s that were sound.
INTEGRAL, SLOPE, LAST, WANTED, ACCEL_INTEGRAL, STICK, HEADING, HELD, STANDS, BEFORE, HOMING, THRUST, THROTTLE, INTERVAL = (
    0, 3, 6, 9, 12, 15, 18, 19, 22, 24, 25, 26, 27, 28,
)  # fmt: skip
MEMORY = 29
# What the mode of before is while there was none.
NO_MODE = -1.0
# Share of the weight beyond which a craft may leave the ground: below it the rate loops sum nothing up.
LIFTS = 0.9

# Home is reached within so much; then it sinks, slower near the ground.
HOME_M, SINK_M_S, SOFT_M_S, SOFT_BELOW_M = 1.0, 0.8, 0.4, 1.5
# The wanted heading runs ahead of the true one by no more than this.
MOST_AHEAD_RAD = 0.8
LEAST_COS = 0.5


class Cascade(NamedTuple):
    """Rate loops in shares of their axis' authority (N m), feed-forward in shares per rad/s²; rates rad/s that full sticks ask for;
    gains 1/s of tilt, heading, height, climb, place and speed, integrals 1/s²; limits of tilt, of the horizontal push that it makes
    (m/s²), of climb and speed; time constant of the sticks s, curve 0 to 1 and dead band; height of coming home m; mass kg and full
    thrust N that the craft is taken to have."""

    roll: Gains
    pitch: Gains
    yaw: Gains
    roll_nm: float
    pitch_nm: float
    yaw_nm: float
    roll_ahead: float
    pitch_ahead: float
    yaw_ahead: float
    rate_rad_s: float
    yaw_rate_rad_s: float
    tilt_p: float
    heading_p: float
    tilt_rad: float
    accel_limit_m_s2: float
    height_p: float
    climb_p: float
    climb_i: float
    up_m_s: float
    down_m_s: float
    place_p: float
    speed_p: float
    speed_i: float
    speed_m_s: float
    shaping_s: float
    curve: float
    dead: float
    home_m: float
    mass_kg: float
    gravity_m_s2: float
    full_n: float


class Setpoint(NamedTuple):
    """What is wanted now: mode; sticks roll (right), pitch (nose up) and yaw (clockwise from above) -1 to 1, throttle 0 to 1; place m,
    speed m/s (north, east, down) and heading rad of a path."""

    mode: int
    roll: float
    pitch: float
    yaw: float
    throttle: float
    pn: float
    pe: float
    pd: float
    vn: float
    ve: float
    vd: float
    heading: float


class StateEstimate(NamedTuple):
    """The estimate that is flown on: attitude as a quaternion w, x, y, z from body to north-east-down, place m and speed m/s north, east,
    down; whether the horizontal part is known."""

    w: float
    x: float
    y: float
    z: float
    pn: float
    pe: float
    pd: float
    vn: float
    ve: float
    vd: float
    knows_place: bool


@kernel
def curved(c: Cascade, stick: float) -> float:
    """Return a stick after dead band and curve: (1 - k) s + k s³, which is fine near the centre and full at the end."""
    size = abs(stick)
    if size <= c.dead:
        return 0.0
    s = (size - c.dead) / (1.0 - c.dead)
    s = (1.0 - c.curve) * s + c.curve * s * s * s
    return s if stick > 0.0 else -s


@kernel
def wrapped(angle: float) -> float:
    """Return an angle within ± π."""
    return float(angle - 2.0 * math.pi * math.floor((angle + math.pi) / (2.0 * math.pi)))


@kernel
def limited(value: float, most: float) -> float:
    """Return a value within ± most."""
    return min(max(value, -most), most)


@kernel
def vertical_accel_command(
    c: Cascade, k: Array, setpoint: Setpoint, s: StateEstimate, homing: bool, dt: float
) -> float:
    """Return the upward acceleration that height and climb loops ask for."""
    ahead, wanted = 0.0, k[HELD + 2]
    if setpoint.mode == PATH:
        wanted, ahead = setpoint.pd, -setpoint.vd
        # A craft that does not know its place already holds height on its path: it goes on from there.
        k[HELD + 2] = wanted
    elif homing:
        sinks = SOFT_M_S if -s.pd < SOFT_BELOW_M else SINK_M_S
        wanted, ahead = k[HELD + 2] + sinks * dt, -sinks
        k[HELD + 2] = wanted
    else:
        lever = curved(c, 2.0 * setpoint.throttle - 1.0)
        if lever != 0.0:
            ahead = lever * (c.up_m_s if lever > 0.0 else c.down_m_s)
            wanted = k[HELD + 2] - ahead * dt
            # What is held runs ahead of the craft by no more than the loop can use.
            wanted = s.pd + limited(wanted - s.pd, c.up_m_s / c.height_p)
            k[HELD + 2] = wanted
    climb = min(max(ahead + c.height_p * (s.pd - wanted), -c.down_m_s), c.up_m_s)
    error = climb + s.vd
    push = c.climb_p * error + k[ACCEL_INTEGRAL + 2]
    most = 0.9 * (c.full_n / c.mass_kg - c.gravity_m_s2)
    least = -0.7 * c.gravity_m_s2
    if least < push < most:
        # One reading that is far off must not leave behind what a limit would never let go of.
        k[ACCEL_INTEGRAL + 2] = min(max(k[ACCEL_INTEGRAL + 2] + c.climb_i * error * dt, least), most)
    return float(min(max(push, least), most))


@kernel
def horizontal_accel_command(
    c: Cascade, k: Array, setpoint: Setpoint, s: StateEstimate, mode: int, yaw: float, dt: float
) -> tuple[float, float]:
    """Return the acceleration north and east that place and speed loops ask for."""
    vn, ve, pn, pe = 0.0, 0.0, k[HELD], k[HELD + 1]
    if mode == PATH:
        vn, ve, pn, pe = setpoint.vn, setpoint.ve, setpoint.pn, setpoint.pe
    elif mode == PLACE:
        ahead, right = -k[STICK + 1] * c.speed_m_s, k[STICK] * c.speed_m_s
        if ahead * ahead + right * right > (0.01 * c.speed_m_s) ** 2:
            vn, ve = ahead * math.cos(yaw) - right * math.sin(yaw), ahead * math.sin(yaw) + right * math.cos(yaw)
            # The craft is held where it would stand once it has stopped.
            pn, pe = s.pn, s.pe
            k[HELD], k[HELD + 1] = s.pn + s.vn / c.speed_p, s.pe + s.ve / c.speed_p
    vn, ve = vn + c.place_p * (pn - s.pn), ve + c.place_p * (pe - s.pe)
    size = math.sqrt(vn * vn + ve * ve)
    if size > c.speed_m_s:
        vn, ve = vn * c.speed_m_s / size, ve * c.speed_m_s / size
    en, ee = vn - s.vn, ve - s.ve
    an, ae = c.speed_p * en + k[ACCEL_INTEGRAL], c.speed_p * ee + k[ACCEL_INTEGRAL + 1]
    size = math.sqrt(an * an + ae * ae)
    if size > c.accel_limit_m_s2:
        return an * c.accel_limit_m_s2 / size, ae * c.accel_limit_m_s2 / size
    k[ACCEL_INTEGRAL] = limited(k[ACCEL_INTEGRAL] + c.speed_i * en * dt, c.accel_limit_m_s2)
    k[ACCEL_INTEGRAL + 1] = limited(k[ACCEL_INTEGRAL + 1] + c.speed_i * ee * dt, c.accel_limit_m_s2)
    return an, ae


@kernel
def begin_anew(k: Array) -> None:
    """Forget all: what the loops held and summed up before the motors were stopped is not what they begin with."""
    for i in range(MEMORY):
        k[i] = 0.0
    k[BEFORE] = NO_MODE


@kernel
def begin_mode(k: Array, s: StateEstimate, mode: int, yaw: float) -> None:
    """Hold what is: place, height and heading; forget what outer loops had summed up horizontally."""
    k[HELD] = s.pn if abs(s.pn) <= MOST_M else 0.0
    k[HELD + 1] = s.pe if abs(s.pe) <= MOST_M else 0.0
    k[HELD + 2] = s.pd if abs(s.pd) <= MOST_M else 0.0
    if k[BEFORE] < HEIGHT:
        k[ACCEL_INTEGRAL + 2] = 0.0
    if k[BEFORE] < PLACE:
        k[ACCEL_INTEGRAL] = k[ACCEL_INTEGRAL + 1] = 0.0
    k[HEADING], k[BEFORE], k[HOMING] = yaw, float(mode), 0.0


@kernel
def knows_height(s: StateEstimate) -> bool:
    """Return whether height and climb are figures that a loop may act on."""
    return abs(s.pd) <= MOST_M and abs(s.vd) <= MOST_M_S


@kernel
def knows_place(s: StateEstimate) -> bool:
    """Return whether the horizontal place is known, and is figures that a loop may act on."""
    is_place = abs(s.pn) <= MOST_M and abs(s.pe) <= MOST_M
    return s.knows_place and is_place and abs(s.vn) <= MOST_M_S and abs(s.ve) <= MOST_M_S


@kernel
def is_path(setpoint: Setpoint) -> bool:
    """Return whether place, speed and heading of a path are figures that a loop may act on."""
    is_place = abs(setpoint.pn) <= MOST_M and abs(setpoint.pe) <= MOST_M and abs(setpoint.pd) <= MOST_M
    is_speed = abs(setpoint.vn) <= MOST_M_S and abs(setpoint.ve) <= MOST_M_S and abs(setpoint.vd) <= MOST_M_S
    return is_place and is_speed and abs(setpoint.heading) <= MOST_RAD


@kernel
def mode_asked(setpoint: Setpoint) -> int:
    """Return the mode that a setpoint asks for: a path that is none holds the place, a mode that is none levels the craft."""
    if not RATE <= setpoint.mode <= PATH:
        return LEVEL
    return PLACE if setpoint.mode == PATH and not is_path(setpoint) else setpoint.mode


@kernel
def mode_flown(mode: int, s: StateEstimate) -> int:
    """Return the mode that can be flown with what is known: without a place it only holds height, without a height it only levels."""
    if mode >= PLACE and not knows_place(s):
        mode = HEIGHT
    if mode >= HEIGHT and not knows_height(s):
        mode = LEVEL
    return mode


@kernel
def shape_sticks(c: Cascade, k: Array, setpoint: Setpoint, mode: int, dt: float) -> None:
    """Let the shaped sticks follow those that act in the ``mode`` that is flown; the others go back to their centre."""
    sticks_act = mode == setpoint.mode or setpoint.mode <= PLACE
    share = dt / (c.shaping_s + dt)
    roll = curved(c, setpoint.roll) if sticks_act else 0.0
    pitch = curved(c, setpoint.pitch) if sticks_act else 0.0
    turn = curved(c, setpoint.yaw) if sticks_act and mode < HOME else 0.0
    k[STICK] += share * (roll - k[STICK])
    k[STICK + 1] += share * (pitch - k[STICK + 1])
    k[STICK + 2] += share * (turn - k[STICK + 2])


@kernel
def wanted_rates(
    c: Cascade, k: Array, given: Setpoint, s: StateEstimate, dt: float
) -> tuple[float, float, float, float, int]:
    """Return wanted rates about the body's axes rad/s, thrust N, and the mode flown.

    Without a known place it only holds height, or follows the path's. Any bit pattern may come: a stick that is none stands in its
    centre, a throttle that is none stays, and holds the height where a height is held; without an attitude all turning is stopped,
    without a height the craft is levelled, both with the thrust of before.
    """
    dt = sound_interval(k, INTERVAL, dt)
    asked = mode_asked(given)
    # Who flew a path held no sticks: where it breaks off they stand in their centre.
    broken_off = given.mode == PATH and asked != PATH
    throttle = sound_throttle(given.throttle, k[THROTTLE] if asked < HEIGHT else 0.5)
    setpoint = Setpoint(
        asked, 0.0 if broken_off else sound_stick(given.roll), 0.0 if broken_off else sound_stick(given.pitch),
        0.0 if broken_off else sound_stick(given.yaw), 0.5 if broken_off else throttle, given.pn, given.pe, given.pd,
        given.vn, given.ve, given.vd, given.heading,
    )  # fmt: skip
    k[THROTTLE] = setpoint.throttle
    if not is_attitude(s.w, s.x, s.y, s.z):
        return 0.0, 0.0, 0.0, k[THRUST], RATE
    mode = mode_flown(setpoint.mode, s)
    r31, r32, r33 = 2.0 * (s.x * s.z - s.w * s.y), 2.0 * (s.y * s.z + s.w * s.x), 1.0 - 2.0 * (s.x * s.x + s.y * s.y)
    yaw = math.atan2(2.0 * (s.x * s.y + s.w * s.z), 1.0 - 2.0 * (s.y * s.y + s.z * s.z))
    if mode != int(k[BEFORE]):
        begin_mode(k, s, mode, yaw)
    shape_sticks(c, k, setpoint, mode, dt)
    hover = c.mass_kg * c.gravity_m_s2
    # The middle of the throttle is the hover.
    lever = 2.0 * setpoint.throttle
    thrust = lever * hover if lever < 1.0 else hover + (lever - 1.0) * (c.full_n - hover)
    if mode < HEIGHT <= setpoint.mode:
        thrust = k[THRUST]
    if mode == RATE:
        k[THRUST] = thrust
        return k[STICK] * c.rate_rad_s, k[STICK + 1] * c.rate_rad_s, k[STICK + 2] * c.yaw_rate_rad_s, thrust, mode
    homing = False
    up = 0.0
    if mode >= HEIGHT:
        if mode == HOME:
            far = k[HOMING] == 0.0
            k[HELD] = k[HELD + 1] = 0.0
            if far:
                k[HELD + 2] = min(k[HELD + 2], -c.home_m)
                near = s.pn * s.pn + s.pe * s.pe < HOME_M * HOME_M and abs(s.pd - k[HELD + 2]) < HOME_M
                if near and s.vn * s.vn + s.ve * s.ve < 1.0:
                    k[HOMING] = 1.0
            homing = not far
        up = vertical_accel_command(c, k, setpoint, s, homing, dt)
    if mode >= PLACE:
        an, ae = horizontal_accel_command(c, k, setpoint, s, mode, yaw, dt)
        size = math.sqrt(an * an + ae * ae + (c.gravity_m_s2 + up) ** 2)
        un, ue, ud = an / size, ae / size, -(c.gravity_m_s2 + up) / size
    else:
        a, b = k[STICK] * c.tilt_rad, k[STICK + 1] * c.tilt_rad
        ca, sa, cb, sb, cy, sy = math.cos(a), math.sin(a), math.cos(b), math.sin(b), math.cos(yaw), math.sin(yaw)
        un, ue, ud = -(ca * sb * cy + sa * sy), -(ca * sb * sy - sa * cy), -ca * cb
    if mode >= HEIGHT:
        thrust = min(max(c.mass_kg * (c.gravity_m_s2 + up) / max(r33, LEAST_COS), 0.0), c.full_n)
    # Where the wanted upward direction lies in the body's axes, and the turn that brings the body's own there.
    bx = (1.0 - 2.0 * (s.y * s.y + s.z * s.z)) * un + 2.0 * (s.x * s.y + s.w * s.z) * ue + r31 * ud
    by = 2.0 * (s.x * s.y - s.w * s.z) * un + (1.0 - 2.0 * (s.x * s.x + s.z * s.z)) * ue + r32 * ud
    bz = 2.0 * (s.x * s.z + s.w * s.y) * un + 2.0 * (s.y * s.z - s.w * s.x) * ue + r33 * ud
    level = math.sqrt(bx * bx + by * by)
    angle = math.atan2(level, -bz)
    if level > 1e-6:
        wx, wy = c.tilt_p * angle * by / level, -c.tilt_p * angle * bx / level
    else:
        wx, wy = (0.0 if bz < 0.0 else c.tilt_p * math.pi), 0.0
    if mode == PATH:
        k[HEADING] = setpoint.heading
    else:
        k[HEADING] = wrapped(k[HEADING] + k[STICK + 2] * c.yaw_rate_rad_s * dt)
    off = limited(wrapped(k[HEADING] - yaw), MOST_AHEAD_RAD)
    if mode != PATH:
        k[HEADING] = wrapped(yaw + off)
    turning = limited(c.heading_p * off, c.yaw_rate_rad_s)
    wx, wy, wz = wx + r31 * turning, wy + r32 * turning, r33 * turning
    if mode == MIXED:
        # Towards the end of the stick the craft is let go over.
        let = max(abs(k[STICK]), abs(k[STICK + 1]))
        let *= let
        wx, wy = (1.0 - let) * wx + let * k[STICK] * c.rate_rad_s, (1.0 - let) * wy + let * k[STICK + 1] * c.rate_rad_s
    k[THRUST] = thrust
    return limited(wx, c.rate_rad_s), limited(wy, c.rate_rad_s), limited(wz, c.yaw_rate_rad_s), thrust, mode
