"""From a project's names to predictions, lists, schools, facts: the demo craft."""

import csv
import io
import math

import pytest

from fusus.core.parts.part import Part
from fusus.core.progress import Silent
from fusus.demo.build import demo_project
from fusus.errors import PartError
from fusus.project.commands import AddParts, RemovePart, SetValue
from fusus.project.parts_files import catalogue
from fusus.project.records import Project
from fusus.study.brief.brief import available, body_of, derived_requirements_of, mission_of
from fusus.study.parts import suite as suites
from fusus.study.parts.drift_facts import facts
from fusus.study.parts.lists import as_csv, shopping_rows, wiring_rows
from fusus.study.parts.prediction import prediction_result
from fusus.study.parts.ranges import raw_rows, registers
from fusus.study.parts.schools import schools


@pytest.fixture(scope="module")
def project():
    """The demo's craft without its rangefinder: its height then is out of reach, which leaves something to be found."""
    found = demo_project()
    return found.model_copy(update={"parts": found.parts.model_copy(update={"rangefinder": None})})


@pytest.fixture(scope="module")
def study(project):
    return suites.study_suite(project)


@pytest.fixture(scope="module")
def ranking(project):
    # A catalogue of the maker's own that hides most of the shipped parts would be cheating: rank a few choices.
    from fusus.core.mission.trajectory import COARSE_STEP_S
    from fusus.core.prediction.ranking import choices, rank

    few = [
        suites.completed(p)
        for p in catalogue()
        if p.name in ("Birch 1", "Birch 9", "Fen 3", "Needle 1", "Tern 3", "Plover 2")
    ]
    return rank(
        choices(tuple(few)),
        suites.trajectory_of(project, COARSE_STEP_S),
        project.brief.requirements,
        project.parts.fitting,
    )


def test_the_demo_is_predicted_with_its_weakest_source_and_a_cure(project, study):
    report = suites.prediction_summary(study)
    by_name = {r["name"]: r for r in report["requirements"]}
    assert by_name["tilt"]["met"] and 0.05 < by_name["tilt"]["predicted"] < 1.0 and by_name["tilt"]["unit"] == "deg"
    assert not by_name["height"]["met"], "the demo leaves something to be found"
    assert sum(by_name["height"]["budget"].values()) == pytest.approx(1.0, abs=1e-9)
    assert report["price"] == pytest.approx(5.2 + 3.6 + 6.4 + 29) and not report["assumed"] and not report["problems"]
    stop = next(f for f in report["findings"] if f["severity"] == "stop")
    assert stop["subject"].startswith("Height") and "cr)" in stop["next_step"]
    assert (
        max(by_name["heading"]["gains"], key=by_name["heading"]["gains"].get)
        == "a magnetometer calibration twice as good"
    )


def test_an_outage_requirement_sets_the_missions_outage(project):
    assert mission_of(project).outage_s == 8.0
    other = SetValue("brief.requirements.5.outage_s", 20.0, "x").apply(project)
    assert mission_of(other).outage_s == 20.0
    none = project.model_copy(
        update={"brief": project.brief.model_copy(update={"requirements": project.brief.requirements[:2]})}
    )
    assert mission_of(none).outage_s == project.brief.mission.outage_s


def test_own_parts_take_the_place_of_shipped_ones(project):
    own = Part("imu", "Birch 1", {"price": 1.0})
    changed = AddParts((own, Part("imu", "Mine", {"price": 2.0}))).apply(project)
    names = [(p.kind, p.name) for p in available(changed)]
    assert len(names) == len(set(names)) == len(catalogue()) + 1
    study = suites.study_suite(changed)
    assert study.choice.imu.part.figures["price"] == 1.0 and len(study.choice.imu.assumed) > 20
    assert suites.prediction_summary(study)["assumed"]["Birch 1"]
    back = RemovePart("imu", "Birch 1").apply(changed)
    assert suites.find_part(back, "imu", "Birch 1").part.figures["price"] == pytest.approx(5.2)


def test_what_is_not_there_is_named(project):
    with pytest.raises(PartError, match="no such imu"):
        suites.study_suite(SetValue("parts.imu", "Oak 7", "x").apply(project))
    with pytest.raises(PartError, match="no magnetometer of its own"):
        suites.choice_of(SetValue("parts.magnetometer", "Birch 1", "x").apply(project))
    assert suites.study_suite(Project(name="empty")) is None
    board = SetValue("parts.imu", "Birch 9", "x").apply(SetValue("parts.magnetometer", "Birch 9", "x").apply(project))
    assert suites.choice_of(board).magnetometer is suites.choice_of(board).imu


