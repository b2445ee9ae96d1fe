"""Failsafes: what the craft does by itself when radio, sensors, estimate, battery or motors fail. Each limit with its reason beside it.

It stands between what is asked for and the loops: it hands the setpoint on, replaces it, or stops the motors. Motors that it stopped stay
off until they are disarmed and armed again by hand.

Arrays, where a function does not say otherwise (shape, unit, frame):

    k : (16,) by the places below, any
"""

from typing import NamedTuple

from fusus.core._jit import kernel
from fusus.core.arrays import Array
from fusus.core.control.cascade import (
    HEIGHT,
    HOME,
    LEVEL,
    MIXED,
    PATH,
    PLACE,
    RATE,
    Setpoint,
    StateEstimate,
    knows_height,
    knows_place,
)
from fusus.core.control.soundness import cos_of_tilt, is_attitude, sound_interval

# What is done: nothing; hold place and height (without a place: level, hold the height); come home; sink level; sink level without a
# height; motors off.
FLY, HOLD, RETURN, LAND, SINK, STOP = 0, 1, 2, 3, 4, 5
# Why, bits of a mask.
RADIO, GYRO, ESTIMATE, BARO, GNSS, MAG, LOW, EMPTY, TIPPED, FELL, CRASHED, SPINS = (
    1, 2, 4, 8, 16, 32, 64, 128, 256, 512, 1024, 2048,
)  # fmt: skip
CAUSES: dict[int, str] = {
    RADIO: "the radio is silent",
    GYRO: "the gyro is silent",
    ESTIMATE: "there is no sound attitude",
    BARO: "the barometer is silent",
    GNSS: "the receiver is silent",
    MAG: "the magnetometer is silent",
    LOW: "the battery is low",
    EMPTY: "the battery is empty",
    TIPPED: "the craft lies over",
    FELL: "the craft falls although thrust is asked for",
    CRASHED: "the craft has hit something",
    SPINS: "the craft turns as nobody asks it to",
}
STAGES: dict[int, str] = {
    FLY: "flies as asked",
    HOLD: "holds",
    RETURN: "comes home",
    LAND: "sinks level",
    SINK: "sinks level without a height",
    STOP: "motors off",
}
# What a silent radio leads to.
LANDS, RETURNS, STOPS = 0, 1, 2

# Places in the memory: what is done, why, since when it is held or sinks blindly, s; how long it has been true that no attitude is
# sound, the battery is low, is empty, it lies over, falls, has hit something, spins, goes astray, stands although it sinks; how long the
# radio has been back; the last interval, s; whether it has just hit something, and whether the battery has been empty.
STAGE, WHY, SINCE, UNSOUND_S, LOW_S, EMPTY_S, OVER_S, FALLS_S, HIT_S, SPINS_S, ASTRAY_S, STANDS_S, BACK_S, LAST_S, TOUCHED, EMPTIED = (
    0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15,
)  # fmt: skip
MEMORY = 16
# Landed: it does not sink although it is asked to, and hardly any thrust is asked for, for so long.
LANDED_M_S, LANDED_SHARE, LANDED_S = 0.25, 0.6, 0.5
# After a blow, so long is looked whether it lies over or tumbles, s; tilts beyond which it lies over, on the ground and in the air.
BLOW_S, LIES_COS, OVER_COS = 1.0, 0.5, -0.17
NEVER_S = 1e6


class FailsafeRules(NamedTuple):
    """When and what: what a silent ``radio`` leads to; seconds of silence of radio, gyro, barometer, receiver and magnetometer, without
    a sound attitude, of holding, of sinking blindly, and until the pilot has the craft back; voltages of a cell V; seconds of low
    voltage; specific force of a fall and of a blow m/s², rate of a spin and error of the rates rad/s, seconds of each; the throttle
    that sinks, with a height (of its lever) and without (of the hover)."""

    radio: int
    radio_s: float
    gyro_s: float
    baro_s: float
    gnss_s: float
    mag_s: float
    unsound_s: float
    hold_s: float
    blind_s: float
    back_s: float
    low_v: float
    empty_v: float
    voltage_s: float
    fall_m_s2: float
    fall_s: float
    blow_m_s2: float
    spin_rad_s: float
    spin_s: float
    astray_rad_s: float
    astray_s: float
    over_s: float
    sink_throttle: float
    blind_throttle: float


