"""What every attitude estimator has to do, and its compiled form against plain Python."""

from importlib import import_module

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.testing import assert_array_equal
from tests.conftest import short_flight

from fusus.core.analysis.attitude_error import attitude_error
from fusus.core.estimation.catalogue import ESTIMATORS, info_for
from fusus.core.estimation.initial import start_from
from fusus.core.estimation.replay import estimator_input, run_estimator
from fusus.core.estimation.samples import as_attitude_samples
from fusus.core.frames import quaternion
from fusus.core.world.site import Site
from fusus.errors import CancelledError, ParameterError

NAMES = [e.name for e in ESTIMATORS if e.gives == "attitude"]


def module_of(name):
    return import_module(f"fusus.core.estimation.{info_for(name).module}.run")


def prepared(name, site, t, gyro, acc, mag=None, parameters=None):
    given_ = estimator_input(t, gyro, acc, t if mag is not None else None, mag)
    start = start_from(t, gyro, acc, given_.samples.mag_b, site)
    m, p = module_of(name), parameters or info_for(name).parameters()
    c = m.coefficients(p, site, start)
    return m, c, m.initial_state(p, c, start), given_


def still(site, n=4000, rate=200.0, tilt=(0.0, 0.0), yaw=0.7, bias=(0.01, -0.006, 0.004), noise=1.0, seed=1):
    rng = np.random.default_rng(seed)
    q = quaternion.from_euler(yaw, *tilt)
    up = quaternion.rotate(quaternion.conjugate(q), [0, 0, -site.gravity_m_s2])
    field = quaternion.rotate(quaternion.conjugate(q), site.field.vector_ut)
    t = np.arange(n) / rate
    gyro = np.array(bias) + noise * rng.normal(0, 1e-3, (n, 3))
    return q, t, gyro, up + noise * rng.normal(0, 0.02, (n, 3)), field + noise * rng.normal(0, 0.2, (n, 3))


def off_deg(q, reference):
    e = attitude_error(q, np.broadcast_to(reference, np.shape(q)))
    return np.degrees(e.tilt), np.degrees(np.abs(e.heading))


@pytest.mark.parametrize("name", NAMES)
@pytest.mark.parametrize("tilt", [(0.0, 0.0), (0.4, -0.6), (1.2, 0.3), (0.1, 2.8)])
def test_rest_shows_the_attitude_at_any_tilt(name, tilt, site):
    q, t, gyro, acc, mag = still(site, tilt=tilt)
    m, c, state, given_ = prepared(name, site, t, gyro, acc, mag)
    out, _ = m.run(c, state, given_.samples)
    tilt_off, heading_off = off_deg(out.q_nb[-200:], q)
    assert tilt_off.max() < 0.15 and heading_off.max() < 0.8
    assert np.allclose(out.gyro_bias_b[-1], [0.01, -0.006, 0.004], atol=3e-4)


@pytest.mark.parametrize("name", NAMES)
def test_constant_rate_is_followed_without_gravity_and_field(name, site):
    # Free fall: the accelerometer reads nothing, so only the gyro counts.
    n, rate, w = 2000, 200.0, np.array([0.5, -0.3, 0.8])
    t = np.arange(n) / rate
    m, c, state, _ = prepared(name, site, t, np.zeros((n, 3)), np.tile([0, 0, -9.81], (n, 1)))
    out, _ = m.run(c, state, as_attitude_samples(1 / rate, np.tile(w, (n, 1)), np.zeros((n, 3))))
    expected = quaternion.multiply(
        quaternion.normalise(np.array([state.w, state.x, state.y, state.z])),
        quaternion.from_rotation_vector(w * n / rate),
    )
    off = quaternion.to_rotation_vector(quaternion.multiply(quaternion.conjugate(out.q_nb[-1]), expected))
    assert np.linalg.norm(off) < 1e-9


@pytest.mark.parametrize("name", NAMES)
def test_a_wrong_start_is_forgotten(name, site):
    q, t, gyro, acc, mag = still(site, n=24_000, bias=(0, 0, 0))
    m, c, state, given_ = prepared(name, site, t, gyro, acc, mag)
    wrong = quaternion.multiply(q, quaternion.from_rotation_vector([0.12, -0.08, 0.1]))
    state = state._replace(w=float(wrong[0]), x=float(wrong[1]), y=float(wrong[2]), z=float(wrong[3]))
    if name == "attitude-ekf":
        state.p[:3, :3] += 0.02 * np.eye(3)
    out, _ = m.run(c, state, given_.samples)
    tilt_off, heading_off = off_deg(out.q_nb[-100:], q)
    assert tilt_off.max() < 0.3 and heading_off.max() < 1.5


