"""Test cards follow the craft; the calendar, parts' stories, firmware versions and the list before a flight follow book and project."""

from dataclasses import asdict
from datetime import UTC, datetime, timedelta

import pytest

from fusus.core.requirements import Requirement
from fusus.errors import ProjectError, RecordingError
from fusus.project import book, store
from fusus.project.records import Bench, Brief, Craft, Parts, Project, StoredCalibration
from fusus.study.keeping.card_results import card_text, cards_report, note_result
from fusus.study.keeping.logbook import calendar, firmwares, part_story, preflight
from fusus.study.keeping.test_cards import ladder

NOW = datetime(2026, 6, 20, 9, 0, tzinfo=UTC)


def calibration(kind, days, **more):
    return StoredCalibration(
        kind=kind, recording=f"{kind}-1", when=NOW - timedelta(days=days), parameters={}, standard_errors={}, units={}, before={}, after={},
        verdict="pass", reason="small", **more,
    )  # fmt: skip


def project(modes=("self-level", "altitude-hold", "position-hold"), calibrations=(), school="check", requirements=None):
    brief = Brief(craft=Craft(mass_kg=1.35, arm_m=0.21), modes=modes)
    if requirements is not None:
        brief = brief.model_copy(update={"requirements": requirements})
    return Project(
        name="Heron",
        brief=brief,
        bench=Bench(calibrations=tuple(calibrations), school=school),
        parts=Parts(imu="Birch 1", receiver="Tern 3"),
    )


@pytest.fixture
def folder(tmp_path):
    place = tmp_path / "Heron"
    store.create(place, project())
    return place


def test_the_ladder_grows_with_the_modes():
    names = [c.card for c in ladder(project(modes=("rate",)))]
    assert names[:3] == ["sensors only", "motors without propellers", "failsafes without propellers"]
    assert names[3:5] == ["restrained", "first hover"]
    assert "altitude hold" not in names and "position hold" not in names and names[-2:] == ["endurance", "envelope"]
    full = [c.card for c in ladder(project(modes=("self-level", "altitude-hold", "position-hold", "return")))]
    assert (
        full.index("altitude hold")
        < full.index("position hold")
        < full.index("outage")
        < full.index("range and return")
    )
    without = [c.card for c in ladder(project(requirements=(Requirement("tilt", 0.03),)))]
    assert "outage" not in without, "nobody asked for one"


def test_every_card_says_what_to_do_when_to_stop_and_warns():
    cards = ladder(project())
    for c in cards:
        assert all(asdict(c)[k] for k in ("purpose", "conditions", "steps", "record", "passes", "abort", "cautions")), (
            c.card
        )
    by_name = {c.card: c for c in cards}
    assert "Propellers off" in by_name["motors without propellers"].cautions[0]
    assert "people away" in by_name["restrained"].cautions[0].lower()
    assert all("local rules" in " ".join(c.cautions) for c in cards[4:])
    shown = {k for c in cards for k in c.requirements}
    assert shown == {r.key for r in project().brief.requirements}, "each requirement is shown by a card"


def test_results_go_into_the_book_and_a_failed_requirement_is_not_passed_over(folder):
    made = project()
    assert cards_report(folder, made)["next"] == "sensors only"
    note_result(folder, made, "sensors only", "pass", None, "all speak")
    note_result(folder, made, "motors without propellers", "aborted", None)
    report = cards_report(folder, made)
    states = {c["card"]: c["state"] for c in report["cards"]}
    assert states["sensors only"] == "passed" and states["motors without propellers"] == "broken off"
    assert report["next"] == "motors without propellers"
    text = card_text(report["cards"][0])
    assert "all speak" not in text and "Passed:" in text and "Break off:" in text
    for card, result, recording in (
        ("no such", "pass", None),
        ("restrained", "fine", None),
        ("restrained", "pass", "none"),
    ):
        with pytest.raises(RecordingError):
            note_result(folder, made, card, result, recording)
    assert sum(e["what"] == "test card" for e in book.entries(folder)) == 2


