"""What holds for any figures: limits, steady gain, order of margins, schedules that only get worse with more work."""

import math

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from fusus.core.analysis.outage import outage_from
from fusus.core.control.elements import Controller, Delay, LowPass, Notch, Plant, open_loop
from fusus.core.control.margins import margins
from fusus.core.control.pid import Gains, pid_step
from fusus.core.control.sections import Sampled, advance_axis, filtered, sections_of
from fusus.core.timing.motor_signal import SIGNALS
from fusus.core.timing.priorities import by_rate, responses, utilisation_bound
from fusus.core.timing.superloop import run_superloop
from fusus.core.timing.task import Task, utilisation
from fusus.core.timing.transfer import transfer_s

SOME = settings(max_examples=60, deadline=None)
gains = st.floats(0.0, 20.0)
samples = st.lists(st.floats(-50.0, 50.0), min_size=1, max_size=40)


@SOME
@given(gains, gains, st.floats(0.0, 1.0), st.floats(0.0, 500.0), st.sampled_from([0.0, 0.02, 0.1, 1.0]), samples)
def test_a_controller_never_leaves_its_limits(kp, ki, kd, corner, tracking, ys):
    g = Gains(kp, ki, kd, corner, -1.0, 1.0, tracking)
    integral, slope, last = 0.0, 0.0, ys[0]
    for y in ys:
        u, integral, slope = pid_step(g, 1.0, 0.0, y, last, integral, slope, 0.01)
        last = y
        assert -1.0 <= u <= 1.0 and math.isfinite(integral)
        if tracking == 0.0:
            assert -1.0 <= integral <= 1.0


@SOME
@given(st.floats(1.0, 200.0), st.integers(1, 2), st.floats(20.0, 200.0), st.floats(0.5, 10.0), st.floats(-5.0, 5.0))
def test_filters_pass_what_stands_still(cutoff, order, middle, quality, level):
    sections = sections_of((LowPass("l", cutoff, order), Notch("n", middle, quality)), 2000.0)
    memory, out = np.zeros((1, len(sections), 2)), 0.0
    for _ in range(12_000):
        out = filtered(sections, memory, 0, level)
    assert abs(out - level) < 1e-3 * max(1.0, abs(level))


@SOME
@given(st.floats(1.0, 400.0), st.floats(0.005, 0.2), st.floats(-1.0, 1.0), st.integers(1, 50))
def test_a_motors_step_may_be_cut_as_one_likes(gain, tau, command, parts):
    """The step is exact: many small ones lead where one large one does."""

    def axis(h):
        return Sampled(gain, tau, math.exp(-h / tau), 0, 1, h)

    whole = advance_axis(axis(0.01), 0.3, -0.2, command)
    omega, motor = 0.3, -0.2
    for _ in range(parts):
        omega, motor = advance_axis(axis(0.01 / parts), omega, motor, command)
    assert abs(omega - whole[0]) < 1e-9 * max(1.0, gain) and abs(motor - whole[1]) < 1e-9


@SOME
@given(st.floats(0.02, 0.2), st.floats(0.0, 0.004), st.floats(0.001, 0.01), st.floats(0.001, 0.01))
def test_more_delay_never_leaves_more_phase(kp, kd, first, more):
    def left(seconds):
        rest = (Controller("c", kp, 0.0, kd, 60.0), Plant("roll", 2.0, 0.02, 0.05), Delay("time", seconds))
        return margins(lambda w: open_loop(rest, w))

    early, late = left(first), left(first + more)
    assert late.phase_rad <= early.phase_rad + 1e-9 and late.delay_s <= early.delay_s + 1e-9
    assert math.isclose(early.delay_s - late.delay_s, more, rel_tol=1e-6, abs_tol=1e-9)


periods = st.lists(st.sampled_from([1.0, 2.0, 4.0, 5.0, 10.0, 20.0]), min_size=1, max_size=6)


@SOME
@given(periods, st.floats(0.01, 0.2), st.floats(1.01, 1.5))
def test_more_work_never_responds_sooner(times, share, more):
    def made(factor):
        return by_rate(tuple(Task(f"t{i}", share * factor * t / len(times), t) for i, t in enumerate(times)))

    less, greater = responses(made(1.0)), responses(made(more))
    for a, b in zip(less, greater, strict=True):
        assert a.worst_s is not None and (b.worst_s is None or b.worst_s >= a.worst_s)
    assert utilisation(made(1.0)) <= utilisation_bound(len(times)), "what lies below the bound fits"


@SOME
@given(st.floats(1e-5, 1e-3), st.floats(1e-5, 2e-3), st.integers(2, 40), st.floats(0.0, 1.5e-3))
def test_a_superloop_holds_all_its_work_once(cycle_s, slow_s, every, pulse_s):
    tasks = (
        Task("read", cycle_s, 2e-3, waits_for_pulse=True),
        Task("out", 1e-5, 2e-3),
        Task("slow", slow_s, every * 2e-3, is_loop=False),
    )
    found = run_superloop(tasks, 2e-3, pulse_s)
    for c in found.cycles:
        names = [p.task for p in c.pieces]
        assert len(set(names)) == len(names) and {"read", "out"} <= set(names)
        assert all(a.end_s <= b.start_s + 1e-12 for a, b in zip(c.pieces, c.pieces[1:], strict=False))
        assert c.work_s >= max(pulse_s, 1e-5)
    assert sum("slow" in [p.task for p in c.pieces] for c in found.cycles) == 1
    assert (found.worst.work_s > 2e-3) is bool(found.overruns)


@SOME
@given(st.integers(1, 500), st.sampled_from(["I2C", "SPI", "UART"]), st.floats(1e4, 1e7))
def test_transfers_grow_with_bytes_and_shrink_with_clock(count, bus, clock):
    once = transfer_s(bus, count, clock)
    assert transfer_s(bus, count + 1, clock) > once > 0 and math.isclose(transfer_s(bus, count, 2 * clock), once / 2)
    assert transfer_s(bus, count, clock, single=True) >= once


@SOME
@given(st.floats(-0.5, 1.5), st.floats(-0.5, 1.5))
def test_pulses_are_ordered_like_throttles(a, b):
    for signal in SIGNALS:
        assert signal.least_s <= signal.length_s(a) <= signal.most_s
        assert (signal.length_s(a) - signal.length_s(b)) * (a - b) >= 0


@SOME
@given(st.floats(0.0, 1e4), st.floats(0.001, 1e3))
def test_an_outage_is_read_as_it_is_written(start, length):
    assert outage_from(f"{start!r}:{length!r}") == (start, length)
