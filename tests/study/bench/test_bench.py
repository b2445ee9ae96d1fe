"""From captures to what is in force: applied on replay, compared, measured against the datasheet, due."""

from datetime import UTC, datetime, timedelta

import numpy as np
import pytest
from tests.bench import SITE

from fusus.core.analysis.allan.deviation import allan_curve
from fusus.core.analysis.allan.reading import read_curve
from fusus.core.simulation.board.board import collect
from fusus.demo.bench import CAPTURES, add_bench
from fusus.errors import LockedError, RecordingError
from fusus.logs.create import create_recording
from fusus.logs.info import RecordingInfo, load_info
from fusus.project import book, store
from fusus.project.commands import DropMeasured, SetValue, TakeCalibration, TakeMeasured, WithdrawCalibration
from fusus.project.document import Document
from fusus.project.records import Place, Project
from fusus.study.bench.allan import AxisAllan, allan_of_file, allan_of_recording, report
from fusus.study.bench.calibrating import FITS, calibrate, stored
from fusus.study.bench.calibration_status import due_all, due_report, run_check
from fusus.study.bench.comparing import compared
from fusus.study.bench.measured import against_datasheet, fitting_from, from_allan
from fusus.study.bench.standin import standin_board
from fusus.study.bench.storing import held, told, use
from fusus.study.parts.suite import choice_of, study_suite
from fusus.study.recording.loading import load

DAY = datetime(2026, 9, 12, 8, 0, tzinfo=UTC)


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    """A project with the demo's parts and bench captures, without its flights."""
    from fusus.demo.build import PLACE, demo_project

    folder = tmp_path_factory.mktemp("bench") / "craft"
    store.create(folder, demo_project())
    add_bench(folder, DAY.date(), PLACE)
    return folder


def test_each_capture_gives_its_calibration_in_force(folder):
    project = store.load(folder)
    assert set(project.bench.in_force()) == {c for *_, c in CAPTURES}
    kinds = [e["kind"] for e in book.entries(folder) if e["what"] == "calibration"]
    assert sorted(kinds) == sorted(c for *_, c in CAPTURES)


def test_calibrations_are_applied_on_replay_and_never_burned_in(folder):
    """A still board in its craft's axes then shows gravity down, and no rate."""
    project = store.load(folder)
    before = (folder / "recordings" / "bench-still" / "imu.parquet").read_bytes()
    loaded = load(folder, project, "bench-still")
    assert set(loaded.corrected_by) >= {"gyro-bias", "six-face", "mounting"}
    acc = loaded.given.samples.acc_b.mean(axis=0)
    assert np.linalg.norm(acc) == pytest.approx(SITE.gravity_m_s2, abs=0.02)
    assert np.abs(loaded.given.samples.gyro_b.mean(axis=0)).max() < 1e-4
    off = load(
        folder, project.model_copy(update={"bench": project.bench.model_copy(update={"use": False})}), "bench-still"
    )
    assert off.corrected_by == ()
    assert np.linalg.norm(off.given.samples.gyro_b.mean(axis=0)) > 5e-3
    assert (folder / "recordings" / "bench-still" / "imu.parquet").read_bytes() == before


def test_a_recording_that_its_source_corrected_is_left_alone(folder):
    info = load_info(folder, "bench-still").model_copy(update={"is_calibrated": True})
    from fusus.study.recording.corrections import corrections_for

    assert corrections_for(store.load(folder), info).kinds == ()


def test_withdrawing_keeps_it_on_record(folder):
    project = store.load(folder)
    without = WithdrawCalibration("six-face").apply(project)
    assert "six-face" not in without.bench.in_force()
    assert len(without.bench.calibrations) == len(project.bench.calibrations)


