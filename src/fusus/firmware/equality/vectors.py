"""Test vectors: what goes in and what the core makes of it, as text that a kit's own test program reads."""

from dataclasses import dataclass, replace
from importlib import import_module
from typing import Any

import numpy as np

from fusus.core.arrays import Array
from fusus.core.calibration.apply import Corrections
from fusus.core.control.cascade import (
    LIFTS,
    MEMORY,
    Setpoint,
    StateEstimate,
    begin_anew,
    wanted_rates,
)
from fusus.core.control.rate_loops import measured_rate, rate_loops
from fusus.core.control.sections import through
from fusus.core.estimation.aiding import Aiding
from fusus.core.estimation.initial import Start, rest_at_start, start_from
from fusus.core.estimation.replay import EstimatorInput
from fusus.core.estimation.samples import sealed
from fusus.core.vehicle.motor_limits import mix_into
from fusus.firmware.equality.compare import claimed, core_run
from fusus.firmware.equality.limits import DOUBLE, U, limits_for
from fusus.firmware.equality.safety_vectors import arming_vectors, failsafe_vectors
from fusus.firmware.running.exchange import from_zero, single_rows
from fusus.firmware.writing.plan import Plan

# Enough to leave the ground and turn; little enough to read.
MOST_SAMPLES, MOST_CONTROLS, SENSOR_ROWS, FILTER_ROWS = 2500, 400, 12, 300
RESTS_S = 1.5
# A tenth of the finest step of a motor signal, 1 in 2000.
MOTOR_SHARE = 5e-5


@dataclass(frozen=True, slots=True)
class Begun:
    """The core begun as a board begins: at home, at rest, with the kit's own coefficients; what it then says (N, ·), and by how much
    attitude, position and velocity may differ at each sample (N, 3)."""

    given: EstimatorInput
    start: Start
    q_nb: Array
    pos_n: Array
    vel_n: Array
    limits: Array


def begun(plan: Plan, given: EstimatorInput, most: int = MOST_SAMPLES) -> Begun:
    """Return what the core makes of a recording's first samples, begun as the kit begins."""
    given = from_zero(leaving_rest(single_rows(given)))
    start = start_from(given.t_s, *given.samples[1:], plan.site)
    start = start._replace(is_still=True, rest_s=max(start.rest_s, 0.5))
    last = min(most, len(given.t_s))
    samples, a = sealed(given.samples.part(0, last)), given.aiding
    t = np.ascontiguousarray(given.t_s[:last])
    gnss, baro, mag, ranges = (np.ascontiguousarray(x[x[:, 0] <= t[-1]]) for x in (a.gnss, a.baro, a.mag, a.ranges))
    # A kit begins with the tuning's noises: what a receiver says of itself comes with its fixes.
    given = EstimatorInput(t, samples, Aiding(gnss, baro, mag, ranges, a.known[:last], starts_at_home=True))
    nothing = np.full((last, 3), np.nan)
    pos, vel = nothing, nothing
    if plan.coefficients is None:
        run = core_run(plan, given, plan.site, start)
        q, sigmas = run.q_nb, run.sigmas
    else:
        q, pos, vel, sigmas = _motion(plan, given, start)
    has_field = bool(np.isfinite(samples.mag_b).any())
    found = limits_for(plan.parameters, given, has_field, 0, plan.precision == "single", sigmas)
    limits = [np.broadcast_to(found.get(name, DOUBLE), (last,)) for name in ("attitude", "position", "velocity")]
    return Begun(given, start, q, pos, vel, np.stack(limits, axis=1))


def leaving_rest(given: EstimatorInput) -> EstimatorInput:
    """Return a recording from shortly before its first rest ends: standing still proves little."""
    rest = rest_at_start(given.samples.gyro_b, given.samples.acc_b, given.t_s)
    first = int(np.searchsorted(given.t_s, given.t_s[max(rest - 1, 0)] - RESTS_S))
    if first == 0:
        return given
    a, t = given.aiding, given.t_s[first]
    later = {k: getattr(a, k)[getattr(a, k)[:, 0] > t] for k in ("gnss", "baro", "mag", "ranges")}
    return EstimatorInput(
        given.t_s[first:], given.samples.part(first, len(given.t_s)), replace(a, known=a.known[first:], **later)
    )


