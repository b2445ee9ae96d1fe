"""A drive as others log it, through the command line: fixes of place alone, no rest, a hole at the start and one that the logger filled."""

import csv
import json

import numpy as np
import pytest
from tests.cli.command import fusus
from tests.outside.motions import made

LAT, LON, HEIGHT = 48.0, 9.0, 100.0


def degrees(pos):
    """Return latitude and longitude of places north and east of home, on the ellipsoid (WGS 84)."""
    a, e2 = 6378137.0, 0.00669437999014
    s = 1 - e2 * np.sin(np.radians(LAT)) ** 2
    north, east = a * (1 - e2) / s**1.5 + HEIGHT, (a / np.sqrt(s) + HEIGHT) * np.cos(np.radians(LAT))
    return LAT + np.degrees(pos[:, 0] / north), LON + np.degrees(pos[:, 1] / east)


def call(*arguments):
    """Return what a command printed, parsed where it is JSON."""
    done = fusus(*arguments)
    assert done.returncode == 0, done.stderr
    return json.loads(done.stdout) if "--json" in arguments else done.stdout


@pytest.fixture(scope="module")
def drive(tmp_path_factory):
    """Return a project with a drive and the log that it came from."""
    folder = tmp_path_factory.mktemp("drive")
    log = made(
        "car",
        11,
        seconds=100.0,
        fix_hz=0.5,
        fix_m=0.05,
        has_speed=False,
        shakes_m_s2=0.3,
        shakes_rad_s=0.01,
        jitter=0.4,
    )
    t, gyro, acc = log.motion.t, log.gyro.copy(), log.acc.copy()
    hole = slice(*np.searchsorted(t, [40.0, 41.2]))
    for values in (gyro, acc):
        values[hole] = np.linspace(values[hole.start], values[hole.stop], hole.stop - hole.start)
    keep = (t < t[0] + 0.005) | (t > t[0] + 1.5)
    turn = np.array([1.0, -1.0, -1.0])  # forward, left, up
    rows = np.column_stack([t, gyro * turn, acc * turn])[keep]
    np.savetxt(
        folder / "imu.csv",
        rows,
        "%.5f",
        ",",
        header="t_s,gyro_x_rad_s,gyro_y_rad_s,gyro_z_rad_s,acc_x_m_s2,acc_y_m_s2,acc_z_m_s2",
        comments="",
    )
    lat, lon = degrees(log.fix_pos)
    fixes = np.column_stack([log.fix_t, lat, lon, HEIGHT - log.fix_pos[:, 2]])[log.fix_t > t[0] + 1.5]
    np.savetxt(folder / "fixes.csv", fixes, "%.10f", ",", header="t_s,lat_deg,lon_deg,height_m", comments="")
    project = folder / "project"
    call("new", project, "--lat", str(LAT), "--lon", str(LON), "--height", str(HEIGHT))
    said = call("import", "--project", project, folder / "imu.csv", folder / "fixes.csv", "--name", "drive", "--json")
    assert set(said["streams"]) == {"imu", "gnss"}
    return project, log


def estimate(path):
    with path.open(newline="") as file:
        rows = list(csv.DictReader(file))
    return {k: np.array([float(r[k]) if r[k] else np.nan for r in rows]) for k in rows[0]}


def test_a_drive_of_others_is_followed_to_within_centimetres_and_its_sigmas_hold(drive, tmp_path):
    project, log = drive
    out = tmp_path / "estimate.csv"
    said = call(
        "replay", "--project", project, "--recording", "drive", "--estimator", "navigation-ekf", "--out", out, "--json"
    )
    found = estimate(out)
    late = found["t_s"] > 25.0
    true = np.stack([np.interp(found["t_s"], log.motion.t, log.motion.pos[:, k]) for k in range(3)], axis=1)
    off = np.stack([found[f"pos_{a}_m"] for a in "ned"], axis=1) - true
    assert np.sqrt(np.mean(np.sum(off[late, :2] ** 2, axis=1))) < 0.5
    sigma = np.stack([found[f"sigma_pos_{a}_m"] for a in "ned"], axis=1)
    assert (np.abs(off) < 2 * sigma)[late].mean() > 0.9
    subjects = [f["subject"] for f in said["findings"]]
    assert "The motion shows the heading" in subjects and "Nothing shows the heading" not in subjects
    assert {"filled", "gap"} <= {p["kind"] for p in said["problems"]}


def test_without_the_accelerometer_fixes_alone_carry_the_place(drive, tmp_path):
    project, log = drive
    out = tmp_path / "estimate.csv"
    call(
        "replay",
        "--project",
        project,
        "--recording",
        "drive",
        "--estimator",
        "navigation-ekf",
        "--no-acc",
        "--out",
        out,
        "--json",
    )
    found = estimate(out)
    true = np.stack([np.interp(found["t_s"], log.motion.t, log.motion.pos[:, k]) for k in range(2)], axis=1)
    off = np.hypot(*(np.stack([found["pos_n_m"], found["pos_e_m"]], axis=1) - true).T)
    late = found["t_s"] > 25.0
    assert 0.3 < np.sqrt(np.mean(off[late] ** 2)) < 30.0
