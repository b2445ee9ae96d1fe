"""The loops of a flight: arming, failsafes, cascade and mixer, from estimate and setpoint to the motors' commands.

Arrays, where a function does not say otherwise (shape, unit, frame):

    rows : (R, 14) of the plan, any
    extra : (N, 3) rad/s, b
    sections : (S, 6) 1, any
    filters : (3, S, 2) rad/s, b
    table : (M, 4) 1/N and 1/(N m), b
    mem : (26,) by the places of groups, any
    cascade_mem : (29,) by the places of cascade, any
    guard : (16,) by the places of failsafe, any
    events : (64, 3) number, s, detail, any
    motor_log : (N, M) share of full thrust, any
    wanted : (N, 5) rad/s, N, mode, b
"""

import math

from fusus.core._jit import inlined_kernel
from fusus.core.arrays import Array
from fusus.core.control.cascade import (
    HOMING,
    LIFTS,
    PATH,
    THRUST,
    WANTED,
    Cascade,
    Setpoint,
    StateEstimate,
    begin_anew,
    wanted_rates,
)
from fusus.core.control.failsafe import STAGE, STOP, WHY, Health, decide, forget_failures, setpoint_for
from fusus.core.control.rate_loops import measured_rate, rate_loops
from fusus.core.control.soundness import cos_of_tilt
from fusus.core.simulation.flight.groups import (
    BROKEN,
    CALM,
    CELL_V,
    FAILSAFE,
    FLIES,
    ON,
    STAGES_BY,
    STOPPED,
    TOLD,
    LoopInput,
    Moment,
    Rules,
    Six,
    Three,
)  # fmt: skip
from fusus.core.simulation.flight.plan import RADIO_S
from fusus.core.simulation.flight.watching import ArmingState, Sinking, note, start_or_stop, watch_ground
from fusus.core.vehicle.body import Body, Motion13, is_near
from fusus.core.vehicle.motor_limits import mix_into


@inlined_kernel
def health_of(rules: Rules, mem: Array, cascade_mem: Array, w: Three, s: Six, radio_s: float) -> Health:
    """Return what the board knows of itself: all its sensors speak here, ``radio_s`` is the age of the last packet."""
    return Health(
        radio_s, 0.0, 0.0, 0.0, 0.0, True, mem[CELL_V], math.sqrt(s[3] * s[3] + s[4] * s[4] + s[5] * s[5]),
        math.sqrt(w[0] * w[0] + w[1] * w[1] + w[2] * w[2]),
        math.sqrt((cascade_mem[WANTED] - w[0]) ** 2 + (cascade_mem[WANTED + 1] - w[1]) ** 2),
        cascade_mem[THRUST] / (rules.mass_kg * rules.gravity_m_s2), mem[FLIES] > 0.0,
    )  # fmt: skip


@inlined_kernel
def guarded(
    rules: Rules,
    mem: Array,
    guard: Array,
    events: Array,
    setpoint: Setpoint,
    b: StateEstimate,
    health: Health,
    now: Moment,
) -> Setpoint:
    """Return the setpoint that failsafes let be flown; they may stop the motors, and what they do is noted."""
    before = guard[STAGE]
    decide(rules.failsafe, guard, health, setpoint.mode, b, mem[ON] > 0.0, now.dt)
    if guard[STAGE] != before:
        note(mem, events, FAILSAFE, now.t, guard[STAGE] * STAGES_BY + guard[WHY])
        if guard[STAGE] == STOP and mem[ON] > 0.0:
            mem[ON], mem[TOLD] = 0.0, 1.0
            note(mem, events, STOPPED, now.t, 2.0)
    return setpoint_for(rules.failsafe, guard, setpoint)


@inlined_kernel
def work_out(
    body: Body, rules: Rules, c: Cascade, given: LoopInput, m: Motion13, now: Moment, idle: float, rows: Array, extra: Array,
    sections: Array, filters: Array, table: Array, mem: Array, cascade_mem: Array, guard: Array, events: Array, motor_log: Array,
    wanted: Array,
) -> None:  # fmt: skip
    """Work the loops out from estimate and setpoint, and write the motors' commands down."""
    row, i, dt = now.row, now.i, now.dt
    b, bias, s = given.estimate, given.bias, given.sample
    setpoint = Setpoint(
        int(rows[row, 0]), rows[row, 2], rows[row, 3], rows[row, 4], rows[row, 5], rows[row, 6], rows[row, 7], rows[row, 8],
        rows[row, 9], rows[row, 10], rows[row, 11], rows[row, 12],
    )  # fmt: skip
    wx = measured_rate(sections, filters, cascade_mem, 0, s[0], bias[0])
    wy = measured_rate(sections, filters, cascade_mem, 1, s[1], bias[1])
    wz = measured_rate(sections, filters, cascade_mem, 2, s[2], bias[2])
    on = rows[row, 1] > 0.5
    if mem[BROKEN] == 0.0 and on != (mem[ON] > 0.0):
        rate, cos = math.sqrt(wx * wx + wy * wy + wz * wz), cos_of_tilt(b.w, b.x, b.y, b.z)
        was_on = mem[ON] > 0.0
        start_or_stop(
            rules, mem, events, setpoint, on, ArmingState(cos, rate, b.knows_place or given.lacks_place), now.t
        )
        if mem[ON] > 0.0 and not was_on:
            begin_anew(cascade_mem)
    if not on:
        forget_failures(guard)
    health = health_of(rules, mem, cascade_mem, (wx, wy, wz), s, rows[row, RADIO_S])
    setpoint = guarded(rules, mem, guard, events, setpoint, b, health, now)
    p, q, r, thrust, mode = wanted_rates(c, cascade_mem, setpoint, b, dt)
    if extra.shape[0] > 0:
        p, q, r = p + extra[i, 0], q + extra[i, 1], r + extra[i, 2]
    # On the ground the loops have nothing to do: what they sum up would tip the craft over.
    grounded = mem[FLIES] == 0.0 and thrust < LIFTS * rules.mass_kg * rules.gravity_m_s2
    roll, pitch, yaw = rate_loops(c, cascade_mem, p, q, r, wx, wy, wz, dt, grounded or mem[ON] == 0.0)
    gave = False
    if mem[ON] > 0.0:
        if grounded:
            roll = pitch = yaw = 0.0
        gave = mix_into(table, thrust, roll, pitch, yaw, idle, motor_log, i)
    wanted[i, 0], wanted[i, 1], wanted[i, 2], wanted[i, 3] = p, q, r, thrust
    wanted[i, 4] = mode + (0.5 if gave else 0.0)
    sinking = setpoint.vd > 0.0 if setpoint.mode == PATH else setpoint.throttle < 0.4 or cascade_mem[HOMING] > 0.0
    # Calls cost: high up and climbing there is nothing to watch.
    if sinking or mem[FLIES] == 0.0 or is_near(body, m[0], m[1], m[2]):
        watch_ground(body, rules, mem, events, m, Sinking(sinking, b.vd, thrust), dt, now.t)
    else:
        mem[CALM] = 0.0
