"""Proof that a kit computes what the core computes: whole recordings through both, held against each other state by state."""

from collections.abc import Callable
from dataclasses import dataclass
from importlib import import_module
from pathlib import Path
from typing import Any

import numpy as np

from fusus.core.arrays import Array
from fusus.core.estimation.initial import Start, start_from
from fusus.core.estimation.replay import EstimatorInput
from fusus.core.estimation.samples import sealed
from fusus.core.firmware.access import access_to, figures_of
from fusus.core.firmware.bench import build_kit, run_over
from fusus.core.firmware.compiler import STRICT
from fusus.core.firmware.exchange import Estimates, Given, single_rows
from fusus.core.firmware.plan import Plan
from fusus.core.world.site import Site


@dataclass(frozen=True, slots=True)
class CoreRun:
    """What the core makes of a recording, as a runner is told to repeat it; ``states`` (K, S) beside the runner's dumps."""

    given: Given
    q_nb: Array
    bias: Array
    pos_n: Array | None
    vel_n: Array | None
    sigma_rad: Array
    flags: Array
    states: Array
    states_at: Array


def core_run(plan: Plan, given: EstimatorInput, site: Site, start: Start | None = None) -> CoreRun:
    """Return the core's estimate with its coefficients and states; of several measurements at one sample the last."""
    given = single_rows(given)
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
        return CoreRun(g, out.q_nb, out.gyro_bias_b, None, None, out.sigma_rad, out.flags, states, np.array([0, last]))
    run = module.begin(plan.parameters, site, start, given.aiding, t, samples)
    if plan.info.module == "altitude":
        c_ekf, s_ekf = run.attitude
        coefficients = figures_of(c_ekf, run.c, [run.gravity])
        state = figures_of(s_ekf, run.x, run.p, run.at)
    else:
        coefficients, state = figures_of(run.c), figures_of(run.state)
    g = Given(given, start, site, coefficients, state, run.key_every)
    module.advance(run, t, samples, given.aiding, 0, len(t))
    out, motion = module.finish(run, t)
    kept = np.arange(0, len(t), run.key_every)
    states = np.concatenate([run.key_x, run.key_p.reshape(len(run.key_p), -1)], axis=1)
    return CoreRun(g, out.q_nb, out.gyro_bias_b, motion.pos_n, motion.vel_n, out.sigma_rad, out.flags, states, kept)
