"""Loops of a project: figures hang together, what-ifs move what they should, findings speak when they should."""

import json
import math

import pytest

from fusus.core.control.tuning_steps import LADDERS
from fusus.errors import ParameterError
from fusus.project.records import Brief, Craft, Loops, Project
from fusus.study.flying.setup import controller_of
from fusus.study.loops.axes import study_loops
from fusus.study.loops.findings import findings
from fusus.study.loops.report import loops_report, tuning_steps_report
from fusus.study.loops.spread import spread
from fusus.study.loops.timing import READ, hover_throttle, tasks_of, timing_of
from fusus.study.loops.tuning_steps import play_tuning_steps


def project(craft=None, **loops):
    return Project(
        name="Heron",
        brief=Brief(craft=craft or Craft(mass_kg=1.2, arm_m=0.2, motor_thrust_n=8.0)),
        loops=Loops(**loops),
    )


def subjects(made):
    return {f.subject: f for f in findings(study_loops(made))}


def test_the_latency_is_the_sum_of_its_parts_and_holds_half_a_period():
    timing = timing_of(project())
    parts = dict(timing.latency)
    assert timing.latency_s == pytest.approx(sum(parts.values()))
    assert parts["half a period of holding"] == pytest.approx(0.5 / 500)
    assert parts["reading the IMU"] == pytest.approx(390e-6)
    assert parts["the pulse itself"] == pytest.approx(1e-3 * (1 + math.sqrt(hover_throttle(project()))))


def test_a_pulse_timed_by_software_delays_by_a_whole_cycle():
    """What is computed in a cycle goes out with the next one's pulse."""
    strong = Craft(mass_kg=1.2, arm_m=0.2, motor_thrust_n=16.0)
    hardware, software = timing_of(project(strong)), timing_of(project(strong, pulse_by_software=True))
    assert software.latency_s - hardware.latency_s == pytest.approx(2e-3 - 390e-6 - 205e-6)
    first = software.superloop.cycles[0].pieces[0]
    assert first.task == READ and first.end_s < software.signal.length_s(software.throttle)


@pytest.mark.parametrize(
    ("change", "better"),
    [
        ({"bus": "SPI", "bus_hz": 8e6}, True), ({"processor": 3.0}, True), ({"with_accelerometer": False}, True), ({"signal": "fast frame"}, True),
        ({"single_reads": True}, False), ({"rate_hz": 250.0}, False), ({"bus_hz": 100e3}, False),
    ],
)  # fmt: skip
def test_what_shortens_the_way_gives_phase(change, better):
    """Gains as they are: a shorter way from sample to thrust leaves more phase, a longer one less."""
    gains = {"roll": (0.17, 0.5, 0.0056)}
    base, changed = study_loops(project(**gains)), study_loops(project(**gains, **change))
    assert (changed.timing.latency_s < base.timing.latency_s) is better
    assert bool(changed.axes[0].margins.phase_rad > base.axes[0].margins.phase_rad) is better


def test_tasks_without_duration_are_left_out_and_order_stays():
    names = [t.name for t in tasks_of(Loops(filter_s=0.0, logging_s=0.0))]
    assert names == [READ, "estimator", "PID", "mixer", "motor output", "receiver", "telemetry"]


def test_costs_name_every_delay_and_filter_in_the_loop():
    axis = study_loops(project(notch_hz=80.0)).axes[0]
    names = [name for name, _, _ in axis.costs]
    assert names[:2] == ["gyro low-pass", "notch"] and "the pulse itself" in names
    lost = sum(degrees for _, degrees, _ in axis.costs)
    assert lost == pytest.approx(
        sum(d * 360 * axis.margins.crossover_rad_s / 2 / math.pi for _, _, d in axis.costs), rel=0.1
    )


def test_findings_on_a_sound_craft_are_fine():
    assert all(f.severity == "fine" for f in findings(study_loops(project())))


