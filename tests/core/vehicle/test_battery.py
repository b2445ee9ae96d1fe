"""Battery arithmetic, sag and endurance; what motors take."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from fusus.core.vehicle.battery import CHARGE, REST_V, Battery, current_a, endurance, rest_voltage
from fusus.core.vehicle.drive import Power, drained, rest_cell_v, rotor_wrench, spun
from fusus.errors import ParameterError


@given(st.floats(6.0, 50.0), st.floats(1e-3, 0.2), st.floats(0.0, 1.0))
def test_current_gives_the_power(rest, ohm, share):
    power = share * rest * rest / 4.0 / ohm
    amps = current_a(rest, ohm, power)
    assert (rest - ohm * amps) * amps == pytest.approx(power, rel=1e-6, abs=1e-9)
    assert amps <= rest / ohm / 2.0 + 1e-9, "the smaller root: the other one heats the battery"


def test_more_than_a_battery_can_give_is_what_it_gives_at_most():
    assert current_a(16.0, 0.02, 1e6) == pytest.approx(400.0) and current_a(16.0, 0.0, 160.0) == 10.0


def test_endurance_by_a_measured_mean_current_is_charge_over_current():
    """1500 mAh of which 80 % may be used, at 12 A: 6 minutes (arithmetic; 80 % is common practice)."""
    full = endurance(Battery(4.0, 1500 * 3.6, 0.0, 2.6), 0.0, 12.0)
    assert full.seconds / 60 * 0.8 == pytest.approx(6.0, rel=2e-3) and full.charge_as == pytest.approx(5400.0)
    to_stop = endurance(Battery(4.0, 1500 * 3.6, 0.0, 3.7), 0.0, 12.0)
    assert to_stop.charge_as == pytest.approx(0.8 * 5400.0, rel=3e-3), "3.7 V at rest is a fifth of the charge left"


def test_sag_shortens_the_flight():
    times = [endurance(Battery(4.0, 14400.0, ohm, 3.5), 170.0).seconds for ohm in (0.0, 0.006, 0.02, 0.05)]
    assert times == sorted(times, reverse=True) and times[0] > times[-1] > 0
    worn = endurance(Battery(4.0, 14400.0, 0.3, 3.5), 170.0)
    assert worn.seconds == 0.0 and math.isnan(worn.mean_a)
    assert rest_voltage(Battery(), 1.0) == pytest.approx(16.8) and rest_voltage(Battery(), 0.0) == pytest.approx(13.2)
    for wrong in ({"cells": 0.0}, {"capacity_as": -1.0}, {"cell_ohm": -0.1}, {"stop_v": 4.5}):
        with pytest.raises(ParameterError):
            Battery(**wrong)


def test_compiled_battery_is_the_plain_one():
    for share in np.linspace(0, 1, 37):
        assert rest_cell_v(CHARGE, REST_V, float(share)) == pytest.approx(
            float(np.interp(share, CHARGE, REST_V)), abs=1e-12
        )
    p = Power(600.0, 6.0, 0.024, 14400.0, 4.0, 3.7)
    volts, amps = drained(p, 16.0, 0.2)
    assert amps == pytest.approx(current_a(16.0, 0.024, 126.0)) and volts == pytest.approx(16.0 - 0.024 * amps)
    assert drained(p._replace(ohm=0.0), 16.0, 0.2)[1] == pytest.approx(126.0 / 16.0)


def test_motors_follow_as_a_first_order_lag_and_thrust_as_the_square():
    """One time constant: 63.2 % of the way (any text). T = k ω²: 4/5 of the speed gives 16/25 of the thrust."""
    speed = np.zeros(4)
    for _ in range(50):
        spun(speed, np.ones(4), math.exp(-0.001 / 0.05))
    np.testing.assert_allclose(speed, 1.0 - math.exp(-1.0))
    effect = np.array([[5.0, 5, 5, 5], [1, -1, 0, 0], [0, 0, 1, -1], [0.1, 0.1, -0.1, -0.1]])
    assert rotor_wrench(effect, np.full(4, 0.8))[0] == pytest.approx(4 * 3.2)
    assert rotor_wrench(effect, np.array([1.0, 0.5, 1, 1]))[1] == pytest.approx(0.75)