def test_a_second_one_takes_its_place_and_is_compared(folder):
    project = store.load(folder)
    result = calibrate(folder, project, "gyro-bias", "bench-still")
    entry = stored(result, load_info(folder, "bench-still"), project)
    later = entry.model_copy(
        update={
            "when": entry.when + timedelta(days=1),
            "parameters": entry.parameters | {"gyro_bias_rad_s": [0.05, 0.0, 0.0]},
        }
    )
    two = TakeCalibration(later).apply(project)
    assert two.bench.in_force()["gyro-bias"].parameters["gyro_bias_rad_s"][0] == 0.05
    assert compared(later, entry)["has_moved"]
    assert "more than its spread" in compared(later, entry)["statement"]
    assert not compared(entry, entry)["has_moved"]
    data = told(entry, result, project)
    assert {"kind", "parameters", "standard_errors", "before", "after", "verdict", "reason", "problems"} <= set(data)


def test_kinds_say_what_they_miss(folder):
    project = store.load(folder)
    for kind, recording in (("lever-arm", "bench-still"), ("two-imu", "bench-still"), ("gnss-scatter", "bench-still")):
        with pytest.raises(RecordingError, match="this needs|no satellites|needs"):
            calibrate(folder, project, kind, recording)
    with pytest.raises(RecordingError, match="no calibration"):
        calibrate(folder, project, "colour", "bench-still")
    assert len(FITS) == 13


def test_taking_goes_through_the_document(folder, tmp_path):
    import shutil

    copy = tmp_path / "copy"
    shutil.copytree(folder, copy)
    project = store.load(copy)
    entry = stored(calibrate(copy, project, "gyro-bias", "bench-still"), load_info(copy, "bench-still"), project)
    other = Document.open(copy)
    with pytest.raises(LockedError, match="has it open"), held(copy):
        pass
    other.close()
    with held(copy) as document:
        use(document, entry)
    assert sum(c.kind == "gyro-bias" for c in store.load(copy).bench.calibrations) == 2


def noisy_axes(scale):
    rng = np.random.default_rng(1)
    out = []
    for name, n in (("gyro", 6.17e-5), ("acc", 6.9e-4)):
        for a in "xyz":
            curve = allan_curve(rng.standard_normal(60000) * scale * n * 10, 100.0)
            out.append(AxisAllan(f"{name}_{a}", "u", curve, read_curve(curve)))
    return tuple(out)


def test_measured_noise_stands_beside_the_datasheets_and_the_prediction_follows(folder):
    project, info = store.load(folder), load_info(folder, "bench-still")
    figures = from_allan(project, info, noisy_axes(2.5))
    judged = {a.figure.field: a for a in against_datasheet(project, figures)}
    assert judged["gyro_noise"].ratio == pytest.approx(2.5, rel=0.03)
    assert "aliasing or vibration" in judged["gyro_noise"].statement
    assert judged["gyro_noise"].severity == "mind"
    measured = TakeMeasured(figures).apply(project)
    assert choice_of(measured).imu.value("gyro_noise") == pytest.approx(judged["gyro_noise"].datasheet)
    study = study_suite(measured)
    assert study.choice.imu.value("gyro_noise") == pytest.approx(figures[0].value)
    assert study.by_datasheet is not None
    tilt = next(f.value for f in study.prediction.figures if f.requirement.quantity == "tilt")
    printed = next(f.value for f in study.by_datasheet if f.requirement.quantity == "tilt")
    assert tilt > printed
    back = DropMeasured("imu", figures[0].part).apply(measured)
    assert study_suite(back).by_datasheet is None


def test_fitting_takes_over_what_was_measured(folder):
    entry = (
        store.load(folder)
        .bench.calibrations[0]
        .model_copy(
            update={
                "kind": "lever-arm",
                "parameters": {"lever_arm_m": [-0.04, 0.01, None]},
                "standard_errors": {"lever_arm_m": [0.01, 0.01, None]},
            }
        )
    )
    assert fitting_from(entry) == (
        ("parts.fitting.lever_arm_b_m.0", -0.04, 0.01),
        ("parts.fitting.lever_arm_b_m.1", 0.01, 0.01),
    )