def _motion(plan: Plan, given: EstimatorInput, start: Start) -> tuple[Array, Array, Array, dict[str, Array]]:
    module: Any = import_module(f"fusus.core.estimation.{plan.info.module}.run")
    t, samples, aiding = given.t_s, given.samples, given.aiding
    if plan.info.module == "altitude":
        run = module.begin(plan.parameters, plan.site, start, aiding, t, samples)
        run.c = plan.coefficients
    else:
        from fusus.core.estimation.navigation_ekf import start as beginning

        run = module.begin_at(plan.parameters, plan.site, start, aiding, t)
        c = plan.coefficients
        if start.has_heading:
            own = beginning.coefficients(plan.parameters, plan.site, start, aiding)  # type: ignore[arg-type]
            c = c._replace(
                field_ut=own.field_ut,
                dip_rad=own.dip_rad,
                horizontal_ut=own.horizontal_ut,
                mag_soft_var=own.mag_soft_var,
            )
        interval = replace(
            aiding, mag=np.column_stack([aiding.mag[:, :4], np.full(len(aiding.mag), plan.mag_interval_s)])
        )
        aiding = replace(interval, mag=np.ascontiguousarray(interval.mag))
        run = replace(run, c=c, state=beginning.initial_state(plan.parameters, c, start, _all_kinds(), plan.site))  # type: ignore[arg-type]
    module.advance(run, t, samples, aiding, 0, len(t))
    out, motion = module.finish(run, t)
    return out.q_nb, motion.pos_n, motion.vel_n, claimed(out, motion, t)


def _all_kinds() -> Any:

    return Aiding(gnss=np.zeros((1, 9)), baro=np.zeros((1, 2)), mag=np.zeros((1, 5)), starts_at_home=True)


def estimator_vectors(b: Begun) -> list[str]:
    """Return lines: the start, and every sample with what it has to lead to and by how much it may differ."""
    s, a, st, t = b.given.samples, b.given.aiding, b.start, b.given.t_s
    lines = [_line("start", [*st.q_nb, *st.gyro_bias_b, st.rest_s, st.field_ut, st.dip_rad, float(st.has_heading)])]
    height, fix, age, factor, distance = (np.full((len(t), n), np.nan) for n in (1, 6, 1, 1, 1))
    at = np.searchsorted(t, a.baro[:, 0])
    height[at, 0] = a.baro[:, 1]
    at = np.searchsorted(t, a.gnss[:, 0])
    fix[at], age[at, 0], factor[at, 0] = a.gnss[:, 1:7], t[at] - a.gnss[:, 0], a.gnss[:, 7]
    at = np.searchsorted(t, a.ranges[:, 0])
    distance[at, 0] = a.ranges[:, 1]
    known = a.known if len(a.known) else np.zeros(len(t))
    table = np.column_stack(
        [
            s.dt_s,
            s.gyro_b,
            s.acc_b,
            s.mag_b,
            height,
            fix,
            age,
            factor,
            distance,
            known,
            b.q_nb,
            b.pos_n,
            b.vel_n,
            b.limits,
        ]
    )
    return lines + [_line("sample", row) for row in table.tolist()]


def sensor_vectors(plan: Plan, corrections: Corrections) -> list[str]:
    """Return lines: readings of made-up sensors, with and without a temperature and a current, and what they are worth."""
    rng = np.random.default_rng(4)
    out = []
    for i in range(SENSOR_ROWS):
        warm = float(rng.uniform(-5, 60)) if i % 3 else float("nan")
        amps = float(rng.uniform(0, 40)) if i % 3 else float("nan")
        w, f, m = rng.normal(0, 2.0, (1, 3)), rng.normal(0, 12.0, (1, 3)), rng.normal(0, 40.0, (1, 3))
        # Of a temperature that is not known the polynomial says nothing.
        known = None if warm != warm else [warm]
        for kind, given, beside, gives in (
            ("gyro", w, warm, corrections.gyro(w, known)), ("acc", f, warm, corrections.acc(f, known)),
            ("mag", m, amps, corrections.mag(m, [amps])),
        ):  # fmt: skip
            out.append(_line(kind, [*given[0], beside, *gives[0]]))
    digits = DOUBLE if plan.precision == "double" else 64.0 * U
    return [_line("sensor_limit", [digits]), *out]


