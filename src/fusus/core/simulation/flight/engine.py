"""The compiled flight: body, motors, battery, wind and ground; sensors, estimator, cascade and mixer, with the loop's own delays."""

import math

from fusus.core._jit import kernel
from fusus.core.estimation.altitude.kernel import advance_all as advance_altitude
from fusus.core.estimation.navigation_ekf.kernel import advance_all as advance_navigation
from fusus.core.simulation.flight.control_loop import work_out
from fusus.core.simulation.flight.groups import (
    AMPS,
    BROKEN,
    KNOWS,
    NAVIGATION,
    NONE,
    ON,
    PHASE,
    Asked,
    Board,
    Estimators,
    Log,
    LoopInput,
    Memory,
    Moment,
    Steps,
    Stretch,
    World,
)
from fusus.core.simulation.flight.loop import (
    blowing,
    command,
    drain,
    estimate_of,
    field_at,
    filter_sample,
    filter_says,
    integrate_body,
    keep_motion,
    keep_truth,
    levelled,
    motion_of,
    oriented,
    propagate_estimate,
    sense,
    sense_slow,
    spin_on,
    turning,
    with_height,
)
from fusus.core.simulation.flight.sensing import Sensors, shaken
from fusus.core.vehicle.body import is_near
from fusus.core.vehicle.drive import rotor_wrench


@kernel
def fly(
    world: World,
    board: Board,
    asked: Asked,
    sensors: Sensors,
    est: Estimators,
    log: Log,
    memory: Memory,
    stretch: Stretch,
) -> None:
    """Fly the loops of a stretch.

    The navigation filter takes its samples in groups, as boards do; between them the loops see its strapdown. Arrays are taken apart once.
    """
    kind, first, last, zero_m, s1, s4 = stretch
    body, power, charge, cell_v, effect, weak_effect, weak_s, tau_s, wind = world
    dt, parts, delay, c, table, sections, rules, lost_m, idle, acc_sections = board
    rows, rows_hz, extra = asked
    gyro_of, acc_of, gyro_added, acc_added, drift, slow, shaking, readings, acc_filtered = sensors
    gyro, acc, known, fields, heights, _, fixes, ranges = readings
    (
        c0, s0, key_every, key_x, key_p, nav_rows, _, _, _, _, c5, alt_x, alt_p, alt_at, alt_m, alt_kx, alt_kp, alt_r, alt_w, up,
    ) = est  # fmt: skip
    t_all, steps, truth, estimate, flags, wanted, motor_log, power_log, events = log
    mem, speed, cascade_mem, filters, acc_filters, older, newer, guard = memory
    nav, cov = s0.m, s0.p
    h = dt / parts
    late, in_loop = delay // parts, Steps(parts, delay % parts, math.exp(-0.5 * h / tau_s), h)
    next_mag, next_baro = (
        -(-first // slow.mag_every) * slow.mag_every,
        -(-first // slow.baro_every) * slow.baro_every,
    )
    spin = 2.0 * math.pi * shaking.rotor_hz / shaking.hover * dt
    mag_every, other = slow.mag_every, first  # fixes and distances are looked for at once
    taken = first  # samples that the navigation filter has had
    (b, bias), m = estimate_of(nav, mem[KNOWS] > 0.0), motion_of(mem)
    for i in range(first, last):
        t = t_all[i]
        row = min(int(t * rows_hz + 1e-6), rows.shape[0] - 1)
        now = Moment(i, row, dt, t)
        if t >= weak_s:
            effect = weak_effect
        wn, we, wd, air = blowing(body, wind, row, m[2])
        mean, cubes = turning(speed)
        f = rotor_wrench(effect, speed)
        shake = shaken(shaking, mem[PHASE] + drift[i], mean)
        s = sense(
            body, gyro_of, acc_of, m, f, air, shake, gyro_added, acc_added, gyro, acc, known, i, mem[ON] > 0
        )  # fmt: skip
        s = filter_sample(acc_sections, acc_filters, acc_filtered, i, s)
        mag_due = i == next_mag
        if mag_due or i == next_baro or i >= other:
            next_mag, next_baro, other = sense_slow(sensors, i, m, mem, (wn, we, wd), zero_m, next_mag, next_baro)
        keep_truth(truth, i, m)
        if kind == NAVIGATION:
            if i + 1 - taken >= c0.every or i + 1 == last:
                advance_navigation(
                    c0, s0, t_all, steps, gyro, acc_filtered, known, fixes, heights, fields, ranges, estimate, flags, key_every, key_x,
                    key_p, nav_rows, taken, i + 1,
                )  # fmt: skip
                taken = i + 1
                b, bias = filter_says(nav, cov, s0.n, lost_m, mem, events, t)
            else:
                b = propagate_estimate(b, bias, s, nav, c0.gravity_m_s2, dt)
        elif kind != NONE:
            s1, s4 = oriented(kind, est, s1, s4, s, field_at(fields, i // mag_every, mag_due), dt)
            b, bias = levelled(kind, s1, s4, s, up, i, c.gravity_m_s2)
            advance_altitude(
                c5, alt_x, alt_p, alt_at, t_all, steps, up, known, heights, fixes, alt_m, flags, key_every, alt_kx, alt_kp, alt_r, alt_w,
                i, i + 1,
            )  # fmt: skip
            b = with_height(estimate, i, b, alt_x)
        if kind != NONE:
            work_out(
                body, rules, c, LoopInput(b, bias, s, kind != NAVIGATION), m, now, idle, rows, extra, sections, filters, table, mem,
                cascade_mem, guard, events, motor_log, wanted,
            )  # fmt: skip
        volts, mem[AMPS] = drain(power, charge, cell_v, cubes, mem, events, power_log, now)
        command(older, newer, motor_log, i - late, volts / (power.cells * power.rated_v), mem[BROKEN] == 0.0)
        # Whether the ground may be touched in this loop.
        near = is_near(body, m[0] + dt * m[3], m[1] + dt * m[4], m[2] + dt * m[5])
        m = integrate_body(body, m, effect, speed, older, newer, f, air, near, in_loop)
        spin_on(mem, spin * mean)
    keep_motion(mem, m)
