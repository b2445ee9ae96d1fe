"""Datasheets: units both ways, gaps and absurdities, files, error models, the shipped catalogue."""

import json
import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fusus.core.frames.units import KINDS, from_si, to_si
from fusus.core.parts.exchange import part_from_data, part_to_data, parts_from_data, parts_to_data
from fusus.core.parts.fields import FIELDS, KIND_TITLES, WORDS, fields_of
from fusus.core.parts.fitting import LEFT_BY_CALIBRATION, Fitting
from fusus.core.parts.models import inertial_models, suite_model
from fusus.core.parts.part import Part, addresses, complete, read_figure, shown
from fusus.errors import PartError, UnitError
from fusus.project.parts_files import catalogue, read_parts, write_parts

PARTS = {p.name: p for p in catalogue()}


@given(st.sampled_from([(k, u) for k, units in KINDS.items() for u in units]), st.floats(1e-9, 1e9))
def test_every_unit_converts_both_ways(kind_and_unit, value):
    kind, unit = kind_and_unit
    assert from_si(to_si(value, unit, kind), unit, kind) == pytest.approx(
        value, rel=1e-12, abs=1e-6 if kind == "temperature" else 0
    )


@pytest.mark.parametrize(
    ("text", "quantity", "si"),
    [
        ("5 mdps/√Hz", "rate noise", 5e-3 * math.pi / 180), ("0.3 deg/√h", "rate noise", 0.3 / 60 * math.pi / 180),
        ("150 µg/√Hz", "acceleration noise", 150e-6 * 9.80665), ("8 deg/h", "rate", 8 / 3600 * math.pi / 180),
        ("1,5 hPa", "pressure", 150.0), ("2.5 m CEP50", "horizontal accuracy", 2.5 / 1.1774100225),
        ("5 m 2DRMS", "horizontal accuracy", 5 / math.sqrt(8)), ("400 ppm", "share", 4e-4),
        ("20 mdeg/s/K", "rate per kelvin", 0.02 * math.pi / 180), ("0.1 deg/s/g", "rate per acceleration", 0.1 * math.pi / 180 / 9.80665),
        ("2 mg/g²", "rectification", 2e-3 / 9.80665), ("4000 mAh", "charge", 14400.0), ("30 nT", "field", 0.03),
    ],
)  # fmt: skip
def test_datasheet_units(text, quantity, si):
    f = (
        next(f for fields in FIELDS.values() for f in fields if f.quantity == quantity)
        if quantity != "charge"
        else None
    )
    if f is None:
        assert to_si(4000, "mAh", "charge") == pytest.approx(si)
        return
    assert read_figure(PARTS["Birch 1"], f, text) == pytest.approx(si, rel=1e-9)


def test_a_kelvin_of_difference_is_no_temperature():
    assert to_si(6.0, "K", "temperature difference") == 6.0 and to_si(273.15, "K", "temperature") == pytest.approx(0.0)


def test_figures_in_lsb_take_range_and_bits():
    f = fields_of("imu")["gyro_offset"]
    assert read_figure(PARTS["Birch 1"], f, "40 LSB") == pytest.approx(40 * math.radians(125) / 2**15)
    with pytest.raises(PartError, match="needs the range and the bits"):
        read_figure(Part("imu", "Nameless"), f, "40 LSB")
    with pytest.raises(UnitError):
        read_figure(PARTS["Birch 1"], f, "40 potatoes")


def test_catalogue_is_as_large_as_promised_and_needs_no_assumption():
    count = {k: sum(p.kind == k for p in catalogue()) for k in KIND_TITLES}
    assert (
        count["imu"] >= 12
        and min(count["barometer"], count["magnetometer"], count["receiver"]) >= 6
        and count["rangefinder"] >= 3
    )
    imus = [p for p in catalogue() if p.kind == "imu"]
    assert {p.has_magnetometer for p in imus} == {True, False}
    assert {p.word("grade").split(",")[0] for p in imus} == {"consumer", "industrial", "tactical"}
    for p in catalogue():
        done = complete(p)
        assert not done.problems and not done.assumed, p.title
        assert "Invented" in p.word("notes") and p.word("bus") and p.word("mounting") and p.figures["price"] > 0


