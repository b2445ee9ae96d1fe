"""Fusion's longer questions on a made-up flight: sensors out, faults, schools, likelihood, survey, simulation."""

from dataclasses import replace
from typing import ClassVar

import numpy as np
import pytest
from scipy.signal import butter, freqs
from tests.conftest import flown_project, short_flight

from fusus.core.estimation.navigation_ekf.parameters import Parameters
from fusus.core.progress import Silent
from fusus.core.simulation.campaign import fly_many
from fusus.core.simulation.faults import FAULTS, fault_named
from fusus.core.simulation.flights import SCENARIOS, scenario_named
from fusus.core.simulation.scenario import Suite
from fusus.core.vehicle.airframe import inertia
from fusus.core.vehicle.mixer import mixer_of
from fusus.errors import RecordingError
from fusus.project.evidence import ASSUMED
from fusus.project.records import Fusion, Project
from fusus.study.brief.brief import airframe_of
from fusus.study.flying.open_loop import keep_flight, simulate, tasks_of
from fusus.study.fusion import schools
from fusus.study.fusion.ablation import ablate
from fusus.study.fusion.faults import fault_sweep
from fusus.study.fusion.likelihood import by_likelihood
from fusus.study.fusion.run import Choice, request_for, run
from fusus.study.fusion.schools import crossover_hz, fusion_schools, slower
from fusus.study.fusion.survey import findings, survey
from fusus.study.fusion.tuning import tuning_from_parts
from fusus.study.recording.loading import load

TUNED = Parameters(
    lever_arm_x_m=-0.05, lever_arm_z_m=-0.115, home_sigma_m=0.05, gnss_delay_s=0.12, baro_walk_m_rthz=0.1
)


@pytest.fixture(scope="module")
def flown(tmp_path_factory, site):
    folder = tmp_path_factory.mktemp("questions") / "Heron"
    tuned = Fusion(estimators=("navigation-ekf", "attitude-ekf"), navigation_ekf=TUNED)
    return folder, flown_project(folder, short_flight(site, seed=4)[1], fusion=tuned)


@pytest.fixture(scope="module")
def loaded(flown):
    return load(*flown, "hop")


def test_all_requirements_are_measured_by_a_motion_estimate(flown):
    found = run(request_for(*flown, "hop"))
    words = {v.requirement.key: v for v in found.verdicts}
    assert all(v.value is not None for v in words.values()), words
    assert "outages tried" in words["outage_8s"].reason
    subjects = [f.subject for f in found.findings]
    assert "Gyro bias settles" in subjects


def test_requested_outages_hide_fixes_and_are_reported(flown):
    from fusus.study.fusion.summary import replay_report

    request = request_for(*flown, "hop")
    report = replay_report(run(replace(request, outages=((40.0, 8.0),))))
    (outage,) = report["outages"]
    assert (
        outage["start_s"] == 40.0 and 0.0 < outage["horizontal_error_m"] < 10.0 and outage["height_error_m"] is not None
    )
    assert {"horizontal_rmse_m", "height_rmse_m", "velocity_rmse_m_s", "position_rmse_m"} <= set(report["errors"])
    nis = report["consistency"]["nis"]
    assert 0.7 < nis["gnss_velocity"]["mean"] < 1.4 and set(report["consistency"]["nees"]) >= {
        "position",
        "velocity",
        "mean",
    }


def test_taking_sensors_out_moves_what_they_carry(loaded, flown):
    found = ablate(loaded, Choice("navigation-ekf", TUNED), flown[1].brief.requirements)
    rows = {v.title: dict(zip([r.quantity for r in found.requirements], v.values, strict=True)) for v in found.rows}
    base = rows["As it is"]
    assert rows["Without GNSS"]["position"] > 5 * base["position"]
    assert rows["Receiver twice as good"]["position"] < 0.8 * base["position"]
    assert rows["Without magnetometer"]["height"] == pytest.approx(base["height"], rel=0.3)
    with pytest.raises(RecordingError, match="reference"):
        ablate(replace(loaded, reference=None), Choice("navigation-ekf", TUNED), ())


def test_no_fault_passes_in_silence(loaded):
    """Whatever hurts the navigation filter: its claimed sigma grows, or a finding says so."""
    found = fault_sweep(loaded, (Choice("navigation-ekf", TUNED),))
    assert len(found) == len(FAULTS)
    silent = [(r.fault.name, r.worst, r.without) for r in found if r.hurts and not r.noticed]
    assert not silent
    told = {r.fault.name: r.told for r in found}
    assert any("jump" in s for s in told["jump"]) and any("stands still" in s for s in told["stuck-gyro"])
    assert (
        any("saturates" in s for s in told["clipping"])
        and "Gyro and magnetometer are turned against each other" in told["mounting"]
    )
    assert "Times of samples jitter" in told["jitter"] and any(
        "missing" in s or "dropped" in s for s in told["dropped"]
    )


