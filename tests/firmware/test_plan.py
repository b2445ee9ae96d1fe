"""Calibrations worked out beforehand do what the calibrations do; constants come out as they went in."""

import re

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.firmware.kits import made_up_controls, made_up_corrections, plan_for

from fusus.core.calibration.apply import Corrections
from fusus.core.calibration.thermal import evaluate
from fusus.firmware.writing.constants import c_value, number, struct, table
from fusus.firmware.writing.control_files import control_constants
from fusus.firmware.writing.estimator_files import estimator_constants
from fusus.firmware.writing.plan import calibrated
from fusus.firmware.writing.sensor_files import sensor_constants

KINDS = ("mounting", "level", "gyro-bias", "six-face", "magnetometer", "motor-current", "thermal")


@given(kinds=st.sets(st.sampled_from(KINDS)), seed=st.integers(0, 1000), warm=st.one_of(st.none(), st.floats(-10, 60)))
@settings(max_examples=80, deadline=None)
def test_any_set_of_calibrations_in_one_matrix_and_an_offset(kinds, seed, warm):
    whole = made_up_corrections()
    corrections = Corrections({k: v for k, v in whole.by_kind.items() if k in kinds})
    c = calibrated(corrections)
    rng = np.random.default_rng(seed)
    w, f, m, amps = rng.normal(0, 3, 3), rng.normal(0, 12, 3), rng.normal(0, 40, 3), float(rng.uniform(0, 30))
    known = None if warm is None else [warm]
    has_soak = c.gyro_thermal is not None and warm is not None
    if has_soak:
        bias = evaluate(c.gyro_thermal, c.reference_degc, [warm])[0] + c.gyro_moved
        push = evaluate(c.acc_thermal, c.reference_degc, [warm])[0]
    else:
        bias, push = c.gyro_bias, np.zeros(3)
    assert c.mounting @ (w - bias) == pytest.approx(corrections.gyro(w[None], known)[0], abs=1e-12)
    assert c.acc_matrix @ (f - push - c.acc_offset) == pytest.approx(corrections.acc(f[None], known)[0], abs=1e-12)
    field = c.mag_matrix @ (m - c.mag_slope * amps - c.mag_hard)
    assert field == pytest.approx(corrections.mag(m[None], [amps])[0], abs=1e-11)


def test_without_calibrations_readings_stay():
    c = calibrated(Corrections({}))
    assert c.gyro_thermal is None
    for matrix in (c.mounting, c.acc_matrix, c.mag_matrix):
        assert (matrix == np.eye(3)).all()
    assert not c.gyro_bias.any() and not c.acc_offset.any() and not c.mag_hard.any()


FIGURES = st.floats(-1e6, 1e6, allow_nan=False)


@given(values=st.lists(FIGURES, min_size=1, max_size=5))
@settings(deadline=None)
def test_figures_keep_all_their_digits(values):
    text = c_value(values, "double")
    assert [float(v) for v in re.findall(r"[-+.\de]+", text)] == values
    single = [np.float32(v.rstrip("f")) for v in re.findall(r"[-+.\de]+f", c_value(values, "single"))]
    assert single == [np.float32(v) for v in values]


def test_declarations_say_type_size_and_evidence():
    assert number("KIT_A", 0.5, "bench", "single").declaration == "static const float KIT_A = 0.5f;"
    assert number("KIT_B", True, "", "double").declaration == "static const bool KIT_B = true;"
    assert number("KIT_C", 7, "", "double").declaration == "static const int32_t KIT_C = 7;"
    two = table("KIT_T", np.eye(2), "made up", "double")
    assert two.declaration == "static const double KIT_T[2][2] = { { 1.0, 0.0 }, { 0.0, 1.0 } };"
    assert two.rows == (("KIT_T", "{ { 1.0, 0.0 }, { 0.0, 1.0 } }", "made up"),)
    gains = made_up_controls().cascade.roll
    told = struct("KIT_G", "PidGains", gains, {"kp": "by hand"}, "Gains.", "double")
    assert "    .kp = 0.08, /* by hand */" in told.declaration
    assert told.rows[0] == ("KIT_G.kp", "0.08", "by hand") and told.rows[1][2] == "Gains."


@pytest.mark.parametrize("precision", ["single", "double"])
def test_names_are_given_once_and_no_precision_is_mixed(precision, place):
    plan = plan_for("navigation-ekf", precision, place, corrections=made_up_corrections())
    found = [*sensor_constants(plan), *estimator_constants(plan), *control_constants(plan)]
    names = [c.name for c in found]
    assert len(set(names)) == len(names) and all(n.startswith("KIT_") for n in names)
    for c in found:
        figures = re.findall(r"(?<![\w.])\d+\.\d+(?:e[-+]?\d+)?(f?)", re.sub(r"/\*.*?\*/", "", c.declaration))
        assert set(figures) <= ({"f"} if precision == "single" else {""}), c.name


def test_the_field_of_an_unknown_place_is_left_to_the_first_reading(place):
    from fusus.core.world.site import Site

    known = {c.name: c for c in estimator_constants(plan_for("mahony", "double", place))}
    unknown = {c.name: c for c in estimator_constants(plan_for("mahony", "double", Site()))}
    assert float(known["KIT_FIELD_UT"].rows[0][1]) == pytest.approx(place.field.strength_ut)
    assert unknown["KIT_FIELD_UT"].rows[0][1] == "0.0" and "unknown place" in unknown["KIT_SITE"].said
    assert f"{place.declination_rad!r}" in known["KIT_SITE"].declaration
