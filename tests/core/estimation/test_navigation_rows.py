"""Rows of the measurements against finite differences: what an error of the state does to what is measured."""

import math

import numpy as np
import pytest

from fusus.core.estimation.aiding import Aiding
from fusus.core.estimation.initial import Start
from fusus.core.estimation.navigation_ekf import field, height, history, measure, receiver
from fusus.core.estimation.navigation_ekf.parameters import Parameters
from fusus.core.estimation.navigation_ekf.start import coefficients, initial_state, size_of
from fusus.core.estimation.navigation_ekf.states import E_BARO, D, W
from fusus.core.frames.quaternion import from_euler, from_rotation_vector, multiply, normalise, rotate
from fusus.core.records import copy_of
from fusus.core.world.site import Site, site_at

STEP = 1e-5


@pytest.fixture
def made(site):
    """A filter with all of its errors, somewhere in flight; c, state and rows."""
    p = Parameters(
        lever_arm_sigma_m=0.1, mag_field_sigma_ut=1.0, lever_arm_x_m=0.1, lever_arm_y_m=-0.2, lever_arm_z_m=-0.3, gate_sigma=100.0,
        follow_gnss=False,
    )  # fmt: skip
    q = from_euler(0.7, 0.1, -0.2)
    start = Start(q, np.zeros(3), False, 0.0, site.field.strength_ut, site.field.inclination_rad, True)
    aiding = Aiding(gnss=np.array([[0.0, 1, 2, 3, 1, 0.5, 0.2, 1, 1]]), mag=np.array([[0.0, 1, 1, 1, 0.02]]))
    c = coefficients(p, site, start, aiding)
    s = initial_state(p, c, start, aiding, site)
    rng = np.random.default_rng(3)
    s.m.position[:], s.m.velocity[:] = rng.standard_normal(3) * 5, rng.standard_normal(3) * 2
    s.m.gnss_bias[:] = 0.3
    assert size_of(c) == 29
    return c, s, np.zeros((50, 5))


def row_of(m, n):
    out = np.zeros(n)
    for q in range(m.entries):
        out[int(m.columns[q])] += m.values[q]
    return out


def moved(c, s, error, step):
    """Return a copy of the state with an error put in."""
    m = copy_of(s.m)
    m.error[:29] = 0.0
    m.error[error] = step
    measure.inject(m, 0.0)
    return m


def predicted_field(m):
    q = m.attitude[:]
    return rotate(np.array([q[0], -q[1], -q[2], -q[3]]), m.earth_field) + m.craft_field


def test_three_axes_of_the_field(made):
    c, s, rows = made
    for _axis in range(3):
        field.fuse_axes(c, copy_of(s.m), s.p.copy(), s.n, rows, 0.0, 1.0, 2.0, 3.0, 1.0)
    m = copy_of(s.m)
    seen = []
    # fuse_axes leaves the row of its last axis; earlier ones are read by asking for one axis's measurement alone.
    field.fuse_axes(c, m, s.p.copy(), s.n, rows, 0.0, *predicted_field(s.m), 1.0)
    seen = row_of(m, 29)
    for error in (6, 7, 8, 23, 24, 25, 26, 27, 28):
        up, down = predicted_field(moved(c, s, error, STEP)), predicted_field(moved(c, s, error, -STEP))
        assert seen[error] == pytest.approx((up - down)[2] / (2 * STEP), abs=1e-5), error


def test_the_heading_of_the_field(made):
    c, s, rows = made

    def angle(m, true_field):
        n = rotate(m.attitude[:], true_field - m.craft_field)
        return math.atan2(m.earth_field[1], m.earth_field[0]) - math.atan2(n[1], n[0])

    true = predicted_field(s.m)
    m = copy_of(s.m)
    field.fuse_heading(c, m, s.p.copy(), s.n, rows, 0.0, 0.0, 1.0, 1.0)
    seen = row_of(m, 29)
    for error in (6, 7, 8, 23, 24, 26, 27, 28):
        # What the innovation loses when the state takes an error in is the row's entry.
        change = (angle(moved(c, s, error, STEP), true) - angle(moved(c, s, error, -STEP), true)) / (2 * STEP)
        assert seen[error] == pytest.approx(-change, abs=1e-4), error


