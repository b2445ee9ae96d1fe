"""Proof that a kit computes what the core computes: whole recordings through both, held against each other state by state."""

from collections.abc import Callable
from dataclasses import dataclass
from importlib import import_module
from pathlib import Path
from typing import Any

import numpy as np

from fusus.core.arrays import Array
from fusus.core.estimation.initial import Start, start_from
from fusus.core.estimation.navigation_ekf.covariance import covariance_from_ud
from fusus.core.estimation.navigation_ekf.states import FACTORS, NOMINAL
from fusus.core.estimation.outputs import AttitudeOutputs, MotionOutputs
from fusus.core.estimation.replay import EstimatorInput
from fusus.core.estimation.samples import sealed
from fusus.core.frames import quaternion
from fusus.core.world.site import Site
from fusus.firmware.equality.limits import limits_for
from fusus.firmware.running.access import access_to, figures_of
from fusus.firmware.running.compiler import STRICT
from fusus.firmware.running.exchange import Estimates, Given, from_zero, single_rows
from fusus.firmware.running.programs import build_kit, run_over
from fusus.firmware.running.sandbox import Ended
from fusus.firmware.writing.plan import Plan


@dataclass(frozen=True, slots=True)
class CoreRun:
    """What the core makes of a recording, as a runner is told to repeat it; ``states`` (K, S) beside the runner's dumps.

    ``sigmas``: claimed sigmas (N,) of attitude, position, velocity and gyro bias, of the worst axis, where there are any.
    """

    given: Given
    q_nb: Array
    bias: Array
    pos_n: Array | None
    vel_n: Array | None
    sigma_rad: Array
    flags: Array
    states: Array
    sigmas: dict[str, Array]


def core_run(plan: Plan, given: EstimatorInput, site: Site, start: Start | None = None) -> CoreRun:
    """Return the core's estimate with its coefficients and states; of several measurements at one sample the last."""
    given = from_zero(single_rows(given))
    samples = sealed(given.samples)
    t = np.ascontiguousarray(given.t_s)
    start = start or start_from(t, *samples[1:], site)
    module: Any = import_module(f"fusus.core.estimation.{plan.info.module}.run")
    last = max(len(t) - 1, 1)
    if plan.info.gives == "attitude":
        c = module.coefficients(plan.parameters, site, start)
        first = module.initial_state(plan.parameters, c, start)
        figures = figures_of(first)
        out, end = module.run(c, first, samples)
        states = np.stack([figures_of(module.run(c, first, samples.part(0, 1))[1]), figures_of(end)])
        g = Given(given, start, site, figures_of(c), figures, last)
        return CoreRun(
            g, out.q_nb, out.gyro_bias_b, None, None, out.sigma_rad, out.flags, states, _of_attitude(out.sigma_rad)
        )
    run = module.begin(plan.parameters, site, start, given.aiding, t, samples)
    if plan.info.module == "altitude":
        c_ekf, s_ekf = run.attitude
        coefficients = figures_of(c_ekf, run.c, [run.gravity])
        state = figures_of(s_ekf, run.x, run.p, run.at)
    else:
        interval = float(given.aiding.mag[0, 4]) if len(given.aiding.mag) else plan.mag_interval_s
        coefficients, state = figures_of(run.c, [interval]), figures_of(run.state)
    g = Given(given, start, site, coefficients, state, run.key_every)
    module.advance(run, t, samples, given.aiding, 0, len(t))
    out, motion = module.finish(run, t)
    states = np.concatenate([run.key_x, run.key_p.reshape(len(run.key_p), -1)], axis=1)
    sigmas = claimed(out, motion, t)
    # Between kept moments the core's own bias and sigmas are straight lines: states say the same exactly.
    exact = plan.info.module == "altitude"
    sigma = out.sigma_rad if exact else np.empty((0, 3))
    bias = out.gyro_bias_b if exact else np.empty((0, 3))
    return CoreRun(g, out.q_nb, bias, motion.pos_n, motion.vel_n, sigma, out.flags, states, sigmas)


def claimed(out: AttitudeOutputs, motion: MotionOutputs, t_s: Array) -> dict[str, Array]:
    """Return claimed sigmas at each sample (N,), of the worst axis, by what they are of."""
    sigmas = _of_attitude(out.sigma_rad)
    for name in ("position", "velocity", "gyro bias"):
        if name in motion.key_sigmas and np.isfinite(motion.key_sigmas[name]).any():
            sigmas[name] = _greatest(motion.sigma_at(name, t_s))
    return sigmas


@dataclass(frozen=True, slots=True)
class Held:
    """The difference of a figure that comes nearest to what is allowed, when, and how much is allowed then; in ``unit``."""

    name: str
    unit: str
    worst: float
    limit: float
    at_s: float

    @property
    def is_within(self) -> bool:
        """Whether it stays within what is allowed."""
        return self.worst <= self.limit


