"""One loop of a flight, piece by piece: sense, estimate, work the loops out, drain the battery, move the body.

Each piece becomes a part of the loop that calls it: handing arrays on would cost more than the arithmetic. For the same reason some take
many: figures come in records, but an array taken out of a record in each loop made flights a quarter slower.

Arrays, where a function does not say otherwise (shape, unit, frame):

    wind : (R, 3) m/s, n
    to_gyro : (N, 3) rad/s, b
    to_acc : (N, 3) m/s^2, b
    gyro : (N, 3) rad/s, b
    acc : (N, 3) m/s^2, b
    known : (N,) 1, any
    wanted : (N, 5) rad/s, N, mode, b
    charge : (K,) 1, any
    cell_v : (K,) V, any
    effect : (4, M) N and N m, b
    speed : (M,) share of full, any
    sections : (S, 6) 1, any
    memory : (3, S, 2) any, b
    acc_filtered : (N, 3) m/s^2, b
    mem : (26,) by the places of groups, any
    guard : (16,) by the places of failsafe, any
    fields : (K, 5) s, µT, s, b
    truth : (N, 13) m, m/s, 1, rad/s, n
    cov : (1088,) factors, n
    events : (64, 3) number, s, detail, any
    up : (N,) m/s^2, up
    estimate : (N, 10) m, m/s, 1, n
    alt_x : (4,) m, m/s, m/s^2, m, up
    rows : (R, 14) of the plan, any
    filters : (3, S, 2) rad/s, b
    table : (M, 4) 1/N and 1/(N m), b
    cascade_mem : (29,) by the places of cascade, any
    extra : (N, 3) rad/s, b
    motor_log : (N, M) share of full thrust, any
    log : (N, 3) V, A, A s, any
    older : (M,) share of full speed, any
    newer : (M,) share of full speed, any
"""

import math
from typing import Any

from fusus.core._jit import contracting_kernel, inlined_kernel, kernel
from fusus.core.arrays import Array, ByteArray
from fusus.core.control.cascade import (
    StateEstimate,
)
from fusus.core.control.sections import low_passed
from fusus.core.estimation.attitude_ekf.kernel import advance as advance_ekf
from fusus.core.estimation.attitude_math import State as AttitudeState
from fusus.core.estimation.attitude_math import to_nav
from fusus.core.estimation.complementary.kernel import advance as advance_complementary
from fusus.core.estimation.madgwick.kernel import advance as advance_madgwick
from fusus.core.estimation.mahony.kernel import advance as advance_mahony
from fusus.core.estimation.navigation_ekf.covariance import variance_of
from fusus.core.estimation.navigation_ekf.kernel import strapdown
from fusus.core.estimation.navigation_ekf.states import ACC_CLIPPED, AT_REST, E_POS, GYRO_CLIPPED, Memory
from fusus.core.simulation.flight.groups import (
    AMPS,
    ATTITUDE_EKF,
    CELL_V,
    COMPLEMENTARY,
    EMPTY,
    FOUND_PLACE,
    GROUND_WIND_M,
    KNOWS,
    LOST_PLACE,
    MAHONY,
    NEXT_FIX,
    NEXT_RANGE,
    PHASE,
    TAKEN,
    Estimators,
    Moment,
    Six,
    Steps,
    Three,
)
from fusus.core.simulation.flight.sensing import (
    Sensors,
    Triad,
    read_slow_sensors,
    read_triad,
    to_body,
)
from fusus.core.simulation.flight.watching import is_quiet, note
from fusus.core.vehicle.body import (
    Body,
    ExternalForces,
    Motion13,
    Wrench,
    derivative,
    in_air,
    is_near,
    on_ground,
    stepped,
)
from fusus.core.vehicle.drive import Power, drained, rest_cell_v, rotor_wrench, spun
from fusus.core.vehicle.motor_command import command_for

NEVER = 2**62


@inlined_kernel
def blowing(body: Body, wind: Array, row: int, down: float) -> tuple[float, float, float, ExternalForces]:
    """Return the wind at a row of the plan, felt in full above two metres, and what it does."""
    share = min(max(-down / GROUND_WIND_M, 0.0), 1.0)
    wn, we, wd = wind[row, 0] * share, wind[row, 1] * share, wind[row, 2] * share
    return wn, we, wd, in_air(body, wn, we, wd)


