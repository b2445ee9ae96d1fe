"""Two that make a recording of one name at once, and what processes that were killed leave: nothing is lost, nothing is in the way."""

import json
import os
import subprocess
import sys
import time

import numpy as np
import pytest
from typer.testing import CliRunner

from fusus.cli.main import app
from fusus.cli.output import answering
from fusus.logs.create import create_recording, finished
from fusus.logs.info import RecordingInfo, recordings_folder
from fusus.project.document import Document
from fusus.project.working_folder import clear_leftovers, put_in_place, working_folder

IMPORT = [sys.executable, "-m", "fusus.cli.main", "import"]


def table(path, seed):
    t = np.arange(0, 20, 0.01)
    rng = np.random.default_rng(seed)
    values = np.c_[t, rng.normal(0.01, 0.001, (len(t), 3)), rng.normal(0, 0.02, (len(t), 3)) + [0, 0, -9.8]]
    head = "time_s,gyro_x_rad_s,gyro_y_rad_s,gyro_z_rad_s,acc_x_m_s2,acc_y_m_s2,acc_z_m_s2"
    np.savetxt(path, values, delimiter=",", header=head, comments="")
    return path


def test_two_imports_of_one_name_are_both_kept(project, tmp_path):
    files = [table(tmp_path / f"log{i}.csv", i) for i in range(3)]
    command = ["--project", str(project), "--name", "twin", "--json"]
    running = [subprocess.Popen([*IMPORT, str(f), *command], stdout=subprocess.PIPE, text=True) for f in files]
    said = [json.loads(p.communicate(timeout=120)[0]) for p in running]
    # Who begins once another has ended is refused; who meets another half-way gets the next name.
    kept = sorted(p.name for p in recordings_folder(project).iterdir() if p.name.startswith("twin"))
    assert len(kept) == sum("error" not in s for s in said) >= 1
    sources = {
        json.loads((recordings_folder(project) / k / "recording.json").read_text())["sources"][0]["sha256"]
        for k in kept
    }
    assert len(sources) == len(kept)
    assert not list(recordings_folder(project).glob(".importing*"))


def info(name):
    return RecordingInfo(name=name, kind="still", when="2026-01-01T00:00:00Z")


STREAM = {
    "imu": {"t_ns": np.arange(5) * 10_000_000, **{f"{s}_{a}": np.zeros(5) for s in ("gyro", "acc") for a in "xyz"}}
}


def test_a_name_that_is_taken_meanwhile_is_left_alone(project):
    folder = recordings_folder(project)
    create_recording(project, info("still"), STREAM)
    before = (folder / "still" / "recording.json").read_bytes()
    with working_folder(folder, "still") as working:
        (working / "imu.parquet").write_bytes(b"x")
        made = finished(working, folder, info("still"))
    assert made.name == "still 2" and (folder / "still 2" / "imu.parquet").read_bytes() == b"x"
    assert json.loads((folder / "still 2" / "recording.json").read_text())["name"] == "still 2"
    assert (folder / "still" / "recording.json").read_bytes() == before


def test_nothing_stays_of_what_was_not_finished(project):
    folder = recordings_folder(project)
    with pytest.raises(ValueError, match="half way"), working_folder(folder, "a") as working:
        (working / "imu.parquet").write_bytes(b"x")
        raise ValueError("half way")
    assert not list(folder.glob(".*"))
    with working_folder(folder, "b") as one, working_folder(folder, "b") as other:
        assert one != other
        (folder / "file").write_text("")
        assert not put_in_place(one, folder / "file")


KILLED = """
import os, sys, signal
from pathlib import Path
from fusus.project.working_folder import working_folder
with working_folder(Path(sys.argv[1]), "killed") as folder:
    (folder / "imu.parquet").write_bytes(b"x" * 1000)
    print("made", flush=True)
    sys.stdin.readline()
"""


def test_what_a_killed_process_left_is_cleared_at_the_next_opening_and_what_is_in_use_stays(project):
    folder = recordings_folder(project)
    with subprocess.Popen(
        [sys.executable, "-c", KILLED, str(folder)], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
    ) as process:
        assert process.stdout.readline() == "made\n"
        assert clear_leftovers(project) == 0 and len(list(folder.glob(".importing*"))) == 1
        process.kill()
    old, fresh = project / ".project.json.abc.tmp", project / ".project.json.def.tmp"
    for path in (old, fresh):
        path.write_text("{")
    os.utime(old, (time.time() - 7200,) * 2)
    Document.open(project).close()
    assert not list(folder.glob(".importing*")) and not old.exists() and fresh.exists()


def test_a_read_only_look_clears_nothing(project):
    with working_folder(recordings_folder(project), "x") as working:
        assert CliRunner().invoke(app, ["recordings", "--project", str(project)]).exit_code == 0
        assert working.exists()


class PanicError(BaseException):
    """As libraries of other languages raise."""


def test_what_is_no_error_of_python_has_a_sentence_too(capsys):
    import typer

    with pytest.raises(typer.Exit) as ended, answering(False):
        raise PanicError("index out of bounds")
    assert ended.value.exit_code == 2 and "defect" in capsys.readouterr().err
    with pytest.raises(SystemExit), answering(False):
        raise SystemExit(3)
