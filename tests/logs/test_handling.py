"""What one does with recordings: nothing is lost, the project follows, and it can be taken back."""

import json

import numpy as np
import polars as pl
import pytest
from tests.logs.tables import HEADER, N, lines, truth, write
from typer.testing import CliRunner

from fusus.cli.main import app
from fusus.errors import ProjectError, RecordingError
from fusus.logs.handling import (
    RenameRecording,
    export_recording,
    noted,
    put_aside,
    read_again,
    remove_recording,
    sources_of,
)
from fusus.logs.importer import ImportRequest, import_recording, plan_import
from fusus.logs.info import list_recordings, load_info, recording_names
from fusus.logs.known import known_mappings, mapping_of
from fusus.logs.lines import encode, encode_header
from fusus.logs.mapping import Mapping
from fusus.logs.recording import load_stream
from fusus.logs.snippet import USUAL
from fusus.project import store
from fusus.project.commands import DeclareReference, SetValue
from fusus.project.document import Document
from fusus.project.references import DeclaredReference
from fusus.project.uses import uses_of

RUN = CliRunner()


def call(*arguments, status=0):
    result = RUN.invoke(app, [str(a) for a in arguments])
    assert result.exit_code == status, (result.output, result.stderr)
    return json.loads(result.stdout) if "--json" in arguments else result.stdout


@pytest.fixture
def logged(project, tmp_path):
    """A project with one imported log."""
    import_recording(ImportRequest((write(tmp_path / "log.csv", lines()),), project, "log"))
    return project


def test_a_new_name_reaches_the_project_and_can_be_taken_back(logged):
    document = Document.open(logged)
    document.do(SetValue("fusion.recording", "log", "Look"))
    document.do(DeclareReference("other", DeclaredReference(recording="other", kind="track", other="log")))
    seen = []
    document.recordings_changed.connect(lambda _: seen.append(recording_names(logged)))
    document.do(RenameRecording("log", "hand"))
    assert recording_names(logged) == ["hand"] and load_info(logged, "hand").name == "hand"
    assert document.project.fusion.recording == "hand" and document.project.proof.references[0].other == "hand"
    assert uses_of(document.project, "hand") == ("looked at in Fusion", "reference of other")
    document.undo()
    assert recording_names(logged) == ["log"] and store.load(logged).fusion.recording == "log"
    document.redo()
    assert recording_names(logged) == ["hand"] and seen == [["hand"], ["log"], ["hand"]]
    with pytest.raises(RecordingError, match="no such recording"):
        document.do(RenameRecording("log", "again"))
    with pytest.raises(RecordingError, match="without slashes"):
        document.do(RenameRecording("hand", "../x"))
    document.close()


def test_what_is_set_aside_is_kept_and_not_evaluated(logged):
    document = Document.open(logged)
    document.do(noted(logged, "log", "the board came loose"))
    document.do(put_aside(logged, "log", True))
    assert not list_recordings(logged) and [i.note for i in list_recordings(logged, set_aside=True)] == [
        "the board came loose"
    ]
    document.undo()
    assert [i.is_set_aside for i in list_recordings(logged)] == [False]
    document.undo()
    assert load_info(logged, "log").note == ""
    document.close()


def test_a_deleted_recording_lies_in_the_desktops_bin(logged, tmp_path, desktops_bin):
    before = (logged / "recordings" / "log" / "imu.parquet").read_bytes()
    remove_recording(logged, "log")
    assert recording_names(logged) == []
    (found,) = desktops_bin.rglob("imu.parquet")
    assert found.read_bytes() == before and (tmp_path / "log.csv").exists()
    with pytest.raises(RecordingError, match="no such"):
        remove_recording(logged, "log")


