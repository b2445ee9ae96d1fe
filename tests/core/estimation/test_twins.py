"""Each compiled estimator against its plain NumPy twin, and against libraries that others wrote."""

import numpy as np
import pytest
from tests.conftest import short_flight
from tests.core.estimation import twins
from tests.core.estimation.test_attitude_filters import module_of

from fusus.core.analysis.attitude_error import attitude_error
from fusus.core.estimation.attitude_ekf import covariance as compiled
from fusus.core.estimation.attitude_ekf.run import initial_covariance
from fusus.core.estimation.catalogue import info_for
from fusus.core.estimation.initial import start_from
from fusus.core.estimation.replay import estimator_input, run_estimator
from fusus.core.frames import quaternion


@pytest.fixture(scope="module")
def flight(site):
    """A flight of 30 s at 100 Hz with a field at 10 Hz."""
    motion, streams = short_flight(site, seed=11, rate_hz=100.0)
    imu, mag = streams["imu"], streams["mag"]

    def xyz(s, n, u):
        return np.stack([s[f"{n}_{a}_{u}"] for a in "xyz"], axis=1)

    rows = slice(0, 3000)
    given = estimator_input(
        imu["t_ns"][rows] * 1e-9, xyz(imu, "gyro", "rad_s")[rows], xyz(imu, "acc", "m_s2")[rows],
        mag["t_ns"] * 1e-9, xyz(mag, "mag", "ut"),
    )  # fmt: skip
    return motion, given


@pytest.mark.parametrize("name", ["complementary", "mahony", "madgwick", "attitude-ekf"])
def test_compiled_filter_equals_its_twin(name, flight, site):
    _, given = flight
    s, module, p = given.samples, module_of(name), info_for(name).parameters()
    if name == "attitude-ekf":
        # The twin has no gates: it is compared where none closes.
        p = type(p)(gate_sigma=100.0, acc_gate_m_s2=900.0, mag_gate=90.0, dip_gate_rad=3.0)
    start = start_from(given.t_s, s.gyro_b, s.acc_b, s.mag_b, site)
    c = module.coefficients(p, site, start)
    out, end = module.run(c, module.initial_state(p, c, start), s)
    if name == "attitude-ekf":
        twin = twins.AttitudeEkf(p, c, site, start, initial_covariance(p, c, start))
    else:
        twin = {"complementary": twins.Complementary, "mahony": twins.Mahony, "madgwick": twins.Madgwick}[name](
            p, site, start
        )
    for i in range(len(given.t_s)):
        q = twin.step(s.dt_s[i], s.gyro_b[i], s.acc_b[i], s.mag_b[i])
        # The compiled corrections are first order: r^3/24 a step for corrections r of up to 10 mrad.
        assert twins.angle_between(q, out.q_nb[i]) < 1e-6, f"sample {i}"
    if name == "attitude-ekf":
        assert np.allclose(twin.cov, end.p, rtol=1e-6, atol=1e-15)
        assert np.allclose(twin.bias, out.gyro_bias_b[-1], atol=1e-10)


def random_covariance(seed):
    """Return a well-conditioned 6 x 6 covariance."""
    a = np.random.default_rng(seed).normal(size=(6, 6))
    return a @ a.T * 1e-4 + 1e-6 * np.eye(6)


@pytest.mark.parametrize("seed", range(5))
def test_prediction_is_f_p_f_transposed_plus_noise(seed):
    rng = np.random.default_rng(seed)
    p, r, t = random_covariance(seed), rng.normal(0, 0.3, 3), 0.02
    f = np.eye(6)
    f[:3, :3], f[:3, 3:] = quaternion.to_matrix(quaternion.from_rotation_vector(-r)), -t * np.eye(3)
    expected = f @ p @ f.T
    walk, white, scale = 3e-9, 2e-8, 5e-5
    expected[:3, :3] += np.diag(white + walk * t**2 / 3 + scale * r**2)
    expected[:3, 3:] -= 0.5 * walk * t * np.eye(3)
    expected[3:, :3] -= 0.5 * walk * t * np.eye(3)
    expected[3:, 3:] += walk * np.eye(3)
    found = p.copy()
    compiled.predict(found, *r, t, white, scale, walk)
    assert np.allclose(found, expected, rtol=1e-12, atol=1e-18) and np.array_equal(found, found.T)


