"""What a maker changes moves the prediction the way it should, and the commands keep the record straight."""

from dataclasses import replace

import pytest

from fusus.core.mission.mission import Mission
from fusus.core.prediction.predict import predict
from fusus.core.requirements import Requirement
from fusus.demo.build import demo_project
from fusus.errors import FususError, ParameterError
from fusus.project import store
from fusus.project.commands import AddParts, SetValue
from fusus.project.document import Document
from fusus.project.records import Budgets, Climate, Drift, Parts
from fusus.study.parts import suite as suites

BASE = demo_project()


def value(project, quantity):
    """Return the predicted figure of one requirement, SI."""
    model = suites.model_of(project, suites.choice_of(project))
    wanted = next(r for r in project.brief.requirements if r.quantity == quantity)
    by_course = project.parts.heading == "GNSS course"
    return predict(model, suites.trajectory_of(project), (wanted,), by_course, with_budget=False).figures[0].value


def changed(path, new, project=BASE):
    return SetValue(path, new, "x").apply(project)


@pytest.mark.parametrize(
    ("path", "new", "quantity", "worse"),
    [
        ("brief.mission.warming_k", 20.0, "tilt", True), ("brief.mission.vibration_acc_m_s2", 15.0, "tilt", True),
        ("brief.mission.hover_current_a", 80.0, "heading", True), ("brief.mission.weather_pa", 300.0, "height", True),
        ("brief.mission.outage_s", 8.0, "outage", None), ("parts.fitting.calibrated", False, "heading", True),
        ("parts.fitting.foam", False, "height", True), ("parts.rangefinder", "Reed 2", "height", False),
        ("parts.receiver", "Plover R", "position", False), ("parts.receiver", "Tern 1", "velocity", True),
        ("parts.magnetometer", "Lode 1", "heading", True), ("parts.imu", "Dogwood 1", "outage", False),
        ("parts.imu", "Elm 14", "outage", True), ("parts.heading", "GNSS course", "heading", True),
        ("parts.fitting.motor_ut_a", 0.5, "heading", True), ("brief.mission.wind_m_s", 12.0, "height", True),
    ],
)  # fmt: skip
def test_a_change_moves_the_prediction_the_way_it_should(path, new, quantity, worse):
    before, after = value(BASE, quantity), value(changed(path, new), quantity)
    if worse is None:
        assert after == pytest.approx(before, rel=1e-12)
    elif worse:
        assert after > before * 1.01
    else:
        assert after < before * 0.9


def test_the_place_matters_where_the_field_is_steep():
    """Near the magnetic pole the horizontal field is weak: the same magnetometer gives a poorer heading."""
    north = changed("brief.place.lat_deg", 78.0)
    assert value(north, "heading") > 1.5 * value(BASE, "heading")


def test_statistics_of_one_requirement_stand_in_their_order():
    figures = {}
    for statistic in ("rmse", "p95", "max"):
        wanted = Requirement("position", 1.5, statistic)
        figures[statistic] = value(changed("brief.requirements.3", wanted), "position")
    assert figures["rmse"] < figures["p95"] < figures["max"] < 10 * figures["rmse"]


@pytest.mark.parametrize(
    ("path", "bad"),
    [
        ("brief.mission.wind_m_s", 400.0), ("brief.mission.height_m", 0.0), ("brief.climate.low_degc", -500.0),
        ("brief.budgets.bus_share", 2.0), ("drift.averaging_s", 0.0), ("parts.heading", "the stars"), ("brief.modes", ("hover",)),
        ("brief.craft.motor_thrust_n", -1.0), ("brief.craft.inertia_x_kg_m2", 0.0),
    ],
)  # fmt: skip
def test_what_cannot_be_is_refused_in_one_sentence(path, bad):
    with pytest.raises(FususError) as caught:
        changed(path, bad)
    assert "\n" not in str(caught.value) and str(bad).strip("(),'") in str(caught.value).replace("',", "")


def test_a_missions_figures_are_checked_when_they_are_made():
    with pytest.raises(ParameterError):
        replace(Mission(), outage_s=-1.0)


def test_everything_is_saved_and_comes_back(tmp_path):
    folder = tmp_path / "craft"
    store.create(folder, BASE)
    with_all = changed("brief.budgets", Budgets(price=10.0, bus_share=0.2), changed("drift", Drift(limit_m=7.0)))
    document = Document.open(folder)
    document.do(SetValue("brief", with_all.brief, "x"))
    document.do(SetValue("drift", with_all.drift, "x"))
    document.do(AddParts(tuple(suites.available(BASE)[:2])))
    document.do(SetValue("brief.climate", Climate(low_degc=-20.0, high_degc=40.0), "x"))
    document.close()
    back = store.load(folder)
    assert back.brief.budgets.price == 10.0 and back.drift.limit_m == 7.0 and len(back.parts.own) == 2
    assert back.parts.own[0].figures == pytest.approx(suites.available(BASE)[0].figures)
    assert back.brief.climate.high_degc == 40.0 and back.parts.fitting == BASE.parts.fitting


def test_a_project_from_before_parts_still_opens(tmp_path):
    """Fields that came later have their usual values; nothing of the old is lost."""
    folder = tmp_path / "old"
    store.create(folder, BASE)
    path = folder / store.PROJECT_FILE
    import json

    data = json.loads(path.read_text())
    for gone in ("parts", "drift"):
        data.pop(gone)
    for gone in ("modes", "mission", "climate", "budgets"):
        data["brief"].pop(gone)
    path.write_text(json.dumps(data))
    back = store.load(folder)
    assert (
        back.parts == Parts() and back.brief.mission == Mission() and back.brief.requirements == BASE.brief.requirements
    )


def test_undo_of_added_parts_brings_the_earlier_ones_back(tmp_path):
    folder = tmp_path / "craft"
    store.create(folder, BASE)
    document = Document.open(folder)
    first = suites.available(BASE)[0]
    document.do(AddParts((first,)))
    document.do(AddParts((first.with_figure("price", 99.0),)))
    assert document.project.parts.own[0].figures["price"] == 99.0
    document.undo()
    assert document.project.parts.own == (first,)
    document.undo()
    assert document.project.parts.own == ()
    document.close()
