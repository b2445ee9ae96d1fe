"""A project's kit: what it is made of, when it is old, how it is written, what it costs, and own code beside it."""

import json
import subprocess
from dataclasses import replace

import pytest
from tests.conftest import flown_project, short_flight

from fusus.core.estimation.mahony.parameters import Parameters as MahonyParameters
from fusus.errors import CompilerError, ProjectError
from fusus.firmware.running import programs
from fusus.project import store
from fusus.project.commands import SetValue, TakeCalibration
from fusus.project.evidence import Evidence
from fusus.project.records import Fusion, Kit, Project, StoredCalibration
from fusus.study.kit.costing import cost_of, cost_report, into_loops
from fusus.study.kit.own import check_own, own_report, own_words
from fusus.study.kit.planning import plan_of
from fusus.study.kit.proving import prove_kit, proved_report
from fusus.study.kit.recordings import for_kit
from fusus.study.kit.state import estimator_of, is_stale, state_of
from fusus.study.kit.writing import LIST, files_of, vector_input, write_kit

FIRST = ("mahony", "complementary")


@pytest.fixture(scope="module")
def heron(tmp_path_factory, site):
    folder = tmp_path_factory.mktemp("kit") / "Heron"
    _, streams = short_flight(site)
    flown_project(folder, streams, fusion=Fusion(estimators=FIRST))
    return folder


def calibration(kind="gyro-bias", **parameters):
    from datetime import UTC, datetime

    return StoredCalibration(
        kind=kind, recording="bench", when=datetime(2026, 9, 1, tzinfo=UTC), parameters=parameters, standard_errors={}, units={},
        before={}, after={}, verdict="pass", reason="good",
    )  # fmt: skip


@pytest.mark.parametrize(
    ("path", "value"),
    [
        ("fusion.mahony", MahonyParameters(kp_acc=0.7)),
        ("fusion.estimators", ("complementary",)),
        ("kit.estimator", "madgwick"),
        ("kit.precision", "double"),
        ("loops.gyro_lowpass_hz", 70.0),
        ("loops.acc_lowpass_hz", 40.0),
        ("brief.craft.mass_kg", 1.4),
        ("bench.use", False),
    ],
)
def test_what_changes_the_kit_changes_its_state(path, value, heron):
    project = TakeCalibration(calibration(gyro_bias_rad_s=[0.01, 0, 0])).apply(store.load(heron))
    changed = SetValue(path, value, "x").apply(project)
    assert state_of(changed) != state_of(project)


@pytest.mark.parametrize(
    ("path", "value"),
    [
        ("fusion.madgwick.beta_rad_s", 0.05),
        ("fusion.recording", "hop"),
        ("kit.clock_hz", 72e6),
        ("brief.about", "a tern"),
        ("kit.own", "x"),
    ],
)
def test_what_is_not_in_the_kit_leaves_its_state(path, value, heron):
    project = store.load(heron)
    assert state_of(SetValue(path, value, "x").apply(project)) == state_of(project)


def test_the_kit_holds_the_judged_estimator_or_the_chosen_one(heron):
    project = store.load(heron)
    assert estimator_of(project) == "mahony" == plan_of(project).info.name
    chosen = SetValue("kit.estimator", "navigation-ekf", "x").apply(project)
    plan = plan_of(chosen)
    assert plan.info.name == "navigation-ekf" and plan.errors > 16 and plan.coefficients is not None
    assert plan_of(chosen, "double", "altitude").precision == "double"


def test_constants_rest_on_the_projects_evidence(heron):
    project = store.load(heron)
    told = Evidence(source="bench", conditions="weighed")
    project = SetValue("brief.craft.mass_kg", 1.3, "x", told).apply(project)
    project = TakeCalibration(calibration(gyro_bias_rad_s=[0.01, 0, 0])).apply(project)
    plan = plan_of(project)
    assert plan.evidence("cascade.mass_kg") == "bench, weighed"
    assert plan.evidence("gyro-bias") == "bench, recording “bench”, 2026-09-01, pass"
    assert plan.evidence("six-face") == "none active"
    assert "designed to cross over" in plan.evidence("cascade.roll")
    assert list(plan.calibrations.gyro_bias) == [0.01, 0, 0]
    by_hand = SetValue("loops.roll", (0.1, 0.2, 0.001), "x").apply(project)
    assert plan_of(by_hand).evidence("cascade.roll") == "by hand"


