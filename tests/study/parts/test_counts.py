"""Raw counts by a part or by a range: the same figures as in units, and a sentence where it cannot be."""

import json

import numpy as np
import pytest
from typer.testing import CliRunner

from fusus.cli.main import app
from fusus.errors import MappingError
from fusus.logs.recording import load_stream
from fusus.project import store
from fusus.study.parts.counts import with_ranges
from fusus.study.parts.suite import available, completed


def log(path, gyro_rad_s, counts):
    """Write a craft that lies still, its gyro in counts."""
    rng = np.random.default_rng(3)
    t = np.arange(0, 20, 0.01)
    rate = gyro_rad_s + rng.normal(0, 0.002, (len(t), 3))
    acc = np.array([0, 0, -9.81]) + rng.normal(0, 0.02, (len(t), 3))
    rows = np.c_[t, np.rint(rate * counts), acc]
    head = "time_s,gx,gy,gz,acc_x_m_s2,acc_y_m_s2,acc_z_m_s2"
    np.savetxt(path, rows, delimiter=",", header=head, comments="", fmt="%.6g")
    return rate


def run(*words):
    return CliRunner().invoke(app, ["import", *(str(w) for w in words)])


@pytest.mark.parametrize(
    ("words", "full_deg_s", "bits"),
    [
        (("--range", "gyro=500"), 500.0, 16),
        (("--range", "gyro=1000deg/s:14"), 1000.0, 14),
        (("--range", "gyro=4.0rad/s"), np.degrees(4.0), 16),
    ],
)
def test_a_range_that_is_given_is_used(words, full_deg_s, bits, project, tmp_path):
    path = tmp_path / "counts.csv"
    rate = log(path, np.array([0.3, -0.2, 0.1]), 2 ** (bits - 1) / np.radians(full_deg_s))
    assert run(path, "--project", project, "--name", "a").exit_code == 2, "the range is open"
    done = run(path, "--project", project, "--name", "a", *words)
    assert done.exit_code == 0, done.output
    gyro = load_stream(project, "a", "imu").vector("gyro", "rad_s")
    assert np.abs(gyro.mean(axis=0) - rate.mean(axis=0)).max() < np.radians(full_deg_s) / 2 ** (bits - 1)


def test_a_part_gives_its_widest_range_and_bits_and_says_so(project, tmp_path):
    loaded = store.load(project)
    for part in (p for p in available(loaded) if p.kind == "imu"):
        whole = completed(part)
        counts = 2 ** (round(whole.value("gyro_bits")) - 1) / whole.value("gyro_range")
        path = tmp_path / f"{part.name}.csv"
        rate = log(path, np.array([0.3, -0.2, 0.1]), counts)
        done = run(path, "--project", project, "--name", part.name, "--part", part.name)
        assert done.exit_code == 0 and "widest range" in done.output and "--range gyro=" in done.output, done.output
        gyro = load_stream(project, part.name, "imu").vector("gyro", "rad_s")
        assert np.mean(gyro[:, 0]) == pytest.approx(rate[:, 0].mean(), abs=1.0 / counts)


def test_what_cannot_be_is_a_sentence(project, tmp_path):
    path, plain = tmp_path / "counts.csv", tmp_path / "plain.csv"
    log(path, np.array([0.3, -0.2, 0.1]), 900.0)
    plain.write_text(path.read_text().replace("gx,gy,gz", "gyro_x_rad_s,gyro_y_rad_s,gyro_z_rad_s"))
    for source, words, wanted in (
        (path, ("--part", "Nix"), "no such imu"), (path, ("--part", "chosen"), "has chosen no part"), (path, ("--range", "gyro=x"), "write SENSOR"),
        (path, ("--range", "baro=5"), "write SENSOR"), (path, ("--range", "gyro=0"), "write SENSOR"),
        (plain, ("--part", "Birch 2"), "leave --part out"),
    ):  # fmt: skip
        done = run(source, "--project", project, "--name", "x", "--json", *words)
        assert done.exit_code == 2 and wanted in json.loads(done.stdout)["error"], (words, done.output)
    with pytest.raises(MappingError):
        with_ranges(None, ["gyro=1.2.3"])
