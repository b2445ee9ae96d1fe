"""Schedules against published examples and plain simulation, superloops by hand, signals and transfers at their limits."""

import math

import numpy as np
import pytest

from fusus.core.timing.motor_signal import SIGNALS, signal_named, throttle_of_pulse
from fusus.core.timing.priorities import by_rate, responses, utilisation_bound
from fusus.core.timing.superloop import run_superloop
from fusus.core.timing.task import Task, utilisation
from fusus.core.timing.transfer import transfer_s
from fusus.errors import ParameterError


def tasks(*figures):
    return tuple(Task(f"t{i}", c, t) for i, (c, t) in enumerate(figures))


def test_the_utilisation_bound_of_the_paper():
    """Liu & Layland 1973: 0.83 for two tasks, 0.78 for three, ln 2 for many."""
    assert utilisation_bound(1) == 1.0
    assert utilisation_bound(2) == pytest.approx(0.8284, abs=1e-4)
    assert utilisation_bound(3) == pytest.approx(0.7798, abs=1e-4)
    assert utilisation_bound(10_000) == pytest.approx(math.log(2), abs=1e-4)


def test_response_times_of_a_worked_example():
    """(C, T) = (3, 7), (3, 12), (5, 20): responses 3, 6, 20 (a worked example of response time analysis, from memory)."""
    found = responses(tasks((3, 7), (3, 12), (5, 20)))
    assert [r.worst_s for r in found] == [3, 6, 20]
    assert utilisation(tasks((3, 7), (3, 12), (5, 20))) == pytest.approx(0.9286, abs=1e-4)


def test_a_set_beyond_the_bound_may_fit_and_one_below_one_may_not():
    """Harmonic periods fit up to 100 %; (1, 2), (2.5, 5) at 100 % does not."""
    assert all(r.is_in_time for r in responses(tasks((1, 2), (2, 4))))
    found = responses(tasks((1, 2), (2.5, 5)))
    assert not found[1].is_in_time and found[1].held_up_by == "t0"


def simulated_worst(order, span):
    """The longest response from simultaneous release, by stepping time in units of one."""
    left, since, worst = [0] * len(order), [0] * len(order), [0] * len(order)
    for now in range(span):
        for i, t in enumerate(order):
            if now % t.period_s == 0:
                left[i], since[i] = left[i] + t.duration_s, now
        for i in range(len(order)):
            if left[i] > 0:
                left[i] -= 1
                if left[i] == 0:
                    worst[i] = max(worst[i], now + 1 - since[i])
                break
    return worst


@pytest.mark.parametrize("seed", range(20))
def test_response_times_against_a_plain_simulation(seed):
    rng = np.random.default_rng(seed)
    periods = sorted(int(p) for p in rng.choice([6, 8, 10, 12, 15, 20, 24, 30], size=4, replace=False))
    made = tuple(Task(f"t{i}", int(rng.integers(1, 3)), p) for i, p in enumerate(periods))
    order = by_rate(made)
    found = responses(order)
    if all(r.is_in_time for r in found):
        assert [r.worst_s for r in found] == simulated_worst(order, 240)


def test_blocking_holds_up_all_but_the_lowest():
    plain, held = responses(tasks((1, 10), (2, 20))), responses(tasks((1, 10), (2, 20)), blocking_s=3)
    assert [r.worst_s for r in plain] == [1, 3] and [r.worst_s for r in held] == [4, 3]


CYCLE = (
    Task("read", 400e-6, 2e-3, waits_for_pulse=True), Task("filter", 100e-6, 2e-3), Task("out", 50e-6, 2e-3),
    Task("telemetry", 300e-6, 50e-3, is_loop=False), Task("log", 200e-6, 100e-3, is_loop=False),
)  # fmt: skip


def test_a_superloop_adds_up_what_is_due():
    found = run_superloop(CYCLE, 2e-3, staggered=False)
    assert len(found.cycles) == 50 and not found.overruns
    assert found.cycles[0].work_s == pytest.approx(1050e-6) and found.cycles[1].work_s == pytest.approx(550e-6)
    assert found.worst is found.cycles[0] and found.rate_hz == pytest.approx(500.0)
    assert found.jitter_s == pytest.approx(0.0, abs=1e-12)
    apart = run_superloop(CYCLE, 2e-3)
    assert apart.worst.work_s == pytest.approx(850e-6), "two slow tasks take turns"