def test_a_kit_is_written_whole_and_written_again(heron, tmp_path):
    project = store.load(heron)
    plan = plan_of(project)
    files = files_of(heron, project, plan)
    exported = write_kit(tmp_path / "kit", files, plan)
    assert exported.state == state_of(project) and set(exported.files) == set(files)
    listed = json.loads((tmp_path / "kit" / LIST).read_text())
    assert listed["estimator"] == "mahony" and set(listed["files"]) == set(files)
    done = subprocess.run(["make", "check"], cwd=tmp_path / "kit", capture_output=True, text=True)
    assert done.returncode == 0, done.stdout + done.stderr
    # What make left does not stand in the way, and other gains replace what Fusus wrote.
    other = SetValue("fusion.mahony", MahonyParameters(kp_acc=0.9), "x").apply(project)
    again = plan_of(other)
    write_kit(tmp_path / "kit", files_of(heron, other, again), again)
    assert ".kp_acc = 0.9f" in (tmp_path / "kit" / "estimator_constants.h").read_text()


def test_the_accelerometers_filter_is_in_the_kit_where_the_project_has_one(heron, tmp_path):
    project = store.load(heron)
    without = files_of(heron, project, plan_of(project))
    assert "sensors_acc_filter" not in without["sensors.h"] and "acc_filter" not in without["vectors.txt"]
    filtering = SetValue("loops.acc_lowpass_hz", 35.0, "x").apply(project)
    plan = plan_of(filtering)
    assert plan.controls.acc_sections.shape == (1, 6)
    assert plan.evidence("acc_filter") == "second-order low-pass at 35 Hz"
    files = files_of(heron, filtering, plan)
    assert "void sensors_acc_filter(AccFilter *f" in files["sensors.h"]
    assert "sensors_acc_filter(&f->acc_filter, f->sample.acc_m_s2)" in files["main.c"]
    assert "low-pass at 35 Hz" in " ".join(files["sensors_constants.h"].replace("-\n   ", "-").split())
    write_kit(tmp_path / "kit", files, plan)
    done = subprocess.run(["make", "check", "desk"], cwd=tmp_path / "kit", capture_output=True, text=True)
    assert done.returncode == 0, done.stdout + done.stderr
    assert "filters" in done.stdout and "NOT EQUAL" not in done.stdout


def test_what_a_maker_changed_is_not_written_over(heron, tmp_path):
    project = store.load(heron)
    plan = plan_of(project)
    files = files_of(heron, project, plan)
    write_kit(tmp_path, files, plan)
    (tmp_path / "control.c").write_text("/* mine */\n")
    with pytest.raises(ProjectError, match=r"control\.c: changed by hand"):
        write_kit(tmp_path, files, plan)
    assert (tmp_path / "control.c").read_text() == "/* mine */\n"
    stranger = tmp_path / "other"
    stranger.mkdir()
    (stranger / "Makefile").write_text("all:\n")
    with pytest.raises(ProjectError, match="Makefile"):
        write_kit(stranger, files, plan)
    assert [p.name for p in stranger.iterdir()] == ["Makefile"]


def test_an_export_grows_old(heron, tmp_path):
    project = store.load(heron)
    assert not is_stale(project)
    plan = plan_of(project)
    exported = write_kit(tmp_path, files_of(heron, project, plan), plan)
    project = SetValue("kit.exported", exported, "x").apply(project)
    assert not is_stale(project)
    assert is_stale(SetValue("loops.derivative_hz", 40.0, "x").apply(project))
    store.create(tmp_path / "kept", project)
    assert store.load(tmp_path / "kept").kit.exported == exported


def test_without_recordings_a_made_up_flight_serves(tmp_path):
    project = Project(name="Empty", fusion=Fusion(estimators=("complementary",)))
    store.create(tmp_path / "Empty", project)
    assert for_kit(tmp_path / "Empty", project) == []
    name, given = vector_input(tmp_path / "Empty", project)
    assert name.startswith("a made-up hover") and len(given.t_s) > 5000
    proved = prove_kit(tmp_path / "Empty", project, precisions=("double",))
    assert proved.is_equal and proved.found[0][0] == name


def test_proof_covers_both_precisions_and_reports(heron):
    project = store.load(heron)
    proved = prove_kit(heron, project)
    assert proved.is_equal and [e.precision for _, e in proved.found] == ["double", "single"]
    report = proved_report(proved)
    assert report["equal"] and report["why_not"] is None and report["state"] == state_of(project)
    assert {h["figure"] for h in report["recordings"][0]["held"]} >= {"attitude", "states"}
    only = prove_kit(heron, SetValue("kit.precision", "double", "x").apply(project))
    assert [e.precision for _, e in only.found] == ["double"]


def test_without_a_compiler_the_proof_says_so(heron, monkeypatch, tmp_path):
    monkeypatch.setenv("PATH", str(tmp_path))
    monkeypatch.delenv("CC", raising=False)
    proved = prove_kit(heron, store.load(heron), precisions=("double",))
    assert not proved.is_equal and "No C compiler" in proved.why_not
    with pytest.raises(CompilerError):
        cost_of(heron, store.load(heron))


