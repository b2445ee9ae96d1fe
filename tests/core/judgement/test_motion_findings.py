"""Findings on samples and on motion estimates: each rule speaks when it should and is silent when it should be."""

from dataclasses import replace

import numpy as np
import pytest
from tests.conftest import HOME, short_flight

from fusus.core.estimation.aiding import Aiding, gnss_rows
from fusus.core.estimation.navigation_ekf.parameters import Parameters
from fusus.core.estimation.outputs import Innovations, MotionOutputs
from fusus.core.estimation.replay import estimator_input, run_estimator
from fusus.core.judgement import integrity_findings as integrity
from fusus.core.judgement import motion_findings as motion
from fusus.core.simulation.given import given_by


@pytest.fixture(scope="module")
def given(site):
    return given_by(short_flight(site, seed=6)[1], HOME)[0]


def with_fixes(given, change):
    g = given.aiding.gnss.copy()
    change(g)
    return replace(given, aiding=replace(given.aiding, gnss=g))


def subjects(found):
    return [f.subject for f in found]


def test_a_sound_recording_brings_no_complaint(given):
    assert integrity.of_samples(given) == []


def test_a_jump_of_the_fixes_is_told_from_a_walk(given):
    def jump(g):
        g[g[:, 0] > 50, 1] += 20.0

    def walk(g):
        g[:, 2] += 0.5 * np.clip(g[:, 0] - 40, 0, None)

    (found,) = integrity.receiver_jumps(with_fixes(given, jump))
    assert "jumps by 1" in found.statement or "jumps by 2" in found.statement
    assert "50." in found.statement
    assert integrity.receiver_jumps(with_fixes(given, walk)) == []


def test_a_silence_is_timed(given):
    g = given.aiding.gnss
    quiet = replace(given, aiding=replace(given.aiding, gnss=g[(g[:, 0] < 40) | (g[:, 0] > 52)]))
    (found,) = integrity.silences(quiet)
    assert found.subject == "Receiver falls silent" and "12." in found.statement


@pytest.mark.parametrize(("held", "seconds", "told"), [(0.1, 0.1, False), (3.0, 3.0, True)])
def test_a_reading_that_repeats_is_a_sensor_that_stands(given, held, seconds, told):
    gyro = given.samples.gyro_b.copy()
    rows = (given.t_s > 40) & (given.t_s < 40 + held)
    gyro[rows, 1] = 0.123
    found = integrity.stuck(replace(given, samples=given.samples._replace(gyro_b=gyro)))
    assert ("Gyro y stands still" in subjects(found)) is told


def test_longest_hold_is_measured():
    t = np.arange(10.0)
    held, since, count = integrity.longest_hold(t, np.array([1, 2, 2, 2, 3, 3, 4, 5, 6, 7.0]))
    assert (held, since, count) == (2.0, 1.0, 3)
    assert integrity.longest_hold(t, t)[2] == 1


def test_jitter_and_loss_are_told_apart(given):
    rng = np.random.default_rng(1)
    t = given.t_s
    step = float(np.median(np.diff(t)))
    shaken = replace(given, t_s=t + np.clip(rng.normal(0, 0.3 * step, len(t)), -0.45 * step, 0.45 * step))
    assert subjects(integrity.jitter(shaken)) == ["Times of samples jitter"]
    kept = np.sort(rng.permutation(len(t))[: int(0.8 * len(t))])
    assert "Samples are dropped" in subjects(integrity.jitter(replace(given, t_s=t[kept])))
    assert integrity.jitter(given) == []


def innovations(scale, n=400, name="gnss north", units="m"):
    rng = np.random.default_rng(2)
    return Innovations(
        np.zeros(n), np.arange(n) * 0.1, rng.standard_normal(n) * scale, np.ones(n), np.ones(n, dtype=bool), (name,), (units,)
    )  # fmt: skip


def outputs(found, t=None, **kept):
    keys = np.arange(0.0, 40.0, 1.0) if t is None else t
    return MotionOutputs(
        np.zeros((1, 3)),
        np.zeros((1, 3)),
        keys,
        kept.get("values", {}),
        kept.get("sigmas", {}),
        np.empty((0, 0, 0)),
        found,
    )


