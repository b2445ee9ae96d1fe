"""What the stand-in or a simulation showed is practice: kept, marked, and never used in a real craft."""

import json
import shutil

import numpy as np
import pytest
from tests.cli.command import fusus

from fusus.devices.kept import EndedCapture, make_recording
from fusus.devices.protocol import Decoder
from fusus.devices.standin import Printer
from fusus.logs.importer import ImportRequest, import_recording
from fusus.logs.info import load_info
from fusus.project import store
from fusus.project.records import Parts, Project
from fusus.study.bench.standin import standin_board
from fusus.study.flying.open_loop import keep_flight
from fusus.study.kit.planning import plan_of
from fusus.study.recording.corrections import corrections_for


def still_csv(path, seed):
    """Forty seconds of a board at rest as somebody else's program would log them."""
    rng = np.random.default_rng(seed)
    t = np.arange(0, 40, 0.005)
    gyro = 0.01 + 0.002 * rng.standard_normal((len(t), 3))
    acc = np.array([0.0, 0.0, -9.81]) + 0.02 * rng.standard_normal((len(t), 3))
    head = "time [s],gyro_x [rad/s],gyro_y [rad/s],gyro_z [rad/s],acc_x [m/s^2],acc_y [m/s^2],acc_z [m/s^2]"
    np.savetxt(path, np.column_stack([t, gyro, acc]), delimiter=",", header=head, comments="", fmt="%.9g")
    return path


def stand_in_lines(seconds=40.0):
    board, printer = standin_board(Project(name="any"), 3), Printer()
    board.settle()
    out = b""
    while board.t_s < seconds:
        streams, _ = board.advance(20)
        out += printer.lines(streams, board.t_s)
    return out


@pytest.fixture(scope="module")
def lines():
    return stand_in_lines()


@pytest.fixture
def captured(tmp_path, lines):
    """A function that makes a craft with a capture of the stand-in, and one of a real board."""

    def make(is_practice):
        from datetime import UTC, datetime

        folder = tmp_path / f"craft-{is_practice}"
        store.create(folder, Project(name="Heron", is_practice=is_practice, parts=Parts(imu="Birch 1")))
        decoder = Decoder()
        decoder.feed(lines)
        work = tmp_path / "work"
        shutil.rmtree(work, ignore_errors=True)
        work.mkdir()
        (work / "lines.txt").write_bytes(lines)
        make_recording(folder, EndedCapture(work, "played", "still", datetime.now(UTC), 0, [], {}), decoder)
        import_recording(ImportRequest((still_csv(tmp_path / "still.csv", 1),), folder, "real", "still"))
        return folder

    return make


def calibrated(folder, recording):
    done = fusus("calibrate", "gyro-bias", "--project", folder, "--recording", recording, "--apply", "--json")
    return json.loads(done.stdout)


def test_the_stand_in_says_what_it_is_on_its_line(lines):
    decoder = Decoder()
    assert not decoder.is_practice
    decoder.feed(lines)
    assert decoder.is_practice and not decoder.unknown and decoder.counts["bad checksum"] == 0
    real = Decoder()
    real.feed(b"".join(line + b"\n" for line in lines.split(b"\n") if not line.startswith(b"#practice")))
    assert not real.is_practice and real.rows("imu") == decoder.rows("imu")


def test_in_a_real_craft_practice_is_kept_and_not_used(captured):
    folder = captured(False)
    assert load_info(folder, "played").is_practice and not load_info(folder, "real").is_practice
    first = calibrated(folder, "real")
    assert first["applied"] and not first["practice"]
    out = calibrated(folder, "played")
    assert out["practice"] and not out["applied"] and out["verdict"] != "fail"
    made = store.load(folder)
    assert made.bench.in_force()["gyro-bias"].recording == "real", "it takes nothing out of force either"
    assert [c.recording for c in made.bench.calibrations] == ["real", "played"]
    assert not any(m.recording == "played" for m in made.bench.measured)
    assert not any("played" in (e.note or "") for e in made.provenance.values())
    told = fusus("calibrate", "gyro-bias", "--project", folder, "--recording", "played", "--apply").stdout
    assert "not active" in told and "stand-in" in told
    noise = fusus("allan", "--project", folder, "--recording", "played", "--apply")
    assert noise.returncode == 2 and "never used in a real craft" in noise.stderr
    bias = corrections_for(store.load(folder), load_info(folder, "real")).gyro(np.zeros((1, 3)), None)
    assert bias[0] == pytest.approx(-np.array(first["parameters"]["gyro_bias_rad_s"]), abs=1e-9)


def test_in_a_craft_to_learn_on_practice_counts(captured):
    folder = captured(True)
    out = calibrated(folder, "played")
    assert out["practice"] and out["applied"]
    assert store.load(folder).bench.in_force()["gyro-bias"].recording == "played"
    assert plan_of(store.load(folder)).is_practice


def test_a_simulated_flight_is_practice_and_verify_says_so(tmp_path):
    made = Project(
        name="Heron", parts=Parts(imu="Birch 1", barometer="Mere 1", magnetometer="Needle 1", receiver="Tern 2")
    )
    store.create(tmp_path, made)
    keep_flight(tmp_path, made, "hover", 1, "made up", 200.0)
    assert load_info(tmp_path, "made up").is_practice
    report = json.loads(fusus("verify", "--project", tmp_path, "--json").stdout)
    assert report["practice"] == ["made up"]
    assert "no evidence of a real craft" in fusus("verify", "--project", tmp_path).stdout


def test_a_new_project_has_no_link_and_can_be_made_to_learn_on(tmp_path):
    assert fusus("new", tmp_path / "a").returncode == 0 and fusus("new", tmp_path / "b", "--practice").returncode == 0
    real, practice = store.load(tmp_path / "a"), store.load(tmp_path / "b")
    assert real.bench.link == "" and not real.is_practice and practice.is_practice
    assert fusus("brief", "--project", tmp_path / "a", "--set", "is_practice=true").returncode == 0
    assert store.load(tmp_path / "a").is_practice
