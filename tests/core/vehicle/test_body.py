"""The rigid body against mechanics: what is conserved, closed forms, an outside integrator, and the ground."""

import math

import numpy as np
import pytest
from scipy.integrate import solve_ivp
from scipy.spatial.transform import Rotation

from fusus.core.vehicle.body import body_of, derivative, ground, in_air, is_near, on_ground, stepped

H = 1.0 / 4000.0
NO_PUSH = (0.0, 0.0, 0.0, 0.0)
NOTHING = (0.0,) * 6


def free_body(inertia=(0.012, 0.016, 0.021), drag=0.0, gravity=9.81):
    return body_of(1.35, inertia, drag, gravity, 0.12)._replace(spin_drag=0.0)


def state(pos=(0, 0, -50), vel=(0, 0, 0), q=(1, 0, 0, 0), rate=(0, 0, 0)):
    return tuple(float(v) for v in (*pos, *vel, *q, *rate))


def run(body, m, seconds, push=NO_PUSH, outside=NOTHING, h=H):
    for _ in range(round(seconds / h)):
        m = stepped(body, m, push, push, push, outside, h)
    return np.array(m)


def test_energy_and_angular_momentum_are_kept_without_forces():
    """A tumbling body of three different moments; no outside value: conservation laws."""
    body = free_body()
    begin = state(rate=(3.0, -7.0, 2.0), q=(0.9, 0.1, 0.3, math.sqrt(1 - 0.91)))
    end = run(body, begin, 5.0)
    moments = np.array([body.ix, body.iy, body.iz])

    def energy(m):
        return 0.5 * moments @ np.square(m[10:13])

    def momentum(m):
        return Rotation.from_quat(np.roll(m[6:10], -1)).apply(moments * m[10:13])

    assert energy(end) == pytest.approx(energy(np.array(begin)), rel=1e-9)
    np.testing.assert_allclose(momentum(end), momentum(np.array(begin)), rtol=1e-9, atol=1e-12)
    assert np.linalg.norm(end[6:10]) == pytest.approx(1.0, abs=1e-12)


def test_a_spinning_top_without_torque_precesses_as_its_closed_form():
    """Axisymmetric body: the rate turns about the axis with λ = (Iz - Ix) / Ix · ωz (any text on rigid bodies, from memory)."""
    body = free_body((0.012, 0.012, 0.021))
    p, r, seconds = 0.4, 6.0, 3.0
    end = run(body, state(rate=(p, 0.0, r)), seconds)
    turned = (body.iz - body.ix) / body.ix * r * seconds
    np.testing.assert_allclose(end[10:13], [p * math.cos(turned), p * math.sin(turned), r], atol=1e-9)


def test_steps_agree_with_another_integrator():
    """DOP853 of SciPy on the same equations written anew, under thrust, torque, drag and wind."""
    body = body_of(1.35, (0.012, 0.016, 0.021), 0.25, 9.81, 0.12)
    push, wind = (14.0, 0.02, -0.03, 0.01), (3.0, -2.0, 0.5)
    begin = state(vel=(1, 2, -1), rate=(0.5, -0.2, 0.3))

    def rates(_t, m):
        attitude = Rotation.from_quat(np.roll(m[6:10] / np.linalg.norm(m[6:10]), -1))
        acceleration = attitude.apply([0, 0, -push[0] / 1.35]) + [0, 0, 9.81] - 0.25 * (m[3:6] - wind)
        moments, w = np.array([0.012, 0.016, 0.021]), m[10:13]
        turning = (np.array(push[1:]) - np.cross(w, moments * w) - 0.3 * 0.021 * w) / moments
        x, y, z = w
        omega = np.array([[0, -x, -y, -z], [x, 0, z, -y], [y, -z, 0, x], [z, y, -x, 0]])
        return np.concatenate([m[3:6], acceleration, 0.5 * omega @ m[6:10], turning])

    truth = solve_ivp(rates, (0, 2.0), begin, method="DOP853", rtol=1e-11, atol=1e-12).y[:, -1]
    end = run(body, begin, 2.0, push, in_air(body, *wind))
    np.testing.assert_allclose(end, truth, atol=2e-8)


