"""From a receiver's text to a verdict: a flight is held against a carrier-phase track that another receiver wrote as NMEA 0183."""

import json
import math

import numpy as np
import pytest
from tests.conftest import HOME, short_flight
from typer.testing import CliRunner

from fusus.cli.main import app
from fusus.core.frames.geodesy import ned_to_geodetic
from fusus.logs.create import create_recording
from fusus.logs.info import RecordingInfo
from fusus.project import store
from fusus.project.records import Brief, Fusion, Place, Project

# The text begins at this second of the day; the flight's log counts from its own first sample.
BEGINS_S = 36930.0


def run(*arguments):
    done = CliRunner().invoke(app, [*map(str, arguments), "--json"])
    assert "Traceback" not in done.output
    return done.exit_code, json.loads(done.stdout)


def checked(body):
    total = 0
    for c in body:
        total ^= ord(c)
    return f"${body}*{total:02X}"


def minutes(value, positive, negative, digits):
    size = abs(value)
    whole = int(size)
    return f"{whole:0{digits}d}{(size - whole) * 60:010.7f},{positive if value >= 0 else negative}"


def clock(seconds):
    return f"{int(seconds // 3600):02d}{int(seconds // 60 % 60):02d}{seconds % 60:05.2f}"


def sentences(t, place, speed, course, quality=4):
    """Return GGA and RMC of one moment."""
    lat, lon = minutes(place[0], "N", "S", 2), minutes(place[1], "E", "W", 3)
    at = clock(BEGINS_S + t)
    knots = speed * 3600 / 1852
    return [
        checked(f"GNGGA,{at},{lat},{lon},{quality},14,0.72,{place[2]:.3f},M,41.20,M,1.2,0042"),
        checked(f"GNRMC,{at},A,{lat},{lon},{knots:.4f},{course:.3f},240626,,,D"),
    ]


@pytest.fixture(scope="module")
def flown(tmp_path_factory, site):
    """A flight with its truth, the same without, and the text of a receiver that flew along."""
    root = tmp_path_factory.mktemp("text")
    folder = root / "Heron"
    brief = Brief(place=Place(lat_deg=HOME[0], lon_deg=HOME[1], height_m=HOME[2]))
    store.create(folder, Project(name="Heron", brief=brief, fusion=Fusion(estimators=("navigation-ekf",))))
    _, streams = short_flight(site, seed=8, rate_hz=100.0)
    create_recording(folder, RecordingInfo(name="hop", kind="flight", reference_is="simulation truth"), streams)
    create_recording(
        folder, RecordingInfo(name="bare", kind="flight"), {k: v for k, v in streams.items() if k != "reference"}
    )
    truth = streams["reference"]
    t = truth["t_ns"] * 1e-9
    every = np.arange(0.0, t[-1], 0.2)
    ned = np.stack([np.interp(every, t, truth[f"pos_{a}_m"]) for a in "ned"], axis=1)
    vel = np.stack([np.interp(every, t, truth[f"vel_{a}_m_s"]) for a in "ne"], axis=1)
    places = ned_to_geodetic(ned, HOME)
    lines = [checked("GNTXT,01,01,02,started")]
    for at, place, v in zip(every, places, vel, strict=True):
        lines += sentences(at, place, math.hypot(*v), math.degrees(math.atan2(v[1], v[0])) % 360)
    lines.insert(200, lines[100][:-1] + "0")  # a byte went wrong on the wire
    text = root / "rover.txt"
    text.write_text("\r\n".join(lines))
    return folder, text, len(every)


def verdicts(folder, name):
    _, report = run("verify", "--project", folder, "--recording", name)
    return {v["requirement"]: v for v in report["recordings"][0]["verdicts"]}


def test_the_track_judges_the_flight_as_the_truth_does(flown):
    folder, text, rows = flown
    status, info = run("import", text, "--project", folder, "--name", "rover", "--kind", "other")
    assert status == 0 and abs(info["streams"]["gnss"]["rows"] - rows) <= 1
    assert {p["kind"] for p in info["problems"]} == {"bad_checksum"} and info["problems"][0]["line"] > 100
    status, told = run("reference", "--project", folder, "--recording", "bare", "--other", "rover", "--align")
    # Its clock counts from its first sentence, as the log does from its first sample: nearly no offset is found.
    assert (
        status == 0
        and abs(told["clock"]["offset_s"]) < 0.04
        and set(told["tells"]) == {"place", "height", "speed over ground"}
    )
    assert told["sigmas"]["position"] == pytest.approx(0.02 / math.sqrt(2), rel=1e-6), (
        "a fixed carrier phase is good to two centimetres"
    )
    run("reference", "--project", folder, "--recording", "bare", "--offset", 0, "--ppm", 0)
    by_text, by_truth = verdicts(folder, "bare"), verdicts(folder, "hop")
    for key, close in (("position", 0.03), ("height", 0.03)):
        assert by_text[key]["value"] == pytest.approx(by_truth[key]["value"], abs=close)
    assert by_text["tilt"]["verdict"] == by_text["velocity"]["verdict"] == "not measured", (
        "it tells neither attitude nor climb"
    )


def test_a_track_that_floats_is_too_rough_to_prove_a_fine_requirement(flown, tmp_path):
    folder, text, _ = flown
    floating = tmp_path / "floating.txt"
    body = [line for line in text.read_text().splitlines() if "GGA" in line]
    floating.write_text("\n".join(checked(line[1:].split("*")[0].replace(",4,14,", ",5,14,")) for line in body))
    run("import", floating, "--project", folder, "--name", "floating", "--kind", "other")
    status, told = run(
        "reference", "--project", folder, "--recording", "bare", "--kind", "track", "--other", "floating"
    )
    assert status == 0 and told["sigmas"]["position"] == pytest.approx(0.4 / math.sqrt(2))
    rough, fine = verdicts(folder, "bare")["position"], verdicts(folder, "hop")["position"]
    assert rough["interval"][1] - rough["value"] > 0.5 > fine["interval"][1] - fine["value"]
    assert rough["verdict"] in ("close", "fail")


def test_receiver_text_and_tables_are_not_mixed(flown, tmp_path):
    folder, text, _ = flown
    table = tmp_path / "imu.csv"
    table.write_text("t_s,gyro_x (deg/s),gyro_y,gyro_z\n0,1,2,3\n0.01,1,2,3\n0.02,1,2,3\n")
    status, report = run("import", text, table, "--project", folder, "--name", "both")
    assert status == 2 and "name it as the reference" in report["error"]
    empty = tmp_path / "empty.txt"
    empty.write_text(checked("GNTXT,01,01,02,started") + "\n$GNGGA,101531.00,,,,,0,00,99.99,,,,,,*7F\n")
    status, report = run("import", empty, "--project", folder, "--name", "none")
    assert status == 2 and "no sentence in it holds a position" in report["error"]
    assert not (folder / "recordings" / "none").exists()