def filter_vectors(plan: Plan) -> list[str]:
    """Return lines: a made-up shaking that passes through the accelerometer's filter, sample by sample; none without one."""
    sections = plan.controls.acc_sections
    if not len(sections):
        return []
    given = np.random.default_rng(6).normal(0.0, 3.0, (FILTER_ROWS, 3)) + np.array([0.5, -0.3, -9.8])
    gives = np.empty_like(given)
    through(sections, given, gives)
    # Roundings of so many samples as the filter remembers add up.
    digits = DOUBLE if plan.precision == "double" else 512.0 * U
    rows = [_line("acc_filter", [*a, *b]) for a, b in zip(given, gives, strict=True)]
    return [_line("filter_limit", [digits]), *rows]


def control_vectors(plan: Plan, seed: int = 5) -> list[str]:
    """Return lines: setpoints, estimates and rates of a made-up ride through all modes, and the motors' shares that the core gives."""
    c, rng, dt = plan.controls, np.random.default_rng(seed), 0.002
    motors = len(c.table)
    k, memory, out = np.zeros(MEMORY), np.zeros((3, len(c.sections), 2)), np.zeros((1, motors))
    begin_anew(k)
    flies = False
    lines = [_line("control_limit", [DOUBLE if plan.precision == "double" else MOTOR_SHARE])]
    slow = rng.normal(0, 1, (MOST_CONTROLS // 20 + 2, 24))
    for i in range(MOST_CONTROLS):
        at = slow[i // 20] + (slow[i // 20 + 1] - slow[i // 20]) * (i % 20) / 20
        mode = (i // 57) % 7
        q = np.array([1.0, *(0.2 * at[:3])])
        q /= np.linalg.norm(q)
        gyro, bias = 0.5 * at[3:6] + rng.normal(0, 0.02, 3), np.array([0.01, -0.02, 0.005])
        estimate = StateEstimate._make(
            (
                *(float(v) for v in q),
                *(float(v) for v in 3.0 * at[6:9]),
                *(float(v) for v in at[9:12]),
                bool(i % 3 or mode < 4),
            )
        )
        sticks = np.clip(0.6 * at[12:15], -1, 1)
        throttle = float(np.clip(0.55 + 0.2 * at[15], 0, 1))
        setpoint = Setpoint._make(
            (mode, *(float(v) for v in sticks), throttle, *(float(v) for v in 3.0 * at[16:22]), float(at[22]))
        )
        if i % 9 == 8:
            setpoint, estimate, gyro, dt_s = _spoiled(rng, setpoint, estimate, gyro, dt)
        else:
            dt_s = dt
        rate = [measured_rate(c.sections, memory, k, j, float(gyro[j]), float(bias[j])) for j in range(3)]
        p, r, y, thrust, _ = wanted_rates(c.cascade, k, setpoint, estimate, dt_s)
        flies = flies or thrust >= LIFTS * c.cascade.mass_kg * c.cascade.gravity_m_s2
        torque = rate_loops(c.cascade, k, p, r, y, rate[0], rate[1], rate[2], dt_s, not flies)
        mix_into(c.table, thrust, *(torque if flies else (0.0, 0.0, 0.0)), float(c.idle), out, 0)
        row = [*setpoint, *estimate[:10], float(estimate.knows_place), *gyro, *bias, dt_s, *out[0]]
        lines.append(_line("control", row))
    return lines


def safety_lines(plan: Plan) -> list[str]:
    """Return lines of arming and failsafes."""
    arming = [_line("arming", row) for row in arming_vectors(plan)]
    return [*arming, *(_line("failsafe", row) for row in failsafe_vectors(plan))]


def _spoiled(
    rng: np.random.Generator, setpoint: Setpoint, estimate: StateEstimate, gyro: Array, dt: float
) -> tuple[Setpoint, StateEstimate, Array, float]:
    """Return what goes into a loop with one figure that is none: the motors that follow are as much the contract as any."""
    bad = float(rng.choice([np.nan, np.inf, -np.inf, 1e30, -1e30, 0.0]))
    which = int(rng.integers(4))
    if which == 0:
        name = Setpoint._fields[int(rng.integers(len(Setpoint._fields)))]
        changed: dict[str, Any] = {name: int(rng.integers(-9, 99)) if name == "mode" else bad}
        setpoint = setpoint._replace(**changed)
    elif which == 1:
        changed = {StateEstimate._fields[int(rng.integers(10))]: bad}
        estimate = estimate._replace(**changed)
    elif which == 2:
        gyro = gyro.copy()
        gyro[int(rng.integers(3))] = bad
    else:
        dt = bad
    return setpoint, estimate, gyro, dt


def _line(word: str, values: Any) -> str:
    return f"{word} " + " ".join(f"{float(v):.17g}" for v in values)