def test_a_spoilt_import_is_read_again_in_its_place(logged, tmp_path, desktops_bin):
    columns = [{"source": n, "target": f"imu.{n}", "unit": "deg/s"} for n in HEADER[1:4]]
    document = Document.open(logged)
    document.do(noted(logged, "log", "kept"))
    document.close()
    request = ImportRequest((), logged, "log")
    again = read_again(logged, "log", Mapping.model_validate({"files": [{"columns": columns}]}), (), request)
    assert again.note == "kept" and recording_names(logged) == ["log"]
    assert np.allclose(load_stream(logged, "log", "imu").vector("gyro", "rad_s"), np.radians(truth()[1]), atol=1e-6)
    (tmp_path / "log.csv").rename(tmp_path / "moved.csv")
    with pytest.raises(RecordingError, match="no longer at"):
        sources_of(load_info(logged, "log"))
    read_again(logged, "log", None, (tmp_path / "moved.csv",), request)
    assert np.allclose(load_stream(logged, "log", "imu").vector("gyro", "rad_s"), truth()[1], atol=1e-6)
    (tmp_path / "moved.csv").write_text("nothing here")
    with pytest.raises(ValueError, match="no row of numbers"):
        read_again(logged, "log", None, (tmp_path / "moved.csv",), request)
    assert recording_names(logged) == ["log"], "the old one stays where the new one cannot be read"


def test_an_exported_recording_comes_back_the_same(logged, tmp_path):
    files = export_recording(logged, "log", tmp_path / "out")
    assert {f.name for f in files} == {"imu.csv", "recording.json"}
    with pytest.raises(ProjectError, match="not empty"):
        export_recording(logged, "log", tmp_path / "out")
    import_recording(ImportRequest((tmp_path / "out" / "imu.csv",), logged, "back"))
    first, second = (pl.read_parquet(logged / "recordings" / n / "imu.parquet") for n in ("log", "back"))
    assert first.equals(second) and first.height == N


def test_a_corrected_mapping_is_known_for_the_next_file_of_its_header(logged, tmp_path):
    rows = lines(
        header=("t_s", "gx", "gy", "gz", "ax", "ay", "az"), gyro=truth(rocking=False)[1], acc=truth(rocking=False)[2]
    )
    path = write(tmp_path / "still.csv", rows)
    settled = Mapping.model_validate({"units": {"gyro": "rad/s"}})
    import_recording(ImportRequest((path,), logged, "first", mapping=settled))
    other = write(tmp_path / "next.csv", rows[:800])
    plan = plan_import(ImportRequest((other,), logged, "next"))
    assert plan.questions and known_mappings(logged, plan) == ("first",)
    info = import_recording(ImportRequest((other,), logged, "next", mapping=mapping_of(logged, "first")))
    assert info.streams["imu"].rows == 799
    assert known_mappings(logged, plan_import(ImportRequest((tmp_path / "log.csv",), logged, "x"))) == ()


def test_the_command_line_does_all_of_it(logged, tmp_path, desktops_bin):
    at = ("--project", logged)
    assert call("recordings", *at, "--rename", "log", "hand", "--json") == {"recording": "hand", "was": "log"}
    call("recordings", *at, "--note", "hand", "by hand")
    call("recordings", *at, "--set-aside", "hand")
    (told,) = call("recordings", *at, "--json")["recordings"]
    assert (told["name"], told["note"], told["is_set_aside"]) == ("hand", "by hand", True)
    call("recordings", *at, "--use", "hand")
    assert call("recordings", *at, "--again", "hand", "--json")["streams"]["imu"]["rows"] == N
    call("recordings", *at, "--export", "hand", "--out", tmp_path / "out")
    assert "error" in call("recordings", *at, "--export", "hand", "--json", status=2)
    assert (
        "one thing at a time"
        in call("recordings", *at, "--delete", "hand", "--use", "hand", "--json", status=2)["error"]
    )
    call("recordings", *at, "--delete", "hand")
    assert call("recordings", *at, "--json")["recordings"] == []
    whats = [json.loads(x)["what"] for x in (logged / "book.jsonl").read_text().splitlines()]
    assert whats[-6:] == [f"recording: {w}" for w in ("rename", "note", "set aside", "use", "again", "delete")]


