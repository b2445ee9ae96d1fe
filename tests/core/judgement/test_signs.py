"""Signs of drifting on made-up hovers whose every figure is known in closed form, and where the hover is found."""

import math
from dataclasses import replace

import numpy as np
import pytest
from tests.core.simulation.flying import SITE

from fusus.core.estimation.aiding import Aiding
from fusus.core.estimation.replay import estimator_input
from fusus.core.frames.quaternion import conjugate, from_euler, rotate
from fusus.core.judgement.drift_causes import signs
from fusus.core.judgement.drift_causes.causes import causes_of, extent
from fusus.core.judgement.drift_causes.hover import NO_CONTROLS, Controls, Known, hover_of, longest, smoothed
from fusus.errors import ParameterError

G = SITE.gravity_m_s2
RATE, REST_S, END_S = 200.0, 4.0, 44.0
T = np.arange(0.0, END_S, 1.0 / RATE)
FLIES = T >= REST_S
DRAG = 0.25


def hover(
    attitude=None, rest_acc=(0.0, 0.0, -G), gyro=(0.0, 0.0, 0.0), push_n=None, vel_n=None, pos_off=None, baro_off=None, heading_error=0.0,
    field=1.0, shake=0.0, seen_bias=None, controls=NO_CONTROLS, sigma=0.0,
):  # fmt: skip
    """Return a hover of forty seconds after four at rest, from what its sensors would read exactly (with a little noise)."""
    rng = np.random.default_rng(3)
    q = np.tile(from_euler(0.0, 0.0, 0.0) if attitude is None else attitude, (len(T), 1))
    acc = np.tile(np.array(rest_acc, dtype=float), (len(T), 1))
    force = np.zeros((len(T), 3)) if push_n is None else push_n
    acc[FLIES] = rotate(conjugate(q), force - [0.0, 0.0, G])[FLIES]
    acc += rng.normal(0, 1.0, acc.shape) * np.where(FLIES, 0.8, 0.01)[:, None]  # rotors: no rest any more
    acc[FLIES] += shake * np.sin(2 * np.pi * 60.0 * T[FLIES])[:, None]
    rates = rng.normal(0, 1e-4, acc.shape)
    rates[FLIES] += np.array(gyro)
    fixes = T[::20]
    v = np.zeros((len(T), 3)) if vel_n is None else vel_n
    p = np.concatenate([np.zeros((1, 3)), np.cumsum(0.5 * (v[1:] + v[:-1]) / RATE, axis=0)])
    height = 3.0 - p[:, 2]
    off = np.zeros((len(T), 2)) if pos_off is None else pos_off
    gnss = np.full((len(fixes), 9), 1.0)
    gnss[:, 0] = fixes
    gnss[:, 1:3], gnss[:, 3], gnss[:, 4:7] = (p[:, :2] + off)[::20], p[::20, 2], v[::20]
    noise = sigma * rng.standard_normal((len(fixes), 2))
    gnss[:, 4:6] += noise
    baro = np.stack([T[::4], (height + (0.0 if baro_off is None else baro_off))[::4]], axis=1)
    true_field = np.asarray(SITE.field.vector_ut, dtype=float)
    turned = rotate(from_euler(-heading_error, 0.0, 0.0), rotate(conjugate(q), true_field))
    mag = field * turned
    aiding = Aiding(gnss, baro, np.column_stack([T[::2], mag[::2], np.full(len(T[::2]), 2 / RATE)]))
    given = estimator_input(T, rates, acc, T[::2], mag[::2], aiding)
    bias = np.zeros((len(T), 3)) if seen_bias is None else np.tile(np.array(seen_bias), (len(T), 1))
    seen = Known(q, bias, math.radians(0.02))
    return hover_of(given, q, controls, SITE, DRAG, seen, (5.0, 43.0))


def sticks_at(roll, pitch, mode=3):
    t = np.arange(0.0, END_S, 0.02)
    return Controls(
        np.empty(0), np.empty((0, 0)), None, t, np.tile([roll, pitch], (len(t), 1)), np.full(len(t), float(mode))
    )


def motors_at(shares, effect):
    t = np.arange(0.0, END_S, 0.01)
    return Controls(
        t, np.tile(np.array(shares, dtype=float), (len(t), 1)), effect, np.empty(0), np.empty((0, 2)), np.empty(0)
    )


def value(make, h):
    found = make(h)
    assert found.statement
    return found.value


def test_level_is_the_tilt_that_it_read_at_rest():
    pitch = math.radians(2.0)
    found = signs.level(hover(rest_acc=(G * math.sin(pitch), 0.0, -G * math.cos(pitch))))
    assert found.value == pytest.approx(2.0, abs=0.02) and "pitch +2.0°" in found.statement
    assert value(signs.level, hover()) < 0.02