@inlined_kernel
def turning(speed: Array) -> tuple[float, float]:
    """Return the mean of the motors' speeds (M,), and of their cubes."""
    mean, cubes = 0.0, 0.0
    for j in range(speed.shape[0]):
        mean += speed[j]
        cubes += speed[j] * speed[j] * speed[j]
    return mean / speed.shape[0], cubes / speed.shape[0]


@inlined_kernel
def sense(
    body: Body, gyro_of: Triad, acc_of: Triad, m: Motion13, f: Wrench, air: ExternalForces, shake: Three, to_gyro: Array,
    to_acc: Array, gyro: Array, acc: Array, known: ByteArray, i: int, is_on: bool,
) -> Six:  # fmt: skip
    """Read the inertial sensors, write the sample and what is known of it down, and return rate and specific force."""
    acts = on_ground(body, m, air) if is_near(body, m[0], m[1], m[2]) else air
    d = derivative(body, m, f, acts)
    fx, fy, fz = to_body(m[6], m[7], m[8], m[9], d[3], d[4], d[5] - body.gravity_m_s2)
    force = (fx, fy, fz)
    gx, gy, gz, gyro_stops = read_triad(
        gyro_of, (m[10], m[11], m[12]), force, (to_gyro[i, 0], to_gyro[i, 1], to_gyro[i, 2]), shake
    )
    ax, ay, az, acc_stops = read_triad(
        acc_of, force, (0.0, 0.0, 0.0), (to_acc[i, 0], to_acc[i, 1], to_acc[i, 2]), shake
    )
    gyro[i, 0], gyro[i, 1], gyro[i, 2], acc[i, 0], acc[i, 1], acc[i, 2] = gx, gy, gz, ax, ay, az
    what = (GYRO_CLIPPED if gyro_stops else 0) | (ACC_CLIPPED if acc_stops else 0)
    if not is_on and is_quiet(gyro, acc, i, body.gravity_m_s2):
        what |= AT_REST
    known[i] = what
    return gx, gy, gz, ax, ay, az


@inlined_kernel
def filter_sample(sections: Array, memory: Array, acc_filtered: Array, i: int, s: Six) -> Six:
    """Return a sample whose specific force has passed through the accelerometer's filter, and keep it for the navigation filter."""
    ax, ay, az = s[3], s[4], s[5]
    if sections.shape[0] > 0:
        ax, ay, az = low_passed(sections, memory, i == 0, ax, ay, az)
    acc_filtered[i, 0], acc_filtered[i, 1], acc_filtered[i, 2] = ax, ay, az
    return s[0], s[1], s[2], ax, ay, az


@kernel
def sense_slow(
    sensors: Sensors, i: int, m: Motion13, mem: Array, wind: Three, zero_m: float, next_mag: int, next_baro: int
) -> tuple[int, int, int]:
    """Read the slower sensors that are due; return when magnetometer, barometer, and the next of fixes and distances are due.

    Not a part of the loop: it comes a tenth as often, and takes many arrays.
    """
    slow = sensors.slow
    blows2 = (m[3] - wind[0]) ** 2 + (m[4] - wind[1]) ** 2 + (m[5] - wind[2]) ** 2
    next_looks = (int(mem[NEXT_FIX]), int(mem[NEXT_RANGE]))
    fix, look = read_slow_sensors(slow, sensors.readings, i, m, mem[AMPS], blows2, zero_m, next_looks)
    mem[NEXT_FIX], mem[NEXT_RANGE] = fix, look
    next_mag += slow.mag_every if i == next_mag else 0
    next_baro += slow.baro_every if i == next_baro else 0
    other = NEVER
    if fix < slow.gnss_at.shape[0]:
        other = min(other, slow.gnss_at[fix])
    if look < slow.range_at.shape[0]:
        other = min(other, slow.range_at[look])
    return next_mag, next_baro, other


@inlined_kernel
def field_at(fields: Array, k: int, is_due: bool) -> Three:
    """Return a row of the magnetometer, NaN where none is due."""
    if is_due:
        return fields[k, 1], fields[k, 2], fields[k, 3]
    return math.nan, math.nan, math.nan


