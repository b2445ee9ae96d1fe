"""What a computation reads is recorded, so that its result knows when it is out of date."""

import copy
import pickle

import pytest

from fusus.demo.build import demo_project
from fusus.logs.create import create_recording
from fusus.logs.info import RecordingInfo, list_recordings, load_info
from fusus.logs.recording import load_stream
from fusus.project import book, store
from fusus.project.commands import SetValue
from fusus.project.evidence import Record
from fusus.project.reads import holds, note_file, recorded, unwatched, value_at
from fusus.project.records import Project


@pytest.fixture(scope="module")
def project():
    return demo_project()


def changed(project, path, value):
    return SetValue(path, value, "Change").apply(project)


def test_only_what_is_read_counts(project):
    with recorded(project) as (watched, reads):
        assert isinstance(watched, Project) and watched.fusion.parameters_of("mahony") == project.fusion.mahony
        assert watched.brief.place.lat_deg == project.brief.place.lat_deg
    assert set(reads.fields) == {"fusion.mahony", "brief.place.lat_deg"}
    assert reads.still_hold(project)
    assert reads.still_hold(changed(project, "fusion.madgwick.beta_rad_s", 0.3))
    other = changed(project, "fusion.mahony.kp_acc", 0.77)
    assert not reads.still_hold(other) and reads.changed(other) == ("fusion.mahony",)


def test_a_record_that_vanishes_is_noticed(project):
    with recorded(project) as (watched, reads):
        assert watched.brief.place.height_m == project.brief.place.height_m
    assert not reads.still_hold(changed(project, "brief.place", None))


@pytest.mark.parametrize(
    "look",
    [
        lambda d: d == d,
        lambda d: d.model_dump(),
        lambda d: d.model_dump_json(),
        lambda d: dict(d),
        repr,
        hash,
        copy.deepcopy,
        pickle.dumps,
        unwatched,
    ],
    ids=["compare", "dump", "dump JSON", "iterate", "print", "hash", "copy", "pickle", "take"],
)
def test_a_record_that_is_used_as_a_whole_counts_as_a_whole(project, look):
    with recorded(project) as (watched, reads):
        look(watched.drift)
    assert set(reads.fields) == {"drift"}
    assert not reads.still_hold(changed(project, "drift.span_s", 700.0))
    assert reads.still_hold(changed(project, "loops.rate_hz", 400.0))


def test_it_looks_and_behaves_like_the_true_one(project):
    with recorded(project) as (watched, _):
        assert watched == project and project == watched and hash(watched.drift) == hash(project.drift)
        assert watched.model_dump_json() == project.model_dump_json()
        assert type(pickle.loads(pickle.dumps(watched.drift))) is type(project.drift)
        info = RecordingInfo(name="x", kind="flight", place=watched.brief.place)
    assert info.model_dump()["place"] == project.brief.place.model_dump()


def test_a_copy_is_watched_apart_from_what_was_put_in(project):
    loops = project.loops.model_copy(update={"rate_hz": 321.0})
    with recorded(project) as (watched, reads):
        other = watched.model_copy(update={"loops": loops})
        assert other.loops.rate_hz == 321.0 and other.drift.span_s == project.drift.span_s
    assert set(reads.fields) == {"drift.span_s"}


def test_a_command_applied_to_a_watched_project_gives_a_true_one(project):
    with recorded(project) as (watched, reads):
        other = changed(watched, "loops.rate_hz", 321.0)
    assert other == changed(project, "loops.rate_hz", 321.0) and type(other.loops) is type(project.loops)
    assert not reads.still_hold(changed(project, "drift.span_s", 700.0)), "it was made of the whole"


def test_what_is_looked_at_afterwards_is_no_input(project):
    with recorded(project) as (watched, reads):
        pass
    assert watched.drift.span_s == project.drift.span_s and not reads.fields


def test_one_within_another_counts_for_both(project, tmp_path):
    with recorded(project) as (watched, outer):
        assert watched.drift.span_s
        with recorded(watched) as (inner_project, inner):
            assert inner_project.loops.rate_hz and inner_project.brief.place.model_dump()
            note_file(tmp_path / "f")
    assert set(inner.fields) == {"loops.rate_hz", "brief.place"} and set(outer.fields) == {
        "drift.span_s",
        *inner.fields,
    }
    assert set(outer.files) == set(inner.files) == {tmp_path / "f"}
    assert all(not isinstance(v, Record) or type(v).__name__ == "Place" for v in inner.fields.values())


def test_recordings_and_book_are_read_too(project, tmp_path):
    folder = tmp_path / "craft"
    store.create(folder, project)
    streams = {"imu": {"t_ns": [0, 10_000_000], **{f"gyro_{a}_rad_s": [0.0, 0.1] for a in "xyz"}}}
    import numpy as np

    create_recording(
        folder, RecordingInfo(name="one", kind="flight"), {"imu": {k: np.array(v) for k, v in streams["imu"].items()}}
    )
    with recorded(project) as (_, listed):
        assert [r.name for r in list_recordings(folder)] == ["one"]
    with recorded(project) as (_, loaded):
        assert load_stream(folder, "one", "imu") is not None and load_info(folder, "one").kind == "flight"
    with recorded(project) as (_, read):
        assert book.entries(folder) == []
    kept = listed.as_json(folder)
    assert holds(kept, folder, project) and "recordings/one/recording.json" in kept["files"]
    book.note(folder, "knock")
    assert not read.still_hold(project) and listed.still_hold(project)
    create_recording(
        folder, RecordingInfo(name="two", kind="flight"), {"imu": {k: np.array(v) for k, v in streams["imu"].items()}}
    )
    assert not listed.still_hold(project) and not holds(kept, folder, project)
    assert loaded.still_hold(project), "another recording is nothing to it"
    (folder / "recordings" / "one" / "imu.parquet").write_bytes(b"PAR1 of something else")
    assert not loaded.still_hold(project)
    assert str(folder / "recordings" / "one" / "imu.parquet") in loaded.changed(project)


def test_values_are_found_by_their_path(project):
    assert value_at(project, "") is project and value_at(project, "drift.span_s") == project.drift.span_s
    none = changed(project, "brief.place", None)
    assert value_at(none, "brief.place.lat_deg") is None