@pytest.mark.parametrize("name", NAMES)
def test_quaternions_stay_unit_and_inputs_stay_untouched(name, site):
    _, t, gyro, acc, mag = still(site, n=1500)
    gyro = gyro * 200
    copies = [a.copy() for a in (gyro, acc, mag)]
    m, c, state, given_ = prepared(name, site, t, gyro, acc, mag)
    out, _ = m.run(c, state, given_.samples)
    assert np.abs(np.linalg.norm(out.q_nb, axis=1) - 1).max() < 1e-12
    for a, b in zip((gyro, acc, mag), copies, strict=True):
        assert_array_equal(a, b)


@pytest.mark.parametrize("name", NAMES)
@given(cut=st.integers(0, 400))
@settings(deadline=None, max_examples=12)  # the first call compiles
def test_two_blocks_equal_one(name, cut):
    site = Site()
    rng = np.random.default_rng(5)
    t = np.arange(400) / 100
    gyro, acc = rng.normal(0, 0.4, (400, 3)), rng.normal(0, 1.0, (400, 3)) + [0, 0, -9.8]
    mag = rng.normal(0, 1, (400, 3)) + [20, 0, 43]
    m, c, state, given_ = prepared(name, site, t, gyro, acc, mag)
    whole, end = m.run(c, state, given_.samples)
    first, middle = m.run(c, state, given_.samples.part(0, cut))
    second, end2 = m.run(c, middle, given_.samples.part(cut, 400))
    assert_array_equal(np.concatenate([first.q_nb, second.q_nb]), whole.q_nb)
    assert_array_equal(np.concatenate([first.sigma_rad, second.sigma_rad]), whole.sigma_rad)
    assert end[:7] == end2[:7]


@pytest.mark.parametrize("name", NAMES)
def test_steps_equal_a_run(name, site):
    _, t, gyro, acc, mag = still(site, n=150)
    m, c, state, given_ = prepared(name, site, t, gyro, acc, mag)
    out, _ = m.run(c, state, given_.samples)
    s = given_.samples
    for i in range(150):
        state = m.step(c, state, s.dt_s[i], s.gyro_b[i], s.acc_b[i], s.mag_b[i])
        assert (state.w, state.x, state.y, state.z) == tuple(out.q_nb[i])


@pytest.mark.parametrize("name", NAMES)
def test_compiled_equals_plain_python(name, site):
    _, t, gyro, acc, mag = still(site, n=120)
    gyro = gyro + 0.5
    m, c, state, given_ = prepared(name, site, t, gyro, acc, mag)
    out, _ = m.run(c, state, given_.samples)
    kernel = m.kernel.advance
    plain = getattr(kernel, "py_func", kernel)
    s = given_.samples
    if name == "attitude-ekf":
        state = state._replace(p=state.p.copy(), work=state.work.copy())
    for i in range(120):
        state = plain(c, state, s.dt_s[i], *s.gyro_b[i], *s.acc_b[i], *s.mag_b[i])
        assert np.allclose(state[:4], out.q_nb[i], atol=1e-13)


@pytest.mark.parametrize("name", NAMES)
def test_one_compiled_version_whatever_layout_comes_in(name, site):
    _, t, gyro, acc, mag = still(site, n=60)
    m, c, state, _ = prepared(name, site, t, gyro, acc, mag)
    kernel = m.kernel.advance_all
    if not hasattr(kernel, "signatures"):
        pytest.skip("running uncompiled")
    for g, f in (
        (gyro, acc),
        (np.asfortranarray(gyro), acc.astype(np.float32)),
        (gyro[::2], acc[::2]),
        (gyro.tolist(), acc.tolist()),
    ):
        m.run(c, state, as_attitude_samples(0.01, g, f))
    assert len(kernel.signatures) == 1


@pytest.mark.parametrize("name", NAMES)
def test_flags_tell_gates_and_gaps(name, site):
    from fusus.core.estimation.attitude_math import ACC_GATED, GAP, MAG_GATED, MAG_USED

    _, t, gyro, acc, mag = still(site, n=2000)
    t = t + (np.arange(2000) >= 1500) * 1.0
    acc[1000:1400] *= 2.0
    mag[600:900] *= 1.5
    m, c, state, given_ = prepared(name, site, t, gyro, acc, mag)
    flags = m.run(c, state, given_.samples)[0].flags
    assert flags[1500] & GAP and not (flags[:1500] & GAP).any()
    assert (flags[:600] & MAG_USED).any()
    if name != "madgwick":  # the published filter has no gates
        assert (flags[1000:1400] & ACC_GATED).any() and not (flags[200:900] & ACC_GATED).any()
        assert (flags[650:900] & MAG_GATED).any()


def test_wrong_shapes_and_numbers_are_refused():
    good = np.zeros((5, 3))
    for bad in (np.zeros((5, 2)), np.zeros(5)):
        with pytest.raises(ValueError, match="shape"):
            as_attitude_samples(0.01, bad, good)
    with pytest.raises(ValueError, match="equally long"):
        as_attitude_samples(0.01, good, np.zeros((4, 3)))
    with pytest.raises(ValueError, match="finite"):
        as_attitude_samples(np.nan, good, good)