def test_a_read_fits_in_the_pulse_that_software_times():
    """An IMU read of about 400 µs fits in the first 1000 µs of a pulse: common practice."""
    found = run_superloop(CYCLE, 2e-3, pulse_s=1e-3)
    first = found.cycles[1]
    assert [p.task for p in first.pieces] == ["read", "filter", "out"]
    assert first.pieces[0].end_s < 1e-3 <= first.pieces[1].start_s
    assert first.work_s == pytest.approx(1150e-6)
    long = (Task("read", 1.2e-3, 2e-3, waits_for_pulse=True), *CYCLE[1:3])
    assert run_superloop(long, 2e-3, pulse_s=1e-3).cycles[0].work_s == pytest.approx(2.35e-3)


def test_a_long_message_stretches_the_loop_and_is_named():
    """Parsing a long telemetry text stretched a 2000 µs loop to 2200 µs: common practice."""
    wordy = (*CYCLE[:3], Task("telemetry", 1650e-6, 50e-3, is_loop=False))
    found = run_superloop(wordy, 2e-3)
    assert found.worst.work_s == pytest.approx(2.2e-3)
    assert {cause for _, _, cause in found.overruns} == {"telemetry"}
    assert found.overruns[0][1] == pytest.approx(200e-6) and found.jitter_s == pytest.approx(200e-6)
    assert found.rate_hz < 500.0


def test_a_bus_works_beside_the_processor():
    beside = (Task("work", 500e-6, 2e-3), Task("log", 900e-6, 2e-3 * 4, "bus", is_loop=False))
    assert run_superloop(beside, 2e-3).worst.work_s == pytest.approx(900e-6)
    assert utilisation(beside) == pytest.approx(0.25) and utilisation(beside, "bus") == pytest.approx(0.1125)


def test_a_faster_processor_leaves_the_bus_its_clock():
    assert Task("work", 1e-4, 1e-3).faster(4.0).duration_s == pytest.approx(2.5e-5)
    assert Task("read", 1e-4, 1e-3, "bus").faster(4.0).duration_s == pytest.approx(1e-4)


@pytest.mark.parametrize("bad", [{"duration_s": -1e-6}, {"duration_s": math.nan}, {"period_s": 0.0}])
def test_impossible_tasks_are_refused(bad):
    with pytest.raises(ParameterError):
        Task(**({"name": "x", "duration_s": 1e-5, "period_s": 1e-3} | bad))


def test_single_reads_cost_their_addresses_each_time():
    assert transfer_s("I2C", 14, single=True) > 3 * transfer_s("I2C", 14)
    assert transfer_s("SPI", 14, 8e6) == pytest.approx(15e-6) and transfer_s("I2C", 0) == 0.0
    with pytest.raises(ParameterError, match="clock"):
        transfer_s("I2C", 14, 0.0)


def test_pulses_beyond_belief_are_refused_not_limited():
    assert throttle_of_pulse(2085) == 1.0 and throttle_of_pulse(900) == 0.0
    for wrong in (500, 2500, math.nan):
        with pytest.raises(ParameterError, match="Pulse"):
            throttle_of_pulse(wrong)
    assert signal_named("standard pulse").highest_rate_hz == pytest.approx(500.0)
    assert len({s.name for s in SIGNALS}) == len(SIGNALS)
    with pytest.raises(KeyError, match="standard pulse"):
        signal_named("smoke")


def exact_response(durations, periods, i):
    """The response time of task i in whole numbers, or None where it never ends in time."""
    r = durations[i]
    while r <= periods[i]:
        again = durations[i] + sum(-(-r // periods[j]) * durations[j] for j in range(i))
        if again == r:
            return r
        r = again
    return None


@pytest.mark.parametrize("unit", [1_000, 10_000, 1_000_000])
def test_response_times_against_whole_numbers(unit):
    """Sets that fill the processor, in seconds against the same ones in whole numbers: rounding lets nothing pass as in time."""
    rng = np.random.default_rng(unit)
    late = 0
    for _ in range(1500):
        count = int(rng.integers(2, 9))
        periods = sorted(int(p) for p in rng.integers(1, 101, count) * rng.choice([1, 1, 1, 5], count))
        durations = [max(1, round(p * rng.random() / count * 1.3)) if rng.random() < 0.8 else 0 for p in periods]
        made = tuple(Task(f"t{i}", c / unit, t / unit) for i, (c, t) in enumerate(zip(durations, periods, strict=True)))
        for i, found in enumerate(responses(made)):
            due = exact_response(durations, periods, i)
            late += due is None
            assert found.is_in_time is (due is not None), (durations, periods, i)
            assert due is None or found.worst_s == pytest.approx(due / unit, rel=1e-12)
    assert late > 100
