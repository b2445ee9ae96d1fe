"""What is known of samples beforehand, and sensors made twice as good by a known truth."""

import numpy as np
import pytest
from filterpy.kalman import KalmanFilter
from tests.conftest import HOME, short_flight

from fusus.core.analysis.sensor_improvement import SENSORS, true_force, true_rate, twice_as_good
from fusus.core.estimation.altitude import kernel
from fusus.core.estimation.altitude.kernel import Coefficients
from fusus.core.estimation.altitude.parameters import ComplementaryParameters, ThreeStateParameters
from fusus.core.estimation.known import at_stop, known_of
from fusus.core.estimation.navigation_ekf.parameters import Parameters
from fusus.core.estimation.navigation_ekf.states import ACC_CLIPPED, AT_REST
from fusus.core.mission.mission import Mission
from fusus.core.prediction.filter_tuning import from_suite, walk
from fusus.core.sensors.rangefinder import RangefinderModel, read_rangefinder
from fusus.core.simulation.given import given_by
from fusus.core.simulation.scenario import GYRO
from fusus.errors import ParameterError


def test_a_stop_is_the_same_extreme_again_and_again():
    rng = np.random.default_rng(1)
    values = rng.normal(0, 5, (1000, 3))
    assert not at_stop(values, 15.0).any()
    values[300:306, 1] = 19.62
    values[500, 1] = -19.62  # a single peak at the extreme is no stop
    found = at_stop(values, 15.0)
    assert found[300:306].all() and found.sum() == 6
    known = known_of(np.zeros((1000, 3)), values, 100)
    assert (known[:100] & AT_REST).all() and not (known[100:] & AT_REST).any() and known[303] & ACC_CLIPPED


@pytest.fixture(scope="module")
def flight(site):
    motion, streams = short_flight(site, seed=6)
    return motion, *given_by(streams, HOME)


def test_true_rate_and_force_follow_from_the_truth(flight, site):
    motion, _, truth = flight
    at = np.searchsorted(motion.t_s, truth.t_s - 1e-9)
    inner = slice(5, -5)
    # Differences over 50 ms smooth what turns quickest.
    assert np.sqrt(np.mean((true_rate(truth) - motion.rate_b[at])[inner] ** 2)) < 0.03
    assert np.sqrt(np.mean((true_force(truth, site.gravity_m_s2) - motion.force_b[at])[inner] ** 2)) < 0.03


@pytest.mark.parametrize("sensor", SENSORS)
def test_half_of_a_sensors_error_is_gone(sensor, flight, site):
    motion, given, truth = flight
    p = Parameters(gnss_delay_s=0.12, lever_arm_x_m=-0.05, lever_arm_z_m=-0.115)
    better = twice_as_good(sensor, given, truth, site, p)

    def error(x):
        if sensor == "gyro":
            return (x.samples.gyro_b - motion.rate_b)[200:-200]
        if sensor == "accelerometer":
            return (x.samples.acc_b - motion.force_b)[200:-200]
        if sensor == "barometer":
            return x.aiding.baro[:, 1] + np.interp(x.aiding.baro[:, 0], truth.t_s, truth.pos_n[:, 2])
        if sensor == "receiver":
            sky = x.aiding.gnss[:, 0] - 0.12
            return x.aiding.gnss[:, 1:4] - np.stack(
                [np.interp(sky, truth.t_s, truth.pos_n[:, i]) for i in range(3)], axis=1
            )
        size = site.field.strength_ut
        return np.linalg.norm(x.aiding.mag[:, 1:4], axis=1) - size

    before, after = np.sqrt(np.mean(error(given) ** 2)), np.sqrt(np.mean(error(better) ** 2))
    assert after == pytest.approx(0.5 * before, rel=0.2)


