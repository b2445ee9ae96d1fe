"""The ladders on a model: they end in gains that fly, they say when it is wild, and the relay finds what the margins know."""

import math

import pytest

from fusus.core.control.customs import LADDERS
from fusus.core.control.design import ultimate
from fusus.core.control.elements import Controller, Delay, LowPass, Plant
from fusus.core.control.pid import Gains
from fusus.core.control.relay import relay_experiment
from fusus.core.control.step import step_response
from fusus.core.control.tuning_steps import HOT, Bench, noise_share, play
from fusus.errors import ParameterError

RATE_HZ = 1000.0


def bench(torque=2.0, inertia=0.02, delay_s=0.004, noise=5e-4):
    plant, filters = Plant("roll", torque, inertia, 0.05), (LowPass("gyro", 90.0, 2),)
    rest = (plant, *filters, Delay("time", delay_s + 0.5 / RATE_HZ))

    def step(c):
        gains = Gains(c.kp, c.ki, c.kd, 2 * math.pi * c.derivative_hz, -1.0, 1.0, 0.0)
        return step_response(plant, gains, filters, delay_s, RATE_HZ, 1.0, 1.0)

    return Bench(rest, step, lambda: relay_experiment(plant, filters, delay_s, RATE_HZ), 60.0, noise, "roll")


@pytest.mark.parametrize(("torque", "inertia"), [(2.0, 0.02), (0.8, 0.02), (4.0, 0.01)])
@pytest.mark.parametrize("delay_s", [0.002, 0.006])
def test_the_relay_finds_what_the_margins_know(torque, inertia, delay_s):
    """Within a tenth: the describing function of a relay is good where the loop passes few harmonics."""
    made = bench(torque, inertia, delay_s)
    found, known = made.relay().found, ultimate(made.rest)
    assert found.gain == pytest.approx(known.gain, rel=0.1)
    assert found.period_s == pytest.approx(known.period_s, rel=0.05)


@pytest.mark.parametrize("ladder", LADDERS)
@pytest.mark.parametrize(("torque", "inertia", "delay_s"), [(2.0, 0.02, 0.004), (0.6, 0.03, 0.003), (5.0, 0.01, 0.006)])
def test_a_ladder_ends_in_gains_that_fly(ladder, torque, inertia, delay_s):
    steps = play(ladder, bench(torque, inertia, delay_s))
    last = steps[-1]
    assert last.is_kept and not last.is_wild and last.margins.is_stable
    assert last.margins.modulus > 0.4 and math.degrees(last.margins.phase_rad) > 30
    rate = steps[-2] if "angle" in last.done else last
    assert rate.figures.overshoot < 0.5 and rate.noise < 2 * HOT
    assert all(r.seen for r in steps) and len(steps) > 3


def test_on_the_way_it_gets_wild_and_says_what_one_hears():
    steps = play("D first", bench(noise=1e-5))
    wild = [r for r in steps if r.is_wild]
    assert wild and all("too high" in r.seen and "Hz" in r.seen for r in wild)
    assert [r.done.split(" to ")[0] for r in steps if r.done.startswith("back off")] == ["back off D", "back off P"]
    after = steps[steps.index(wild[0]) + 1]
    assert after.is_kept and after.controller.kd == pytest.approx(0.6 * wild[0].controller.kd, rel=0.01)


def test_a_noisy_gyro_stops_d_before_it_gets_wild():
    quiet, noisy = play("D first", bench(noise=1e-5)), play("D first", bench(noise=3e-3))
    assert max(r.controller.kd for r in noisy) < max(r.controller.kd for r in quiet)
    assert any("hiss" in r.seen for r in noisy)


def test_a_light_craft_with_strong_motors_ends_with_lower_gains():
    """Common practice: a light craft with strong motors needs lower gains."""
    light, heavy = play("rate mode first", bench(4.0, 0.01)), play("rate mode first", bench(1.0, 0.04))
    assert light[-1].controller.kp < 0.2 * heavy[-1].controller.kp


def test_the_second_ladder_begins_shaking_and_lowers_by_a_third():
    steps = play("rate mode first", bench())
    lowered = [r for r in steps if r.done.startswith("it shakes")]
    assert steps[0].is_wild and lowered and lowered[-1].is_kept
    assert lowered[0].controller.kp == pytest.approx(0.7 * steps[0].controller.kp)
    assert (
        "°/s for each degree" in steps[-1].done
        and steps[-1].margins.crossover_rad_s < steps[-2].margins.crossover_rad_s
    )


def test_noise_grows_with_d_and_shrinks_with_its_low_pass():
    made = bench()
    base = noise_share(Controller("c", 0.1, 0.0, 0.002, 60.0), made.rest, 5e-4)
    assert noise_share(Controller("c", 0.1, 0.0, 0.004, 60.0), made.rest, 5e-4) > 1.5 * base
    assert noise_share(Controller("c", 0.1, 0.0, 0.002, 20.0), made.rest, 5e-4) < base


def test_names_and_sizes_that_do_not_exist():
    with pytest.raises(KeyError, match="D first"):
        play("I first", bench())
    with pytest.raises(ParameterError, match="Relay"):
        relay_experiment(Plant("roll", 2.0, 0.02, 0.05), (), 0.004, 1000.0, size=0.0)
