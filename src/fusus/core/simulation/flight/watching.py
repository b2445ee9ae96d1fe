"""Starting and stopping the motors, and noticing what happens: leaving the ground, landing, breaking.

Arrays, where a function does not say otherwise (shape, unit, frame):

    mem : (25,) by the places of groups, any
    events : (64, 3) number, s, detail, any
    gyro : (N, 3) rad/s, b
    acc : (N, 3) m/s^2, b
"""

import math
from typing import NamedTuple

from fusus.core._jit import kernel
from fusus.core.arrays import Array
from fusus.core.control.arming import refusals
from fusus.core.control.cascade import Setpoint
from fusus.core.control.failsafe import LANDED_M_S, LANDED_S, LANDED_SHARE
from fusus.core.simulation.flight.groups import (
    BREAKS_COS,
    BREAKS_M_S,
    BROKEN,
    CALM,
    CRASHED,
    FLIES,
    HAPPENED,
    LEFT_GROUND,
    OFF_M,
    ON,
    QUIET_M_S2,
    QUIET_RAD_S,
    REFUSED,
    STARTED,
    STOPPED,
    TOLD,
    TOUCHED_DOWN,
    Rules,
)
from fusus.core.vehicle.body import Body, Motion13


@kernel
def note(mem: Array, events: Array, what: int, t: float, detail: float) -> None:
    """Write an event down."""
    row = int(mem[HAPPENED])
    if row < events.shape[0]:
        events[row, 0], events[row, 1], events[row, 2] = float(what), t, detail
        mem[HAPPENED] += 1.0


class ArmingState(NamedTuple):
    """How a craft stands as its board knows it: cosine of the tilt, rate rad/s, and whether it knows its place."""

    down_cos: float
    rate: float
    knows_place: bool


class Sinking(NamedTuple):
    """Whether sinking is wanted, the estimated speed downward m/s, and the thrust asked for N."""

    wanted: bool
    down_m_s: float
    thrust: float


@kernel
def start_or_stop(
    rules: Rules,
    mem: Array,
    events: Array,
    setpoint: Setpoint,
    on: bool,
    state: ArmingState,
    t: float,
) -> None:
    """Obey the switch of the motors: start if no rule refuses, stop at once."""
    if not on:
        if mem[ON] > 0.0:
            mem[ON] = 0.0
            note(mem, events, STOPPED, t, 0.0)
        mem[TOLD] = 0.0
    elif mem[ON] == 0.0 and mem[TOLD] == 0.0:
        bits = refusals(
            rules.tilt_limit_rad,
            rules.due,
            rules.healthy,
            setpoint.mode,
            setpoint.throttle,
            state.down_cos,
            state.rate,
            state.knows_place,
        )
        mem[TOLD] = 1.0
        if bits == 0:
            mem[ON] = 1.0
        note(mem, events, REFUSED if bits else STARTED, t, float(bits))


@kernel
def watch_ground(
    body: Body,
    rules: Rules,
    mem: Array,
    events: Array,
    m: Motion13,
    sinking: Sinking,
    dt: float,
    t: float,
) -> None:
    """Notice leaving the ground, touching it, landing, and breaking on it."""
    height = body.up_n * m[0] + body.up_e * m[1] + body.up_d * m[2]
    down_cos = 1.0 - 2.0 * (m[7] * m[7] + m[8] * m[8])
    if mem[FLIES] == 0.0 and height > OFF_M:
        mem[FLIES] = 1.0
        note(mem, events, LEFT_GROUND, t, 0.0)
    elif mem[FLIES] > 0.0 and height < 0.02:
        mem[FLIES] = 0.0
        sinks = -(body.up_n * m[3] + body.up_e * m[4] + body.up_d * m[5])
        broken = down_cos < BREAKS_COS or sinks > BREAKS_M_S
        note(mem, events, CRASHED if broken else TOUCHED_DOWN, t, sinks)
        if broken:
            mem[BROKEN], mem[ON] = 1.0, 0.0
    # A craft on its back does not get up again.
    if height < 0.3 and mem[BROKEN] == 0.0 and down_cos < 0.0:
        mem[BROKEN], mem[ON] = 1.0, 0.0
        note(mem, events, CRASHED, t, 0.0)
    calm = (
        mem[ON] > 0.0
        and sinking.wanted
        and abs(sinking.down_m_s) < LANDED_M_S
        and sinking.thrust < LANDED_SHARE * rules.mass_kg * rules.gravity_m_s2
    )
    mem[CALM] = mem[CALM] + dt if calm else 0.0
    if mem[CALM] > LANDED_S:
        mem[ON], mem[CALM], mem[TOLD] = 0.0, 0.0, 1.0
        note(mem, events, STOPPED, t, 1.0)


@kernel
def is_quiet(gyro: Array, acc: Array, i: int, gravity: float) -> bool:
    """Whether a sample is one of a craft that stands still."""
    turns = gyro[i, 0] * gyro[i, 0] + gyro[i, 1] * gyro[i, 1] + gyro[i, 2] * gyro[i, 2]
    pull = math.sqrt(acc[i, 0] * acc[i, 0] + acc[i, 1] * acc[i, 1] + acc[i, 2] * acc[i, 2])
    return turns < QUIET_RAD_S * QUIET_RAD_S and abs(pull - gravity) < QUIET_M_S2