class Health(NamedTuple):
    """What the board knows of itself: age of the last packet or sample of each, s; whether the estimator's own consistency is sound;
    voltage of a cell, V (no number: not measured); length of specific force m/s², of the rate and of what roll and pitch rates are off
    the wanted ones rad/s; thrust asked for before, by the weight; whether it is in the air."""

    radio_s: float
    gyro_s: float
    baro_s: float
    gnss_s: float
    mag_s: float
    is_sound: bool
    cell_v: float
    force_m_s2: float
    rate_rad_s: float
    error_rad_s: float
    thrust: float
    is_flying: bool


@kernel
def forget_failures(k: Array) -> None:
    """Forget all: once the motors were disarmed."""
    for i in range(MEMORY):
        k[i] = 0.0


@kernel
def lasts(k: Array, at: int, is_so: bool, dt: float) -> float:
    """Return how long something has been so, s, kept at a place."""
    k[at] = min(k[at] + dt, NEVER_S) if is_so else 0.0
    return float(k[at])


@kernel
def silent_sensors(r: FailsafeRules, h: Health) -> int:
    """Return what is silent. An age that is no number is one of silence."""
    out = 0
    if not h.radio_s <= r.radio_s:
        out |= RADIO
    if not h.gyro_s <= r.gyro_s:
        out |= GYRO
    if not h.baro_s <= r.baro_s:
        out |= BARO
    if not h.gnss_s <= r.gnss_s:
        out |= GNSS
    if not h.mag_s <= r.mag_s:
        out |= MAG
    return out


@kernel
def wrong_with_craft(r: FailsafeRules, k: Array, h: Health, mode: int, s: StateEstimate, dt: float) -> int:
    """Return what is wrong with craft and battery."""
    out = 0
    attitude = is_attitude(s.w, s.x, s.y, s.z)
    if lasts(k, UNSOUND_S, not (attitude and h.is_sound), dt) > r.unsound_s:
        out |= ESTIMATE
    if lasts(k, LOW_S, h.cell_v < r.low_v, dt) > r.voltage_s:
        out |= LOW
    if lasts(k, EMPTY_S, h.cell_v < r.empty_v, dt) > r.voltage_s:
        k[EMPTIED] = 1.0
    # On less thrust the voltage comes back: that is no charge.
    if k[EMPTIED] > 0.0:
        out |= EMPTY
    cos = cos_of_tilt(s.w, s.x, s.y, s.z) if attitude else 1.0
    # In the air only a mode that levels the craft must not find it over.
    levels = mode > RATE and mode != MIXED
    over = cos < LIES_COS if not h.is_flying else cos < OVER_COS and levels
    if lasts(k, OVER_S, over, dt) > r.over_s:
        out |= TIPPED
    falls = h.is_flying and h.thrust > 0.5 and h.force_m_s2 < r.fall_m_s2
    if lasts(k, FALLS_S, falls, dt) > r.fall_s:
        out |= FELL
    if h.force_m_s2 > r.blow_m_s2:
        k[TOUCHED] = 1.0
        k[HIT_S] = 0.0
    if lasts(k, HIT_S, k[TOUCHED] > 0.0, dt) > BLOW_S:
        k[TOUCHED] = k[HIT_S] = 0.0
    if k[TOUCHED] > 0.0 and (cos < LIES_COS or h.rate_rad_s > r.spin_rad_s):
        out |= CRASHED
    if lasts(k, SPINS_S, h.rate_rad_s > r.spin_rad_s, dt) > r.spin_s:
        out |= SPINS
    # Loops that work bring rates to what is wanted within a tenth of a second.
    if lasts(k, ASTRAY_S, h.is_flying and h.error_rad_s > r.astray_rad_s, dt) > r.astray_s:
        out |= SPINS
    return out


@kernel
def stage_after(r: FailsafeRules, k: Array, why: int, h: Health, s: StateEstimate, dt: float) -> int:
    """Return what is done now. What has begun goes on to its end, unless only the radio was silent and is back."""
    stage = int(k[STAGE])
    k[SINCE] = min(k[SINCE] + dt, NEVER_S)
    if stage == STOP or (why & (GYRO | TIPPED | FELL | CRASHED | SPINS)) != 0:
        return STOP
    if (why & ESTIMATE) != 0 and not is_attitude(s.w, s.x, s.y, s.z):
        return STOP
    if (why & RADIO) != 0 and (not h.is_flying or r.radio == STOPS):
        return STOP
    if (why & (ESTIMATE | EMPTY)) != 0:
        return max(stage, LAND)
    if (why & RADIO) == 0:
        if lasts(k, BACK_S, stage != FLY, dt) > r.back_s:
            return FLY
        return stage
    k[BACK_S] = 0.0
    if stage == FLY:
        return HOLD
    if stage == HOLD and k[SINCE] > r.hold_s:
        # Without a place or a heading nobody finds home.
        return RETURN if r.radio == RETURNS and knows_place(s) and (why & MAG) == 0 else LAND
    if stage == RETURN and (not knows_place(s) or (why & MAG) != 0):
        return LAND
    return stage


