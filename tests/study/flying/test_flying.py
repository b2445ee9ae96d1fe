"""A project's craft in closed loop: its own loops, parts and brief; kept flights are recordings that Fusion and identification take."""

import math
from dataclasses import replace

import numpy as np
import pytest

from fusus.core.simulation.flight.campaign import fly_all
from fusus.core.simulation.flight.figures import Figures
from fusus.errors import ClusterError, RecordingError
from fusus.logs.info import load_info
from fusus.project import store
from fusus.project.commands import SetValue
from fusus.project.reads import recorded
from fusus.project.records import Brief, Craft, Fusion, Loops, PlacedMotor, Project
from fusus.study.brief.brief import endurance_of
from fusus.study.flying.closed_loop import Conditions, keep_closed_flight, simulate_flights
from fusus.study.flying.findings import flight_findings
from fusus.study.flying.identify import identify_flight
from fusus.study.flying.identify_report import identified_report
from fusus.study.flying.report import flights_report
from fusus.study.flying.setup import controller_of, flight_tasks
from fusus.study.loops.axes import study_loops
from fusus.study.loops.findings import findings
from fusus.study.recording.loading import load
from fusus.study.workers import workers

CRAFT = Craft(mass_kg=1.35, arm_m=0.21)


def project(craft=CRAFT, **loops):
    return Project(name="Heron", brief=Brief(craft=craft), loops=Loops(**loops))


@pytest.fixture(scope="module")
def kept(tmp_path_factory):
    """A project with a sweep and a flight that swings."""
    folder = tmp_path_factory.mktemp("flying") / "Heron"
    made = project()
    store.create(folder, made)
    keep_closed_flight(folder, made, "sweep", 3, "sweep")
    keep_closed_flight(folder, project(roll=(1.2, 2.0, 0.05)), "hover-wind", 3, "wild")
    keep_closed_flight(folder, made, "arming-tilted", 3, "stands")
    return folder, made


def test_a_project_flies_on_its_own_loops():
    found = simulate_flights(project(), "take-off", 5, 3, conditions=Conditions("attitude-ekf"))
    assert found.summary.ends == {"landed": 3} and found.estimator == "attitude-ekf"
    assert found.first.controller.rate_hz == 500.0 and [f.seed for f in found.found] == [5, 6, 7]
    report = flights_report(found)
    assert report["closed_loop"] and report["summary"]["tilt_deg"]["median"] < 30 and len(report["flights"]) == 3
    assert report["flights"][0]["errors"]["horizontal_error_m"] is None, "an attitude filter knows no place"
    told = {f["subject"]: f for f in report["findings"]}
    assert told["It cannot hold its place"]["severity"] == "stop" and "It flies" not in told
    on_ekf = flights_report(simulate_flights(project(), "take-off", 5, 1))
    assert on_ekf["estimator"] == "navigation-ekf" and on_ekf["flights"][0]["held_max_m"] < 2.0
    assert [f["subject"] for f in on_ekf["findings"][:2]] == ["No parts are chosen", "It flies"]


@pytest.mark.parametrize("name", ["mahony", "madgwick", "complementary", "attitude-ekf", "navigation-ekf"])
def test_flights_depend_on_the_tuning_of_what_flies_them(name):
    made = project().model_copy(update={"fusion": Fusion(estimators=(name,))})
    with recorded(made) as (watched, reads):
        simulate_flights(watched, "arming-tilted", 5, 1)
    others = {"mahony", "madgwick", "complementary", "attitude_ekf", "navigation_ekf"} - {name.replace("-", "_")}
    assert {f"fusion.{name.replace('-', '_')}", "fusion.altitude"} <= set(reads.fields)
    assert not any(f"fusion.{other}" in reads.fields for other in others)


def test_the_tuned_height_filter_flies_beside_an_attitude_filter():
    usual = project()
    slow = SetValue("fusion.altitude.baro_noise_m", 8.0, "Tune").apply(usual)
    assert controller_of(study_loops(slow)).height.baro_noise_m == 8.0
    one, other = (
        simulate_flights(p, "hover-hold", 5, 1, conditions=Conditions("attitude-ekf")).found[0] for p in (usual, slow)
    )
    assert one != other


def test_what_does_not_fit_flies_as_fast_as_it_can():
    slow = controller_of(study_loops(project(estimator_s=3e-3)))
    assert slow.rate_hz < 500.0 and controller_of(study_loops(project())).rate_hz == 500.0
    with pytest.raises(KeyError, match="cannot fly"):
        flight_tasks(project(), "take-off", 1, 1, "altitude-3")


def test_an_own_geometry_flies_and_an_impossible_one_is_refused():
    places = ((0.2, 0.1, False), (-0.05, 0.22, True), (-0.2, -0.1, False), (0.05, -0.22, True))
    motors = tuple(PlacedMotor(forward_m=f, right_m=r, is_clockwise=c) for f, r, c in places)
    own = project(Craft(layout="other", mass_kg=1.35, arm_m=0.21, motors=motors))
    assert simulate_flights(own, "take-off", 1, 1, conditions=Conditions("navigation-ekf")).summary.ends == {
        "landed": 1
    }
    line = tuple(m.model_copy(update={"right_m": 0.0}) for m in motors)
    with pytest.raises(ValueError, match="Roll authority"):
        study_loops(project(Craft(layout="other", motors=line)))


def figures_of(**changes):
    usual = Figures(1, "landed", (), 30.0, 0.2, 0.3, 0.6, 0.1, 0.3, {}, 0.0, 15.0, 11.0, 300.0, 0.0, 0.0)
    return replace(usual, **changes)


