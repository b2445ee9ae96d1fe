"""The navigation EKF as a whole: on made-up flights, under odd input, and whether it tells the truth."""

from dataclasses import replace

import numpy as np
import pytest
from tests.conftest import HOME, short_flight

from fusus.core.analysis.comparison import Track, compare
from fusus.core.analysis.consistency import channels, coverages, errors_of, nees
from fusus.core.analysis.outage import errors_at, hidden
from fusus.core.estimation.aiding import Aiding, baro_rows, gnss_rows, mag_rows, range_rows
from fusus.core.estimation.altitude.parameters import Parameters as AltitudeParameters
from fusus.core.estimation.attitude_math import GNSS_GATED, GNSS_USED
from fusus.core.estimation.catalogue import info_for
from fusus.core.estimation.initial import start_from
from fusus.core.estimation.navigation_ekf import run as navigation
from fusus.core.estimation.navigation_ekf.covariance import covariance_from_ud
from fusus.core.estimation.navigation_ekf.parameters import Parameters
from fusus.core.estimation.navigation_ekf.run import euler_sigmas
from fusus.core.estimation.navigation_ekf.smoother import smooth
from fusus.core.estimation.replay import estimator_input, run_estimator
from fusus.core.frames.quaternion import from_rotation_vector, multiply, rotate, to_euler
from fusus.core.simulation.given import given_by
from fusus.errors import ParameterError

TUNED = Parameters(
    lever_arm_x_m=-0.05, lever_arm_z_m=-0.115, home_sigma_m=0.05, gnss_delay_s=0.12, gnss_delay_sigma_s=0.02, gyro_scale_sigma=0.002,
    gyro_cross_sigma_rad=0.001, acc_bias_sigma_m_s2=0.036, acc_scale_sigma=0.0022, gyro_bias_sigma_rad_s=0.0087, mag_noise_ut=0.35,
    mag_iron_sigma_ut=0.4, mag_soft_sigma=0.005, baro_walk_m_rthz=0.1,
)  # fmt: skip


@pytest.fixture(scope="module")
def flight(site):
    return given_by(short_flight(site, seed=4)[1], HOME)


def estimate(given, site, parameters=TUNED):
    return run_estimator("navigation-ekf", parameters, given, site)


def covariance(run):
    """Return the covariance (1, n, n) of a run as it stands."""
    p = np.empty((run.state.n, run.state.n))
    covariance_from_ud(run.state.p, run.state.n, p)
    return p[None]


def against(replay, truth):
    return compare(Track(replay.t_s, replay.outputs.q_nb, replay.motion.pos_n, replay.motion.vel_n), truth)


@pytest.mark.slow
def test_a_flight_is_estimated_as_well_as_its_sensors_allow(flight, site):
    given, truth = flight
    found = against(estimate(given, site), truth)
    assert np.degrees(found.value("tilt", "rmse")) < 0.4 and np.degrees(found.value("heading", "rmse")) < 3.0
    assert found.value("horizontal", "rmse") < 0.8 and found.value("height", "rmse") < 0.8
    assert found.value("velocity", "rmse") < 0.12


@pytest.mark.slow
def test_blocks_and_groups_of_samples_change_little(flight, site, monkeypatch):
    given, _ = flight
    whole = estimate(given, site)
    monkeypatch.setattr("fusus.core.estimation.replay.BLOCK", 1777)
    parts = estimate(given, site)
    assert np.array_equal(whole.motion.pos_n, parts.motion.pos_n) and np.array_equal(
        whole.outputs.q_nb, parts.outputs.q_nb
    )
    exact = estimate(given, site, replace(TUNED, covariance_every=1))
    # Groups of five at 200 Hz are 25 ms long: what they cost lies far within the claim.
    apart = np.sqrt(np.mean((exact.motion.pos_n - whole.motion.pos_n) ** 2))
    assert apart < 0.1 * np.median(whole.motion.key_sigmas["position"][50:, :2])