def test_an_import_explains_itself_without_importing(logged, tmp_path):
    still = lines(
        header=("t", "gx", "gy", "gz", "ax", "ay", "az"), gyro=truth(rocking=False)[1], acc=truth(rocking=False)[2]
    )
    path = write(tmp_path / "still.csv", still)
    told = call("import", path, "--project", logged, "--explain", "--json", status=2)
    assert told["recording"] is None and [q["column"] for q in told["questions"]] == ["gx"]
    assert {c["certainty"] for c in told["conclusions"]} <= {"stated", "shown", "likely"} and all(
        c["reason"] for c in told["conclusions"]
    )
    words = call("import", path, "--project", logged, "--explain", status=2)
    assert "what is it?" in words and "gravity" in words and recording_names(logged) == ["log"]
    refused = call("import", path, "--project", logged, "--name", "x", "--json", status=2)
    assert set(refused) == {"error", "questions", "conclusions", "problems"} and recording_names(logged) == ["log"]
    assert "error" in call("import", path, "--project", logged, "--json", status=2)
    done = call("import", tmp_path / "log.csv", "--project", logged, "--name", "again", "--json")
    assert done["questions"] == [] and done["conclusions"] and done["same_as"] == "log"


def test_signals_tell_what_each_channel_holds(logged, tmp_path):
    """A sine of 2 deg/s and 0.5 Hz has a sigma of √2 deg/s, and its peak stands at 0.5 Hz."""
    t = np.arange(8000) / 200.0
    gyro = np.radians(np.stack([2 * np.sin(np.pi * t), 0 * t + 1, 0 * t], axis=1))
    rows = [
        ",".join(HEADER),
        *(",".join("%.9f" % v for v in (t[i], *gyro[i], 0, 0, -9.81)) for i in range(len(t)) if not 4000 <= i < 4100),
    ]
    import_recording(ImportRequest((write(tmp_path / "sine.csv", rows),), logged, "sine"))
    told = call("signals", "--project", logged, "--recording", "sine", "--json")
    gyro_told = next(g for g in told["groups"] if g["name"] == "imu-gyro")
    x = gyro_told["channels"][0]
    assert x["sigma"] == pytest.approx(np.sqrt(2), rel=0.02) and x["peak_hz"] == pytest.approx(0.5, abs=0.1)
    assert gyro_told["unit"] == "°/s" and gyro_told["channels"][1]["mean"] == pytest.approx(1.0, abs=1e-6)
    assert np.allclose(gyro_told["gaps_s"], [[19.995, 20.5]])
    call("signals", "--project", logged, "--recording", "sine", "--group", "imu-gyro", "--out", tmp_path / "g.csv")
    assert pl.read_csv(tmp_path / "g.csv").columns == ["t_s", "x [°/s]", "y [°/s]", "z [°/s]"]
    assert "error" in call("signals", "--project", logged, "--recording", "sine", "--group", "nose", "--json", status=2)


def test_what_interrupted_captures_left_is_listed_restored_or_binned(logged, desktops_bin):
    header, columns = encode_header("imu", list(USUAL["imu"])), ["0.1"] * 7
    for name, came in (
        ("one", header + b"".join(encode("imu", i * 5000, columns) for i in range(80))),
        ("two", b"garbage\n" * 3),
    ):
        left = logged / "recordings" / f".capturing-{name}-abc"
        left.mkdir()
        (left / "lines.txt").write_bytes(came)
    at = ("--project", logged)
    told = call("recordings", *at, "--json")
    assert [path.rpartition("/")[2] for path in told["interrupted"]] == [".capturing-one-abc", ".capturing-two-abc"]
    assert "--recover makes a recording" in call("recordings", *at)
    found = call("recordings", *at, "--recover", "--json")
    assert found["recovered"] == ["one"] and len(found["interrupted"]) == 1
    assert "stays" in call("recordings", *at, "--recover")
    assert len(call("recordings", *at, "--discard-interrupted", "--json")["binned"]) == 1
    assert next(desktops_bin.rglob("lines.txt")).read_bytes() == b"garbage\n" * 3
    assert call("recordings", *at, "--json")["interrupted"] == [] and "No capture" in call(
        "recordings", *at, "--recover"
    )
