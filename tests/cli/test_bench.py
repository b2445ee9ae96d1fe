"""Bench from the command line: stand-in, capture, calibrate, allan, due, book, snippet; contract and exit statuses."""

import json
import socket
import subprocess
import sys

import numpy as np
import pytest
from typer.testing import CliRunner

from fusus.cli.main import app
from fusus.logs.importer import ImportRequest, import_recording
from fusus.project import store


def run(*arguments):
    return CliRunner().invoke(app, [str(a) for a in arguments])


def data(*arguments):
    done = run(*arguments, "--json")
    assert done.exit_code in (0, 1), done.output
    return done.exit_code, json.loads(done.stdout)


def free_port() -> int:
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as s:
        s.bind(("127.0.0.1", 0))
        return s.getsockname()[1]


@pytest.fixture(scope="module")
def craft(tmp_path_factory):
    """A project with a six-face capture that came over UDP from a stand-in of its own process, and a still one."""
    folder = tmp_path_factory.mktemp("cli") / "craft"
    assert run("new", folder, "--practice", "--lat", 53.02, "--lon", 0.61, "--height", 3).exit_code == 0
    for guide in ("six-face", "still"):
        port = free_port()
        command = [
            sys.executable,
            "-m",
            "fusus.cli.main",
            "stand-in",
            "--link",
            f"udp:{port}",
            "--scenario",
            guide,
            "--seed",
            "3",
        ]
        with subprocess.Popen(
            [*command, "--speed", "25", "--seconds", "45", "--project", str(folder)], stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
        ):  # fmt: skip
            code, report = data(
                "capture",
                "--link",
                f"udp:{port}",
                "--project",
                folder,
                "--name",
                guide,
                "--guide",
                guide,
                "--wait",
                "15",
            )
        assert code == 0
        assert report["enough"] is True
        assert report["kind"] == guide
    # Tests run in any order and on several workers: what is in force is so for all of them.
    for kind, recording in (("gyro-bias", "still"), ("six-face", "six-face")):
        assert run("calibrate", kind, "--project", folder, "--recording", recording, "--apply").exit_code == 0
    return folder


def test_calibrate_keeps_its_contract_and_finds_the_hidden_truth(craft):
    before = len(store.load(craft).bench.calibrations)
    code, report = data("calibrate", "six-face", "--project", craft, "--recording", "six-face", "--apply")
    assert code == 0
    assert len(store.load(craft).bench.calibrations) == before + 1
    assert set(report) >= {"kind", "parameters", "standard_errors", "before", "after", "verdict", "reason", "problems"}
    assert report["verdict"] == "pass"
    assert report["applied"]
    truth = json.loads(run("stand-in", "--truth", "--seed", 3, "--project", craft).stdout)["acc"]
    warm = 20.0 + 6.0 - 25.0  # the room, the board's own heat, the datasheet's temperature
    offset = np.array(truth["bias_m_s2"]) + warm * np.array(truth["slope_m_s2_k"])
    z = (np.array(report["parameters"]["offset_m_s2"]) - offset) / report["standard_errors"]["offset_m_s2"]
    assert np.abs(z).max() < 4
    assert "six-face" in store.load(craft).bench.in_force()
    _, again = data("calibrate", "six-face", "--project", craft, "--recording", "six-face")
    assert not again["applied"]
    assert again["compared"][0]["has_moved"] is False


def test_a_capture_that_does_not_do_ends_with_1_and_changes_nothing(craft):
    code, report = data("calibrate", "six-face", "--project", craft, "--recording", "still", "--apply")
    assert code == 1
    assert report["verdict"] == "fail"
    assert not report["applied"]
    assert "faces are missing" in report["reason"]
    assert run("calibrate", "magnetometer", "--project", craft, "--recording", "still").exit_code == 1


def test_bad_input_ends_with_2_and_one_sentence(craft, tmp_path):
    for arguments in (
        ("calibrate", "colour", "--project", craft, "--recording", "still"),
        ("calibrate", "six-face", "--project", craft, "--recording", "none"),
        ("calibrate", "lever-arm", "--project", craft, "--recording", "still"),
        ("calibrate", "six-face", "--project", craft, "--recording", "still", "--faces", "7"),
        ("capture", "--link", "serial:/dev/none", "--project", craft, "--name", "x"),
        ("capture", "--link", "udp:5", "--project", tmp_path, "--name", "x"),
        ("capture", "--link", "udp:5000", "--project", craft, "--name", "x", "--guide", "dance"),
        ("capture", "--link", "udp:5000", "--project", craft, "--name", "x", "--guide", "vibration"),
        ("allan", "--project", craft),
        ("allan", tmp_path / "none.csv"),
        ("allan", "--project", craft, "--recording", "still", "--rate-hz", "-1"),
        ("due", "--project", craft, "--school", "never"),
        ("due", "--project", craft, "--check", "none"),
        ("book", "--project", craft, "--add", "party"),
        ("stand-in", "--scenario", "dance"),
        ("stand-in", "--link", "usb"),
        ("stand-in", "--rate-hz", "1"),
        ("snippet", "--streams", "radar"),
    ):
        done = run(*arguments)
        assert done.exit_code == 2, (arguments, done.output)
        assert "Traceback" not in done.output
        assert done.stderr.startswith("fusus: ")