@pytest.mark.parametrize(
    ("made", "subject", "words"),
    [
        (project(telemetry_s=2e-3), "The loop does not fit", "telemetry"),
        (project(estimator_s=1.7e-3), "The loop does not fit", "estimator"),
        (project(rate_hz=1000.0, signal="eighth pulse"), "The loop fits narrowly", "SPI"),
        (project(schedule="fixed priorities", logging_s=9e-3), "A task is never done in time", "logging"),
        (project(crossover_hz=60.0), "Roll: the wanted margin is out of reach", "bandwidth"),
        (project(roll=(3.0, 0.0, 0.0)), "Roll swings by itself", "Hz"),
        (project(craft=Craft(mass_kg=2.3, motor_thrust_n=8.0)), "Little thrust to spare", "stronger"),
    ],
    ids=lambda v: v if isinstance(v, str) else "",
)
def test_each_rule_speaks_with_its_cause(made, subject, words):
    found = subjects(made)
    assert subject in found, sorted(found)
    f = found[subject]
    assert words in f"{f.statement} {f.reason} {f.next_step}" and f.next_step


@pytest.mark.parametrize(
    ("rate_hz", "signal", "keeps_up"),
    [
        (500.0, "standard pulse", True),
        (501.0, "standard pulse", False),
        (1000.0, "standard pulse", False),
        (4000.0, "eighth pulse", True),
        (4100.0, "eighth pulse", False),
        (7800.0, "slow frame", True),
        (8000.0, "slow frame", False),
        (8000.0, "standard pulse", False),
        (16000.0, "fast frame", True),
    ],
)
def test_a_motor_signal_slower_than_the_loop_is_told_and_flies_nowhere(rate_hz, signal, keeps_up):
    """A pulse of up to 2 ms can begin 500 times a second, one of 250 µs 4000 times, 16 bits at 150 kbit/s and 20 µs 7895 times: arithmetic, and common practice."""
    study = study_loops(project(rate_hz=rate_hz, signal=signal, processor=100.0, bus="SPI", bus_hz=20e6))
    told = {f.subject: f for f in findings(study)}.get("The motor signal is slower than the loop")
    assert study.timing.signal_keeps_up == keeps_up == (told is None)
    if study.timing.fits and not keeps_up:
        assert told is not None and told.severity == "stop" and f"{rate_hz:.0f}" in told.statement
        with pytest.raises(ParameterError, match=signal):
            controller_of(study)
    elif study.timing.fits:
        assert controller_of(study).rate_hz == rate_hz


def test_the_worst_comes_first():
    grave = [f.severity for f in findings(study_loops(project(telemetry_s=2e-3, roll=(3.0, 0.0, 0.0))))]
    assert grave == sorted(grave, key=["stop", "mind", "fine"].index) and grave[:2] == ["stop", "stop"]


def test_spread_keeps_the_drawn_craft_and_orders_the_rest():
    study = study_loops(project())
    found = {c.what: c.margins[0] for c in spread(study)}
    drawn = study.axes[0].margins
    assert found["as drawn"].phase_rad == pytest.approx(drawn.phase_rad)
    assert found["battery near its end: a fifth less thrust"].gain == pytest.approx(drawn.gain / 0.8, rel=1e-6)
    assert found["motors a third stronger"].gain == pytest.approx(drawn.gain / 1.33, rel=1e-6)
    assert found["twice the delay"].phase_rad < drawn.phase_rad < math.pi


@pytest.mark.parametrize("ladder", LADDERS)
@pytest.mark.parametrize("axis", ["roll", "yaw"])
def test_ladders_of_a_project_end_calmly(ladder, axis):
    steps = play_tuning_steps(study_loops(project()), axis, ladder)
    assert not steps[-1].is_wild and steps[-1].is_kept
    json.dumps(tuning_steps_report(steps), allow_nan=False)


def test_reports_hold_nothing_that_json_lacks():
    report = loops_report(study_loops(project(roll=(3.0, 0.0, 0.0))))
    assert json.loads(json.dumps(report, allow_nan=False))["axes"]["roll"]["is_stable"] is False


def test_names_that_do_not_exist_are_told():
    study = study_loops(project())
    with pytest.raises(KeyError, match="roll"):
        play_tuning_steps(study, "nose", "D first")


@pytest.mark.parametrize("layout", ["X-quad", "plus-quad", "H-quad", "hexa", "octo", "coaxial X8", "other"])
def test_every_layout_of_the_brief_can_be_worked_out(layout):
    study = study_loops(project(craft=Craft(layout=layout, mass_kg=1.4)))
    assert all(a.margins.is_stable for a in study.axes) and len(study.mixer.motors) >= 4