@pytest.mark.parametrize(
    "name", ["complementary", "mahony", "madgwick", "attitude-ekf", "altitude", "altitude-3", "altitude-complementary"]
)
def test_no_fault_passes_the_simpler_filters_in_silence(loaded, name):
    """They claim no sigma, or one that knows little: then a finding has to say it."""
    found = fault_sweep(loaded, (Choice(name, Fusion().parameters_of(name)),))
    silent = [(r.fault.name, r.worst, r.without) for r in found if r.hurts and not r.noticed]
    assert not silent
    if name.startswith("altitude"):
        by_name = {r.fault.name: r for r in found}
        # The barometer works all the while: an accelerometer at its stop must not carry the height away.
        assert by_name["clipping"].worst["height"] < 10.0


def test_faults_leave_the_samples_they_came_from_alone(loaded):
    before = loaded.given.aiding.gnss.copy(), loaded.given.samples.gyro_b.copy()
    for fault in FAULTS:
        if fault.change is not None:
            from fusus.core.simulation.faults import Window

            changed = fault.change(loaded.given, Window(30.0, 40.0))
            assert (np.diff(changed.t_s) > 0).all()
    assert np.array_equal(before[0], loaded.given.aiding.gnss, equal_nan=True)
    assert np.array_equal(before[1], loaded.given.samples.gyro_b)
    with pytest.raises(KeyError, match="outage"):
        fault_named("nonsense")


def test_a_survey_finds_arm_and_delay_and_names_a_reversed_sign(loaded, site):
    wrong = replace(TUNED, lever_arm_z_m=0.115, gnss_delay_s=0.06)
    found = survey(loaded.given, wrong, site)
    assert abs(found.delay_s - 0.12) < max(4 * found.delay_sigma_s, 0.01)
    assert abs(found.arm_m[2] + 0.115) < max(4 * found.arm_sigma_m[2], 0.02)
    subjects = [f.subject for f in findings(found, wrong)]
    assert "Lever arm sign likely wrong" in subjects and "Delay likely another" in subjects
    assert (
        survey(
            replace(loaded.given, aiding=replace(loaded.given.aiding, gnss=loaded.given.aiding.gnss[:5])), wrong, site
        )
        is None
    )


def test_likelihood_finds_the_noise_that_the_receiver_has(loaded, site):
    # The simulated receiver: 0.3 m white level, 0.08 m/s speed. The start is well off.
    start = replace(TUNED, gnss_horizontal_m=0.5, gnss_velocity_horizontal_m_s=0.14)
    found = by_likelihood("hop", loaded.given, start, site)
    after = {t.name: t for t in found.tuned}
    assert found.gain > 100 and after["gnss_horizontal_m"].after == pytest.approx(0.3, rel=0.2)
    assert after["gnss_velocity_horizontal_m_s"].after == pytest.approx(0.08, rel=0.2)
    assert after["gnss_horizontal_m"].log_sigma < 0.1 and found.parameters.follow_gnss


def test_schools_have_figures(loaded, flown):
    found = {s.question: s for s in fusion_schools(flown[1], loaded)}
    assert {"Simple or Kalman", "Gyro bias", "Heading from", "Height from", "Update rate"} <= set(found)
    assert all("nan" not in (s.first_says + s.second_says + s.here) for s in found.values())
    slow = slower(loaded.given, 4)
    assert len(slow.t_s) == len(loaded.given.t_s) // 4 and slow.samples.dt_s.sum() == pytest.approx(
        loaded.given.samples.dt_s[: 4 * len(slow.t_s)].sum()
    )


@pytest.mark.parametrize("crossover_hz", [5.0, 12.0, 20.0])
def test_the_gyro_filters_phase_is_told_where_the_loop_crosses(loaded, flown, crossover_hz):
    """A low-pass of second order and 40 Hz, by scipy at that frequency; gains given by hand cross where their loop does."""
    project = flown[1]
    changed = project.model_copy(update={"loops": project.loops.model_copy(update={"crossover_hz": crossover_hz})})
    (said,) = [s.second_says for s in fusion_schools(changed, loaded) if s.question == "Filter the gyro"]
    b, a = butter(2, 2 * np.pi * 40.0, analog=True)
    phase = -np.degrees(np.angle(freqs(b, a, [2 * np.pi * crossover_hz])[1][0]))
    assert f"{phase:.0f}° where the roll loop crosses, at {crossover_hz:.1f} Hz" in said