def test_a_push_that_fits_the_level_speaks_for_it_and_another_against_it():
    pitch = math.radians(2.0)
    rest = (G * math.sin(pitch), 0.0, -G * math.cos(pitch))
    speed = G * math.sin(pitch) / DRAG
    ahead = np.zeros((len(T), 3))
    ahead[:, 0] = speed  # what a level wrong by two degrees drives it to, forward
    assert signs.level(hover(rest_acc=rest, vel_n=ahead)).bonus > 1.5
    assert signs.level(hover(rest_acc=rest, vel_n=-ahead)).bonus < -1.0
    held = hover(rest_acc=rest, vel_n=ahead, controls=sticks_at(0, 0, mode=4))
    assert held.holds_place and signs.level(held).bonus == 0.0, "a craft that holds its place is pushed by its loops"


def test_sticks_show_their_centres_only_where_nobody_moves_them():
    assert value(signs.sticks, hover(controls=sticks_at(0.03, -0.04))) == pytest.approx(0.05)
    moved = sticks_at(0.0, 0.0)
    moved.sticks[::2] += 0.5
    assert math.isnan(value(signs.sticks, hover(controls=moved)))
    assert math.isnan(value(signs.sticks, hover()))


def test_a_gyros_bias_counts_by_how_far_it_moved_since_rest():
    bias = np.radians([0.3, -0.4, 0.2])
    found = signs.gyro(hover(gyro=bias, seen_bias=bias))
    assert found.value == pytest.approx(0.5, abs=0.01) and found.healthy == pytest.approx(math.hypot(0.06, 0.02))
    bare = hover()
    assert math.isnan(signs.gyro(replace(bare, rest_gyro_b=np.full(3, np.nan), bias_moved_b=np.full(3, np.nan))).value)


def test_what_lean_does_not_push_is_wind():
    wind = 4.0
    v = np.zeros((len(T), 3))
    v[:, 1] = wind  # level, it goes with the air
    h = hover(vel_n=v)
    assert signs.lateral(h) == pytest.approx([0.0, DRAG * wind], abs=1e-6)
    assert value(signs.wind, h) == pytest.approx(wind, rel=1e-3) and signs.wind(h).bonus == 2.0
    # The same way by a lean: no wind at all.
    roll = math.atan(DRAG * wind / G)
    leans = hover(vel_n=v, attitude=from_euler(0.0, 0.0, roll))
    assert signs.leaning(leans) == pytest.approx([0.0, DRAG * wind], abs=1e-6)
    assert value(signs.wind, leans) < 0.01
    # Holding its place it leans against it.
    still = hover(attitude=from_euler(0.0, 0.0, -roll), controls=sticks_at(0, 0, mode=4))
    assert value(signs.wind, still) == pytest.approx(wind, rel=1e-3)
    speeding = np.zeros((len(T), 3))
    speeding[:, 0] = 0.1 * T
    push = signs.lateral(hover(vel_n=speeding))
    assert push[0] == pytest.approx(0.1 + DRAG * 0.1 * 24.0, rel=0.02), "speed gained and what drag took"


@pytest.mark.parametrize("error_deg", [-70.0, -25.0, 0.0, 40.0])
def test_fixes_show_by_how_much_the_field_leads_astray(error_deg):
    # It swings about its place; the force is what the fixes gain.
    a = np.stack([0.6 * np.sin(0.9 * T), 0.5 * np.cos(1.3 * T), 0 * T], axis=1)
    v = np.stack([-0.6 / 0.9 * np.cos(0.9 * T), 0.5 / 1.3 * np.sin(1.3 * T), 0 * T], axis=1)
    found = signs.magnetometer(hover(push_n=a, vel_n=v, heading_error=math.radians(error_deg), sigma=0.02))
    assert found.value == pytest.approx(abs(error_deg), abs=3.0) and found.healthy < 10.0
    assert float(found.statement.split()[3]) == pytest.approx(-error_deg, abs=3.0)


def test_a_field_of_another_strength_speaks_for_the_magnetometer_where_fixes_do_not():
    still = signs.magnetometer(hover(field=1.4, sigma=0.05))
    assert math.isnan(still.value) and still.bonus > 3.0 and "+40%" in still.statement
    assert signs.magnetometer(hover(sigma=0.05)).bonus < 0.0


def test_a_barometer_that_parts_from_the_climb_shows_airflow():
    sway = 0.8 * np.sin(0.5 * T)
    found = signs.airflow(hover(baro_off=sway))
    assert found.value == pytest.approx(0.8 / math.sqrt(2), rel=0.12)
    assert value(signs.airflow, hover()) < 0.02
    climbs = np.zeros((len(T), 3))
    climbs[:, 2] = -0.2  # both climb: nothing parts
    assert value(signs.airflow, hover(vel_n=climbs)) < 0.05


