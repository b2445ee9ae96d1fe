"""``fusus simulate`` in closed loop and ``fusus loops --recording`` from outside."""

import json

import pytest
from tests.cli.command import fusus

from fusus.project import store
from fusus.project.records import Brief, Craft, Fusion, Loops, Project


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    made = tmp_path_factory.mktemp("cli") / "Heron"
    craft = Craft(mass_kg=1.35, arm_m=0.21)
    store.create(made, Project(name="Heron", brief=Brief(craft=craft), fusion=Fusion(estimators=("navigation-ekf",))))
    return made


def told(*words, code=0):
    done = fusus(*words, "--json")
    assert done.returncode == code, done.stderr
    return json.loads(done.stdout)


def test_flights_kept_and_looked_into(folder):
    report = told(
        "simulate", "--project", folder, "--scenario", "sweep", "--seed", "2", "--runs", "2", "--keep", "shaken"
    )
    assert (
        report["ends"] == {"landed": 2} and report["estimator"] == "navigation-ekf" and report["recording"] == "shaken"
    )
    assert [f["seed"] for f in report["flights"]] == [2, 3] and report["x_real_time"] > 1
    assert {"median", "p95"} == set(report["summary"]["held_max_m"]) and report["marks"][0]["what"] == "sweep of roll"
    flown = told("loops", "--project", folder, "--recording", "shaken")["flown"]
    assert flown["axes"]["roll"]["flown"]["motor_lag_ms"] == pytest.approx(50.0, rel=0.15)
    response = flown["axes"]["roll"]["response"]
    assert max(response["coherence"]) > 0.9 and len(response["hz"]) == len(response["phase_deg"])
    assert flown["beat"]["rate_hz"] == pytest.approx(500.0) and flown["swings"] == []
    errors = told("replay", "--project", folder, "--recording", "shaken", "--estimator", "navigation-ekf")["errors"]
    assert errors["horizontal_rmse_m"] < 1.5


def test_words_for_people(folder):
    done = fusus("simulate", "--project", folder, "--scenario", "arming-tilted")
    assert done.returncode == 0 and "motors refused" in done.stdout and "The motors refuse" in done.stdout
    assert "local rules" in done.stdout
    done = fusus("simulate", "--project", folder, "--scenario", "take-off", "--runs", "13")
    assert "of 13 flights in all: 13 landed" in done.stdout


def test_what_crashes_is_exit_status_one(tmp_path):
    made = tmp_path / "Wild"
    loops = Loops(roll=(6.0, 2.0, 0.4), pitch=(6.0, 2.0, 0.4))
    brief = Brief(craft=Craft(mass_kg=1.35, arm_m=0.21))
    store.create(made, Project(name="Wild", brief=brief, loops=loops, fusion=Fusion(estimators=("navigation-ekf",))))
    report = told("simulate", "--project", made, "--scenario", "hover-wind", code=1 if _crashes(made) else 0)
    assert report["findings"][0]["severity"] in ("stop", "mind")


def _crashes(made):
    done = fusus("simulate", "--project", made, "--scenario", "hover-wind", "--json")
    return json.loads(done.stdout)["ends"] == {"crashed": 1}


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (("simulate", "--scenario", "looping"), "take-off"),
        (("simulate", "--scenario", "take-off", "--estimator", "altitude"), "cannot fly"),
        (
            ("simulate", "--scenario", "take-off", "--runs", "5", "--scheduler", "tcp://127.0.0.1:9"),
            "no scheduler answers",
        ),
        (("rank", "--scheduler", "tcp://127.0.0.1:9"), "no scheduler answers"),
        (("loops", "--recording", "nothing"), "no such recording"),
    ],
)
def test_bad_input_is_one_sentence(folder, words, says, monkeypatch):
    monkeypatch.setattr("fusus.study.workers.ANSWERS_WITHIN_S", 0.5)
    done = fusus(words[0], "--project", folder, *words[1:])
    assert done.returncode == 2 and says in done.stderr and "Traceback" not in done.stderr
    assert done.stdout == ""