@inlined_kernel
def estimate_of(nav: Memory, knows_place: bool) -> tuple[StateEstimate, Three]:
    """Return what the navigation filter's state says, and its gyro bias."""
    estimate = StateEstimate(
        nav.attitude[0], nav.attitude[1], nav.attitude[2], nav.attitude[3], nav.position[0], nav.position[1], nav.position[2],
        nav.velocity[0], nav.velocity[1], nav.velocity[2], knows_place,
    )  # fmt: skip
    return estimate, (nav.gyro_bias[0], nav.gyro_bias[1], nav.gyro_bias[2])


@inlined_kernel
def motion_of(mem: Array) -> Motion13:
    """Return the true motion that the memory holds."""
    return mem[0], mem[1], mem[2], mem[3], mem[4], mem[5], mem[6], mem[7], mem[8], mem[9], mem[10], mem[11], mem[12]


@inlined_kernel
def keep_motion(mem: Array, m: Motion13) -> None:
    """Put the true motion into the memory."""
    mem[0], mem[1], mem[2], mem[3], mem[4], mem[5], mem[6] = m[0], m[1], m[2], m[3], m[4], m[5], m[6]
    mem[7], mem[8], mem[9], mem[10], mem[11], mem[12] = m[7], m[8], m[9], m[10], m[11], m[12]


@inlined_kernel
def keep_truth(truth: Array, i: int, m: Motion13) -> None:
    """Write the true motion down."""
    truth[i, 0], truth[i, 1], truth[i, 2], truth[i, 3] = m[0], m[1], m[2], m[3]
    truth[i, 4], truth[i, 5], truth[i, 6], truth[i, 7] = m[4], m[5], m[6], m[7]
    truth[i, 8], truth[i, 9], truth[i, 10], truth[i, 11], truth[i, 12] = m[8], m[9], m[10], m[11], m[12]


@inlined_kernel
def filter_says(
    nav: Memory, cov: Array, n: int, lost_m: float, mem: Array, events: Array, t: float
) -> tuple[StateEstimate, Three]:
    """Return what the navigation filter says with its gyro bias, and note when it loses or finds its place."""
    sigma2 = max(variance_of(cov, n, E_POS), variance_of(cov, n, E_POS + 1))
    limit = lost_m if mem[KNOWS] > 0.0 else 0.5 * lost_m
    knows = 1.0 if sigma2 < limit * limit else 0.0
    if knows != mem[KNOWS]:
        note(mem, events, FOUND_PLACE if knows > 0.0 else LOST_PLACE, t, math.sqrt(sigma2))
        mem[KNOWS] = knows
    return estimate_of(nav, knows > 0.0)


@inlined_kernel
def propagate_estimate(b: StateEstimate, bias: Three, s: Six, nav: Memory, gravity: float, dt: float) -> StateEstimate:
    """Return the estimate a sample later by strapdown, with the biases that the filter last said."""
    w, x, y, z, fn, fe, fd = strapdown(
        b.w, b.x, b.y, b.z, dt, s[0] - bias[0], s[1] - bias[1], s[2] - bias[2], s[3] - nav.acc_bias[0],
        s[4] - nav.acc_bias[1], s[5] - nav.acc_bias[2],
    )  # fmt: skip
    fd += gravity
    half = 0.5 * dt
    return StateEstimate(
        w, x, y, z, b.pn + (b.vn + half * fn) * dt, b.pe + (b.ve + half * fe) * dt, b.pd + (b.vd + half * fd) * dt,
        b.vn + fn * dt, b.ve + fe * dt, b.vd + fd * dt, b.knows_place,
    )  # fmt: skip


@inlined_kernel
def oriented(
    kind: int, est: Estimators, s1: AttitudeState, s4: Any, s: Six, field: Three, dt: float
) -> tuple[AttitudeState, Any]:
    """Return the states of the attitude filter that flies and of the attitude EKF after a sample; only one moves."""
    mx, my, mz = field
    if kind == COMPLEMENTARY:
        s1 = advance_complementary(est.complementary, s1, dt, s[0], s[1], s[2], s[3], s[4], s[5], mx, my, mz)
    elif kind == MAHONY:
        s1 = advance_mahony(est.mahony, s1, dt, s[0], s[1], s[2], s[3], s[4], s[5], mx, my, mz)
    elif kind == ATTITUDE_EKF:
        s4 = advance_ekf(est.ekf, s4, dt, s[0], s[1], s[2], s[3], s[4], s[5], mx, my, mz)
    else:
        s1 = advance_madgwick(est.madgwick, s1, dt, s[0], s[1], s[2], s[3], s[4], s[5], mx, my, mz)
    return s1, s4