@dataclass(frozen=True, slots=True)
class Equality:
    """A kit held against the core over one recording; ``flips``: samples whose flags differ; ``why_not`` where it did not run through."""

    precision: str
    samples: int
    seconds: float
    held: tuple[Held, ...]
    flips: int
    why_not: str = ""

    @property
    def is_equal(self) -> bool:
        """Whether every figure stays within its limit."""
        return not self.why_not and all(h.is_within for h in self.held)


def compare(plan: Plan, core: CoreRun, found: Estimates, ended: Ended) -> Equality:
    """Return the greatest differences with their limits."""
    given = core.given.given
    n, span = len(given.t_s), float(given.t_s[-1] - given.t_s[0])
    if not ended.is_good or len(found) < n:
        return Equality(plan.precision, len(found), span, (), 0, ended.words)
    flips = int((core.flags != found.flags).sum())
    has_field = bool(np.isfinite(given.samples.mag_b).any())
    limits = limits_for(plan.parameters, given, has_field, flips, plan.precision == "single", core.sigmas)
    t = given.t_s - given.t_s[0]
    held: list[Held] = []

    def hold(name: str, unit: str, difference: Array, when: Array) -> None:
        if name not in limits or not difference.size:
            return
        # A figure that is no number where the core has one is as far off as can be.
        values = np.where(np.isnan(difference), np.inf, difference)
        allowed = np.broadcast_to(limits[name], values.shape)
        at = int(np.argmax(values / allowed))
        held.append(Held(name, unit, float(values[at]), float(allowed[at]), float(when[at])))

    # The sine of half the angle, from the vector part alone: an arc cosine would lose half of the digits.
    between = quaternion.multiply(quaternion.conjugate(core.q_nb), found.q_nb)
    hold("attitude", "rad", 2.0 * np.linalg.norm(between[:, 1:], axis=1), t)
    if len(core.bias):
        hold("gyro bias", "rad/s", np.abs(core.bias - found.gyro_bias_b).max(axis=1), t)
    if core.pos_n is not None and core.vel_n is not None:
        hold("position", "m", _greatest(core.pos_n - found.pos_n, core.pos_n), t)
        hold("velocity", "m/s", _greatest(core.vel_n - found.vel_n, core.vel_n), t)
    if len(core.sigma_rad):
        hold("sigmas", "1", _greatest(found.sigma_rad / core.sigma_rad - 1.0), t)
    if plan.precision == "double":
        off = states_off(plan, core, found.dumps)
        hold("states", "relative", off, np.linspace(0.0, span, len(off)))
    return Equality(plan.precision, n, span, tuple(held), flips)


def _greatest(values: Array, of: Array | None = None) -> Array:
    """Return the greatest part of each row (N,); parts that the core does not give (NaN in ``of``) do not count."""
    return np.asarray(np.abs(np.where(np.isnan(values if of is None else of), 0.0, values)).max(axis=1))


def _of_attitude(sigma_rad: Array) -> dict[str, Array]:
    return {"attitude": _greatest(sigma_rad)} if len(sigma_rad) else {}


def states_off(plan: Plan, core: CoreRun, dumps: Array) -> Array:
    """Return the greatest difference of each kept state (K,): of what is larger than one relative to its size."""
    if plan.info.gives == "attitude":
        out = dumps[[0, -1]]
    elif plan.info.module == "altitude":
        places = {p.place: p.at for p in access_to(plan).state}
        out = np.concatenate([dumps[:, places[".x"] :][:, :4], dumps[:, places[".p"] :][:, :16]], axis=1)
    else:
        n = int(dumps[0, -1])
        at = next(p.at for p in access_to(plan).state if p.place == ".s.p")
        p = np.empty((len(dumps), n, n))
        for row, whole in zip(dumps, p, strict=True):
            covariance_from_ud(row[at : at + FACTORS], n, whole)
        out = np.concatenate([dumps[:, :NOMINAL], p.reshape(len(dumps), -1)], axis=1)
    size = np.maximum(np.abs(core.states), 1.0)
    same = np.isnan(out) & np.isnan(core.states)
    return np.asarray(np.where(same, 0.0, np.abs(out - core.states) / size).max(axis=1))


def prove(plan: Plan, runs: list[CoreRun], folder: Path, cancelled: Callable[[], bool] | None = None) -> list[Equality]:
    """Return a kit's equality with the core over recordings; it is built once in ``folder``, an empty one."""
    built = build_kit(plan, folder, STRICT)
    out = []
    for core in runs:
        found, ended = run_over(built.program, core.given, cancelled=cancelled)
        out.append(compare(plan, core, found, ended))
    return out
