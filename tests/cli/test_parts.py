"""``fusus parts``, ``predict``, ``rank`` as scripts call them."""

import csv
import json

import pytest
from typer.testing import CliRunner

from fusus.cli.main import app
from fusus.project import store

RUN = CliRunner()
CHOSEN = ["imu=Birch 1", "barometer=Fen 3", "magnetometer=Needle 1", "receiver=Tern 3"]


def call(*words, status=0):
    found = RUN.invoke(app, [str(w) for w in words])
    assert found.exit_code == status, found.output + found.stderr
    return found


@pytest.fixture
def craft(tmp_path):
    folder = tmp_path / "craft"
    call("new", folder, "--lat", 53, "--lon", 0.6, "--height", 3)
    return folder


def choose(folder, *choices, **options):
    return call("parts", "--project", folder, *(w for c in choices for w in ("--choose", c)), **options)


def test_nothing_chosen_is_bad_input_with_the_next_step(craft):
    found = call("predict", "--project", craft, "--json", status=2)
    assert "no IMU is chosen" in json.loads(found.stdout)["error"]


def test_choose_predict_and_the_contract_of_the_answer(craft):
    choose(craft, *CHOSEN)
    assert store.load(craft).parts.receiver == "Tern 3"
    found = call("predict", "--project", craft, "--json", status=1)  # the usual height limit is out of reach
    report = json.loads(found.stdout)
    by_name = {r["name"]: r for r in report["requirements"]}
    assert {"name", "limit", "predicted", "budget"} <= set(by_name["tilt"])
    assert sum(by_name["tilt"]["budget"].values()) == pytest.approx(1.0, abs=1e-9)
    assert by_name["height"]["met"] is False and report["findings"][0]["severity"] == "stop"
    words = call("predict", "--project", craft, status=1).stdout
    assert "in reach" in words and "out of reach" in words and "Rangefinder" in words
    choose(craft, "rangefinder=Reed 1")
    assert json.loads(call("predict", "--project", craft, "--json").stdout)["requirements"][2]["met"] is True


def test_parts_are_listed_with_their_checks(craft):
    report = json.loads(call("parts", "--project", craft, "--json").stdout)
    assert len(report["parts"]) >= 33 and report["chosen"] == {}
    imu = next(p for p in report["parts"] if p["name"] == "Birch 1")
    assert {c["kind"] for c in imu["checks"]} == {"limit", "advice"} and imu["price"] == pytest.approx(5.2)
    assert "Dogwood 9" in call("parts", "--project", craft).stdout


def test_import_export_and_lists(craft, tmp_path):
    mine = {
        "format": 1,
        "parts": [{"kind": "imu", "name": "Mine", "figures": {"gyro_noise": "-4 mdps/√Hz", "price": 3}}],
    }
    (tmp_path / "mine.json").write_text(json.dumps(mine))
    call("parts", "--project", craft, "--import", tmp_path / "mine.json", "--choose", "imu=Mine", "--choose", "receiver=Tern 1",
         "--export", tmp_path / "all.json", "--shopping", tmp_path / "s.csv", "--wiring", tmp_path / "w.csv")  # fmt: skip
    assert any(p["name"] == "Mine" for p in json.loads((tmp_path / "all.json").read_text())["parts"])
    assert [r[1] for r in csv.reader((tmp_path / "s.csv").read_text().splitlines())][1:3] == ["Mine", "Tern 1"]
    assert next(csv.reader((tmp_path / "w.csv").read_text().splitlines()))[0] == "part"
    report = json.loads(call("predict", "--project", craft, "--json", status=1).stdout)
    negative = next(q for q in report["problems"] if q["field"] == "gyro_noise")
    assert negative["severity"] == "stop" and "negative" in negative["message"] and "assumed" in negative["action"]
    assert "gyro_noise" in report["assumed"]["Mine"]


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (["--choose", "imu=Oak 9"], "there is no such imu"),
        (["--choose", "wings=2"], "is no choice"),
        (["--choose", "imu"], "is no choice"),
        (["--import", "/nowhere/parts.json"], "cannot be read"),
        (["--shopping", "x.csv"], "no parts are chosen"),
    ],
)
def test_bad_input_is_one_sentence_and_status_two(craft, words, said):
    found = call("parts", "--project", craft, "--json", *words, status=2)
    assert said in json.loads(found.stdout)["error"] and "Traceback" not in found.stderr


def test_a_magnetometer_may_be_the_boards_own(craft):
    choose(craft, "imu=Birch 9", "magnetometer=Birch 9", "receiver=Tern 2", "barometer=Fen 2")
    report = json.loads(call("predict", "--project", craft, "--json", status=1).stdout)
    assert report["parts"]["magnetometer"] == "Birch 9" and report["price"] == pytest.approx(11.5 + 17 + 1.9)
    choose(craft, "magnetometer=")
    assert store.load(craft).parts.magnetometer is None


