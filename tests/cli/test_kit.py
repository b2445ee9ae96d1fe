"""``fusus kit`` and ``fusus check-c`` from outside."""

import json
import subprocess

import pytest
from tests.cli.command import fusus
from tests.conftest import flown_project, short_flight

from fusus.project import store
from fusus.project.records import Fusion

GOOD = """
#include "own_estimator.h"
static double q[4], b[3];
void own_init(const own_start *s)
{
    for (int i = 0; i < 4; i++) q[i] = s->attitude[i];
    for (int i = 0; i < 3; i++) b[i] = s->gyro_bias_rad_s[i];
}
void own_step(const own_sample *s, own_estimate *e)
{
    double r[3];
    for (int i = 0; i < 3; i++) r[i] = 0.5 * (s->gyro_rad_s[i] - b[i]) * s->interval_s;
    const double w = q[0], x = q[1], y = q[2], z = q[3];
    const double p[4] = { w - x * r[0] - y * r[1] - z * r[2], x + w * r[0] + y * r[2] - z * r[1], y + w * r[1] - x * r[2] + z * r[0],
        z + w * r[2] + x * r[1] - y * r[0] };
    const double n = 1.5 - 0.5 * (p[0] * p[0] + p[1] * p[1] + p[2] * p[2] + p[3] * p[3]);
    for (int i = 0; i < 4; i++) e->attitude[i] = q[i] = p[i] * n;
}
"""


@pytest.fixture(scope="module")
def heron(tmp_path_factory, site):
    folder = tmp_path_factory.mktemp("kit") / "Heron"
    flown_project(folder, short_flight(site)[1], fusion=Fusion(estimators=("complementary", "mahony")))
    return folder


@pytest.fixture
def sources(tmp_path):
    folder = tmp_path / "own"
    folder.mkdir()
    (folder / "own.c").write_text(GOOD)
    return folder


def told(code, *words):
    done = fusus(*words, "--json")
    assert done.returncode == code, done.stderr + done.stdout[-800:]
    assert "Traceback" not in done.stderr
    return json.loads(done.stdout)


def test_a_kit_is_written_proved_and_counted(heron, tmp_path):
    out = tmp_path / "board"
    report = told(0, "kit", "--project", heron, "--out", out, "--clock-mhz", "72", "--no-fpu")
    assert {"folder", "files", "estimator", "precision", "state", "proof", "cost"} == set(report)
    assert (
        report["estimator"] == "complementary" and report["precision"] == "single" and "estimator.c" in report["files"]
    )
    assert report["proof"]["equal"] and {r["precision"] for r in report["proof"]["recordings"]} == {"single", "double"}
    assert report["cost"]["clock_hz"] == 72e6 and report["cost"]["parts"][0]["instructions"] > 50
    assert subprocess.run(["make", "check"], cwd=out, capture_output=True).returncode == 0
    kit = store.load(heron).kit
    assert kit.exported.equal and kit.exported.folder == str(out) and not kit.has_fpu


def test_choices_and_loops_are_kept(heron, tmp_path):
    words = ("--estimator", "mahony", "--precision", "double", "--no-proof", "--into-loops", "--streams", "imu")
    report = told(0, "kit", "--project", heron, "--out", tmp_path / "b", *words)
    assert report["proof"] is None and report["estimator"] == "mahony" and report["precision"] == "double"
    project = store.load(heron)
    assert project.kit.estimator == "mahony" and project.evidence("loops.estimator_s").source == "bench"
    text = (tmp_path / "b" / "telemetry.c").read_text()
    assert "print_imu" in text and "print_board" in text and "print_gnss" not in text


def test_people_read_a_table(heron, tmp_path):
    done = fusus("kit", "--project", heron, "--out", tmp_path / "b", "--recording", "hop", "--no-cost")
    assert done.returncode == 0, done.stderr
    assert "computes what the core computes" in done.stdout and "Propellers off" in done.stdout and "hop" in done.stdout


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (("--estimator", "none-such"), "kit.estimator"),
        (("--precision", "half"), "kit.precision"),
        (("--clock-mhz", "0"), "kit.clock_hz"),
        (("--streams", "imu,radar"), "radar"),
        (("--recording", "nowhere"), "nowhere"),
    ],
)
def test_wrong_choices_are_refused_in_a_sentence(heron, tmp_path, words, said):
    done = fusus("kit", "--project", heron, "--out", tmp_path / "b", "--no-cost", *words)
    assert done.returncode == 2 and said in done.stderr and "Traceback" not in done.stderr


def test_a_folder_with_other_files_is_left_alone(heron, tmp_path):
    (tmp_path / "control.c").write_text("mine")
    done = fusus("kit", "--project", heron, "--out", tmp_path, "--no-cost", "--no-proof")
    assert done.returncode == 2 and "control.c" in done.stderr
    assert (tmp_path / "control.c").read_text() == "mine" and len(list(tmp_path.iterdir())) == 1


