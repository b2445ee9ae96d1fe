"""No input leaves a state that is not finite: what is no number, or beyond what any sensor reads, did not come."""

from importlib import import_module

import numpy as np
import pytest

from fusus.core.estimation.aiding import Aiding
from fusus.core.estimation.catalogue import ESTIMATORS
from fusus.core.estimation.initial import start_from
from fusus.core.estimation.replay import estimator_input, run_estimator
from fusus.core.estimation.samples import Samples, sealed
from fusus.core.world.site import Site

SITE = Site(gravity_m_s2=9.81)
BAD = (np.nan, np.inf, -np.inf, 1e300, -1e39, 5e-324)
N = 3000


def recorded(rng):
    """Return times, samples and aiding of a board that lies still, as plain arrays that may be spoilt."""
    t = np.arange(N) * 0.01
    gyro = rng.normal(0, 0.002, (N, 3)) + [0.004, -0.003, 0.002]
    acc = np.tile([0.0, 0.0, -9.81], (N, 1)) + rng.normal(0, 0.03, (N, 3))
    mag = np.full((N, 3), np.nan)
    mag[::4] = [20.0, 0.0, 44.0]
    gnss = np.zeros((N // 20, 9))
    gnss[:, 0], gnss[:, 7:] = t[::20], 1.0
    baro = np.column_stack([t[::4], rng.normal(0, 0.1, N // 4)])
    field = np.column_stack([t[::4], np.tile([20.0, 0.0, 44.0], (N // 4, 1)), np.full(N // 4, 0.04)])
    ranges = np.column_stack([t[::10], np.full(N // 10, 0.3)])
    return t, np.full(N, 0.01), gyro, acc, mag, gnss, baro, field, ranges


def run(info, t, samples, aiding, start):
    module = import_module(f"fusus.core.estimation.{info.module}.run")
    p, samples = info.parameters(), sealed(samples)
    if info.gives == "attitude":
        c = module.coefficients(p, SITE, start)
        out, _ = module.run(c, module.initial_state(p, c, start), samples)
        return np.hstack([out.q_nb, out.gyro_bias_b]), out
    made = module.begin(p, SITE, start, aiding, t, samples)
    module.advance(made, t, samples, aiding, 0, len(t))
    out, motion = module.finish(made, t)
    parts = [out.q_nb, motion.vel_n[:, 2:], motion.pos_n[:, 2:]]
    if info.module == "navigation_ekf":
        parts += [
            motion.pos_n,
            motion.vel_n,
            np.repeat(motion.key_p.reshape(len(motion.key_p), -1).sum(axis=1), 5)[: len(t), None],
        ]
    return np.hstack(parts), out


@pytest.mark.parametrize("info", ESTIMATORS, ids=lambda e: e.name)
def test_any_figure_anywhere_leaves_a_finite_state(info):
    rng = np.random.default_rng(17)
    clean = recorded(rng)
    start = start_from(clean[0], *(np.asarray(x) for x in clean[2:5]), SITE)
    for trial in range(25):
        t, dt, gyro, acc, mag, gnss, baro, field, ranges = (x.copy() for x in clean)
        for values in (dt, gyro, acc, mag, gnss[:, 1:], baro[:, 1:], field[:, 1:4], ranges[:, 1:]):
            for _ in range(8):
                at = tuple(int(rng.integers(200, s)) if s > 400 else int(rng.integers(0, s)) for s in values.shape)
                values[at] = rng.choice(BAD)
        aiding = Aiding(gnss, baro, field, ranges, np.zeros(N, dtype=np.uint8))
        states, out = run(info, t, Samples(dt, gyro, acc, mag), aiding, start)
        assert np.isfinite(states).all(), trial
        # And they are skipped, not believed: a board that lies still goes on lying.
        tilt = np.degrees(2 * np.arcsin(np.clip(np.hypot(out.q_nb[-1, 1], out.q_nb[-1, 2]), 0, 1)))
        assert tilt < 2.0, trial


def test_a_rest_with_holes_is_a_start_and_a_sample_without_a_gyro_is_told():
    t, _dt, gyro, acc, mag, *_ = recorded(np.random.default_rng(3))
    gyro[500:510] = np.nan
    given = estimator_input(t, gyro, acc, t[::4], mag[::4])
    for info in ESTIMATORS[:4]:
        out = run_estimator(info.name, info.parameters(), given, SITE).outputs
        assert np.isfinite(out.q_nb).all() and np.all(out.flags[500:510] & 16) and not np.any(out.flags[700:] & 16)


@pytest.mark.parametrize("info", ESTIMATORS, ids=lambda e: e.name)
def test_without_an_accelerometer_the_gyro_goes_on_alone(info):
    t, _, gyro, acc, _, *_ = recorded(np.random.default_rng(4))
    gyro[1000:1100, 0] += 0.5
    out = run_estimator(info.name, info.parameters(), estimator_input(t, gyro, np.full_like(acc, np.nan)), SITE).outputs
    roll = np.degrees(
        np.arctan2(
            2 * (out.q_nb[:, 0] * out.q_nb[:, 1] + out.q_nb[:, 2] * out.q_nb[:, 3]),
            1 - 2 * (out.q_nb[:, 1] ** 2 + out.q_nb[:, 2] ** 2),
        )
    )
    assert abs(roll[-1] - roll[900] - np.degrees(0.5)) < 1.0
    if out.has_sigma:
        assert out.sigma_rad[-1, 0] > out.sigma_rad[500, 0]