@inlined_kernel
def levelled(
    kind: int, s1: AttitudeState, s4: Any, s: Six, up: Array, i: int, gravity: float
) -> tuple[StateEstimate, Three]:
    """Return the attitude filter's estimate, no place in it, with its gyro bias; write down the upward acceleration that it makes of
    the sample."""
    if kind == ATTITUDE_EKF:
        w, x, y, z, bx, by, bz = s4.w, s4.x, s4.y, s4.z, s4.bx, s4.by, s4.bz
    else:
        w, x, y, z, bx, by, bz = s1.w, s1.x, s1.y, s1.z, s1.bx, s1.by, s1.bz
    up[i] = -to_nav(w, x, y, z, s[3], s[4], s[5])[2] - gravity
    nan = math.nan
    return StateEstimate(w, x, y, z, nan, nan, nan, nan, nan, nan, False), (bx, by, bz)


@inlined_kernel
def with_height(estimate: Array, i: int, b: StateEstimate, alt_x: Array) -> StateEstimate:
    """Return the estimate with the altitude filter's height and climb, and write it down."""
    pd, vd = -alt_x[0], -alt_x[1]
    estimate[i, 0], estimate[i, 1], estimate[i, 2], estimate[i, 3], estimate[i, 4] = b.pn, b.pe, pd, b.vn, b.ve
    estimate[i, 5], estimate[i, 6], estimate[i, 7], estimate[i, 8], estimate[i, 9] = vd, b.w, b.x, b.y, b.z
    return StateEstimate(b.w, b.x, b.y, b.z, b.pn, b.pe, pd, b.vn, b.ve, vd, b.knows_place)


@inlined_kernel
def drain(
    power: Power, charge: Array, cell_v: Array, cubes: float, mem: Array, events: Array, log: Array, now: Moment
) -> tuple[float, float]:
    """Take a loop's charge from the battery, write it down, and return voltage and current."""
    i = now.i
    share = max(1.0 - mem[TAKEN] / power.capacity_as, 0.0)
    volts, amps = drained(power, power.cells * rest_cell_v(charge, cell_v, share), cubes)
    if mem[TAKEN] < power.capacity_as <= mem[TAKEN] + amps * now.dt:
        note(mem, events, EMPTY, now.t, volts)
    mem[TAKEN] += amps * now.dt
    mem[CELL_V] = volts / power.cells
    log[i, 0], log[i, 1], log[i, 2] = volts, amps, mem[TAKEN]
    return volts, amps


@inlined_kernel
def command(older: Array, newer: Array, motor_log: Array, sent: int, ratio: float, is_whole: bool) -> None:
    """Fill the speeds that motors are told: of the command before, and of the one that takes over within this loop."""
    for k in range(older.shape[0]):
        older[k] = newer[k]
        newer[k] = command_for(motor_log[sent, k]) * ratio if is_whole and sent >= 0 else 0.0


@inlined_kernel
def spin_on(mem: Array, step: float) -> None:
    """Turn the rotors on by a step of their phase, rad."""
    mem[PHASE] += step
    if mem[PHASE] > 2.0 * math.pi:
        mem[PHASE] -= 2.0 * math.pi


@contracting_kernel
def integrate_body(
    body: Body, m: Motion13, effect: Array, speed: Array, older: Array, newer: Array, f: Wrench, air: ExternalForces, near: bool,
    steps: Steps,
) -> Motion13:  # fmt: skip
    """Return the motion after a loop; motors follow their older commands for ``steps.later`` steps, then the newer ones."""
    half = steps.half
    for j in range(steps.parts):
        wanted = older if j < steps.later else newer
        spun(speed, wanted, half)
        f1 = rotor_wrench(effect, speed)
        spun(speed, wanted, half)
        f2 = rotor_wrench(effect, speed)
        m = stepped(body, m, f, f1, f2, on_ground(body, m, air) if near else air, steps.h)
        f = f2
    return m