def test_half_the_step_is_sixteen_times_as_good():
    body = free_body()
    begin = state(rate=(8.0, -17.0, 5.0))
    truth = run(body, begin, 0.5, h=H / 4)
    coarse, fine = (np.abs(run(body, begin, 0.5, h=h) - truth)[10:13].max() for h in (16 * H, 8 * H))
    assert 12.0 < coarse / fine < 20.0


def test_hover_and_fall():
    body = body_of(1.35, (0.012, 0.016, 0.021), 0.25, 9.81, 0.12)
    air = in_air(body, 0.0, 0.0, 0.0)
    still = run(body, state(), 2.0, (1.35 * 9.81, 0.0, 0.0, 0.0), air)
    np.testing.assert_allclose(still, state(), atol=1e-9)
    fallen = run(body, state(), 2.0, NO_PUSH, air)
    assert fallen[5] == pytest.approx(9.81 / 0.25 * (1 - math.exp(-0.5)), rel=1e-9), "linear drag: g/c (1 - e^-ct)"
    carried = run(body, state(), 60.0, (1.35 * 9.81, 0.0, 0.0, 0.0), in_air(body, 4.0, 0.0, 0.0), h=1e-3)
    assert carried[3] == pytest.approx(4.0, abs=1e-4), "level without anything to hold it, it moves with the air"


def test_torques_turn_the_way_their_names_say():
    body = free_body()
    rates = [derivative(body, state(), (0.0, *t), NOTHING)[10:13] for t in np.eye(3) * 0.01]
    np.testing.assert_allclose(np.diag(rates), 0.01 / np.array([0.012, 0.016, 0.021]))
    d = derivative(body, state(q=(math.cos(0.1), math.sin(0.1), 0, 0)), (1.35 * 9.81, 0, 0, 0), NOTHING)
    assert d[4] > 0 and d[3] == 0, "rolled right it is pushed right: east, when it faces north"


def settle(slope, seconds=3.0):
    body = body_of(1.35, (0.012, 0.016, 0.021), 0.25, 9.81, 0.12, slope)
    q = (math.cos(slope / 2), 0.0, math.sin(slope / 2), 0.0)
    m = state(pos=(0, 0, -0.01), q=q)
    for _ in range(round(seconds / H)):
        air = in_air(body, 0.0, 0.0, 0.0)
        m = stepped(body, m, NO_PUSH, NO_PUSH, NO_PUSH, on_ground(body, m, air) if is_near(body, *m[:3]) else air, H)
    return body, np.array(m)


def test_it_stands_on_its_feet_and_slides_where_friction_gives_way():
    body, m = settle(0.0)
    assert np.abs(m[3:6]).max() < 1e-6 and m[2] == pytest.approx(0.002, abs=2e-4), "pressed in by two millimetres"
    force = ground(body, tuple(m))
    assert force[2] == pytest.approx(-1.35 * 9.81, rel=1e-3) and np.abs(force[3:]).max() < 1e-6
    _, holds = settle(math.radians(25.0))
    _, slides = settle(math.radians(45.0))
    assert np.linalg.norm(holds[3:6]) < 0.05 and np.linalg.norm(slides[3:6]) > 1.0, "friction 0.8 holds up to 39°"


def test_a_drop_loses_energy_and_does_not_tip():
    body = body_of(1.35, (0.012, 0.016, 0.021), 0.25, 9.81, 0.12)
    m, heights = state(pos=(0, 0, -0.5), q=(math.cos(0.05), math.sin(0.05), 0, 0)), []
    for _ in range(12000):
        air = in_air(body, 0.0, 0.0, 0.0)
        m = stepped(body, m, NO_PUSH, NO_PUSH, NO_PUSH, on_ground(body, m, air) if is_near(body, *m[:3]) else air, H)
        heights.append(-m[2])
    assert max(heights[1400:]) < 0.45 and abs(heights[-1]) < 0.01
    assert 1 - 2 * (m[7] ** 2 + m[8] ** 2) > 0.999
