"""Verdicts and findings."""

import math
import re
from dataclasses import replace

import numpy as np
import pytest
from tests.conftest import short_flight

from fusus.core.analysis.comparison import Track, compare
from fusus.core.analysis.statistics import Interval
from fusus.core.estimation.catalogue import info_for
from fusus.core.estimation.replay import estimator_input, run_estimator
from fusus.core.frames import quaternion
from fusus.core.judgement.findings import Evidence, find
from fusus.core.judgement.verdicts import judge, word_for
from fusus.core.requirements import Requirement
from fusus.errors import ParameterError

DEG = np.pi / 180


@pytest.mark.parametrize(
    ("value", "high", "word"),
    [(1.0, 1.5, "pass"), (1.0, 2.5, "close"), (2.1, 3.0, "fail"), (2.0, 2.0, "pass"), (1.0, float("nan"), "close")],
)
def test_words(value, high, word):
    assert word_for(Interval(value, 0.5, high), 2.0) == word


def test_requirements_check_their_figures():
    assert Requirement("outage", 3.0, "max", 8.0).key == "outage_8s" and Requirement("tilt", 0.03).unit == "rad"
    for bad in (
        lambda: Requirement("tilt", -1.0),
        lambda: Requirement("outage", 3.0),
        lambda: Requirement("smell", 1.0),
    ):
        with pytest.raises(ParameterError):
            bad()


def test_verdict_without_reference_or_estimate_is_not_measured():
    assert judge(Requirement("tilt", 0.03), None, "no reference").reason == "no reference"
    t = np.arange(100) / 10
    q = np.tile([1.0, 0, 0, 0], (100, 1))
    c = compare(Track(t, q), Track(t, q))
    assert judge(Requirement("height", 0.3), c).word == "not measured"
    assert judge(Requirement("tilt", 0.03), c).word == "pass"


def test_an_estimate_that_is_no_number_somewhere_is_not_measured_and_a_reference_that_tells_less_is():
    """An estimator that gives nothing where it is bad must not be judged by what it gives elsewhere."""
    t = np.arange(400) / 10
    q, pos = np.tile([1.0, 0, 0, 0], (400, 1)), np.zeros((400, 3))
    broken_q, broken_pos = q.copy(), pos + 0.01
    broken_q[200:204], broken_pos[200:204] = np.nan, np.nan
    whole, broken = Track(t, q, pos), Track(t, broken_q, broken_pos)
    for quantity, limit in (("tilt", 0.03), ("position", 1.0), ("height", 1.0)):
        found = judge(Requirement(quantity, limit), compare(broken, whole))
        assert found.word == "not measured" and found.value is None and "no number" in found.reason
        assert judge(Requirement(quantity, limit), compare(Track(t, q, pos + 0.01), broken)).word == "pass"
    assert word_for(Interval(math.nan, 0.0, 0.0), 1.0) == "not measured"


@pytest.fixture(scope="module")
def flight(site):
    return short_flight(site, seed=7)


def evidence(
    flight,
    site,
    estimator="attitude-ekf",
    change=lambda g, a, m: (g, a, m),
    turn=0.0,
    drop=slice(0, 0),
    others=(),
    parameters=None,
):
    motion, streams = flight
    imu, mag = streams["imu"], streams["mag"]

    def xyz(s, n, u):
        return np.stack([s[f"{n}_{a}_{u}"] for a in "xyz"], axis=1)

    g, a, m = change(xyz(imu, "gyro", "rad_s").copy(), xyz(imu, "acc", "m_s2").copy(), xyz(mag, "mag", "ut").copy())
    keep = np.ones(len(g), dtype=bool)
    keep[drop] = False
    t = imu["t_ns"] * 1e-9
    given = estimator_input(t[keep], g[keep], a[keep], mag["t_ns"] * 1e-9, m)
    reference = Track(motion.t_s, quaternion.multiply(quaternion.from_euler(turn, 0, 0), motion.q_nb))

    def run(name, p=None):
        replay = run_estimator(name, p or info_for(name).parameters(), given, site)
        return replay, compare(Track(replay.t_s, replay.outputs.q_nb), reference)

    replay, comparison = run(estimator, parameters)
    return Evidence(given, replay, comparison, site, tuple((n, run(n)[1]) for n in others))


def subjects(e):
    return {f.subject: f for f in find(e)}


def test_a_good_flight_gives_no_alarm(flight, site):
    found = subjects(evidence(flight, site))
    assert not any(f.severity == "stop" for f in found.values()), found
    assert "Claimed accuracy holds" in found and "Gyro bias is known" in found


def bent(*stretches, factor=1.4):
    """Return a change that bends the field over stretches of magnetometer samples."""

    def bend(g, a, m):
        for begin, end in stretches:
            m[begin:end] *= factor
        return g, a, m

    return bend


def field_findings(flight, site, change, **more):
    return [f for f in find(evidence(flight, site, change=change, **more)) if f.subject == "Disturbed magnetic field"]


