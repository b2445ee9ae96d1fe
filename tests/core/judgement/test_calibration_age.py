"""When calibrations are due: the schools as practitioners state them, and the check that decides."""

import numpy as np
import pytest
from tests.bench import SITE, board, imu, xyz

from fusus.core.calibration.apply import Corrections
from fusus.core.calibration.check import check_acc, check_gyro, check_mag
from fusus.core.judgement.calibration_age import RISKS, CalibrationAge, due
from fusus.core.simulation.board.board import collect
from fusus.core.simulation.board.handling import tumble


def standing(
    kind="magnetometer", age=5.0, distance=0.0, warmer=None, events=(), flights=0, holds=None, check_age=None, said=""
):
    return CalibrationAge(kind, age, distance, warmer, tuple(events), flights, holds, check_age, said)


@pytest.mark.parametrize(
    ("given", "school", "is_due", "words"),
    [
        (standing(flights=1), "each-flight", True, "1 flight since"),
        (standing(), "each-flight", False, "no flight"),
        (standing(events=("knock",)), "on-signs", True, "knock"),
        (standing(age=400), "on-signs", False, "no sign"),
        (standing(kind="thermal", events=("knock",)), "on-signs", False, ""),
        (standing(distance=60e3), "distance-and-age", True, "60 km"),
        (standing(distance=40e3, age=29), "distance-and-age", False, ""),
        (standing(age=31), "distance-and-age", True, "31 days"),
        (standing(kind="mounting", age=400), "distance-and-age", False, ""),
        (standing(distance=1e6, holds=True, check_age=0.1, said="fine."), "check", False, "checked"),
        (standing(holds=False, check_age=0.1, said="varies by 9 %."), "check", True, "varies by 9 %"),
        (standing(kind="gyro-bias", age=1, warmer=-15.0), "check", True, "-15 K"),
        (standing(events=("new wiring",)), "check", True, "new wiring"),
        (standing(kind="gyro-bias", events=("new wiring",)), "check", False, "nothing"),
    ],
)
def test_schools(given, school, is_due, words):
    found = due(given, school)
    assert found.is_due == is_due
    assert words in found.why
    assert found.risk == RISKS[given.kind]
    assert bool(found.next_step) == is_due


def test_a_check_holds_what_is_right_and_fails_what_has_moved():
    made = board(21)
    made.hands.rest(9.0)
    tumble(made.hands, made.rng, 30.0)
    streams, truth = collect(made, 25.0)
    s = made.specimen
    t, w, f = imu(streams)
    e, warm = s.acc, float(truth["temperature_degc"].mean())
    right = Corrections(
        {
            "gyro-bias": {"gyro_bias_rad_s": truth["gyro_bias"][:1500].mean(axis=0)},
            "six-face": {"offset_m_s2": e.bias + (warm - 25.0) * e.slope, "correction": np.linalg.inv(e.matrix)},
            "magnetometer": {"hard_iron_ut": s.hard_iron_ut, "correction": np.linalg.inv(s.soft_iron)},
        }
    )
    m = xyz(streams["mag"], "mag", "ut")
    strength = SITE.field.strength_ut
    assert check_gyro(t, w, f, right, None, 1e-5).holds
    assert check_acc(t, w, f, right, None, SITE.gravity_m_s2).holds
    assert check_mag(m, right, strength).holds
    moved = Corrections(
        {
            "gyro-bias": {"gyro_bias_rad_s": np.array([0.02, 0.0, 0.0])},
            "six-face": {"offset_m_s2": e.bias + 0.6, "correction": np.eye(3)},
            "magnetometer": {"hard_iron_ut": s.hard_iron_ut + [6.0, 0, 0], "correction": np.linalg.inv(s.soft_iron)},
        }
    )
    assert "again" in check_gyro(t, w, f, moved, None, 1e-5).statement
    assert not check_acc(t, w, f, moved, None, SITE.gravity_m_s2).holds
    assert not check_mag(m, moved, strength).holds
    # Without a turn the field says nothing, and nothing is claimed.
    assert check_mag(m[:300], right, strength) is None