def test_findings_say_what_went_wrong():
    first = simulate_flights(project(), "take-off", 1, 1, conditions=Conditions("navigation-ekf")).first

    def subjects(*found, scenario="take-off"):
        return {f.subject: f for f in flight_findings(scenario, found, first, {})}

    told = subjects(figures_of(end="crashed", tilt_rad=2.0), figures_of())
    assert told["It crashes"].severity == "stop" and "1 of 2" in told["It crashes"].statement
    assert (
        subjects(figures_of(end="motors refused", refused=("the throttle is raised",)))[
            "The motors refuse to start"
        ].severity
        == "stop"
    )
    assert "It does not lift off" in subjects(figures_of(end="stayed on the ground", air_s=0.0))
    assert subjects(figures_of(saturated=0.2))["Motors are full"].severity == "mind"
    assert "12.0 V" in subjects(figures_of(low_v=12.0))["The battery sags below its stop voltage"].statement
    drifts = subjects(figures_of(lost_s=10.0, lost_m=30.0))["Without fixes the wind carries it away"]
    assert "30 m" in drifts.statement and "fly-away" in drifts.reason
    assert (
        subjects(figures_of(end="landed"), scenario="arming-tilted")["The motors start on a slope"].severity == "stop"
    )
    assert "The motors refuse" in subjects(
        figures_of(end="motors refused", refused=("x",), air_s=0.0), scenario="arming-tilted"
    )


def test_idle_and_endurance_are_judged():
    def subjects(craft):
        return {f.subject: f for f in findings(study_loops(project(craft)))}

    light = subjects(Craft(mass_kg=0.5, arm_m=0.2, motor_thrust_n=14.0, idle_share=0.35))
    assert light["It leaves the ground on arming"].severity == "stop"
    assert "Idle is high" in subjects(Craft(mass_kg=0.8, motor_thrust_n=10.0, idle_share=0.25))
    assert not {"Idle is high", "It leaves the ground on arming"} & set(subjects(CRAFT))
    measured = project(CRAFT.model_copy(update={"mean_current_a": 20.0}))
    assert (
        endurance_of(measured).mean_a == pytest.approx(20.0)
        and endurance_of(measured).seconds < endurance_of(project()).seconds
    )
    small = subjects(CRAFT.model_copy(update={"capacity_as": 2000.0}))
    assert small["It does not stay up for long"].severity == "mind"
    assert "The battery is empty at once" in subjects(CRAFT.model_copy(update={"cell_ohm": 0.3}))


def test_a_kept_flight_is_a_recording_like_any_other(kept):
    folder, made = kept
    info = load_info(folder, "sweep")
    assert info.reference_is == "simulation truth" and info.is_calibrated and info.seed == 3
    loaded = load(folder, made, "sweep")
    assert loaded.reference is not None and len(loaded.given.t_s) > 30_000 and len(loaded.given.aiding.gnss) > 500


def test_a_sweep_shows_the_loops_as_they_were_designed(kept):
    folder, made = kept
    found = identify_flight(folder, made, "sweep")
    for flown, design in zip(found.axes, found.design.axes, strict=True):
        assert flown.axis is not None
        # A full battery gives up to 1.3 times the thrust of its rated voltage; the hold counts as half a period of delay.
        assert 1.0 < flown.axis.gain / design.plant.gain < 1.45
        assert flown.axis.lag_s == pytest.approx(0.05, rel=0.15) and flown.axis.delay_s < 0.006
        assert abs(flown.axis.margins.phase_rad - design.margins.phase_rad) < math.radians(10)
    assert found.oscillations == () and found.period is not None and found.period.rate_hz == pytest.approx(500.0)
    assert {f.subject for f in found.findings} == {
        "Loop period is regular", "Roll flies as designed", "Pitch flies as designed", "Yaw flies as designed",
    }  # fmt: skip
    report = identified_report(found)
    assert report["axes"]["roll"]["flown"]["phase_margin_deg"] > 45 and report["beat"]["late"] == 0


def test_a_swing_is_found_with_its_cause(kept):
    folder, _ = kept
    made = project(roll=(1.2, 2.0, 0.05))
    found = identify_flight(folder, made, "wild")
    roll = next(s for s in found.oscillations if s.axis == "roll")
    turning = found.design.axes[0].margins.turning_rad_s / 2 / math.pi
    assert roll.is_loop and "D of the roll" in roll.cause and roll.hz == pytest.approx(turning, rel=0.25)
    assert found.findings[0].severity == "stop" and found.findings[0].subject.startswith("Roll swings at")


def test_recordings_without_flight_are_refused_in_words(kept):
    folder, made = kept
    with pytest.raises(RecordingError, match="in the air"):
        identify_flight(folder, made, "stands")
    with pytest.raises(RecordingError, match="no such recording"):
        identify_flight(folder, made, "nothing")


def test_workers_are_none_threads_or_a_cluster_that_answers(monkeypatch):
    monkeypatch.setattr("fusus.study.workers.ANSWERS_WITHIN_S", 0.5)
    with workers(None, 2) as few, workers(None, 50) as many:
        assert few is None and many is not None
    with pytest.raises(ClusterError, match="no scheduler answers"), workers("tcp://127.0.0.1:9", 5):
        pass


@pytest.mark.filterwarnings("ignore")
def test_a_cluster_gives_what_threads_give():
    distributed = pytest.importorskip("distributed")
    tasks = flight_tasks(project(), "take-off", 1, 4)
    here = fly_all(tasks)
    with (
        distributed.LocalCluster(n_workers=1, threads_per_worker=2, processes=False, dashboard_address=None) as cluster,
        workers(cluster.scheduler_address, 4) as pool,
    ):
        there = fly_all(tasks, pool)
    np.testing.assert_equal([vars_of(f) for f in there], [vars_of(f) for f in here])


def vars_of(f):
    return {name: getattr(f, name) for name in Figures.__dataclass_fields__}
