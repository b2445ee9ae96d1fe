"""Lever arm and delay lie where they are claimed, by turnings and receivers that share nothing with the fit."""

import numpy as np
import pytest
from scipy.spatial.transform import Rotation
from tests.noises import markov

from fusus.core.calibration.lever_arm import lever_arm


def turned(rng, seconds=60.0, rate_hz=100.0):
    """A craft turned by hand: times, SciPy rotations, body rates; nose round with changes, rolled and pitched now and then."""
    t = np.arange(0.0, seconds, 1.0 / rate_hz)
    yaw = rng.uniform(1.2, 2.2) * t + 0.6 * np.sin(2 * np.pi * rng.uniform(0.1, 0.3) * t + rng.uniform(0, 6))
    pitch = 0.4 * np.sin(2 * np.pi * rng.uniform(0.15, 0.35) * t + rng.uniform(0, 6))
    roll = 0.4 * np.sin(2 * np.pi * rng.uniform(0.15, 0.35) * t + rng.uniform(0, 6))
    attitude = Rotation.from_euler("ZYX", np.stack([yaw, pitch, roll], axis=1))
    rate = (attitude[:-1].inv() * attitude[1:]).as_rotvec() * rate_hz
    return t, attitude, np.vstack([rate, rate[-1:]])


def fixes_of(rng, t, attitude, arm, delay, lasting):
    """Times and velocities of a receiver on an arm: by the difference of places, late, with errors that last for ``lasting`` s."""
    place = attitude.apply(arm)
    speed = np.gradient(place, t, axis=0)
    at = np.arange(1.5, t[-1] - 0.5, 0.2)
    true = np.stack([np.interp(at - delay, t, speed[:, i]) for i in range(3)], axis=1)
    noise = 0.05 * rng.standard_normal(true.shape)
    if lasting > 0:
        noise = noise + np.stack([markov(rng, len(at), 0.05, lasting, 0.2) for _ in range(3)], axis=1)
    return at, true + noise + rng.normal(0, 0.02, 3)


@pytest.mark.parametrize("lasting", [0.0, 0.5, 2.0])
def test_lever_arm_and_delay_cover(lasting):
    """120 turnings each: two thirds within one sigma, 95 % within two; before, 52 to 61 %, and any delay “± 20 ms”."""
    off = []
    for seed in range(120):
        rng = np.random.default_rng([seed, int(10 * lasting)])
        arm = rng.uniform(-0.2, 0.2, 3)
        delay = float(rng.uniform(0.02, 0.45))
        t, attitude, rate = turned(rng)
        x, y, z, w = attitude.as_quat().T
        at, v = fixes_of(rng, t, attitude, arm, delay, lasting)
        found = lever_arm(at, v, t, np.stack([w, x, y, z], axis=1), rate)
        p, s = found.parameters, found.standard_errors
        got = np.append(np.array(p["lever_arm_m"], dtype=float), p["latency_s"]) - np.append(arm, delay)
        off.append(got / np.append(np.array(s["lever_arm_m"], dtype=float), s["latency_s"]))
    off = np.abs(np.array(off))
    for name, values in (("arm", off[:, :3]), ("delay", off[:, 3])):
        assert 0.60 <= (values < 1).mean() <= 0.78, (name, (values < 1).mean())
        assert 0.92 <= (values < 2).mean() <= 0.99, (name, (values < 2).mean())