CASES = {
    "missing": ({"gyro_noise": None}, "gyro_noise", "not given", True),
    "negative": ({"acc_noise": -1e-3}, "acc_noise", "negative", True),
    "absurd": ({"gyro_offset": 50.0}, "gyro_offset", "absurd", True),
    "no number": ({"acc_offset": float("nan")}, "acc_offset", "no number", True),
    "bandwidth beyond the rate": ({"gyro_bandwidth": 9000.0}, "gyro_bandwidth", "exceeds the rate", False),
    "narrow over wide": ({"acc_range_low": 300.0}, "acc_range_low", "exceeds", False),
    "instability over offset": ({"gyro_offset": 1e-5}, "gyro_instability", "exceeds", False),
    "supply upside down": ({"supply_low": 5.0, "supply_high": 3.0}, "supply_low", "exceeds", False),
    "half a bit": ({"gyro_bits": 15.5}, "gyro_bits", "whole number", False),
}


@pytest.mark.parametrize("name", CASES)
def test_a_wrong_figure_is_named_with_its_reason_and_replaced_by_a_marked_assumption(name):
    change, field, words, is_assumed = CASES[name]
    part = PARTS["Birch 1"]
    for key, value in change.items():
        part = part.with_figure(key, value)
    done = complete(part)
    problem = next(p for p in done.problems if p.field == field)
    assert words in problem.message and problem.action
    assert (field in done.assumed) == is_assumed
    if is_assumed:
        assert done.value(field) == fields_of("imu")[field].assumed and "assumed" in problem.action
    # Whatever is wrong, a model comes of it.
    gyro, acc = inertial_models(done, Fitting())
    assert gyro.noise > 0 and acc.noise > 0


def test_an_empty_datasheet_is_all_assumptions():
    done = complete(Part("imu", "Unknown"))
    assert len(done.assumed) == sum(f.assumed is not None for f in FIELDS["imu"])
    assert all(p.severity == "mind" for p in done.problems) and not done.part.has_magnetometer


def test_words_out_of_their_choice_and_addresses_that_are_none():
    part = Part("barometer", "B", {}, {"bus": "I2C", "address": "0x76, 0x99, seven"})
    found = [p for p in complete(part).problems if p.field == "address"]
    assert len(found) == 2 and addresses(part) == (0x76,)
    odd = complete(Part("barometer", "B", {}, {"bus": "smoke signals"}))
    assert any(p.field == "bus" and "smoke signals" in p.message for p in odd.problems)


def test_parts_survive_json(tmp_path):
    write_parts(tmp_path / "parts.json", catalogue())
    back = read_parts(tmp_path / "parts.json")
    assert [p.name for p in back] == [p.name for p in catalogue()]
    for a, b in zip(back, catalogue(), strict=True):
        assert a.words == b.words and a.figures == pytest.approx(b.figures, rel=1e-8)
    text = (tmp_path / "parts.json").read_text()
    assert "mdeg/s/√Hz" in text and "m CEP50" in text


@given(st.sampled_from(sorted(PARTS)), st.data())
def test_any_figure_survives_its_own_text(name, data):
    part = PARTS[name]
    f = data.draw(st.sampled_from(FIELDS[part.kind]))
    value = data.draw(st.floats(max(f.low, 1e-9), max(f.high, 2e-9)))
    number, unit = shown(f, value)
    assert read_figure(part, f, f"{number:.15g} {unit}") == pytest.approx(value, rel=1e-9, abs=1e-9)


