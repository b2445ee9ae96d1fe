"""The book sought, saved, taken in, and what its flights come to."""

import json

import pytest

from fusus.errors import ProjectError
from fusus.project import book
from fusus.project.book_tables import flights, save, select, take_in

ENTRIES = [
    {"at": "2026-05-01T09:00", "what": "flight", "minutes": 10.0, "charge_mah": 2000.0, "place": "Saltmere"},
    {"at": "2026-05-02T09:00", "what": "knock", "note": "fell off the bench"},
    {"at": "2026-05-03T09:00", "what": "flight", "minutes": 14.0, "stop_voltage_v": 14.1},
    {"at": "2026-05-04T09:00", "what": "capture", "fields": ["gyro_noise"]},
]


def test_entries_are_sought_by_words_kind_and_days():
    assert [e["what"] for e in select(ENTRIES, "BENCH fell")] == ["knock"]
    assert len(select(ENTRIES, what="flight")) == 2 and select(ENTRIES, "saltmere bench") == []
    assert [e["at"][:10] for e in select(ENTRIES, since="2026-05-02", until="2026-05-03")] == [
        "2026-05-02",
        "2026-05-03",
    ]
    assert select(ENTRIES) == ENTRIES


def test_flights_come_to_minutes_and_a_mean_current():
    found = flights(ENTRIES)
    assert (found.count, found.minutes, found.usual_min) == (2, 24.0, 12.0)
    assert found.mean_a == pytest.approx(12.0), "2000 mAh in ten minutes"
    none = flights([{"what": "flight"}])
    assert none.count == 1 and none.usual_min is None and none.mean_a is None


@pytest.mark.parametrize("name", ["b.jsonl", "b.csv"])
def test_what_is_saved_comes_back_once(tmp_path, name):
    save(ENTRIES, tmp_path / name)
    assert take_in(tmp_path, tmp_path / name) == (4, 0)
    assert book.entries(tmp_path) == ENTRIES
    assert take_in(tmp_path, tmp_path / name) == (0, 4)
    book.add_event(tmp_path, "note", "between")
    assert take_in(tmp_path, tmp_path / name) == (0, 4) and len(book.entries(tmp_path)) == 5


@pytest.mark.parametrize(
    ("name", "text", "says"),
    [
        ("b.jsonl", '{"at": "2026-05-01", "what": "note"}\n{torn', "line 2"),
        ("b.jsonl", '{"at": "2026-05-01"}', "line 1: an entry names"),
        ("b.jsonl", "[1]", "line 1"),
        ("b.jsonl", '{"at": "yesterday", "what": "note"}', "write a day"),
        ("b.csv", "at,what\n2026-05-01,note,more\n", "line 2 has more columns"),
        ("b.csv", "at,what\n,note\n", "line 2"),
    ],
)
def test_a_file_with_an_error_changes_nothing(tmp_path, name, text, says):
    book.note(tmp_path, "project made")
    before = (tmp_path / "book.jsonl").read_bytes()
    (tmp_path / name).write_text(text)
    with pytest.raises(ProjectError, match=says):
        take_in(tmp_path, tmp_path / name)
    assert (tmp_path / "book.jsonl").read_bytes() == before


def test_bad_files_and_figures_are_refused_in_words(tmp_path):
    with pytest.raises(ProjectError, match="ends in"):
        save(ENTRIES, tmp_path / "b.txt")
    (tmp_path / "b.jsonl").write_bytes(b"\xff\xfe\x00picture")
    for source in (tmp_path / "b.jsonl", tmp_path / "nothing.csv"):
        with pytest.raises(ProjectError, match="cannot be read"):
            take_in(tmp_path, source)
    with pytest.raises(ProjectError, match="minutes is -1"):
        book.add_event(tmp_path, "flight", minutes=-1.0)
    assert not (tmp_path / "book.jsonl").exists()


def test_values_keep_their_kinds(tmp_path):
    save([{"at": "2026-05-01", "what": "note", "note": "12", "minutes": 3.5, "fields": ["a"]}], tmp_path / "b.csv")
    take_in(tmp_path, tmp_path / "b.csv")
    (entry,) = book.entries(tmp_path)
    assert entry["minutes"] == 3.5 and entry["note"] == "12" and entry["fields"] == ["a"]
    assert json.loads((tmp_path / "book.jsonl").read_text())["what"] == "note"