@pytest.mark.parametrize("name", NAMES)
def test_parameters_refuse_what_makes_no_sense(name):
    kind = info_for(name).parameters
    for field in kind.__dataclass_fields__:
        for value in (float("nan"), -1.0, 1e12):
            with pytest.raises(ParameterError) as caught:
                kind(**{field: value})
            assert (
                caught.value.name == field and str(caught.value.high)[:3] in str(caught.value)
            ) or caught.value.low >= 0


def test_replay_can_be_cancelled(site):
    class Stop:
        def step(self, done, total, what):
            raise CancelledError

    _, t, gyro, acc, mag = still(site, n=100)
    with pytest.raises(CancelledError):
        run_estimator("mahony", info_for("mahony").parameters(), estimator_input(t, gyro, acc, t, mag), site, Stop())


def test_unknown_estimator_names_the_known_ones():
    with pytest.raises(KeyError, match="complementary, mahony, madgwick, attitude-ekf"):
        info_for("magic")


@pytest.mark.slow
@pytest.mark.parametrize("name", NAMES)
def test_a_flight_is_followed(name, site):
    motion, streams = short_flight(site, seed=2)
    given_ = _given(streams)
    out = run_estimator(name, info_for(name).parameters(), given_, site).outputs
    tilt, heading = off_deg(out.q_nb, motion.q_nb)
    # A plain filter takes long accelerations for tilt: 0.2 g for seconds are degrees. The Kalman filter must not.
    assert np.sqrt(np.mean(tilt**2)) < (1.2 if name == "attitude-ekf" else 4.5)
    assert np.sqrt(np.mean(heading**2)) < (4.0 if name == "attitude-ekf" else 12.0)


def _given(streams):
    imu, mag = streams["imu"], streams["mag"]

    def xyz(stream, name, unit):
        return np.stack([stream[f"{name}_{a}_{unit}"] for a in "xyz"], axis=1)

    return estimator_input(
        imu["t_ns"] * 1e-9,
        xyz(imu, "gyro", "rad_s"),
        xyz(imu, "acc", "m_s2"),
        mag["t_ns"] * 1e-9,
        xyz(mag, "mag", "ut"),
    )


@pytest.mark.slow
def test_claimed_sigma_is_honest_over_flights(site):
    """Over many flights with freshly drawn sensors the errors must fill the claimed sigma: neither more nor a third of it."""
    ratios, inside = [], []
    for seed in range(16):
        motion, streams = short_flight(site, seed=100 + seed)
        out = run_estimator("attitude-ekf", info_for("attitude-ekf").parameters(), _given(streams), site).outputs
        error = quaternion.to_euler(out.q_nb) - quaternion.to_euler(motion.q_nb)
        error = np.mod(error + np.pi, 2 * np.pi) - np.pi
        z = error[1000:] / out.sigma_rad[1000:, ::-1]
        ratios.append(np.mean(z**2, axis=0))
        inside.append(np.mean(np.abs(z) < 2, axis=0))
    rms = np.sqrt(np.mean(ratios, axis=0))
    # Each flight counts as about one draw of its constant errors: 16 draws leave 18 % on the RMS.
    assert np.all(rms < 1.25) and np.all(rms > 0.35), rms
    assert np.all(np.mean(inside, axis=0) > 0.90), np.mean(inside, axis=0)


def test_covariance_stays_positive_over_hours(site):
    _, t, gyro, acc, mag = still(site, n=200_000, rate=20.0)
    m, c, state, given_ = prepared("attitude-ekf", site, t, gyro, acc, mag)
    if not hasattr(m.kernel.advance_all, "signatures"):
        pytest.skip("too long uncompiled")
    for _ in range(4):  # 11 hours
        out, state = m.run(c, state, given_.samples)
    assert np.linalg.eigvalsh(state.p).min() > 0 and np.isfinite(out.sigma_rad).all()
    assert np.allclose(state.p, state.p.T)


def test_heading_sigma_is_unknown_without_a_field(site):
    _, t, gyro, acc, _ = still(site)
    m, c, state, given_ = prepared("attitude-ekf", site, t, gyro, acc)
    out, _ = m.run(c, state, given_.samples)
    assert np.degrees(out.sigma_rad[-1, 2]) > 90 and np.degrees(out.sigma_rad[-1, 0]) < 1.5


def test_heading_gives_way_after_long_refusal(site):
    q, t, gyro, acc, mag = still(site, n=20_000, rate=200.0, bias=(0, 0, 0))
    m, c, state, given_ = prepared("attitude-ekf", site, t, gyro, acc, mag)
    turned = quaternion.multiply(quaternion.from_euler(1.0, 0, 0), q)
    state = state._replace(w=float(turned[0]), x=float(turned[1]), y=float(turned[2]), z=float(turned[3]))
    out, _ = m.run(c, state, given_.samples)
    _, before = off_deg(out.q_nb[1000:1001], q)
    _, after = off_deg(out.q_nb[-1:], q)
    assert before[0] > 40 and after[0] < 3