@pytest.mark.parametrize("gain", [0.02, 0.05, 0.2])
def test_gains_by_hand_say_where_the_loop_crosses(flown, gain):
    """A proportional loop round T/(J s (1 + τ s)) and a low-pass crosses where its gain is one."""
    project = flown[1]
    changed = project.model_copy(update={"loops": project.loops.model_copy(update={"roll": (gain, 0.0, 0.0)})})
    frame = airframe_of(project.brief.craft)
    w = 2 * np.pi * crossover_hz(changed)
    b, a = butter(2, 2 * np.pi * project.loops.gyro_lowpass_hz, analog=True)
    low_pass = abs(freqs(b, a, [w])[1][0])
    turned = (
        gain * mixer_of(frame).authority_nm[0] / inertia(frame)[0] / w / np.hypot(1.0, project.loops.motor_tau_s * w)
    )
    assert turned * low_pass == pytest.approx(1.0, rel=0.01)


@pytest.mark.parametrize(
    ("once", "learnt", "first", "second"),
    [
        ((2.0, 7.8), (2.0, 3.6), [], ["heading"]),
        ((2.0, 3.6), (1.0, 3.7), [], ["tilt"]),
        ((1.0, 3.0), (2.0, 6.0), ["tilt", "heading"], []),
        ((1.0, 8.0), (2.0, 6.0), ["tilt"], ["heading"]),
        ((0.10, 1.0), (0.12, 1.2), [], []),
        ((2.0, 5.0), (2.01, 5.1), [], []),
        ((np.nan, 5.0), (1.0, np.nan), [], []),
    ],
)
def test_a_school_is_better_by_tilt_and_by_heading(monkeypatch, once, learnt, first, second):
    figures = {"once": once, "learnt": learnt}
    monkeypatch.setattr(schools, "_deg", lambda which, quantity: figures[which][quantity == "heading"])
    assert schools._which_is_better("once", "learnt") == (first, second)


class Inline:
    """An executor of the standard interface that works off at once."""

    done: ClassVar[list[int]] = []

    def map(self, work, tasks):
        for task in tasks:
            self.done.append(task.seed)
            yield work(task)


def test_simulated_flights_are_the_same_whoever_works_them_off(flown):
    project = flown[1]
    a = fly_many(tasks_of(project, "hover", 5, 2), Inline())
    b = simulate(project, "hover", 5, 2, Silent()).outcomes
    assert [o.rmse for o in a] == [o.rmse for o in b] or np.allclose(
        [o.rmse["tilt"] for o in a], [o.rmse["tilt"] for o in b]
    )
    assert [t.seed for t in tasks_of(project, "hover", 5, 3)] == [5, 6, 7] and Inline.done == [5, 6]
    with pytest.raises(KeyError, match="mission"):
        simulate(project, "nonsense", 1, 1)


@pytest.mark.parametrize("scenario", [s.name for s in SCENARIOS])
def test_every_scenario_begins_and_ends_on_the_ground(scenario, site):
    from fusus.core.mission.mission import Mission

    flight = scenario_named(scenario).flight(Mission(), site.gravity_m_s2, 50.0)
    m = flight.motion
    assert np.allclose(m.pos_n[0], 0) and np.allclose(m.pos_n[-1], 0) and np.allclose(m.vel_n[-1], 0)
    assert (
        -m.pos_n[:, 2].min() > 2.5
        and np.abs(np.degrees(np.arccos(np.clip(1 - 2 * (m.q_nb[:, 1] ** 2 + m.q_nb[:, 2] ** 2), -1, 1)))).max() < 60
    )


def test_a_flight_is_kept_like_any_recording(flown):
    folder, project = flown
    info = keep_flight(folder, project, "hover", 9, "made-hover", 100.0)
    assert info.seed == 9 and load(folder, project, "made-hover").reference.pos_n is not None


def test_parts_tune_the_filters_and_say_so(site):
    from fusus.demo.build import demo_project

    project = demo_project()
    p = project.fusion.navigation_ekf
    assert p.gnss_delay_s == 0.12 and p.lever_arm_z_m == -0.115 and p.gyro_noise_rad_s_rthz < 1e-4
    assert project.evidence("fusion.navigation_ekf.gnss_delay_s").source == "datasheet"
    assert project.evidence("fusion.navigation_ekf.mag_gate") == ASSUMED
    assert (
        tuning_from_parts(project, "mahony") is None and tuning_from_parts(Project(name="x"), "navigation-ekf") is None
    )
    assert Suite().rangefinder is None