def test_predict_writes_one_sigma_along_the_mission(craft, tmp_path):
    choose(craft, *CHOSEN, "rangefinder=Reed 1")
    call("predict", "--project", craft, "--out", tmp_path / "sigma.csv", "--json")
    rows = list(csv.DictReader((tmp_path / "sigma.csv").read_text().splitlines()))
    assert {r["phase"] for r in rows} >= {"rest", "hover", "transit", "turns", "outage", "steel", "landing"}
    outage = [float(r["position_m"]) for r in rows if r["phase"] in ("outage", "steel")]
    assert outage[-1] > 1.5 * outage[0] and all(float(r["climb_m_s"]) > 0 for r in rows)
    assert all(float(r["velocity_m_s"]) >= float(r["climb_m_s"]) for r in rows)


def test_brief_shows_needs_and_sets_figures(craft):
    before = json.loads(call("brief", "--project", craft, "--json").stdout)
    report = json.loads(
        call("brief", "--project", craft, "--json", "--set", "brief.mission.vibration_acc_m_s2=20", "--set",
             'brief.modes=["rate", "altitude-hold"]', "--set", "parts.heading=GNSS course").stdout
    )  # fmt: skip
    needs = [{n["key"]: n for n in r["needs"]} for r in (before, report)]
    assert (
        needs[1]["acc_range"]["value"] > needs[0]["acc_range"]["value"]
        and needs[1]["gyro_range"]["value"] > needs[0]["gyro_range"]["value"]
    )
    sensors = {m["sensor"]: m for m in report["modes"]}
    assert sensors["Barometer"]["need"] == "needed" and sensors["Barometer"]["mode"] == "Altitude hold"
    saved = store.load(craft)
    assert saved.brief.modes == ("rate", "altitude-hold") and saved.parts.heading == "GNSS course"
    words = call("brief", "--project", craft).stdout
    assert "Gyro range" in words and "Thrust to weight" in words and "inner loop" in words


@pytest.mark.parametrize(
    ("words", "said"),
    [
        ("brief.mission.wind_m_s=gale", "Wind is gale"), ("brief.mission.wind_m_s=-3", "Wind is -3"),
        ("brief.mission.steel_ut=1e9", "Steel nearby"), ("parts.fitting.motor_ut_a=-1", "Motor field"),
        ("parts.fitting.lever_arm_b_m.2=90", "Antenna below"), ("brief.mission.colour=3", "no figure brief.mission.colour"),
        ("name=Other", "sets nothing"), ("brief.mission.wind_m_s", "sets nothing"), ("brief.requirements.99.limit=1", "no figure"),
        ('brief.modes=["fall"]', "modes cannot be"), ("brief.climate.low_degc=null", "low_degc cannot be"),
    ],
)  # fmt: skip
def test_a_figure_that_cannot_be_is_refused(craft, words, said):
    found = call("brief", "--project", craft, "--json", "--set", words, status=2)
    assert said in json.loads(found.stdout)["error"]
    assert store.load(craft).brief.mission.wind_m_s == 4.0


def test_drift_tells_what_the_stage_shows(craft):
    assert "no IMU" in json.loads(call("drift", "--project", craft, "--json", status=2).stdout)["error"]
    choose(craft, *CHOSEN)
    report = json.loads(call("drift", "--project", craft, "--json").stdout)
    assert set(report) == {"fan", "dead_reckoning", "allan", "facts", "registers", "raw", "schools"}
    assert len(report["fan"]["bands_deg"]) == 5 and report["fan"]["t_s"][-1] == pytest.approx(600.0, rel=0.01)
    assert 5 < report["dead_reckoning"]["holds_s"] < 60 and report["allan"]["gyro"]["total"]
    words = call("drift", "--project", craft).stdout
    assert "Without GNSS: within 3 m for" in words and "Earth's rotation" in words and "16.384" in words
    assert "not possible" not in words


@pytest.mark.slow
def test_rank_goes_through_the_whole_catalogue(craft):
    found = call("rank", "--project", craft, "--json")
    report = json.loads(found.stdout)
    assert report["evaluated"] > 2000 and report["elapsed_s"] > 0
    scores = [s["score"] for s in report["front"]]
    assert scores == sorted(scores) and report["front"][0]["meets_all"]
    cheapest = min(report["front"], key=lambda s: s["cost"])
    assert not any(s["cost"] <= cheapest["cost"] and s["score"] < cheapest["score"] for s in report["front"])
