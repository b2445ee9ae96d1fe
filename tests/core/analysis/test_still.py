"""A sensor at rest by its model: against allantools on synthetic noise, closed forms, and simulated runs."""

import math

import numpy as np
import pytest

from fusus.core.analysis import drift, still
from fusus.core.noise import gauss_markov, markov_sigma_of_instability, random_walk, white
from fusus.core.sensors.inertial import InertialModel

DEG = math.pi / 180


def model(noise=5e-5, walk=1e-6, instability=2e-5, tau=50.0, bias=0.01, slope=1e-4):
    return InertialModel(noise, walk, instability, tau, bias, 0.0, 0.0, slope, 35.0, 16)


@pytest.mark.parametrize(
    ("part", "make"),
    [
        ("noise", lambda m, rng, n, rate: white(rng, n, 1, m.noise, rate)),
        ("walk", lambda m, rng, n, rate: random_walk(rng, n, 1, m.walk, rate)),
        ("instability", lambda m, rng, n, rate: gauss_markov(rng, n, 1, markov_sigma_of_instability(m.instability), m.instability_tau_s, rate)),
    ],
)  # fmt: skip
def test_synthetic_noise_has_the_models_allan_curve(part, make):
    """Read by allantools 2024.6, an independent library, from seeded series."""
    allantools = pytest.importorskip("allantools")
    m, rate, rng = model(), 10.0, np.random.default_rng(8)
    taus = np.array([1.0, 5.0, 20.0, 60.0])
    seen = []
    for _ in range(8):
        series = make(m, rng, 40_000, rate)[:, 0]
        _, adev, _, _ = allantools.oadev(series, rate=rate, data_type="freq", taus=taus)
        seen.append(adev**2)
    assert np.sqrt(np.mean(seen, axis=0)) == pytest.approx(still.allan_of_model(m, taus)[part], rel=0.1)


def test_drift_after_an_averaged_bias_is_what_simulated_gyros_do():
    m = model()
    for averaged in (5.0, 60.0):
        t, angle = still.drift_runs(m, averaged, 400.0, 800, seed=3)
        closed = np.sqrt(sum(still.angle_variances(m, averaged, t).values()))
        for i in (40, 200, 799):
            assert angle[i].std() == pytest.approx(closed[i], rel=0.08)


def test_parts_of_drift_are_the_textbook_forms():
    """N √t and K t^1.5/√3 (Groves, 2nd ed., ch. 5, from memory), once the averaging is long gone or very long."""
    m = model()
    t = np.array([10.0, 100.0])
    causes = still.angle_variances(m, 1e-9, t)
    assert np.sqrt(causes["noise"]) == pytest.approx(drift.angle_from_noise(m.noise, t))
    assert np.sqrt(causes["walk"]) == pytest.approx(drift.angle_from_walk(m.walk, t), rel=1e-6)


def test_dead_reckoning_grows_as_the_closed_forms_say():
    gyro, acc = model(), model(noise=1e-3, walk=1e-5, bias=0.03)
    t = np.array([5.0, 20.0])
    causes = still.position_variances(gyro, acc, 10.0, 0.01, 9.81, t)
    assert np.sqrt(causes["accelerometer bias"]) == pytest.approx(drift.position_from_acc_bias(0.03, t))
    assert np.sqrt(causes["accelerometer noise"]) == pytest.approx(drift.position_from_acc_noise(1e-3, t))
    assert np.sqrt(causes["tilt at the start"]) == pytest.approx(drift.position_from_tilt(0.01, t, 9.81), rel=1e-4)
    # g N t^2.5/√20 (DRG-05): 0.3 deg/√h for 60 s is 5.336 m at 9.80665.
    noisy = model(noise=0.3 / 60 * DEG)
    found = still.position_variances(noisy, acc, 10.0, 0.0, 9.80665, 60.0)["gyro noise"]
    assert math.sqrt(found) == pytest.approx(5.336188660580247, rel=1e-9)


def test_walks_integrate_as_sampled():
    """K: position from a gyro's walk g K t^3.5/√252, from an accelerometer's K t^2.5/√20; sampled here."""
    gyro, acc, rng = (
        model(noise=0.0, instability=0.0, walk=1e-5),
        model(noise=0.0, walk=1e-3, bias=0.0),
        np.random.default_rng(5),
    )
    dt, n, runs = 0.05, 800, 1500
    t = n * dt
    bias = np.cumsum(rng.standard_normal((n, runs)), axis=0) * math.sqrt(dt)
    twice = np.cumsum(np.cumsum(bias, axis=0), axis=0) * dt * dt
    thrice = np.cumsum(twice, axis=0) * dt
    causes = still.position_variances(gyro, acc, 10.0, 0.0, 9.81, t)
    assert (acc.walk * twice[-1]).std() == pytest.approx(math.sqrt(causes["accelerometer walk"]), rel=0.06)
    assert (9.81 * gyro.walk * thrice[-1]).std() == pytest.approx(math.sqrt(causes["gyro walk"]), rel=0.06)


def test_how_long_to_average():
    m = model()
    tau, floor = still.best_averaging(m)
    assert still.averaging_time(m, 2 * floor) < tau and still.averaging_time(m, 0.5 * floor) is None
    early = still.averaging_time(m, 10 * floor)
    assert still.bias_error(m, early) == pytest.approx(10 * floor, rel=0.05)
    # σ/√n would promise ever more: after an hour the curve is far above it.
    assert still.bias_error(m, 3600.0) > 5 * m.noise / math.sqrt(3600.0)


def test_dead_reckoning_holds_until_the_limit():
    t = np.linspace(0.1, 100, 2000)
    assert still.holds_for({"a": (0.5 * 0.1 * t**2) ** 2}, t, 5.0) == pytest.approx(10.0, abs=0.1)
    assert still.holds_for({"a": 0 * t}, t, 5.0) is None


@pytest.mark.parametrize(
    ("deg_h", "name"), [(0.005, "navigation"), (0.5, "tactical"), (3.0, "industrial"), (100.0, "consumer")]
)
def test_gyro_grades(deg_h, name):
    assert still.gyro_grade(deg_h / 3600 * DEG).name == name


@pytest.mark.parametrize(
    ("g", "name"), [(1e-5, "navigation"), (5e-4, "tactical"), (3e-3, "industrial"), (0.01, "consumer")]
)
def test_accelerometer_grades(g, name):
    """Consumer parts: some 0.01 g and 100 deg/h; the best 1e-5 g: common practice."""
    assert still.acc_grade(g * 9.80665).name == name


def test_earth_rate_and_coriolis_are_below_a_consumer_parts_floor_only():
    """Earth turns 15.04 deg/h (WGS 84); Coriolis at 5 m/s is some 0.06 mg."""
    consumer, fine = model(slope=1e-4), model(noise=1e-6, walk=1e-10, instability=1e-7, slope=1e-7)
    earth, coriolis, path = still.small_terms(consumer, consumer, 5.0, math.radians(52))
    assert earth.value / DEG * 3600 == pytest.approx(15.04, abs=0.01) and earth.shows_after_s is None
    assert coriolis.value == pytest.approx(5.75e-4, rel=0.01) and path.value == pytest.approx(25 / 6.371e6, rel=1e-6)
    assert still.small_terms(fine, fine, 5.0, 0.9)[0].shows_after_s is not None
