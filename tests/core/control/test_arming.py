"""The rules of arming, each for its own reason, and for figures that are none."""

import math

import pytest

from fusus.core.control.arming import (
    ATTITUDE,
    CALIBRATION,
    FAILSAFE,
    MODE,
    MOVES,
    PLACE,
    REASONS,
    SENSOR,
    THROTTLE,
    TILT,
    refusals,
    words,
)
from fusus.core.control.cascade import HEIGHT, LEVEL
from fusus.core.control.cascade import PLACE as PLACE_HOLD


def arms(tilt_deg=0.0, throttle=0.0, rate=0.0, due=False, healthy=True, mode=LEVEL, knows=True, limit=25.0):
    return refusals(math.radians(limit), due, healthy, mode, throttle, math.cos(math.radians(tilt_deg)), rate, knows)


def test_each_rule_refuses_for_its_own_reason():
    assert arms() == 0
    cases = {
        THROTTLE: arms(throttle=0.2), TILT: arms(26.0), MOVES: arms(rate=1.0), CALIBRATION: arms(due=True), SENSOR: arms(healthy=False),
        PLACE: arms(mode=PLACE_HOLD, knows=False), ATTITUDE: arms(math.nan), MODE: arms(mode=99),
    }  # fmt: skip
    assert all(bits == bit for bit, bits in cases.items()) and set(cases) == set(REASONS) - {FAILSAFE}, (
        "that one is the failsafe's own"
    )
    assert arms(24.0) == 0 and arms(179.0, limit=180.0) == 0, "180° switches the rule off: common practice"
    assert words(THROTTLE | TILT) == ("the throttle is raised, or not known", "the craft is tilted beyond the limit")


@pytest.mark.parametrize(
    ("given", "wanted"),
    [
        ({"throttle": math.nan}, THROTTLE),
        ({"rate": math.nan}, SENSOR),
        ({"rate": math.inf}, MOVES),
        ({"mode": -1}, MODE),
        ({"mode": HEIGHT, "throttle": 0.5}, 0),
        ({"mode": HEIGHT, "throttle": 0.8}, THROTTLE),
    ],
)
def test_no_figure_that_is_none_lets_motors_start_nor_a_climb_that_is_asked_for(given, wanted):
    assert arms(**given) == wanted
