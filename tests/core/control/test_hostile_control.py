"""What the loops make of figures that nobody should give: finite motors within their limits, and nothing kept of what was no number."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.firmware.kits import made_up_controls

from fusus.core.control.cascade import (
    HEIGHT,
    HOME,
    LEVEL,
    MEMORY,
    PATH,
    PLACE,
    RATE,
    Setpoint,
    StateEstimate,
    begin_anew,
    wanted_rates,
)
from fusus.core.control.pid import Gains, pid_step
from fusus.core.control.rate_loops import measured_rate, rate_loops
from fusus.core.control.sections import through
from fusus.core.vehicle.motor_limits import mix_into

C = made_up_controls()
HOVER = C.cascade.mass_kg * C.cascade.gravity_m_s2
BAD = (math.nan, math.inf, -math.inf, 1e300, -1e300, 5e-324, -0.0, 1e9)
EVEN = StateEstimate(1.0, 0.0, 0.0, 0.0, 0.0, 0.0, -5.0, 0.0, 0.0, 0.0, True)


class Loops:
    """The loops as a board runs them, in the air."""

    def __init__(self):
        self.k, self.memory, self.out = np.zeros(MEMORY), np.zeros((3, len(C.sections), 2)), np.zeros((1, 4))
        begin_anew(self.k)

    def step(self, setpoint, estimate=EVEN, gyro=(0.0, 0.0, 0.0), dt=0.002, on_ground=False):
        rate = [measured_rate(C.sections, self.memory, self.k, j, float(gyro[j]), 0.0) for j in range(3)]
        p, q, r, thrust, mode = wanted_rates(C.cascade, self.k, setpoint, estimate, dt)
        torque = rate_loops(C.cascade, self.k, p, q, r, *rate, dt, on_ground)
        mix_into(C.table, thrust, *torque, C.idle, self.out, 0)
        assert np.isfinite(self.k).all() and np.isfinite(self.memory).all()
        assert (self.out >= 0).all() and (self.out <= 1).all()
        return self.out[0].copy(), mode


def wish(mode=LEVEL, throttle=0.5, **changes):
    return Setpoint(mode, 0.0, 0.0, 0.0, throttle, 0.0, 0.0, -5.0, 0.0, 0.0, 0.0, 0.0)._replace(**changes)


@pytest.mark.parametrize("mode", [RATE, LEVEL, HEIGHT, PLACE, HOME, PATH])
@pytest.mark.parametrize("bad", BAD[:5])
def test_one_figure_that_is_none_leaves_nothing_behind(mode, bad):
    """After it, the motors are those of a flight that never saw it, but for what is held."""
    fields = [(f, "setpoint") for f in Setpoint._fields if f != "mode"] + [
        (f, "estimate") for f in StateEstimate._fields[:10]
    ]
    for name, of in fields:
        loops, other = Loops(), Loops()
        for _ in range(50):
            before, _ = loops.step(wish(mode))
            other.step(wish(mode))
        s, e = (
            (wish(mode)._replace(**{name: bad}), EVEN)
            if of == "setpoint"
            else (wish(mode), EVEN._replace(**{name: bad}))
        )
        at, _ = loops.step(s, e)
        assert np.ptp(at) < 0.75 and abs(at.mean() - before.mean()) < 0.25, (name, at)
        for _ in range(1500):
            after, _ = loops.step(wish(mode))
            wanted, _ = other.step(wish(mode))
        # What was held when a mode began anew may differ by a little; a motor at its stop would not.
        assert np.abs(after - wanted).max() < 0.05, (name, after, wanted)


@pytest.mark.parametrize(
    ("setpoint", "estimate", "flown"),
    [
        (wish(99), EVEN, LEVEL),
        (wish(-1), EVEN, LEVEL),
        (wish(PATH, pn=math.nan), EVEN, PLACE),
        (wish(PATH, heading=math.inf), EVEN, PLACE),
        (wish(PLACE), EVEN._replace(pn=math.nan), HEIGHT),
        (wish(PLACE), EVEN._replace(knows_place=False), HEIGHT),
        (wish(PLACE), EVEN._replace(pd=math.nan), LEVEL),
        (wish(HEIGHT), EVEN._replace(vd=math.inf), LEVEL),
        (wish(LEVEL), EVEN._replace(w=0.0), RATE),
        (wish(PLACE), EVEN._replace(w=math.nan), RATE),
    ],
)
def test_the_mode_that_can_be_flown_is_flown_with_the_thrust_of_before(setpoint, estimate, flown):
    loops = Loops()
    for _ in range(100):
        before, _ = loops.step(wish(setpoint.mode if 0 <= setpoint.mode <= PATH else LEVEL))
    now, mode = loops.step(setpoint, estimate)
    assert mode == flown
    assert now.mean() == pytest.approx(before.mean(), abs=0.02), "it neither falls nor climbs away"


def test_a_reading_that_did_not_come_keeps_the_last_rate():
    loops = Loops()
    for _ in range(20):
        loops.step(wish(), gyro=(0.1, 0.0, 0.0))
    kept = loops.k.copy()
    loops.step(wish(), gyro=(math.nan, 0.0, 0.0))
    assert loops.k[6] == kept[6] and np.isfinite(loops.memory).all()


@pytest.mark.parametrize("dt", [0.0, -1.0, math.nan, math.inf, 1e-300, 1e300])
def test_a_step_of_time_that_is_none_is_the_last_that_was(dt):
    loops, other = Loops(), Loops()
    for x in (loops, other):
        for _ in range(20):
            x.step(wish(HEIGHT), gyro=(0.1, 0.0, 0.0))
    now, _ = loops.step(wish(HEIGHT), gyro=(0.12, 0.0, 0.0), dt=dt)
    usual, _ = other.step(wish(HEIGHT), gyro=(0.12, 0.0, 0.0))
    assert np.abs(now - usual).max() < (1e-12 if not dt > 1 else 0.5)


FIGURE = st.one_of(st.floats(-2, 2), st.floats(width=64), st.sampled_from(BAD))


@settings(max_examples=150, deadline=None)
@given(
    st.lists(
        st.tuples(st.integers(-(2**31), 2**31 - 1) | st.integers(0, 6), st.lists(FIGURE, min_size=25, max_size=25), st.booleans()),
        min_size=1, max_size=25,
    )
)  # fmt: skip
def test_any_sequence_keeps_motors_and_memory_sound(rows):
    loops = Loops()
    for mode, v, knows in rows:
        loops.step(Setpoint(mode, *v[:11]), StateEstimate(*v[11:21], knows), tuple(v[21:24]), v[24])
    for _ in range(3000):
        loops.step(wish(), on_ground=True)
    begin_anew(loops.k)
    for _ in range(300):
        after, _ = loops.step(wish())
    assert after.mean() == pytest.approx(HOVER / C.cascade.full_n, rel=1e-6) and np.ptp(after) < 1e-3


@settings(max_examples=80, deadline=None)
@given(st.floats(1e-3, 1.0), st.lists(st.floats(-1e3, 1e3), min_size=5, max_size=60), st.floats(1e-5, 0.5))
def test_back_calculation_stays_bounded_at_any_interval(tracking, ys, dt):
    """An interval longer than the time constant must not swing the integral ever further."""
    g = Gains(0.5, 2.0, 0.0, 0.0, -1.0, 1.0, tracking)
    integral, last = 0.0, ys[0]
    for y in ys * 5:
        _, integral, _ = pid_step(g, 0.0, 0.0, y, last, integral, 0.0, dt)
        last = y
        assert abs(integral) <= 1.0 + 0.5 * 1e3 + 2.0 * 1e3 * 0.5 * 2


def test_a_filter_remembers_no_reading_that_is_none():
    values = np.tile([0.1, 0.2, -9.8], (400, 1))
    values[0] = values[100, 1] = np.nan
    values[200, 0] = np.inf
    out = np.empty_like(values)
    through(C.acc_sections, values, out)
    good = np.isfinite(values).all(axis=1)
    assert np.allclose(out[good], [0.1, 0.2, -9.8], atol=1e-9)
