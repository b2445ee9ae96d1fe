"""Error models: seeded series have the statistics they are named for."""

import numpy as np

from fusus.core import noise
from fusus.core.sensors import barometer, gnss, inertial, magnetometer
from fusus.core.simulation.scenario import GYRO
from fusus.core.world.atmosphere import pressure_altitude_m


def allan_at(values, rate_hz, tau_s):
    """Return the non-overlapping Allan deviation, straight from its definition (IEEE Std 952, annex C)."""
    m = round(tau_s * rate_hz)
    means = values[: len(values) // m * m].reshape(-1, m).mean(axis=1)
    return np.sqrt(0.5 * np.mean(np.diff(means) ** 2))


def test_white_noise_reads_n_at_one_second():
    rng = np.random.default_rng(1)
    v = noise.white(rng, 2_000_000, 1, 0.005, 200.0)[:, 0]
    assert abs(allan_at(v, 200.0, 1.0) / 0.005 - 1) < 0.03  # 10,000 clusters: standard error 1 %


def test_random_walk_reads_k_at_three_seconds():
    rng = np.random.default_rng(2)
    v = noise.random_walk(rng, 1_000_000, 1, 0.01, 50.0)[:, 0]
    assert abs(allan_at(v, 50.0, 3.0) / 0.01 - 1) < 0.05


def test_gauss_markov_floor_is_0664_of_the_instability():
    rng = np.random.default_rng(3)
    b, tau = 0.02, 2.0
    v = noise.gauss_markov(rng, 2_000_000, 1, noise.markov_sigma_of_instability(b), tau, 50.0)[:, 0]
    assert abs(max(allan_at(v, 50.0, t) for t in (3.0, 3.8, 4.5)) / (0.664 * b) - 1) < 0.06
    lag = round(tau * 50)
    assert abs(np.corrcoef(v[:-lag], v[lag:])[0, 1] - np.exp(-1)) < 0.03


def _still(model, errors, n=20_000, rate=100.0, seed=5):
    truth, zero = np.zeros((n, 3)), np.zeros(n)
    return inertial.read_inertial(model, errors, truth, truth, zero, truth, rate, np.random.default_rng(seed))


def test_still_gyro_shows_its_bias():
    errors = inertial.draw_errors(GYRO, np.random.default_rng(4))
    # 200 s of N = 0.005 deg/s/sqrt(Hz) leave 0.0004 deg/s, the drifting bias some 0.002.
    assert np.allclose(np.degrees(_still(GYRO, errors).mean(axis=0)), np.degrees(errors.bias), atol=0.006)


def test_readings_clip_at_the_range_and_step_by_one_count():
    errors = inertial.draw_errors(GYRO, np.random.default_rng(4))
    n = 100
    fast = np.full((n, 3), 30.0)
    out = inertial.read_inertial(GYRO, errors, fast, fast * 0, np.zeros(n), fast * 0, 100.0, np.random.default_rng(1))
    count = GYRO.full_scale / 2**15
    assert np.allclose(out, GYRO.full_scale - count)
    small = _still(GYRO, errors, 500)
    assert np.allclose(np.round(small / count), small / count, atol=1e-6)


def test_warming_moves_the_bias_by_the_slope():
    errors = inertial.draw_errors(GYRO, np.random.default_rng(4))
    n = 20_000
    zero = np.zeros((n, 3))
    cold, warm = (
        inertial.read_inertial(GYRO, errors, zero, zero, np.full(n, k), zero, 100.0, np.random.default_rng(5)).mean(
            axis=0
        )
        for k in (0.0, 10.0)
    )
    assert np.allclose(warm - cold, 10 * errors.slope, atol=GYRO.full_scale / 2**15)


def test_barometer_reads_height_and_airflow_raises_it():
    model = barometer.BarometerModel(offset_pa=0.0, weather_pa=0.0, temperature_slope_pa_k=0.0)
    h, calm = np.full(4000, 100.0), np.zeros(4000)
    still = barometer.read_barometer(model, h, calm, calm, 50.0, np.random.default_rng(1))
    windy = barometer.read_barometer(model, h, calm + 10, calm, 50.0, np.random.default_rng(1))
    assert abs(pressure_altitude_m(still).mean() - 100.0) < 0.05
    # Cp 0.05 of 61 Pa dynamic pressure are 3 Pa: 0.26 m too high.
    assert abs((pressure_altitude_m(windy) - pressure_altitude_m(still)).mean() - 0.26) < 0.02


def test_magnetometer_errors_and_heading_error():
    model = magnetometer.MagnetometerModel(motor_ut_a=0.1)
    field = np.tile([18.0, 2.0, 46.0], (5000, 1))
    off = magnetometer.read_magnetometer(model, field, np.zeros(5000), np.random.default_rng(2))
    on = magnetometer.read_magnetometer(model, field, np.full(5000, 20.0), np.random.default_rng(2))
    assert np.abs(off.mean(axis=0) - field[0]).max() < 2.0
    assert 0.3 < np.linalg.norm((on - off).mean(axis=0)) < 12.0
    assert abs(np.degrees(magnetometer.heading_error_rad(1.0, 19.0)) - 3.017) < 0.01
    assert magnetometer.heading_error_rad(30.0, 19.0) == np.pi / 2


def test_gnss_fixes_come_late_and_wander():
    model = gnss.GnssModel()
    t = np.arange(0, 6000, 0.1)
    truth = np.zeros((len(t), 3))
    fixes = gnss.read_gnss(model, t, truth, truth, np.random.default_rng(3))
    assert np.allclose(fixes.t_s - t, model.latency_s)
    expected = np.hypot(model.white_horizontal_m, model.correlated_horizontal_m)
    assert abs(fixes.pos_n[:, 0].std() / expected - 1) < 0.25  # 50 correlation times: 14 % standard error
    seen = gnss.visible(t, ((100.0, 8.0),))
    assert (~seen).sum() == 80 and not seen[np.searchsorted(t, 104.0)]