@kernel
def decide(r: FailsafeRules, k: Array, h: Health, asked_mode: int, s: StateEstimate, is_armed: bool, dt: float) -> int:
    """Return what is done now; it stands in the memory with why.

    Call it before each loop, and fly what :func:`setpoint_for` says. Where it says STOP, motors are stopped until they are armed again.
    """
    dt = sound_interval(k, LAST_S, dt)
    if not is_armed:
        # Why the motors were stopped is kept until somebody disarms.
        if int(k[STAGE]) != STOP:
            forget_failures(k)
        return int(k[STAGE])
    why = silent_sensors(r, h) | wrong_with_craft(r, k, h, asked_mode, s, dt)
    stage = stage_after(r, k, why, h, s, dt)
    if stage > FLY and stage < STOP and not knows_height(s):
        stage = SINK
    elif stage == SINK and knows_height(s):
        stage = LAND
    stands = abs(s.vd) < LANDED_M_S and h.thrust < LANDED_SHARE
    if lasts(k, STANDS_S, RETURN <= stage <= LAND and stands, dt) > LANDED_S:
        stage = STOP
    if stage != int(k[STAGE]):
        k[STAGE] = float(stage)
        k[SINCE] = 0.0
    if stage == SINK and k[SINCE] > r.blind_s:
        stage = STOP
        k[STAGE] = float(STOP)
    # Why the motors stopped is kept.
    k[WHY] = float(why | int(k[WHY])) if stage == STOP else float(why)
    return stage


@kernel
def setpoint_for(r: FailsafeRules, k: Array, asked: Setpoint) -> Setpoint:
    """Return the setpoint of what is done: ``asked`` where nothing is wrong. While an empty battery alone makes it sink, the pilot
    steers."""
    stage, why = int(k[STAGE]), int(k[WHY])
    mode, throttle, roll, pitch, yaw = PLACE, 0.5, 0.0, 0.0, 0.0
    if stage == RETURN:
        mode = HOME
    elif stage == LAND:
        throttle = r.sink_throttle
        if (why & ESTIMATE) != 0:
            mode = HEIGHT
    elif stage >= SINK:
        mode = LEVEL
        throttle = r.blind_throttle if stage == SINK else 0.0
    if (why & RADIO) == 0 and LAND <= stage <= SINK and asked.mode != PATH and asked.mode != HOME:
        roll, pitch, yaw = asked.roll, asked.pitch, asked.yaw
        if asked.mode < PLACE and mode == PLACE:
            mode = HEIGHT
    if stage == FLY:
        mode, throttle, roll, pitch, yaw = asked.mode, asked.throttle, asked.roll, asked.pitch, asked.yaw
    return Setpoint(
        mode, roll, pitch, yaw, throttle, asked.pn, asked.pe, asked.pd, asked.vn, asked.ve, asked.vd, asked.heading
    )


def words(bits: int) -> tuple[str, ...]:
    """Return the causes of a mask."""
    return tuple(text for bit, text in CAUSES.items() if bits & bit)


def sink_throttle(sink_m_s: float, down_m_s: float, curve: float, dead: float) -> float:
    """Return the throttle, 0 to 1, at which a height-holding mode sinks at a speed, m/s: the stick curve turned round."""
    share = min(max(sink_m_s / down_m_s, 0.0), 1.0)
    low, high = 0.0, 1.0
    for _ in range(60):
        middle = 0.5 * (low + high)
        if (1.0 - curve) * middle + curve * middle**3 < share:
            low = middle
        else:
            high = middle
    return 0.5 * (1.0 - (dead + (1.0 - dead) * 0.5 * (low + high))) if share > 0.0 else 0.5


# Rules under which nothing is ever done.
_NEVER = 1e9
NO_FAILSAFE = FailsafeRules(
    radio=LANDS, radio_s=_NEVER, gyro_s=_NEVER, baro_s=_NEVER, gnss_s=_NEVER, mag_s=_NEVER, unsound_s=_NEVER, hold_s=_NEVER, blind_s=_NEVER,
    back_s=0.0, low_v=-1.0, empty_v=-1.0, voltage_s=_NEVER, fall_m_s2=0.0, fall_s=_NEVER, blow_m_s2=_NEVER, spin_rad_s=_NEVER,
    spin_s=_NEVER, astray_rad_s=_NEVER, astray_s=_NEVER, over_s=_NEVER, sink_throttle=0.5, blind_throttle=0.5,
)  # fmt: skip