@pytest.mark.slow
def test_a_world_turned_and_shifted_gives_the_estimate_turned_and_shifted(flight, site):
    given, _ = flight
    plain = replace(TUNED, home_sigma_m=1000.0)
    base = estimate(replace(given, aiding=replace(given.aiding, mag=given.aiding.mag[:0])), site, plain)
    # No field: the heading comes from motion. Turn all fixes about down by 90° and shift them.
    turn = from_rotation_vector(np.array([0.0, 0.0, np.pi / 2]))
    g = given.aiding.gnss.copy()
    g[:, 1:4] = rotate(turn, g[:, 1:4]) + [300.0, -200.0, 40.0]
    g[:, 4:7] = rotate(turn, g[:, 4:7])
    moved = estimate(replace(given, aiding=replace(given.aiding, gnss=g, mag=given.aiding.mag[:0])), site, plain)
    late = slice(len(given.t_s) // 2, None, 50)
    assert np.allclose(
        moved.motion.pos_n[late], rotate(turn, base.motion.pos_n[late]) + [300.0, -200.0, 40.0], atol=0.02
    )
    off = multiply(moved.outputs.q_nb[late], multiply(turn, base.outputs.q_nb[late]) * [1, -1, -1, -1])
    assert np.abs(off[:, 1:]).max() < 2e-3


@pytest.mark.slow
def test_a_late_fix_meets_its_own_time(flight, site):
    given, truth = flight
    right = against(estimate(given, site, replace(TUNED, gnss_delay_sigma_s=0.0)), truth).value("velocity", "rmse")
    wrong = replace(TUNED, gnss_delay_s=0.0, gnss_delay_sigma_s=0.0)
    assert against(estimate(given, site, wrong), truth).value("velocity", "rmse") > 1.3 * right
    learns = estimate(given, site, replace(TUNED, gnss_delay_s=0.05, gnss_delay_sigma_s=0.1))
    value, sigma = learns.motion.key_values["gnss delay"][-1], learns.motion.key_sigmas["gnss delay"][-1]
    assert sigma < 0.015 and abs(value - 0.12) < 4 * sigma


@pytest.mark.slow
def test_an_outage_grows_the_claim_and_the_error_stays_within(flight, site):
    given, truth = flight
    hid = replace(
        given, aiding=replace(given.aiding, gnss=hidden(given.aiding.gnss, ((40.0, 8.0),), float(given.t_s[0])))
    )
    replay = estimate(hid, site)
    before, after = (np.hypot(*replay.motion.sigma_at("position", np.array([t]))[0, :2]) for t in (39.9, 48.0))
    error = float(errors_at(against(replay, truth), 48.0)[0])
    assert after > 1.5 * before and error < 3.5 * after


@pytest.mark.slow
def test_a_jump_is_refused_told_and_given_way_to(flight, site):
    given, _ = flight
    g = given.aiding.gnss.copy()
    g[(g[:, 0] > 40), 1] += 30.0  # and stays
    replay = estimate(replace(given, aiding=replace(given.aiding, gnss=g)), site)
    t = given.t_s
    soon = (t > 40.2) & (t < 44.0)
    assert (replay.outputs.flags[soon] & GNSS_GATED).any() and np.abs(replay.motion.pos_n[soon, 0]).max() < 15.0
    assert replay.motion.pos_n[-1, 0] > 25.0 and (replay.outputs.flags[t > 60] & GNSS_USED).any()


@pytest.mark.slow
def test_claimed_sigmas_hold_over_many_flights(site):
    """Within one sigma: 68 of 100 are due; over a dozen flights the mean of all components may be off by some 8."""
    shares, values = [], []
    for seed in range(12):
        given, truth = given_by(short_flight(site, seed=50 + seed)[1], HOME)
        replay = estimate(given, site)
        found = errors_of(replay.motion, against(replay, truth))
        shares.append([c.one for c in coverages(found).values()])
        values.append([n.value for n in nees(found)])
    mean = float(np.mean(shares))
    assert 0.60 < mean < 0.80, np.mean(shares, axis=0)
    assert 0.5 < float(np.mean([v[-1] for v in values])) < 1.4, np.mean(values, axis=0)


@pytest.mark.slow
def test_innovations_are_as_large_as_expected(flight, site):
    found = {c.name: c for c in channels(estimate(*flight[:1], site).motion.innovations)}
    assert 0.8 < found["gnss_position"].nis < 1.25 and 0.8 < found["gnss_velocity"].nis < 1.25
    assert abs(found["gnss_velocity"].correlation) < 0.12


@pytest.mark.slow
def test_heading_comes_from_motion_where_there_is_no_field(flight, site):
    given, _ = flight
    s = given.samples
    start = start_from(given.t_s, s.gyro_b, s.acc_b, np.full_like(s.acc_b, np.nan), site)
    blind = replace(given, aiding=replace(given.aiding, mag=given.aiding.mag[:0]))
    run = navigation.begin(TUNED, site, start, blind.aiding, given.t_s, s)
    yaw, sigma = (
        to_euler(run.state.m.attitude[None])[0, 0],
        euler_sigmas(run.state.m.attitude[None], covariance(run))[0, 2],
    )
    assert abs(np.angle(np.exp(1j * (yaw - 0.3)))) < max(3 * sigma, 0.15) and sigma < 0.3


@pytest.mark.slow
def test_the_smoother_is_better_than_the_filter_and_knows_it(site):
    """Truth minus smoothed: smaller than the filter's on average of some flights, and within what it claims."""
    filtered, smoothed, z = [], [], []
    for seed in range(5):
        given, truth = given_by(short_flight(site, seed=70 + seed)[1], HOME)
        s = given.samples
        start = start_from(given.t_s, s.gyro_b, s.acc_b, s.mag_b, site)
        run = navigation.begin(TUNED, site, start, given.aiding, given.t_s, s)
        navigation.advance(run, given.t_s, s, given.aiding, 0, len(given.t_s))
        found = smooth(TUNED, site, start, given.t_s, s, given.aiding, run)
        at = np.searchsorted(truth.t_s, found.t_s - 1e-6).clip(max=len(truth.t_s) - 1)
        inner = slice(200, -200)
        for values, x in ((filtered, run.key_x[:, 3:6]), (smoothed, found.vel_n)):
            values.append(np.sqrt(np.mean((x - truth.vel_n[at])[inner] ** 2)))
        sigma = np.sqrt(np.einsum("kii->ki", found.covariance))
        error = np.hstack([found.pos_n - truth.pos_n[at], found.vel_n - truth.vel_n[at]])
        z.append(np.sqrt(np.mean((error / sigma[:, :6])[inner] ** 2)))
        assert np.linalg.eigvalsh(found.covariance[::50]).min() > 0
    assert np.mean(smoothed) < 0.8 * np.mean(filtered) and 0.5 < np.mean(z) < 1.5


def still(n=2000, rate=100.0, gnss=True):
    t = np.arange(n) / rate
    gyro, acc = np.zeros((n, 3)), np.tile([0.0, 0.0, -9.81], (n, 1))
    fixes = gnss_rows(t[::20], np.zeros((len(t[::20]), 3)), np.zeros((len(t[::20]), 3))) if gnss else np.empty((0, 9))
    return t, gyro, acc, fixes


@pytest.mark.slow
def test_odd_input_is_survived(site):
    t, gyro, acc, fixes = still()
    # Fixes of one axis only, without velocity, all alike in time, far away, and none at all.
    one = fixes.copy()
    one[:, [2, 3, 4, 5, 6]] = np.nan
    far = fixes.copy()
    far[50:, 1] = 1e7
    same = fixes.copy()
    same[:, 0] = 5.0
    for rows in (one, far, same, fixes[:0], fixes[:1]):
        replay = run_estimator(
            "navigation-ekf", Parameters(), estimator_input(t, gyro, acc, aiding=Aiding(gnss=rows)), site
        )
        assert np.isfinite(replay.motion.pos_n).all() and np.isfinite(replay.motion.key_p).all()
        assert (np.einsum("kii->ki", replay.motion.key_p) >= 0).all()


@pytest.mark.slow
def test_a_stopped_sensor_and_a_long_gap_grow_the_claim(site):
    t, gyro, acc, fixes = still(4000)
    keep = (t < 10.0) | (t > 16.0)
    stops = Aiding(gnss=fixes[fixes[:, 0] < 12.0])
    replay = run_estimator(
        "navigation-ekf", Parameters(), estimator_input(t[keep], gyro[keep], acc[keep], aiding=stops), site
    )
    sigma = replay.motion.sigma_at("position", np.array([9.0, 16.5, 35.0]))[:, 0]
    assert sigma[1] > 2 * sigma[0] and sigma[2] > sigma[1]


def test_rows_are_tidied_at_the_border():
    rows = gnss_rows(
        [2.0, 1.0, 3.0], [[1, 2, np.inf], [np.nan] * 3, [4, 5, 6]], None, [1.0, 1.0, 3.0], [True, True, False]
    )
    assert rows.shape == (1, 9) and np.isnan(rows[0, 3]) and rows[0, 0] == 2.0
    late = gnss_rows([0.0, 1.0, 2.0], np.zeros((3, 3)), None, [1.0, 1.0, 5.0])
    assert late[-1, 7] == 25.0 and late[0, 7] == 1.0
    assert len(baro_rows([0.0, 1.0], [np.nan, 3.0], 1.0)) == 0
    baro = baro_rows([1.0, 0.0], [101200.0, 101325.0], 0.5)
    assert baro[0, 1] == 0.0 and baro[1, 1] == pytest.approx(10.4, abs=0.1)
    assert len(mag_rows([0.0], [[np.nan, 1, 2]])) == 0 and len(range_rows([0, 1], [-1.0, 2.0])) == 1


def test_parameters_out_of_reason_are_refused():
    for wrong in (
        {"gnss_delay_s": -0.1},
        {"covariance_every": 0},
        {"covariance_every": 2.5},
        {"mag_noise_ut": float("nan")},
    ):
        with pytest.raises(ParameterError):
            Parameters(**wrong)


@pytest.mark.slow
@pytest.mark.parametrize("name", ["altitude-complementary", "altitude-3", "altitude"])
def test_height_filters_follow_the_craft(name, flight, site):
    given, truth = flight
    replay = run_estimator(name, info_for(name).parameters(), given, site)
    found = compare(Track(replay.t_s, replay.outputs.q_nb, replay.motion.pos_n, replay.motion.vel_n), truth)
    assert found.value("height", "rmse") < 1.0 and found.value("climb", "rmse") < 0.25
    assert found.value("position", "rmse") is None and found.value("velocity", "rmse") is None


@pytest.mark.slow
def test_three_and_four_states_agree_where_the_zero_is_fixed(flight, site):
    given, _ = flight
    no_fixes = replace(given, aiding=replace(given.aiding, gnss=given.aiding.gnss[:0]))
    three = run_estimator("altitude-3", info_for("altitude-3").parameters(), no_fixes, site)
    four = run_estimator("altitude", AltitudeParameters(baro_walk_m_rthz=0.0), no_fixes, site)
    assert np.allclose(three.motion.pos_n[:, 2], four.motion.pos_n[:, 2], atol=1e-9)


@pytest.mark.slow
def test_without_fixes_gravity_keeps_the_tilt(flight, site):
    given, truth = flight
    blind = replace(given, aiding=replace(given.aiding, gnss=given.aiding.gnss[:0]))
    found = against(estimate(blind, site), truth)
    assert np.degrees(found.value("tilt", "rmse")) < 1.5
    assert np.isfinite(to_euler(found.estimate_q_nb)).all()