BAD_FILES = {
    "not json": ("{oops", "line 1, column 2"),
    "no list": ('{"parts": 3}', "a file of parts"),
    "newer": ('{"format": 9, "parts": []}', "it is 9"),
    "no name": ('{"parts": [{"kind": "imu"}]}', "part 1"),
    "no kind": ('{"parts": [{"name": "X", "kind": "toaster"}]}', "toaster"),
    "odd field": ('{"parts": [{"name": "X", "kind": "imu", "figures": {"colour": 3}}]}', "no such field"),
    "odd unit": ('{"parts": [{"name": "X", "kind": "imu", "figures": {"gyro_noise": "3 m"}}]}', "no unit"),
    "odd value": ('{"parts": [{"name": "X", "kind": "imu", "figures": {"gyro_noise": [1]}}]}', "no figure"),
    "odd word": ('{"parts": [{"name": "X", "kind": "imu", "words": {"motto": "fly"}}]}', "no such word"),
    "odd entry": ('{"parts": [{"name": "X", "kind": "imu", "price": 3}]}', "no such entry"),
    "words are numbers": ('{"parts": [{"name": "X", "kind": "imu", "words": {"bus": 3}}]}', "texts by name"),
    "twice": ('{"parts": [{"name": "X", "kind": "imu"}, {"name": "X", "kind": "imu"}]}', "twice"),
    "a list": ("[1, 2]", "a file of parts"),
}


@pytest.mark.parametrize("name", BAD_FILES)
def test_a_file_that_is_wrong_is_refused_in_one_sentence(tmp_path, name):
    text, words = BAD_FILES[name]
    path = tmp_path / "p.json"
    path.write_text(text)
    with pytest.raises(PartError) as caught:
        read_parts(path)
    assert words in str(caught.value) and "\n" not in str(caught.value)


def test_files_that_cannot_be_read(tmp_path):
    with pytest.raises(PartError, match="cannot be read"):
        read_parts(tmp_path / "none.json")
    (tmp_path / "b.json").write_bytes(b"\xff\xfe{\x00")
    with pytest.raises(PartError, match="no UTF-8"):
        read_parts(tmp_path / "b.json")


def test_bare_numbers_are_in_the_usual_unit_and_lsb_may_come_before_its_range():
    part = part_from_data(
        {
            "kind": "imu",
            "name": "X",
            "figures": {"acc_offset": "20 LSB", "gyro_noise": 4, "acc_range_low": "2 g", "acc_bits": 16},
        },
        "f",
    )
    assert part.figures["gyro_noise"] == pytest.approx(4e-3 * math.pi / 180)
    assert part.figures["acc_offset"] == pytest.approx(20 * 2 * 9.80665 / 2**15)
    assert part_from_data(part_to_data(part), "f").figures == pytest.approx(part.figures, rel=1e-8)
    assert parts_from_data(json.loads(json.dumps(parts_to_data((part,)))), "f")[0].name == "X"


def test_one_sided_density_is_halved_in_power_and_allan_coefficients_are_not():
    printed = PARTS["Birch 1"].figures["gyro_noise"]
    assert inertial_models(complete(PARTS["Birch 1"]), Fitting())[0].noise == pytest.approx(printed / math.sqrt(2))
    dogwood = PARTS["Dogwood 1"]
    assert dogwood.word("noise_is") == "Allan coefficient"
    assert inertial_models(complete(dogwood), Fitting())[0].noise == pytest.approx(dogwood.figures["gyro_noise"])


def test_calibration_foam_and_slow_share_act_where_they_should():
    birch, fen, needle, tern = (complete(PARTS[n]) for n in ("Birch 1", "Fen 3", "Needle 1", "Tern 3"))
    rough = suite_model(birch, fen, needle, tern, None, Fitting(calibrated=False, foam=False))
    fine = suite_model(birch, fen, needle, tern, None, Fitting())
    assert fine.acc.bias == pytest.approx(rough.acc.bias * LEFT_BY_CALIBRATION)
    assert fine.mag.hard_iron_ut == pytest.approx(rough.mag.hard_iron_ut * LEFT_BY_CALIBRATION)
    assert fine.baro.airflow_cp == pytest.approx(0.2 * rough.baro.airflow_cp)
    g = fine.gnss
    total = math.hypot(g.white_horizontal_m, g.correlated_horizontal_m)
    assert total == pytest.approx(tern.value("position_horizontal")) and g.correlated_horizontal_m == pytest.approx(
        0.78 * total
    )
    assert suite_model(birch, None, None, None, None, Fitting()).gnss is None
    own = complete(PARTS["Birch 9"])
    assert suite_model(own, None, own, None, None, Fitting()).mag.noise_ut == pytest.approx(0.4)


def test_every_word_of_the_catalogue_is_known():
    assert all(set(p.words) <= set(WORDS) for p in catalogue())