def test_due_and_check(folder, tmp_path):
    import shutil

    copy = tmp_path / "due"
    shutil.copytree(folder, copy)
    project = store.load(copy)
    soon = DAY
    assert not any(d.is_due for d in due_all(copy, project, soon))
    far = Place(lat_deg=54.5, lon_deg=0.61)
    document = Document.open(copy)
    document.do(SetValue("bench.school", "distance-and-age", "x"))
    document.close()
    moved = {d.kind: d for d in due_all(copy, store.load(copy), soon, far)}
    assert moved["magnetometer"].is_due
    assert "km" in moved["magnetometer"].why
    # A knock puts what it can have moved in doubt; a check made after it settles it.
    book.add_event(copy, "knock", "off the bench")
    now = datetime.now(UTC)
    knocked = {d.kind: d.is_due for d in due_all(copy, project, now)}
    assert knocked["mounting"]
    board = standin_board(project, 3, 100.0)
    board.put(outdoors=True)
    board.settle()
    board.hands.rest(9.0)
    from fusus.core.simulation.board.handling import tumble

    tumble(board.hands, board.rng, 30.0)
    info = RecordingInfo(name="check", kind="check", when=now + timedelta(minutes=1), place=project.brief.place)
    create_recording(copy, info, collect(board, 25.0)[0])
    result = run_check(copy, project, "check")
    assert {i.kind: i.holds for i in result.items} == {"gyro-bias": True, "six-face": True, "magnetometer": True}
    settled = {d.kind: d for d in due_all(copy, project, now + timedelta(minutes=2))}
    assert not settled["magnetometer"].is_due
    assert "checked" in settled["magnetometer"].why
    assert due_report(copy, project, "check")["check"]["items"]


def test_events_are_known_ones(folder):
    with pytest.raises(Exception, match="no event"):
        book.add_event(folder, "party")


def test_allan_of_a_recording_takes_the_rest_only(folder):
    axes = {a.name: a for a in allan_of_recording(folder, "bench-faces")}
    assert axes["gyro_x"].curve.span_s < 12  # half a minute with six poses in it
    still = report(allan_of_recording(folder, "bench-still"))["axes"]["gyro_x"]
    assert still["noise_density"] == pytest.approx(6.2e-5, rel=0.2)
    assert still["lower"][0] < still["adev"][0] < still["upper"][0]
    with pytest.raises(RecordingError, match="no stream"):
        allan_of_recording(folder, "bench-still", "range")


def test_allan_of_bare_tables(tmp_path):
    y = np.random.default_rng(2).standard_normal((5000, 2)) * 0.01
    path = tmp_path / "bare.csv"
    path.write_text("a,b\n" + "\n".join(f"{p:.8f},{q:.8f}" for p, q in y), encoding="utf-8")
    found = report(allan_of_file(path, 100.0))["axes"]
    assert found["a"]["noise_density"] == pytest.approx(0.001, rel=0.05)
    plain = tmp_path / "plain.csv"
    plain.write_text("\n".join(f"{v:.8f}" for v in y[:, 0]), encoding="utf-8")
    assert report(allan_of_file(plain, 100.0))["axes"]
    with pytest.raises(Exception, match="rate"):
        allan_of_file(plain, None)
    named = tmp_path / "named.csv"
    rows = "\n".join(f"{0.01 * i:.2f},{v:.6f},{v:.6f},{v:.6f},0.01,0.02,1.0" for i, v in enumerate(y[:, 0]))
    named.write_text("time_s,gyro_x_dps,gyro_y_dps,gyro_z_dps,acc_x_g,acc_y_g,acc_z_g\n" + rows, encoding="utf-8")
    gyro = report(allan_of_file(named, None))["axes"]["gyro_x"]
    assert gyro["noise_density"] == pytest.approx(np.radians(0.001), rel=0.05)
    assert gyro["units"]["noise_density"].startswith("rad/s")


def test_an_empty_project_has_a_stand_in(tmp_path):
    assert standin_board(Project(name="x"), 1).site.field is not None