def test_the_height_filter_equals_filterpy():
    c = Coefficients(False, 4e-4, 2.5e-5, 0.02, 2.5e-3, 0.0, 1.0, 1.0, False, 1e9, 0.0, 0.0, 0.0)
    t, rng = 0.01, np.random.default_rng(5)
    x, p = np.zeros(4), np.diag([0.01, 0.01, 0.04, 0.01])
    reference = KalmanFilter(dim_x=4, dim_z=1, dim_u=1)
    reference.x, reference.P = x.reshape(4, 1).copy(), p.copy()
    reference.F = np.array([[1, t, -t * t / 2, 0], [0, 1, -t, 0], [0, 0, 1, 0], [0, 0, 0, 1.0]])
    reference.B = np.array([[t * t / 2], [t], [0], [0]])
    q = c.acc_var * t
    reference.Q = np.array(
        [
            [q * t * t / 3, q * t / 2, 0, 0],
            [q * t / 2, q, 0, 0],
            [0, 0, c.walk_var * t, 0],
            [0, 0, 0, c.baro_walk_var * t],
        ]
    )
    reference.H, reference.R = np.array([[1.0, 0, 0, 1.0]]), np.array([[c.baro_var]])
    h, k = np.array([1.0, 0.0, 0.0, 1.0]), np.zeros(4)
    for i in range(500):
        up = float(rng.normal(0, 1))
        kernel.predict(c, x, p, t, up, 0.0)
        reference.predict(u=np.array([[up]]))
        if i % 4 == 0:
            z = float(rng.normal(0, 0.2))
            kernel.update(c, x, p, h, k, z - (x[0] + x[3]), c.baro_var)
            reference.update(np.array([[z]]))
    assert np.allclose(x, reference.x[:, 0], atol=1e-9) and np.allclose(p, reference.P, atol=1e-9)


def test_height_parameters_are_checked():
    assert ThreeStateParameters().as_kalman().baro_walk_m_rthz == 0.0
    for wrong in (
        lambda: ThreeStateParameters(baro_noise_m=-1.0),
        lambda: ComplementaryParameters(time_constant_s=0.0),
    ):
        with pytest.raises(ParameterError):
            wrong()


def test_warming_makes_the_bias_walk():
    cold, warm = walk(GYRO, 0.0), walk(GYRO, 10.0)
    assert cold >= GYRO.walk and warm > cold
    assert warm == pytest.approx(np.hypot(cold, 0.5 * GYRO.temperature_slope * 10.0 / np.sqrt(180.0)))


def test_tunings_follow_the_suite():
    from fusus.demo.build import demo_project
    from fusus.study.parts.suite import choice_of, model_of

    project = demo_project()
    suite = model_of(project, choice_of(project))
    found = from_suite("navigation-ekf", suite, Mission(), 9.81, 0.083)
    assert found["gnss_delay_s"] == suite.gnss.latency_s and found["baro_noise_m"] == pytest.approx(
        suite.baro.noise_pa * 0.083
    )
    assert set(from_suite("altitude-3", suite, Mission(), 9.81, 0.083)) == {"baro_noise_m", "baro_delay_s"}
    assert from_suite("madgwick", suite, Mission(), 9.81, 0.083) == {}
    assert (
        from_suite("altitude", suite, Mission(), 9.81, 0.083)["gnss_vertical_m"] > 20 * suite.gnss.correlated_vertical_m
    )


def test_a_rangefinder_sees_level_ground_within_its_limits():
    model = RangefinderModel(0.02, 0.01, 0.1, 4.0, 30.0)
    height = np.concatenate([np.full(2000, 3.0), [0.05, 10.0, 3.0]])
    cos = np.concatenate([np.full(2000, 0.95), [1.0, 1.0, 0.5]])
    distance, given = read_rangefinder(model, height, cos, np.random.default_rng(1))
    assert given[:2000].all() and not given[2000:].any()
    error = distance[:2000] - 3.0 / 0.95
    assert error.std() == pytest.approx(np.hypot(0.02, 0.01 * 3.0 / 0.95), rel=0.06) and abs(error.mean()) < 0.003
