"""Numbers as people write them."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fusus.core.frames import units
from fusus.errors import UnitError


@pytest.mark.parametrize(
    ("text", "kind", "expected"),
    [
        ("500 deg/s", "rate", 500 * math.pi / 180), ("0,5 mg", "acceleration", 0.5e-3 * 9.80665), ("1.2e-3 rad/s", "rate", 1.2e-3),
        ("2000 dps", "rate", 2000 * math.pi / 180), ("1013.25 hPa", "pressure", 101325.0), ("49 uT", "field", 49.0),
        ("0.5 gauss", "field", 50.0), ("20", "angle", math.radians(20)), ("293.15 K", "temperature", 20.0), ("68 °F", "temperature", 20.0),
        ("3 ft", "length", 0.9144), ("10 %", "share", 0.1), (".5 m/s^2", "acceleration", 0.5),
    ],
)  # fmt: skip
def test_numbers_with_units(text, kind, expected):
    value, _ = units.parse(text, kind, "deg" if kind == "angle" else next(iter(units.KINDS[kind])))
    assert math.isclose(value, expected, rel_tol=1e-9, abs_tol=1e-9)


@pytest.mark.parametrize("text", ["", "fast", "1..2 m", "5 apples", "3 hPa"])
def test_what_is_no_number_is_told(text):
    with pytest.raises(UnitError, match="use|write"):
        units.parse(text, "length", "m")


def test_capitals_tell_mg_from_milligauss():
    assert (units.known_unit("mG"), units.known_unit("mg"), units.known_unit("nonsense")) == ("mG", "mg", None)


@given(st.sampled_from([(k, u) for k, us in units.KINDS.items() for u in us]), st.floats(-1e6, 1e6))
def test_units_convert_both_ways(unit, value):
    kind, name = unit
    assert math.isclose(units.from_si(units.to_si(value, name, kind), name, kind), value, rel_tol=1e-9, abs_tol=1e-6)
