"""Tables that are written hold no formula, and the book's come back as they were."""

import csv
import io
import json

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.cli.command import fusus

from fusus.project.book_tables import save, take_in
from fusus.project.table_text import guarded, table_text, unguarded
from fusus.study.parts.lists import as_csv

HOSTILE = ('=HYPERLINK("http://x","y")', "+1+cmd", "-2+3", "@SUM(A1)", "\t=1", "  =1", "'=1", "\r=1")


@given(st.text())
def test_words_come_back_and_none_begins_like_a_formula(text):
    cell = str(guarded(text))
    assert unguarded(cell) == text
    try:
        float(cell)
    except ValueError:
        assert not cell.lstrip().startswith(("=", "+", "-", "@"))


def test_numbers_stay_numbers():
    assert [guarded(c) for c in ("-1.5e-3", -2.0, "+4", "nan", None)] == ["-1.5e-3", -2.0, "+4", "nan", None]


@pytest.mark.parametrize("words", HOSTILE)
def test_tables_of_the_program_hold_no_formula(words, tmp_path):
    (row,) = csv.reader(io.StringIO(as_csv([[words, "-3"]]).decode()))
    assert row[0].startswith("'") and row[1] == "-3"
    assert table_text([[words]]).lstrip('"').startswith("'")
    entry = {"at": "2026-05-01T10:00:00+00:00", "what": "note", "note": words, "=key": words}
    save([entry], tmp_path / "book.csv")
    with (tmp_path / "book.csv").open(newline="") as file:
        assert all(not c.lstrip().startswith(("=", "+", "-", "@")) for line in csv.reader(file) for c in line)
    project = tmp_path / "Craft"
    assert fusus("new", project).returncode == 0
    assert take_in(project, tmp_path / "book.csv")[0] == 1
    assert json.loads(fusus("book", "--project", project, "--json").stdout)["entries"][-1]["=key"] == words.replace(
        "\r", "\n"
    )