@pytest.mark.parametrize("seed", range(5))
def test_update_is_the_joseph_form_and_sequential_equals_joint(seed):
    rng = np.random.default_rng(seed)
    p, h1, h2 = random_covariance(seed), rng.normal(size=6), rng.normal(size=6)
    r, y = np.array([1e-4, 3e-4]), rng.normal(0, 0.01, 2)
    h = np.stack([h1, h2])
    gain = p @ h.T @ np.linalg.inv(h @ p @ h.T + np.diag(r))
    joseph = np.eye(6) - gain @ h
    found, x, scratch = p.copy(), np.zeros(6), np.zeros(6)
    compiled.update(found, h1, scratch, r[0], y[0], x)
    compiled.update(found, h2, scratch, r[1], y[1], x)
    assert np.allclose(x, gain @ y, rtol=1e-9)
    assert np.allclose(found, joseph @ p @ joseph.T + gain @ np.diag(r) @ gain.T, rtol=1e-8, atol=1e-16)
    assert np.isclose(compiled.project(p, h1, scratch), h1 @ p @ h1) and np.allclose(scratch, p @ h1)


@pytest.mark.parametrize("library", ["vqf", "imufusion", "ahrs"])
def test_other_peoples_filters_agree_at_rest_and_in_slow_motion(library, site):
    """A rocked board without long accelerations: every sound filter must find the same inclination."""
    rate, n = 100.0, 4000
    t = np.arange(n) / rate
    roll, pitch = 0.5 * np.sin(0.7 * t) * (t > 5), 0.4 * np.sin(0.5 * t) * (t > 5)
    q = quaternion.from_euler(0.3 + 0 * t, pitch, roll)
    gyro = np.vstack([np.zeros(3), quaternion.body_rates(t, q)])
    rng = np.random.default_rng(4)
    acc = quaternion.rotate(quaternion.conjugate(q), [0, 0, -site.gravity_m_s2]) + rng.normal(0, 0.02, (n, 3))
    gyro = gyro + rng.normal(0, 1e-3, (n, 3))
    theirs = _theirs(library, gyro, acc, rate)
    # Their axes differ: only the down direction in the body is compared, from where all have settled.
    for name in ("complementary", "mahony", "madgwick", "attitude-ekf"):
        ours = run_estimator(name, info_for(name).parameters(), estimator_input(t, gyro, acc), site).outputs.q_nb
        down = quaternion.rotate(quaternion.conjugate(ours), [0, 0, 1.0])
        angle = np.degrees(np.arccos(np.clip(np.sum(down[1500:] * theirs[1500:], axis=1), -1, 1)))
        assert angle.max() < 2.0, f"{name} against {library}: {angle.max():.2f} deg"
        assert np.degrees(attitude_error(ours[500:], q[500:]).tilt).max() < 1.0


def _theirs(library, gyro, acc, rate):
    """Return the down direction in the body as another library has it."""
    if library == "vqf":
        vqf = pytest.importorskip("vqf")
        q = vqf.VQF(1 / rate).updateBatch(np.ascontiguousarray(gyro), np.ascontiguousarray(acc))["quat6D"]
        # Its earth has z up, and it takes specific force: up at rest.
        return -quaternion.rotate(quaternion.conjugate(q), [0, 0, 1.0])
    if library == "imufusion":
        imufusion = pytest.importorskip("imufusion")
        fusion = imufusion.Ahrs()
        fusion.set_sample_period(1 / rate)
        out = []
        for w, f in zip(np.degrees(gyro), acc / 9.80665, strict=True):
            fusion.update_no_magnetometer(w, f)
            out.append(np.array(fusion.get_gravity()))
        return -np.array(out) / np.linalg.norm(out, axis=1, keepdims=True)
    ahrs = pytest.importorskip("ahrs")
    q = ahrs.filters.Mahony(gyr=gyro, acc=acc, frequency=rate, k_P=0.5, k_I=1e-6).Q
    return -quaternion.rotate(quaternion.conjugate(q), [0, 0, 1.0])