def test_the_centre_of_gravity_is_where_the_thrust_has_its_middle():
    arm, full = 0.15, 10.0
    places = np.array([[1, 1], [-1, 1], [-1, -1], [1, -1]]) * arm  # forward, right
    effect = np.stack([np.full(4, full), -places[:, 1] * full, places[:, 0] * full, np.array([1, -1, 1, -1]) * 0.1])
    even = signs.centre(hover(controls=motors_at([0.4] * 4, effect)))
    assert even.value == pytest.approx(0.0, abs=1e-9)
    shares = np.array([0.44, 0.36, 0.36, 0.44])  # the front works harder: weight lies forward
    off = signs.centre(hover(controls=motors_at(shares, effect)))
    forward = float((shares * places[:, 0]).sum() / shares.sum())
    assert off.value == pytest.approx(forward / arm) and f"{100 * forward:.1f} cm before" in off.statement
    assert math.isnan(value(signs.centre, hover(controls=motors_at([0.4] * 6, effect)))), (
        "another layout than the brief's"
    )
    assert math.isnan(value(signs.centre, hover(controls=motors_at([0.4] * 4, None))))


def test_stops_and_shaking_are_counted():
    c = motors_at([0.5, 0.5, 0.5, 0.5], None)
    c.motors[::10, 2] = 1.0
    assert value(signs.saturation, hover(controls=c)) == pytest.approx(0.1, abs=0.01)
    assert value(signs.saturation, hover()) < 1e-3
    shaken = signs.vibration(hover(shake=10.0))
    # A sine of ten on each axis: ten over root two, times root three; and the rotors' noise.
    size = math.sqrt(150.0 + 3 * 0.8**2)
    assert shaken.value == pytest.approx(math.log(size / 3.0), abs=0.03) and "m/s² RMS" in shaken.statement
    assert value(signs.vibration, hover()) == 0.0


def test_fixes_that_walk_while_their_velocity_stands_are_reflected():
    off = np.zeros((len(T), 2))
    off[:, 0] = 7.0 * np.sin(np.pi * np.clip((T - 10) / 20, 0, 1)) ** 2
    assert value(signs.multipath, hover(pos_off=off)) == pytest.approx(7.0, rel=0.03)
    way = np.zeros((len(T), 3))
    way[:, 0] = 0.5
    assert value(signs.multipath, hover(vel_n=way)) < 0.05, "a way that the velocity knows is none"


def test_how_far_it_went_is_told_by_velocity_and_height():
    v = np.zeros((len(T), 3))
    v[:, 0], v[:, 2] = 0.3, -0.1
    sideways, vertical = extent(hover(vel_n=v))
    assert sideways == pytest.approx(0.3 * 38.0, rel=0.02) and vertical == pytest.approx(0.1 * 38.0, rel=0.1)
    found = causes_of(hover(vel_n=v))
    assert found.is_drifting and found.scored[0].probability >= found.scored[1].probability and found.test is not None


def test_the_stretch_is_the_longest_in_the_air_in_one_mode():
    t = np.arange(0.0, END_S, 0.02)
    modes = np.where(t < 12, 6.0, np.where(t < 36, 3.0, 6.0))
    work = np.where((T[::4] > 3.0) & (T[::4] < 42.0), 0.45, 0.05)
    controls = Controls(T[::4], np.tile(work[:, None], (1, 4)), None, t, np.zeros((len(t), 2)), modes)
    given = hover().given
    start, end = longest(given, controls)
    assert start == pytest.approx(12.0, abs=0.2) and end == pytest.approx(36.0, abs=0.2)
    single = replace(controls, modes=np.full(len(t), 3.0))
    start, end = longest(given, single)
    assert start == pytest.approx(3.0, abs=0.3) and end == pytest.approx(42.0, abs=0.3)
    # Without motors it flies once it has stopped resting; climbs at the ends are none of the hover.
    climb = np.zeros((len(T), 3))
    climb[(T > 4) & (T < 8), 2] = -1.0
    start, _ = longest(hover(vel_n=climb).given, NO_CONTROLS)
    assert start == pytest.approx(8.0, abs=1.2)
    h = hover(controls=sticks_at(0, 0, mode=3))
    assert h.holds_place is False and hover().holds_place is None and len(h.t_s) == pytest.approx(380, abs=2)
    with pytest.raises(ParameterError):
        hover_of(given, np.tile([1.0, 0, 0, 0], (len(T), 1)), NO_CONTROLS, SITE, DRAG, None, (5.0, 9.0))


def test_smoothing_keeps_a_constant_and_shrinks_noise():
    assert smoothed(np.full(50, 3.0), 1.0) == pytest.approx(np.full(50, 3.0))
    noise = np.random.default_rng(0).normal(0, 1, 5000)
    assert smoothed(noise, 1.0).std() == pytest.approx(1 / math.sqrt(10), rel=0.1)