@pytest.mark.parametrize(
    ("school", "kind", "days", "due_in"),
    [
        ("check", "gyro-bias", 2, 5),
        ("check", "gyro-bias", 9, None),
        ("distance-and-age", "magnetometer", 20, 10),
        ("distance-and-age", "magnetometer", 31, None),
    ],
)
def test_the_calendar_names_the_day(folder, school, kind, days, due_in):
    items = calendar(folder, project(calibrations=[calibration(kind, days)], school=school), NOW)
    mine = next(i for i in items if kind.replace("-", " ") in i.what)
    if due_in is None:
        assert mine.overdue and mine.day == NOW.date()
    else:
        assert not mine.overdue and mine.day == (NOW + timedelta(days=due_in)).date()
    assert [i for i in items if i.day] == sorted((i for i in items if i.day), key=lambda i: i.day)
    assert items[-1].day is None and "sensors only" in items[-1].what


def test_what_waits_for_a_sign_has_no_day_and_endurance_comes_with_flights(folder):
    made = project(calibrations=[calibration("magnetometer", 200)], school="on-signs")
    assert not any("magnetometer" in i.what for i in calendar(folder, made, NOW))
    assert not any("endurance" in i.what for i in calendar(folder, made, NOW))
    book.add_event(folder, "flight", minutes=12)
    assert any("endurance" in i.what and i.overdue for i in calendar(folder, made, NOW))
    book.add_event(folder, "flight", minutes=12, charge_mah=2000)
    (item,) = [i for i in calendar(folder, made, NOW) if "endurance" in i.what]
    assert not item.overdue and item.day > NOW.date()


def test_flights_count_for_the_firmware_that_flew_them(folder):
    book.add_event(folder, "flight", minutes=5)
    book.add_event(folder, "new firmware", firmware="0.4.0")
    book.add_event(folder, "flight", minutes=6)
    book.add_event(folder, "flight", minutes=7)
    book.add_event(folder, "new firmware", "with the notch")
    book.add_event(folder, "flight", minutes=8)
    found = firmwares(book.entries(folder))
    assert [(f.version, f.flights.count, f.flights.minutes) for f in found] == [
        ("0.4.0", 2, 13.0),
        ("with the notch", 1, 8.0),
    ]


def test_a_parts_story_holds_its_calibrations_and_entries_and_no_others(folder):
    made = project(
        calibrations=[
            calibration("gyro-bias", 40, is_in_force=False),
            calibration("gyro-bias", 2),
            calibration("magnetometer", 2),
        ]
    )
    book.add_event(folder, "repair", "resoldered", part="Birch 1")
    book.add_event(folder, "note", "sunny")
    story = part_story(folder, made, "imu")
    assert story["name"] == "Birch 1" and [c["in_force"] for c in story["calibrations"]] == [False, True]
    assert [e.get("note") for e in story["entries"]] == ["resoldered"]
    assert (
        part_story(folder, made, "receiver")["calibrations"] == []
        and part_story(folder, made, "barometer")["name"] is None
    )


def test_the_list_before_a_flight_knows_currency_and_leaves_the_rest_to_eyes(folder):
    made = project(calibrations=[calibration("gyro-bias", 1), calibration("magnetometer", 20)])
    found = {p.what: p for p in preflight(folder, made, NOW)}
    assert found["Calibration: gyro bias"].holds and found["Calibration: magnetometer"].holds is False
    assert found["Propellers"].holds is None and "14.0 V" in found["Battery"].why and "Fixes" in found
    assert "local rules" in found["Ground and people"].why
    assert "Wind" in {p.what for p in preflight(folder, project(modes=("self-level",)), NOW)}
    assert preflight(folder, project(), NOW)[0].holds is False, "without any calibration nothing holds"
    with pytest.raises(ProjectError, match="minutes"):
        book.add_event(folder, "flight", minutes=-1)