def test_barometer_and_range(made):
    c, s, rows = made
    m = copy_of(s.m)
    height.fuse_baro(c, m, s.p.copy(), s.n, rows, 0.0, 1.0)
    seen = row_of(m, 29)
    assert seen[2] == -1.0 and seen[15] == 1.0 and seen[5] == pytest.approx(c.baro_delay_s)
    m = copy_of(s.m)
    assert height.fuse_range(c, m, s.p.copy(), s.n, rows, 0.0, 2.0) == 1 and row_of(m, 29)[2] == -1.0
    m = copy_of(s.m)
    m.attitude[:] = from_euler(0.0, 0.0, 1.2)
    assert height.fuse_range(c, m, s.p.copy(), s.n, rows, 0.0, 2.0) == 0  # looks aside


def test_a_fix_sees_position_arm_wander_and_delay(made):
    c, s, rows = made
    m = copy_of(s.m)
    m.gyro_bias[:] = 0.0
    for k in range(60):  # steady flight and turn, remembered
        history.push_history(m, s.history, 0.01 * k, 0.1, -0.2, 0.3)
        m.position[:] += m.velocity[:] * 0.01
    m.gnss_delay_s = 0.2

    def antenna(state):
        left = history.state_at(state, s.history, 0.59 - state.gnss_delay_s)
        assert left == 0.0
        q = state.then_attitude
        return state.then_position + rotate(q, state.lever_arm[:]) + state.gnss_bias[:]

    fix = np.concatenate([antenna(m), [np.nan] * 3, [1.0, 1.0]])
    for axis in range(3):
        work = copy_of(m)
        only = fix.copy()
        only[[i for i in range(3) if i != axis]] = np.nan
        receiver.fuse_fix(c, work, s.p.copy(), s.n, s.history, rows, 0.59, 0.59, only)
        seen = row_of(work, 29)
        for error in (16 + axis, 20, 21, 22):
            up, down = copy_of(m), copy_of(m)
            for turned, step in ((up, STEP), (down, -STEP)):
                place, at = (turned.gnss_bias, axis) if error == 16 + axis else (turned.lever_arm, error - 20)
                place[at] += step
            assert seen[error] == pytest.approx((antenna(up) - antenna(down))[axis] / (2 * STEP), abs=2e-3), (
                axis,
                error,
            )
        assert seen[axis] == 1.0 and seen[3 + axis] == pytest.approx(-0.2)
        # A rotation about north, east, down moves the antenna round the craft.
        arm = rotate(work.then_attitude, m.lever_arm[:])
        for k in range(3):
            about = np.zeros(3)
            about[k] = 1.0
            assert seen[6 + k] == pytest.approx(np.cross(about, arm)[axis], abs=1e-9)


def test_what_is_corrected_since_is_corrected_in_the_past_too(made):
    _c, s, _ = made
    m = copy_of(s.m)
    for k in range(100):
        history.push_history(m, s.history, 0.01 * k, 0.0, 0.0, 0.0)
        m.position[:] += m.velocity[:] * 0.01
    history.state_at(m, s.history, 0.5)
    before = np.concatenate([m.then_position, m.then_velocity])
    m.error[:29] = 0.0
    m.error[:6] = [0.3, -0.1, 0.2, 0.5, 0.0, -0.4]
    measure.inject(m, 1.0)
    history.state_at(m, s.history, 0.5)
    # Half a second ago a velocity that is now 0.5 higher was there as well, and the place was 0.25 m less ahead of it.
    assert np.allclose(m.then_velocity - before[3:], [0.5, 0.0, -0.4])
    assert np.allclose(m.then_position - before[:3], np.array([0.3, -0.1, 0.2]) - 0.5 * np.array([0.5, 0.0, -0.4]))


