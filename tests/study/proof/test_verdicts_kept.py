"""Judgements are kept, and never stale."""

import numpy as np
import pytest
from tests.conftest import short_flight

from fusus.demo import build as demo
from fusus.errors import RecordingError
from fusus.logs.create import create_recording
from fusus.logs.info import RecordingInfo, list_recordings
from fusus.project import store
from fusus.project.commands import SetValue
from fusus.project.document import Document
from fusus.study.brief.site import site_of
from fusus.study.proof import verdicts
from fusus.study.recording.loading import load
from fusus.study.recording.references import load_track


@pytest.fixture
def flown(project, site):
    _, streams = short_flight(site, seed=4)
    create_recording(project, RecordingInfo(name="hop", kind="flight"), streams)
    return project


def test_a_judgement_is_kept_until_something_changes(flown):
    loaded = store.load(flown)
    info = list_recordings(flown)[0]
    assert verdicts.cached(flown, loaded, "hop") is None
    first = verdicts.judge_recording(flown, loaded, info)
    assert verdicts.cached(flown, loaded, "hop") == first and first.verdict("tilt")["value"] > 0
    document = Document.open(flown)
    document.do(SetValue("fusion.attitude_ekf.gyro_scale_sigma", 0.02, "Tune"))
    assert verdicts.cached(flown, document.project, "hop") is None
    document.undo()
    assert verdicts.cached(flown, document.project, "hop") == first
    raw = load(flown, loaded, "hop").given.samples
    document.do(SetValue("loops.acc_lowpass_hz", 30.0, "Filter"))
    assert verdicts.cached(flown, document.project, "hop") is None
    felt = load(flown, document.project, "hop").given.samples
    assert (
        np.array_equal(felt.gyro_b, raw.gyro_b)
        and np.diff(felt.acc_b, axis=0).std() < 0.7 * np.diff(raw.acc_b, axis=0).std()
    )
    document.close()
    next((flown / "results").glob("*.json")).write_text("rubbish")
    assert verdicts.cached(flown, loaded, "hop") is None


def test_a_kept_verdict_belongs_to_the_code_that_made_it(flown, monkeypatch):
    loaded = store.load(flown)
    verdicts.judge_recording(flown, loaded, list_recordings(flown)[0])
    assert verdicts.cached(flown, loaded, "hop") is not None
    monkeypatch.setattr(verdicts, "code_digest", lambda: "another")
    assert verdicts.cached(flown, loaded, "hop") is None


def test_all_code_that_computes_is_told_apart(tmp_path, monkeypatch):
    from fusus.core import source

    for package in (*source.COMPUTING, "app"):
        (tmp_path / package).mkdir()
        (tmp_path / package / "a.py").write_text("x = 1\n")
    monkeypatch.setattr(source, "__file__", str(tmp_path / "core" / "source.py"))
    before = source._digest(source.COMPUTING)
    assert {"core", "study", "logs", "project", "firmware"} == set(source.COMPUTING)
    for package in source.COMPUTING:
        (tmp_path / package / "a.py").write_text("x = 2\n")
        after = source._digest(source.COMPUTING)
        assert after != before, package
        before = after
    (tmp_path / "app" / "a.py").write_text("x = 2\n")
    assert source._digest(source.COMPUTING) == before, "what shows a result does not compute it"


def test_only_so_many_states_are_kept(flown):
    loaded = store.load(flown)
    info = list_recordings(flown)[0]
    for k in range(verdicts.MOST_KEPT + 2):
        requirement = SetValue("brief.requirements.0.limit", 0.02 + 0.001 * k, "Set").apply(loaded)
        verdicts.judge_recording(flown, requirement, info)
    assert len(list((flown / "results").glob("verdict-*.json"))) == verdicts.MOST_KEPT
    assert verdicts.cached(flown, requirement, "hop") is not None


def test_bench_and_flight_are_told_apart():
    assert verdicts.evidence_of("jig") == "bench" and verdicts.evidence_of("flight") == "flight"


def test_samples_without_numbers_are_left_out_and_told(project, site):
    _, streams = short_flight(site, seed=4)
    streams["imu"]["gyro_x_rad_s"] = streams["imu"]["gyro_x_rad_s"].copy()
    streams["imu"]["gyro_x_rad_s"][50:60] = np.nan
    create_recording(project, RecordingInfo(name="holes", kind="flight"), streams)
    loaded = load(project, store.load(project), "holes")
    assert len(loaded.given.t_s) == len(streams["imu"]["t_ns"]) - 10 and loaded.problems[0].count == 10


def test_what_a_recording_lacks_is_told(project, site):
    _, streams = short_flight(site, seed=4)
    create_recording(project, RecordingInfo(name="baro", kind="still"), {"baro": streams["baro"]})
    with pytest.raises(RecordingError, match="gyro and accelerometer.*baro"):
        load(project, store.load(project), "baro")
    assert load_track(project, "baro", "reference") is None
    failed = verdicts.judge_recording(project, store.load(project), list_recordings(project)[0])
    assert failed.error and failed.verdicts == ()


def test_site_follows_the_brief(project):
    loaded = store.load(project)
    assert site_of(loaded).field is not None
    without = loaded.model_copy(update={"brief": loaded.brief.model_copy(update={"place": None})})
    assert site_of(without).field is None and site_of(without).gravity_m_s2 == 9.80665


@pytest.mark.slow
def test_the_demo_is_whole_and_meets_its_attitude_requirements(tmp_path):
    folder = demo.build(tmp_path / "demo")
    infos = {i.name: i for i in list_recordings(folder)}
    bench = {"bench-still", "bench-faces", "bench-turns", "bench-mounting", "bench-airflow"}
    assert set(infos) == {"shed-jig", "slipway-hover", "pool-survey", "mudflat-drift"} | bench
    assert {c.verdict for c in store.load(folder).bench.calibrations} == {"pass"}
    survey = infos["pool-survey"].streams
    assert abs(survey["imu"].rate_hz - 1000) < 1 and abs(survey["imu"].end_s - 300) < 0.1
    gnss = (
        np.diff(
            __import__("polars").read_parquet(folder / "recordings" / "pool-survey" / "gnss.parquet")["t_ns"].to_numpy()
        )
        * 1e-9
    )
    assert abs(gnss.max() - 8.1) < 0.11, "eight seconds without GNSS under the footbridge"
    found = {j.recording: j for j in verdicts.judge_all(folder, store.load(folder))}
    for judgement in found.values():
        assert [judgement.verdict(k)["verdict"] for k in ("tilt", "heading")] == ["pass", "pass"]
    assert any(f["subject"] == "Disturbed magnetic field" for f in found["pool-survey"].findings)
    before = (folder / "recordings" / "shed-jig" / "imu.parquet").read_bytes()
    assert demo.build(folder) == folder and (folder / "recordings" / "shed-jig" / "imu.parquet").read_bytes() == before