def test_without_a_compiler_the_kit_is_written_all_the_same(heron, tmp_path, monkeypatch):
    monkeypatch.setenv("PATH", str(tmp_path))
    monkeypatch.delenv("CC", raising=False)
    report = told(2, "kit", "--project", heron, "--out", tmp_path / "b")
    assert "No C compiler" in report["proof"]["why_not"] and "No C compiler" in report["cost"]["why_not"]
    assert (tmp_path / "b" / "estimator.c").exists()


def test_own_code_is_never_run_unasked(heron, sources):
    done = fusus("check-c", sources, "--project", heron)
    assert done.returncode == 2 and "--yes" in done.stderr


def test_own_code_that_is_right_passes_the_proving_motion(heron, sources):
    report = told(0, "check-c", sources, "--project", heron, "--recording", "hop", "--yes")
    assert report["passes"] and report["proving"]["good"] and not report["proving"]["slips"]
    assert {c["name"] for c in report["cases"]} == {"hop", "simulated mission, seed 1"}
    words = {v["requirement"]: v["verdict"] for v in report["cases"][0]["verdicts"]}
    assert words["tilt"] in ("pass", "close") and words["position"] == "not measured"


def test_a_slip_is_named_and_mended(heron, sources):
    (sources / "own.c").write_text(GOOD.replace("(s->gyro_rad_s[i] - b[i])", "s->gyro_rad_s[i]"))
    report = told(1, "check-c", sources, "--project", heron, "--recording", "hop", "--yes")
    slip = report["proving"]["slips"][0]
    assert slip["slip"] == "bias not subtracted" and slip["rms_deg_left"] < 0.5 < report["proving"]["rms_deg"]
    assert report["said"][0].startswith("It agrees when")


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ("double r[3];", "crashed"),
        ("", "own.c, line"),
    ],
)
def test_bad_code_ends_with_status_two(heron, sources, line, said):
    spoiled = "*(volatile int *)0 = 1; double r[3];" if line else "double r[3"
    (sources / "own.c").write_text(GOOD.replace("double r[3];", spoiled))
    done = fusus("check-c", sources, "--project", heron, "--recording", "hop", "--yes")
    assert done.returncode == 2 and said in done.stdout + done.stderr and "Traceback" not in done.stderr


def test_a_missing_folder_and_an_unknown_flight_are_refused(heron, sources, tmp_path):
    done = fusus("check-c", tmp_path / "nowhere", "--project", heron, "--yes")
    assert done.returncode == 2 and "does not exist" in done.stderr
    done = fusus("check-c", sources, "--project", heron, "--yes", "--recording", "hop", "--scenario", "moon")
    assert done.returncode == 2 and "moon" in done.stderr


def test_the_interface_is_written_on_request(heron, tmp_path):
    report = told(0, "check-c", tmp_path / "new", "--project", heron, "--interface")
    text = (tmp_path / "new" / "own_estimator.h").read_text()
    assert report["written"].endswith("own_estimator.h") and "void own_step(const own_sample *sample" in text


def test_the_kit_runs_on_the_desk_and_fusus_imports_what_it_prints(heron, tmp_path):
    """Stand-in's lines -> kit program -> lines with its own estimates -> a recording whose board estimate is judged."""
    import numpy as np

    from fusus.core.frames import quaternion
    from fusus.devices.standin import Printer, obey
    from fusus.logs.recording import load_stream
    from fusus.project.records import Project
    from fusus.study.bench.standin import standin_board

    out = tmp_path / "board"
    told(
        0,
        "kit",
        "--project",
        heron,
        "--out",
        out,
        "--estimator",
        "mahony",
        "--precision",
        "single",
        "--no-proof",
        "--no-cost",
    )
    assert subprocess.run(["make", "desk"], cwd=out, capture_output=True).returncode == 0
    board, printer, lines = standin_board(Project(name="desk"), 4), Printer(), b""
    obey(board, "outdoors on")
    for i in range(600):
        if i == 250:
            obey(board, "face nose up")
        streams, _ = board.advance(20)
        lines += printer.lines(streams, i * 0.02)
    done = subprocess.run(["./desk"], cwd=out, input=lines, capture_output=True, timeout=60)
    assert done.returncode == 0 and b"board," in done.stdout
    log = tmp_path / "desk.log"
    log.write_bytes(done.stdout)
    captured = fusus("capture", "--link", f"file:{log}", "--project", heron, "--name", "desk", "--json")
    assert captured.returncode == 0, captured.stderr
    found = load_stream(heron, "desk", "board")
    q = found.matrix("q_w", "q_x", "q_y", "q_z")
    assert len(q) > 100 and np.abs(np.linalg.norm(q, axis=1) - 1.0).max() < 1e-5
    # The board was stood on end: so says the kit, whichever way it is mounted.
    turn = quaternion.to_rotation_vector(quaternion.multiply(quaternion.conjugate(q[10]), q[-10]))
    assert 75 < np.degrees(np.linalg.norm(turn)) < 130
    still = quaternion.to_rotation_vector(quaternion.multiply(quaternion.conjugate(q[10]), q[40]))
    assert np.degrees(np.linalg.norm(still)) < 5
    assert load_stream(heron, "desk", "imu") is not None
