"""Files that others wrote, disks that are full, writers that meet: a sentence each, nothing lost, nothing half written."""

import json
import os
import subprocess
import sys

import pytest
from typer.testing import CliRunner

from fusus.cli.main import app
from fusus.errors import LockedError, PartError, ProjectError
from fusus.project import book, store
from fusus.project.atomic import append_line
from fusus.project.commands import SetValue
from fusus.project.document import Document
from fusus.project.json_text import parsed
from fusus.project.lock import ProjectLock
from fusus.project.parts_files import read_parts

DEEP = "[" * 100_000 + "]" * 100_000
LONG = '{"format": ' + "9" * 5000 + "}"
HOSTILE = (
    DEEP,
    LONG,
    '{"format": NaN}',
    '{"format": 1, "name": Infinity}',
    "{",
    "",
    "[1, 2",
    "\x00",
    '{"format": -Infinity}',
)


@pytest.mark.parametrize("text", HOSTILE, ids=range(len(HOSTILE)))
def test_json_that_is_none_has_one_kind_of_error(text, tmp_path, project):
    with pytest.raises(json.JSONDecodeError):
        parsed(text)
    (project / "project.json").write_text(text)
    with pytest.raises(ProjectError, match="project.json"):
        store.load(project)
    for command in (["brief"], ["verify"], ["recordings"]):
        done = CliRunner().invoke(app, [*command, "--project", str(project), "--json"])
        assert done.exit_code == 2 and "defect" not in done.output and "error" in json.loads(done.stdout)
    parts = tmp_path / "parts.json"
    parts.write_text(text)
    with pytest.raises(PartError):
        read_parts(parts)


def test_a_line_of_the_book_that_is_none_is_named_and_the_others_are_read(project):
    book.note(project, "flight", minutes=float("nan"), amps=[1.0, float("inf")])
    with (project / "book.jsonl").open("a") as file:
        file.write(
            '{"at": "2026-06-01T00:00:00+00:00", "what": "flight", "minutes": NaN}\n' + DEEP + "\n" + "9" * 5000 + "\n"
        )
    book.note(project, "note")
    lines = (project / "book.jsonl").read_text().splitlines()
    whats = [e["what"] for e in book.entries(project)]
    assert whats[-2:] == ["flight", "note"] and book.entries(project)[-2]["minutes"] is None
    assert book.damaged(project) == [len(lines) - 3, len(lines) - 2, len(lines) - 1]
    done = CliRunner().invoke(app, ["book", "--project", str(project), "--json"])
    assert done.exit_code == 0 and "defect" not in done.output


def test_a_line_that_a_full_disk_cuts_is_taken_back_and_told(tmp_path, monkeypatch):
    path = tmp_path / "book.jsonl"
    append_line(path, '{"first": 1}')
    before = path.read_bytes()
    write = os.write
    monkeypatch.setattr(os, "write", lambda handle, data: write(handle, data[: len(data) // 2]))
    with pytest.raises(ProjectError, match="disk is full"):
        append_line(path, '{"second": 2}')
    monkeypatch.undo()
    assert path.read_bytes() == before
    append_line(path, '{"second": 2}')
    assert path.read_text() == '{"first": 1}\n{"second": 2}\n'


def test_writers_of_one_book_take_turns(tmp_path):
    path = tmp_path / "book.jsonl"
    code = f"from pathlib import Path\nfrom fusus.project.atomic import append_line\nfor i in range(100): append_line(Path({str(path)!r}), 'x' * 3000)"
    writers = [subprocess.Popen([sys.executable, "-c", code]) for _ in range(3)]
    assert [w.wait(120) for w in writers] == [0, 0, 0]
    assert path.read_text().splitlines() == ["x" * 3000] * 300


def test_what_another_wrote_while_one_waited_for_the_lock_is_not_lost(project, monkeypatch):
    acquire = ProjectLock.acquire

    def late(lock):
        monkeypatch.setattr(ProjectLock, "acquire", acquire)
        other = Document.open(project)
        other.do(SetValue("loops.rate_hz", 321.0, "Set"))
        other.close()
        acquire(lock)

    monkeypatch.setattr(ProjectLock, "acquire", late)
    mine = Document.open(project)
    mine.do(SetValue("loops.shaping_s", 0.1, "Set"))
    mine.close()
    found = store.load(project).loops
    assert (found.rate_hz, found.shaping_s) == (321.0, 0.1)


def test_who_may_not_write_is_told_why(project, monkeypatch):
    first = Document.open(project)
    second = Document.open(project)
    with pytest.raises(LockedError, match="another Fusus"):
        second.require_writable()
    first.close()
    real = os.open

    def refused(path, *rest, **more):
        if str(path).endswith(".lock"):
            raise PermissionError(13, "Permission denied")
        return real(path, *rest, **more)

    monkeypatch.setattr(os, "open", refused)
    shown = Document.open(project)
    with pytest.raises(LockedError, match="cannot be written"):
        shown.require_writable()
    assert shown.project.name == store.load(project).name