@pytest.mark.parametrize(("scale", "word"), [(2.0, "more noise"), (0.4, "less noise"), (1.0, None)])
def test_confidence_names_the_noise_and_its_new_value(scale, word):
    found = motion.confidence(outputs(innovations(scale)), Parameters(gnss_horizontal_m=0.5))
    if word is None:
        assert found == []
        return
    (finding,) = found
    assert word in finding.subject and finding.link == "fusion.gnss_horizontal_m"
    assert f"{0.5 * scale:.1f}" in finding.next_step or f"{0.5 * scale:.2f}" in finding.next_step


def test_refusals_are_counted_from_when_to_when():
    found = innovations(1.0)
    used = found.used.copy()
    used[100:110] = False
    value = found.value.copy()
    value[100:110] = 25.0
    (finding,) = motion.refused(outputs(replace(found, used=used, value=value)))
    assert "10 measurements" in finding.statement and "t = 10.0 s" in finding.statement and "25" in finding.statement
    assert motion.refused(outputs(found)) == []


def test_a_delay_that_differs_is_told_with_its_error():
    keys = np.arange(3.0)
    made = outputs(
        innovations(1.0),
        keys,
        values={"gnss delay": np.array([0.1, 0.11, 0.118])},
        sigmas={"gnss delay": np.array([0.05, 0.01, 0.004])},
    )
    (finding,) = motion.delay(made, Parameters(gnss_delay_s=0.05))
    assert "118 ± 4 ms" in finding.statement and "50 ms" in finding.statement
    assert motion.delay(made, Parameters(gnss_delay_s=0.115)) == []


@pytest.mark.parametrize("acc_noise", [0.05, 0.5])
def test_a_heading_that_nothing_shows_is_said_to_be_unseen(site, acc_noise):
    """Hover at one place without a magnetometer: noise of the accelerometer is no motion that would show the heading."""
    n = 3000
    t = np.arange(n) * 0.02
    fixes = gnss_rows(t[::10], np.zeros((n // 10, 3)), np.zeros((n // 10, 3)))
    rng = np.random.default_rng(3)
    hover = estimator_input(
        t, rng.normal(0, 0.05, (n, 3)), rng.normal([0, 0, -9.81], acc_noise, (n, 3)), aiding=Aiding(gnss=fixes)
    )
    noises = Parameters(gyro_noise_rad_s_rthz=0.05 * 0.02**0.5, acc_noise_m_s2_rthz=acc_noise * 0.02**0.5)
    replay = run_estimator("navigation-ekf", noises, hover, site)
    assert np.degrees(replay.motion.key_sigmas["attitude"][:, 2]).min() > 90.0
    found = motion.heading_seen(hover, replay.motion)
    assert subjects(found) == ["Heading is not observable"] and "magnetometer" in found[0].reason


def test_the_bias_settles_and_the_outage_is_told(given, site):
    g = given.aiding.gnss
    hid = replace(given, aiding=replace(given.aiding, gnss=g[(g[:, 0] < 40) | (g[:, 0] > 48)]))
    replay = run_estimator("navigation-ekf", Parameters(), hid, site)
    assert subjects(motion.settles(replay.motion)) == ["Gyro bias settles"]
    (found,) = motion.outages(hid, replay.motion)
    assert found.severity == "fine" and "grows from" in found.statement
    assert motion.outages(given, replay.motion) == []


def test_airflow_on_the_barometer_is_named(given, site):
    b = given.aiding.baro.copy()
    b[(b[:, 0] > 40) & (b[:, 0] < 50), 1] += 2.5
    blown = replace(given, aiding=replace(given.aiding, baro=b))
    replay = run_estimator("navigation-ekf", Parameters(), blown, site)
    assert subjects(motion.moved_barometer(replay.motion, Parameters())) == [
        "Barometer disagrees with the inertial height"
    ]
    calm = run_estimator("navigation-ekf", Parameters(), given, site)
    assert motion.moved_barometer(calm.motion, Parameters()) == []
