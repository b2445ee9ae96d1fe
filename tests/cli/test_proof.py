"""Proof and Book from the command line: references, causes, cards, preflight, pictures, pooled flights; statuses by contract."""

import json

import numpy as np
import pytest
from PIL import Image
from tests.conftest import HOME, short_flight
from typer.testing import CliRunner

from fusus.cli.main import app
from fusus.logs.create import create_recording
from fusus.logs.info import RecordingInfo
from fusus.project import store
from fusus.project.records import Brief, Craft, Fusion, Place, Project

TRACK = (*(f"pos_{a}_m" for a in "ned"), *(f"vel_{a}_m_s" for a in "ned"))


def call(*arguments, status=0):
    done = CliRunner().invoke(app, [str(a) for a in arguments])
    assert done.exit_code == status, (done.output, done.stderr)
    assert "Traceback" not in done.output + done.stderr
    return json.loads(done.stdout) if "--json" in arguments else done.output + done.stderr


def judged(folder, recording):
    """Return the verdicts on a recording by requirement; the exit status says whether one fails."""
    done = CliRunner().invoke(app, ["verify", "--project", str(folder), "--recording", recording, "--json"])
    (found,) = json.loads(done.stdout)["recordings"]
    assert done.exit_code == int(any(v["verdict"] == "fail" for v in found["verdicts"]))
    return {v["requirement"]: v for v in found["verdicts"]}


@pytest.fixture(scope="module")
def flown(tmp_path_factory, site):
    """A project with a flight, and one without reference whose truth lies in another recording."""
    folder = tmp_path_factory.mktemp("proof") / "Heron"
    place = Place(lat_deg=HOME[0], lon_deg=HOME[1], height_m=HOME[2])
    brief = Brief(place=place, craft=Craft(mass_kg=1.35, arm_m=0.21))
    store.create(folder, Project(name="Heron", brief=brief, fusion=Fusion(estimators=("navigation-ekf",))))
    _, streams = short_flight(site, seed=3, rate_hz=100.0)
    create_recording(folder, RecordingInfo(name="hop", kind="flight", reference_is="simulation truth"), streams)
    bare = {k: v for k, v in streams.items() if k != "reference"}
    create_recording(folder, RecordingInfo(name="bare", kind="flight"), bare)
    truth = {k: streams["reference"][k] for k in ("t_ns", *TRACK)}
    create_recording(folder, RecordingInfo(name="track", kind="other"), {"reference": truth})
    return folder


def test_a_recording_is_judged_by_what_is_declared(flown):
    assert call("reference", "--project", flown, "--recording", "bare", "--json")["reference"] is None
    call("verify", "--project", flown, "--recording", "bare", "--json", status=2)
    told = call(
        "reference", "--project", flown, "--recording", "bare", "--other", "track", "--place-sigma", 0.02, "--json"
    )
    assert told["kind"] == "track" and told["sigmas"] == {"position": 0.02} and "velocity" in told["tells"]
    by_track, by_truth = (judged(flown, name) for name in ("bare", "hop"))
    for key in ("position", "height", "velocity"):
        assert by_track[key]["value"] == pytest.approx(by_truth[key]["value"], rel=0.02)
    assert by_track["tilt"]["value"] is None and by_truth["tilt"]["value"] is not None
    shown = call("reference", "--project", flown, "--recording", "bare", "--offset", 0.25, "--ppm", 12.5)
    assert "+250.0 ms, +12.5 ppm" in shown and "another recording" in shown
    assert call("reference", "--project", flown, "--recording", "bare", "--remove", "--json")["reference"] is None


def test_points_come_from_the_line_or_a_file(flown, tmp_path):
    told = call(
        "reference",
        "--project",
        flown,
        "--recording",
        "bare",
        "--kind",
        "heights",
        "--at",
        "1:5 height 0",
        "--at",
        "20:22 height 3",
        "--json",
    )
    assert (
        told["points"] == ["1:5 height 0", "20:22 height 3"] and told["stretches"] == 2 and told["tells"] == ["height"]
    )
    table = tmp_path / "heights.csv"
    table.write_text("from,to,height_m\n1,5,0\n20,22,3\n")
    again = call(
        "reference", "--project", flown, "--recording", "bare", "--kind", "heights", "--points", table, "--json"
    )
    assert again["points"] == told["points"]
    call("reference", "--project", flown, "--recording", "bare", "--remove")


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (("reference", "--recording", "nobody"), "no such recording"),
        (("reference", "--recording", "bare", "--kind", "guess"), "is none of"),
        (("reference", "--recording", "bare", "--kind", "jig", "--at", "roll 3"), "needs “pitch”"),
        (("reference", "--recording", "bare", "--axes", "xyz"), "--axes xyz"),
        (("reference", "--recording", "bare", "--kind", "track"), "needs the recording"),
        (("reference", "--recording", "bare", "--other", "nowhere"), "no such recording"),
        (("reference", "--recording", "bare", "--kind", "heights", "--at", "1:2 height 0"), "two or more"),
        (("reference", "--recording", "bare", "--kind", "heights", "--points", "none.csv"), "cannot be read"),
        (("causes", "--recording", "hop", "--span", "soon"), "FROM:TO"),
        (("causes", "--recording", "hop", "--span", "3:5"), "Length of the hover"),
        (("causes", "--recording", "nobody"), "no such recording"),
        (("cards", "--done", "juggling", "--result", "pass"), "no card of this craft"),
        (("cards", "--done", "restrained"), "say with --result"),
        (("cards", "--show", "juggling"), "is none of"),
        (("book", "--picture", "x.png"), "belongs to an entry"),
        (("book", "--add", "note", "--picture", "x.png"), "cannot be read"),
        (("simulate", "--scenario", "hover-level", "--trouble", "gremlins"), "is none of"),
    ],
)  # fmt: skip
def test_bad_input_is_one_sentence_and_status_two(flown, arguments, says):
    head, *rest = arguments
    before = (flown / "project.json").read_bytes()
    assert says in call(head, "--project", flown, *rest, status=2)
    assert (flown / "project.json").read_bytes() == before, "what cannot be used is not kept"