# Which estimator gates by strength and which does not is told by its parameters; a wide gate believes.
WIDE = {
    "attitude-ekf": replace(info_for("attitude-ekf").parameters(), mag_gate=0.95),
}


@pytest.mark.parametrize(
    ("stretch", "factor", "sign"), [((800, 1000), 1.4, "+4"), ((500, 560), 0.7, "-3"), ((300, 900), 1.25, "+2")]
)
def test_a_disturbed_field_is_seen_and_what_the_filter_made_of_it_is_counted(flight, site, stretch, factor, sign):
    (f,) = field_findings(flight, site, bent(stretch, factor=factor))
    count = stretch[1] - stretch[0]
    gated, all_of_it = map(int, re.search(r"refuses (\d+) of (\d+) samples", f.statement).groups())
    # A window may close with the sample that came before the bend.
    assert f"up to {sign}" in f.statement and gated == count and count <= all_of_it <= count + 1
    assert "refuses" in f.statement and "Gate the magnetometer" not in f.next_step and f.severity != "stop"
    (believed,) = field_findings(flight, site, bent(stretch, factor=factor), parameters=WIDE["attitude-ekf"])
    assert (
        "uses" in believed.statement and "Gate the magnetometer" in believed.next_step and believed.severity != "fine"
    )


def test_disturbances_apart_are_told_apart_and_a_calm_field_is_not_told(flight, site):
    t = flight[1]["mag"]["t_ns"] * 1e-9
    found = field_findings(flight, site, bent((400, 500), (1100, 1150)))
    assert len(found) == 2
    for f, begin in zip(found, (400, 1100), strict=True):
        assert f"t = {t[begin] - t[0]:.0f}"[:6] in f.statement or f"t = {t[begin]:.1f}" in f.statement
    assert not field_findings(flight, site, lambda g, a, m: (g, a, m))


def test_a_magnetometer_in_the_wrong_unit_is_seen(flight, site):
    assert (
        subjects(evidence(flight, site, change=lambda g, a, m: (g, a, 0.5 * m)))[
            "Magnetometer strength does not fit the place"
        ].severity
        == "stop"
    )


def test_saturation_is_seen(flight, site):
    def clip(g, a, m):
        g[3000:3040, 0] = 4.36
        return g, a, m

    f = subjects(evidence(flight, site, change=clip))["Gyro saturates"]
    assert "250 °/s" in f.statement and f.severity == "stop"


def test_missing_samples_are_seen(flight, site):
    assert "Samples are missing" in subjects(evidence(flight, site, drop=slice(5000, 5400)))


def test_vibration_that_is_believed_is_seen(flight, site):
    def shake(g, a, m):
        a += np.random.default_rng(1).normal(0, 9.0, a.shape) * (np.arange(len(a)) > 2500)[:, None]
        return g, a, m

    assert "Accelerometer is trusted under vibration" in subjects(evidence(flight, site, change=shake))


def test_an_accelerometer_with_a_wrong_scale_is_hardly_used(flight, site):
    found = subjects(evidence(flight, site, "complementary", change=lambda g, a, m: (g, 1.2 * a, m)))
    assert "Accelerometer is hardly used" in found


def test_too_good_a_claim_is_seen(flight, site):
    from fusus.core.estimation.attitude_ekf.parameters import Parameters

    tight = Parameters(
        acc_bias_sigma_m_s2=0.0, mag_bias_sigma_ut=0.0, gyro_scale_sigma=0.0, acc_motion_m_s2=0.001, mag_motion_ut=0.0
    )

    def lean(g, a, m):
        return g, a + [0.5, 0.3, 0], m

    assert "Claimed accuracy is too good" in subjects(evidence(flight, site, change=lean, parameters=tight))


def test_a_reference_with_another_heading_is_the_odd_one_out(flight, site):
    f = subjects(evidence(flight, site, turn=-24 * DEG, others=("mahony", "complementary")))[
        "The reference's heading is the odd one out"
    ]
    assert "24°" in f.statement or "25°" in f.statement or "23°" in f.statement
    assert "The reference's heading is the odd one out" not in subjects(
        evidence(flight, site, others=("mahony", "complementary"))
    )


@pytest.mark.parametrize("turn", [-24, 60, 150])
def test_without_a_field_no_reference_is_the_odd_one_out(flight, site, turn):
    """All estimates then sum up one gyro: that they agree with one another says nothing of the reference."""
    without = evidence(
        flight, site, turn=turn * DEG, others=("mahony", "complementary"), change=lambda g, a, m: (g, a, m * np.nan)
    )
    found = subjects(without)
    assert "The reference's heading is the odd one out" not in found and "Nothing shows the heading" in found


def test_no_field_means_no_heading(flight, site):
    found = subjects(evidence(flight, site, change=lambda g, a, m: (g, a, m * np.nan)))
    assert "Nothing shows the heading" in found


def test_a_start_in_motion_leaves_the_bias_open(flight, site):
    found = subjects(evidence(flight, site, "complementary", drop=slice(0, 4000)))
    assert "Gyro bias is unknown" in found