def test_shopping_list_and_wiring_table(study):
    rows = shopping_rows(study.choice)
    assert [r[1] for r in rows[1:-1]] == ["Birch 1", "Fen 3", "Needle 1", "Tern 3"] and rows[-1][0] == "total"
    assert float(rows[-1][2]) == pytest.approx(sum(float(r[2]) for r in rows[1:-1]))
    wiring = {r[0]: r for r in wiring_rows(study.choice)[1:]}
    assert (
        wiring["Fen 3"][1:3] == ["I2C", "0x76"]
        and "chip select" in wiring["Birch 1"][4]
        and wiring["Tern 3"][3] == "10"
    )
    back = list(csv.reader(io.StringIO(as_csv(rows).decode())))
    assert back == rows


def test_registers_scale_as_the_bits_say(study):
    rows = registers(study)
    gyro = next(r for r in rows if r.sensor == "Gyro, 16 bit" and r.range.startswith("±2000"))
    assert gyro.per_unit == "16.384" and gyro.step.startswith("0.061")  # 2^15/2000 counts per deg/s: LSB-02
    assert {r.sensor.split(",")[0] for r in rows} == {"Gyro", "Accel.", "Magn."}
    raw = [r for r in raw_rows(study) if r[0] == "Gyro"]
    words = {r[1]: r for r in raw}
    assert words["0x8000"][2] == "-32768" and words["0x8000"][3] == "-2000 deg/s" and words["0xFFFF"][2] == "-1"


def test_schools_stand_side_by_side_with_figures_of_their_own(project, study, ranking):
    found = {s.question: s for s in schools(project, study, ranking)}
    assert set(found) == {
        "Range of the gyro",
        "Range of the accelerometer",
        "Filter the gyro",
        "Heading from",
        "One board or several",
        "Who fuses",
    }
    # A second-order low-pass of 100 Hz is 2.25 ms late (0.2251/fc, FLT-06): 16° at 20 Hz.
    assert "2.3 ms late: 16°" in found["Filter the gyro"].second_says
    assert (
        "°" in found["Heading from"].first_says
        and found["Heading from"].first_says != found["Heading from"].second_says
    )
    assert "One board or several" not in {s.question for s in schools(project, study, None)}


def test_facts_of_the_demo(project, study):
    found = {f.name: f for f in facts(project, study)}
    assert found["Gyro grade"].value == "consumer" and found["Earth's rotation"].value == "15 °/h"
    assert (
        "may be dropped" in found["Coriolis"].meaning and "σ/√n" in found["Averaging for the wanted bias error"].meaning
    )
    assert found["GNSS CEP50"].value == "1.50 m" and found["Averaging for the wanted bias error"].value.endswith(" s")
    strict = SetValue("drift.bias_error_rad_s", 1e-7, "x").apply(project)
    assert {f.name: f for f in facts(strict, study)}["Averaging for the wanted bias error"].value == "never"
    field, current = study.prediction.trajectory.place[4], project.brief.mission.hover_current_a
    expected = math.degrees(math.asin(project.parts.fitting.motor_ut_a * current / field))
    assert found["Motor currents on heading"].value == f"{expected:.1f}°"


def test_the_outlook_holds_all_that_the_stages_show(project, ranking):
    result = prediction_result(project, ranking, Silent())
    assert (
        len(result.rows) == len(catalogue())
        and len(result.needs) == len(derived_requirements_of(project))
        and result.findings
    )
    fan = result.fan
    # The closed form is one sigma: 68 % of the simulated runs lie within it.
    assert fan.bands_deg[3][-1] == pytest.approx(fan.sigma_deg[-1], rel=0.2) and fan.bands_deg[1][-1] == pytest.approx(
        -fan.sigma_deg[-1], rel=0.2
    )
    r = result.reckoning
    total = sum(c**2 for c in r.causes.values()) ** 0.5
    assert total[r.t_s < r.holds_s].max() <= r.limit_m
    assert result.allan["gyro"]["total"].min() > 0 and result.schools and result.registers
    nothing = prediction_result(Project(name="empty"), None, Silent())
    assert nothing.study is None and nothing.rows and not nothing.findings


def test_the_craft_as_a_body(project):
    rows = {name: value for name, value, _ in body_of(project)}
    assert rows["Thrust to weight"] == f"{4 * 8 / (1.35 * 9.8133):.2f}" and rows["Inertia, roll, pitch, yaw"].endswith(
        "g m²"
    )


def test_ranking_summary_is_the_contracts(ranking):
    report = suites.ranking_summary(ranking, 1.5)
    assert report["evaluated"] == len(ranking.suites) and report["elapsed_s"] == 1.5
    first = report["front"][0]
    assert set(first["parts"]) == {"imu", "barometer", "magnetometer", "receiver"} and first["cost"] > 0
    assert set(first["errors"]) == {"tilt", "heading", "height", "position", "velocity", "outage_8s"}