def test_costs_go_into_loops(heron):
    project = SetValue("kit.clock_hz", 72e6, "x").apply(store.load(heron))
    cost = cost_of(heron, project)
    report = cost_report(cost, project)
    step = report["parts"][0]
    assert step["name"] == "estimator_step" and step["us_without_unit"] > 3 * step["us_with_unit"]
    assert step["us_with_unit"] == pytest.approx(step["instructions"] * 1.6 / 72.0, rel=1e-6)
    assert "1.5 either way" in report["assumptions"]
    changed = into_loops(cost, project).apply(project)
    assert 1e-6 < changed.loops.estimator_s < 50e-6 and changed.loops.filter_s == changed.loops.mixer_s == 0.0
    assert changed.evidence("loops.estimator_s").source == "bench"
    slow = into_loops(cost, SetValue("kit.has_fpu", False, "x").apply(project)).apply(project)
    assert slow.loops.pid_s > 3 * changed.loops.pid_s


@pytest.fixture(scope="module")
def demo_filter():
    from importlib import resources

    return (resources.files("fusus.demo") / "own" / "heron.c").read_text()


def test_own_code_is_judged_beside_fusus_filters(heron, tmp_path, demo_filter):
    """The demo's filter forgets the gyro's bias: found, and mended it passes the proving motion."""
    sources = tmp_path / "own"
    sources.mkdir()
    (sources / "heron.c").write_text(demo_filter)
    project = store.load(heron)
    study = check_own(heron, project, sources)
    assert [c.name for c in study.cases] == ["hop", "simulated mission, seed 1"]
    assert study.runs_through and not study.passes
    assert study.explained.errors_found[0][0].name == "bias not subtracted"
    words = own_words(study)
    assert words[0].startswith("It agrees when the gyro's bias") and "Subtract gyro_bias_rad_s" in words[0]
    hop = study.cases[0]
    assert hop.own is not None and hop.own.value("tilt", "rmse") > hop.fusus.value("tilt", "rmse")
    report = own_report(study)
    assert report["proving"]["slips"][0]["slip"] == "bias not subtracted" and json.dumps(report)
    mended = demo_filter.replace("turn(s->gyro_rad_s[0] * dt, s->gyro_rad_s[1] * dt, s->gyro_rad_s[2] * dt);", (
        "turn((s->gyro_rad_s[0] - bias[0]) * dt, (s->gyro_rad_s[1] - bias[1]) * dt, (s->gyro_rad_s[2] - bias[2]) * dt);"
    )).replace("static double declination;", "static double declination, bias[3];").replace(
        "    declination =", "    for (int i = 0; i < 3; i++) {\n        bias[i] = start->gyro_bias_rad_s[i];\n    }\n    declination ="
    )  # fmt: skip
    (sources / "heron.c").write_text(mended)
    better = check_own(heron, project, sources, ["hop"], ())
    assert better.explained.is_good and better.cases[0].own.value("tilt", "rmse") < hop.own.value("tilt", "rmse")


def test_own_code_that_hangs_is_not_run_again(heron, tmp_path, monkeypatch):

    monkeypatch.setattr(programs, "LEAST_S", 1.0)
    monkeypatch.setattr(programs, "SHARE", 0.0)
    (tmp_path / "own.c").write_text(
        '#include "own_estimator.h"\nvoid own_init(const own_start *s) { (void)s; }\n'
        "void own_step(const own_sample *s, own_estimate *e) { (void)e; while (s->time_s > 4) { } }\n"
    )
    study = check_own(heron, store.load(heron), tmp_path)
    assert not study.runs_through and study.cases == () and "does not come to an end" in own_words(study)[0]


def test_the_kit_itself_passes_as_own_code(heron, tmp_path):
    """The interface for own code and the kit meet: the generated filter, handed in as one of one's own, shows no wrong."""
    from fusus.firmware.running.access import access_file
    from fusus.firmware.writing.estimator_files import estimator_files

    plan = plan_of(store.load(heron))
    for name, text in (estimator_files(plan) | {"access.c": access_file(plan)}).items():
        (tmp_path / name).write_text(text)
    (tmp_path / "alignment.c").unlink()
    study = check_own(heron, store.load(heron), tmp_path, ["hop"], ())
    assert study.explained.is_good
    assert study.cases[0].apart_rad < 1e-3


def test_a_kits_record_refuses_nonsense():
    with pytest.raises(ValueError, match="clock_hz"):
        Kit(clock_hz=10.0)
    assert replace(MahonyParameters(), ki=0.0).ki == 0.0 and Kit().precision == "single"