@pytest.mark.slow
def test_a_wandering_flight_is_flown_kept_and_explained(flown):
    call(
        "simulate",
        "--project",
        flown,
        "--scenario",
        "hover-level",
        "--trouble",
        "sticks",
        "--seed",
        6,
        "--keep",
        "slips",
    )
    found = call("causes", "--project", flown, "--recording", "slips", "--json")
    assert found["causes"][0]["cause"] == "sticks" and found["wanders"] and found["holds_place"] is False
    assert sum(c["probability"] for c in found["causes"]) + found["other"] == pytest.approx(1.0)
    said = call("causes", "--project", flown, "--recording", "slips")
    assert "Stick centre" in said and "To tell it from" in said and "follow the local rules" in said
    done = CliRunner().invoke(app, ["verify", "--project", str(flown), "--recording", "slips", "--json"])
    assert json.loads(done.stdout)["recordings"][0]["board"]["verdicts"][0]["value"] is not None


def test_flights_are_pooled_in_the_report(flown, site):
    if not (flown / "recordings" / "skip").exists():
        _, streams = short_flight(site, seed=9, rate_hz=100.0)
        create_recording(flown, RecordingInfo(name="skip", kind="flight", reference_is="simulation truth"), streams)
    report = json.loads(CliRunner().invoke(app, ["verify", "--project", str(flown), "--pooled", "--json"]).stdout)
    assert {"hop", "skip"} <= set(report["pooled"]["recordings"])
    tilt = next(v for v in report["pooled"]["verdicts"] if v["requirement"] == "tilt")
    assert tilt["interval"][0] < tilt["value"] < tilt["interval"][1] and report["duplicates"] == []
    hop = next(r for r in report["recordings"] if r["recording"] == "hop")
    assert set(hop["verdicts"][0]["deciding"]) == {"start_s", "end_s", "share", "without"}


def test_cards_and_the_list_before_a_flight(flown):
    assert call("cards", "--project", flown, "--json")["next"] == "sensors only"
    assert "Next: motors without propellers" in call(
        "cards", "--project", flown, "--done", "sensors only", "--result", "pass"
    )
    report = call(
        "cards", "--project", flown, "--done", "first hover", "--result", "pass", "--recording", "hop", "--json"
    )
    hover = next(c for c in report["cards"] if c["card"] == "first hover")
    assert hover["verdicts"]["tilt"] == "pass" and "tilt" in report["ticked"]
    assert "Break off:" in call("cards", "--project", flown, "--show", "first hover")
    found = call("preflight", "--project", flown, "--note", "--json", status=1)
    assert not found["holds"] and found["preflight"][0]["what"] == "Calibrations" and found["calendar"]
    entries = call("book", "--project", flown, "--what", "preflight", "--json")["entries"]
    assert entries[-1]["holds"] is False


def test_pictures_parts_and_firmware_stand_in_the_book(flown, tmp_path):
    picture = tmp_path / "arm.png"
    Image.fromarray(np.zeros((20, 30, 3), dtype=np.uint8)).save(picture)
    report = call(
        "book",
        "--project",
        flown,
        "--add",
        "repair",
        "--note",
        "new arm",
        "--part",
        "imu",
        "--picture",
        picture,
        "--json",
    )
    (place,) = report["entries"][-1]["pictures"]
    assert (flown / place).read_bytes() == picture.read_bytes()
    call("book", "--project", flown, "--add", "new firmware", "--firmware", "0.4.1")
    assert call("preflight", "--project", flown, "--json", status=1)["firmware"][-1]["version"] == "0.4.1"
    story = call("book", "--project", flown, "--part", "imu", "--json")["part"]
    assert story["entries"][-1]["note"] == "new arm"
    with (flown / "book.jsonl").open("ab") as file:
        file.write(b'{"at": "2026-0')
    call("book", "--project", flown, "--add", "note", "--note", "after the storm")
    torn = call("book", "--project", flown, "--json")
    assert len(torn["damaged_lines"]) == 1 and torn["entries"][-1]["note"] == "after the storm"
    assert "cannot be read and stays as it is" in call("book", "--project", flown)