def test_a_powered_capture_names_its_cautions(craft):
    done = run("capture", "--link", "udp:5000", "--project", craft, "--name", "x", "--guide", "airflow")
    assert "restrained" in done.stderr
    assert "--cautions-read" in done.stderr


def test_allan_keeps_its_contract(craft, tmp_path):
    _, report = data("allan", "--project", craft, "--recording", "still")
    axis = report["axes"]["gyro_x"]
    assert {"tau_s", "adev", "lower", "upper", "noise_density", "bias_instability", "rate_random_walk", "units"} <= set(
        axis
    )
    assert len(axis["tau_s"]) == len(axis["adev"]) == len(axis["lower"])
    path = tmp_path / "y.csv"
    path.write_text("\n".join(f"{v:.7f}" for v in np.random.default_rng(1).standard_normal(4000)), encoding="utf-8")
    _, bare = data("allan", path, "--rate-hz", 100)
    (only,) = bare["axes"].values()
    assert only["noise_density"] == pytest.approx(0.1, rel=0.06)
    assert "N in" in run("allan", "--project", craft, "--recording", "still").stdout


def test_due_and_book(craft):
    code, report = data("due", "--project", craft)
    assert code == 0
    assert report["school"] in ("check", "on-signs")
    assert run("book", "--project", craft, "--add", "knock", "--note", "fell").exit_code == 0
    entries = data("book", "--project", craft)[1]["entries"]
    assert entries[-1]["what"] == "knock"
    assert any(e["what"] == "capture" for e in entries)
    flown = ("--add", "flight", "--minutes", "10", "--charge", "2000", "--weather", "calm")
    report = data("book", "--project", craft, *flown, "--what", "flight", "--save", craft / "flights.csv")[1]
    assert report["flights"]["mean_current_a"] == pytest.approx(12.0) and len(report["entries"]) == 1
    report = data("book", "--project", craft, "--take-in", craft / "flights.csv", "--find", "calm")[1]
    assert report["taken_in"] == {"added": 0, "already_there": 1} and len(report["entries"]) == 1
    assert run("book", "--project", craft, "--add", "flight", "--minutes", "-3").exit_code == 2
    assert "12.0 A on average" in run("book", "--project", craft).stdout
    _, after = data("due", "--project", craft, "--school", "on-signs")
    assert after["school"] == "on-signs"
    assert any(d["is_due"] and "knock" in d["why"] for d in after["calibrations"])


def test_calibrations_correct_an_imported_recording_on_replay(craft, tmp_path):
    """A log of the same sensors, offset as the calibration found them: gravity comes out right on replay only."""
    offset = np.array(store.load(craft).bench.in_force()["six-face"].parameters["offset_m_s2"])
    rng = np.random.default_rng(5)
    rows = ["t_s,gyro_x_rad_s,gyro_y_rad_s,gyro_z_rad_s,acc_x_m_s2,acc_y_m_s2,acc_z_m_s2"]
    for i in range(1500):
        a = np.array([0.0, 0.0, -9.8133]) + offset + rng.normal(0, 0.01, 3)
        g = rng.normal(0, 1e-3, 3)
        rows.append(",".join(f"{v:.6f}" for v in (i * 0.01, *g, *a)))
    path = tmp_path / "log.csv"
    path.write_text("\n".join(rows), encoding="utf-8")
    import_recording(ImportRequest((path,), craft, "log", "flight"))
    from fusus.study.recording.loading import load

    project = store.load(craft)
    loaded = load(craft, project, "log")
    assert "six-face" in loaded.corrected_by
    assert np.abs(loaded.given.samples.acc_b.mean(axis=0) - [0, 0, -9.8133]).max() < 0.1


def test_measured_noise_is_used_from_the_command_line(craft):
    assert run("parts", "--project", craft, "--choose", "imu=Birch 1").exit_code == 0
    code, report = data("allan", "--project", craft, "--recording", "still", "--apply")
    assert code == 0
    noise = next(m for m in report["measured"] if m["field"] == "gyro_noise")
    assert noise["ratio"] == pytest.approx(1.0, abs=0.3)
    assert {m.field for m in store.load(craft).bench.measured} >= {"gyro_noise"}
    assert run("allan", "--project", craft, "--recording", "still", "--stream", "baro", "--apply").exit_code == 2


def test_replay_says_what_corrected_it_and_can_do_without(craft):
    words = ("replay", "--project", craft, "--recording", "still", "--estimator", "complementary")
    _, with_it = data(*words)
    _, without = data(*words, "--no-calibration")
    assert without["corrected_by"] == []
    assert set(with_it["corrected_by"]) == {"six-face", "gyro-bias"}


def test_a_capture_tells_how_it_goes_while_it_goes(craft, tmp_path):
    from fusus.logs.lines import encode, encode_header
    from fusus.logs.snippet import USUAL

    lines = b"".join(encode("imu", i * 5000, ["0.1"] * 7) for i in range(600))
    (tmp_path / "log.txt").write_bytes(encode_header("imu", list(USUAL["imu"])) + lines + b"spoilt\n")
    done = run(
        "capture", "--link", f"file:{tmp_path / 'log.txt'}", "--project", craft, "--name", "told", "--wait", "2.5"
    )
    assert done.exit_code == 0, done.output
    assert "imu 200.0 Hz ± 0.00 ms" in done.stderr
    assert "1 spoilt" in done.stderr