def test_an_attitude_error_turns_about_north_east_down(made):
    _c, s, _ = made
    turn = np.array([0.02, -0.03, 0.05])
    m = copy_of(s.m)
    m.error[:29] = 0.0
    m.error[6:9] = turn
    measure.inject(m, 0.0)
    expected = normalise(multiply(from_rotation_vector(turn), s.m.attitude[:]))
    assert np.allclose(m.attitude[:], expected, atol=1e-12)


@pytest.fixture
def remembered(made):
    """A jerky flight, remembered, with corrections between its moments."""
    _c, s, _rows = made
    m, rng = copy_of(s.m), np.random.default_rng(8)
    for k in range(60):
        t = 0.01 * k
        history.push_history(m, s.history, t, *rng.standard_normal(3))
        if k % 5 == 0:
            m.error[:9] = 0.02 * rng.standard_normal(9)
            measure.inject(m, t)
        m.position[:] += m.velocity[:] * 0.01
        m.velocity[:] += rng.standard_normal(3) * 0.05
        m.attitude[:] = normalise(multiply(m.attitude[:], from_rotation_vector(0.02 * rng.standard_normal(3))))
    return m, s.history


def recalled(m, remembered_moments, when):
    assert history.state_at(m, remembered_moments, when) == 0.0
    return np.concatenate([m.then_position, m.then_velocity, m.then_attitude, m.then_rate, m.then_acc])


def test_what_is_recalled_makes_no_steps(remembered):
    """Whether a fix belongs to just before a moment or to just after it must not matter: rounding decides that."""
    m, moments = remembered
    for k in range(12, 50):
        before, after = recalled(m, moments, 0.01 * k - 1e-9), recalled(m, moments, 0.01 * k + 1e-9)
        assert np.abs(before - after).max() < 1e-5, k


def test_a_clock_begun_anew_changes_nothing_that_is_recalled(remembered):
    m, moments = remembered
    before = [recalled(m, moments, t) for t in (0.2, 0.333, 0.512)]
    history.begin_clock_anew(m, moments, 3.0)
    after = [recalled(m, moments, t - 3.0) for t in (0.2, 0.333, 0.512)]
    assert np.allclose(before, after, rtol=0.0, atol=1e-12)
    # Corrections count from then on as before.
    m.error[:3] = 0.5, -0.2, 0.1
    measure.inject(m, 0.6 - 3.0)
    assert np.allclose(recalled(m, moments, 0.333 - 3.0)[:3] - before[1][:3], [0.5, -0.2, 0.1], rtol=0.0, atol=1e-12)


def test_gates_refuse_and_give_way(made):
    _c, s, rows = made
    m, p = copy_of(s.m), s.p.copy()
    m.gate2, m.recover_s = 9.0, 2.0  # gate of three sigmas, recovery after two seconds
    p[D + 2], p[W * E_BARO + 2] = 0.01, 0.0  # known to a tenth of a metre

    def height(t, y):
        measure.first(m, 2, 1.0)
        return measure.update_scalar(m, p, s.n, rows, 6, t, y, 0.01, 2, 0.0)

    # However long nothing came before: one alone is refused, and so are several that say different things.
    assert [height(30.0 + k, y) for k, y in enumerate((50.0, -20.0, 90.0, -60.0, 15.0))] == [0] * 5
    # Several that agree, for as long as it takes, are believed.
    assert [height(40.0 + k, 50.0) for k in range(3)] == [0, 0, 1] and m.error[2] > 49.0


def test_a_site_without_a_field_is_no_obstacle():
    assert Site().field is None and site_at(0.0, 0.0, 0.0, __import__("datetime").date(2026, 1, 1)).field is not None
