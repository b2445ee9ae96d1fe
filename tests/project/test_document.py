"""The document: commands, history, safety of what is saved."""

import json
import multiprocessing
import os
import signal
import time
from pathlib import Path

import pytest

from fusus.core.requirements import Requirement
from fusus.errors import LockedError, NewerVersionError, ParameterError, ProjectError
from fusus.project import atomic, book, store
from fusus.project.commands import AddRequirement, RemoveRequirement, SetValue
from fusus.project.document import Document
from fusus.project.evidence import ASSUMED, Evidence
from fusus.project.paths import FieldError, value_at
from fusus.project.records import Place, Project

DOCS = Path(__file__).parents[2] / "docs"
TAU = "fusion.complementary.tau_acc_s"


@pytest.fixture
def document(project):
    found = Document.open(project)
    yield found
    found.close()


def test_an_edit_is_saved_at_once_and_told(document, project):
    seen = []
    off = document.changed.connect(seen.append)
    document.do(SetValue(TAU, 3.5, "Set tau"))
    assert store.load(project).fusion.complementary.tau_acc_s == 3.5 and len(seen) == 1
    off()
    document.do(SetValue(TAU, 4.0, "Set tau"))
    assert len(seen) == 1 and len(document.changed) == 0


def test_undo_and_redo(document, project):
    document.do(SetValue(TAU, 3.0, "Set tau"))
    document.do(AddRequirement(Requirement("tilt", 0.01)))
    assert document.undo_label == "Add requirement"
    document.undo()
    document.undo()
    assert (
        document.project == Project.model_validate_json((project / "project.json").read_text())
        and document.undo_label is None
    )
    assert document.project.fusion.complementary.tau_acc_s == 2.0
    document.redo()
    assert document.project.fusion.complementary.tau_acc_s == 3.0 and document.redo_label == "Add requirement"
    document.do(SetValue(TAU, 9.0, "Set tau"))
    assert document.redo_label is None


def test_commands_of_one_drag_are_one_step(document):
    for value in (2.1, 2.2, 2.3):
        document.do(SetValue(TAU, value, "Drag", merge_key="drag"))
    document.end_merge()
    document.do(SetValue(TAU, 2.4, "Drag", merge_key="drag"))
    document.undo()
    assert document.project.fusion.complementary.tau_acc_s == 2.3
    document.undo()
    assert document.project.fusion.complementary.tau_acc_s == 2.0


def test_nothing_happens_for_nothing(document):
    document.do(SetValue(TAU, 2.0, "Set tau"))
    assert document.undo_label is None
    document.undo()


@pytest.mark.parametrize(
    ("path", "value", "error"),
    [(TAU, -1.0, ParameterError), (TAU, float("nan"), ParameterError), ("name", "", FieldError), ("brief.craft.mass_kg", 9999.0, FieldError),
     ("brief.place.lat_deg", 91.0, FieldError), ("fusion.estimators", (), FieldError), ("fusion.estimators", ("magic",), FieldError),
     ("brief.requirements.0.limit", 0.0, ParameterError)],
)  # fmt: skip
def test_wrong_values_change_nothing(path, value, error, document):
    before = document.project
    with pytest.raises(error):
        document.do(SetValue(path, value, "Wrong"))
    assert document.project is before and document.undo_label is None


def test_evidence_stays_with_its_figure_and_the_earlier_one_on_record(document):
    bench = Evidence(source="bench", standard_error=0.1, conditions="24 °C", recording="still-1")
    document.do(SetValue(TAU, 3.0, "Bench", bench))
    assert document.project.evidence(TAU) == bench and "still-1" in bench.told() and bench.mark == "B"
    document.do(SetValue(TAU, 5.0, "Guess"))
    project = document.project
    assert project.evidence(TAU) == ASSUMED and project.earlier[0].value == 3.0 and project.earlier[0].evidence == bench


def test_removing_a_requirement_moves_the_evidence_of_the_others(document):
    document.do(SetValue("brief.requirements.2.limit", 0.4, "Set", Evidence(source="flight")))
    document.do(RemoveRequirement(0))
    assert document.project.evidence("brief.requirements.1.limit").source == "flight"
    assert value_at(document.project, "brief.requirements.1.limit") == 0.4


def test_a_second_opener_reads_only(document, project):
    other = Document.open(project)
    assert other.read_only and str(os.getpid()) in other.notice
    with pytest.raises(LockedError):
        other.do(SetValue(TAU, 3.0, "Set tau"))
    document.close()
    again = Document.open(project)
    assert not again.read_only
    again.close()


def test_a_refused_write_leaves_document_and_file_as_they_were(document, project, monkeypatch):
    import errno

    before = (project / "project.json").read_bytes()

    def full(_fd):
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(atomic.os, "fsync", full)
    with pytest.raises(ProjectError, match="disk is full.*not made"):
        document.do(SetValue(TAU, 3.0, "Set tau"))
    assert document.project.fusion.complementary.tau_acc_s == 2.0
    assert (project / "project.json").read_bytes() == before and not list(project.glob(".project*"))


def test_a_read_only_folder_says_so(tmp_path, monkeypatch):
    import errno

    folder = tmp_path / "p"
    store.create(folder, Project(name="P"))

    def refuse(*_a, **_k):
        raise OSError(errno.EROFS, "Read-only file system")

    monkeypatch.setattr(atomic.tempfile, "mkstemp", refuse)
    with pytest.raises(ProjectError, match="read-only"):
        store.save(folder, Project(name="Q"))


def _write_for_ever(folder):
    document = Document.open(Path(folder))
    value = 1.0
    while True:
        value = value % 50 + 0.5
        document.do(SetValue(TAU, value, "Set tau"))


def test_kill_in_the_middle_of_saving_loses_nothing(project):
    for pause in (0.05, 0.11, 0.17):
        process = multiprocessing.get_context("spawn").Process(target=_write_for_ever, args=(str(project),))
        process.start()
        first = (project / "project.json").stat().st_mtime_ns
        while (project / "project.json").stat().st_mtime_ns == first:
            assert process.is_alive(), "the writer did not start"
            time.sleep(0.01)
        time.sleep(pause)
        os.kill(process.pid, signal.SIGKILL)
        process.join()
        assert store.load(project).name == "Test craft"
        opened = Document.open(project)
        assert not opened.read_only, "the lock must end with its holder"
        opened.close()


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("", "line 1, column 1"),
        ("{nonsense", "line 1"),
        ("[]", "format"),
        ('{"format": 1}', "name"),
        ('{"format": 1, "name": "x", "smell": 2}', "smell"),
    ],
)
def test_broken_projects_are_told(text, message, project):
    (project / "project.json").write_text(text)
    with pytest.raises(ProjectError, match=message):
        store.load(project)


def test_a_newer_project_is_left_alone(project):
    data = json.loads((project / "project.json").read_text()) | {"format": 99}
    (project / "project.json").write_text(json.dumps(data))
    before = (project / "project.json").read_bytes()
    with pytest.raises(NewerVersionError, match="newer Fusus"):
        Document.open(project)
    assert (project / "project.json").read_bytes() == before


def test_no_project_and_a_project_already_there(tmp_path, project):
    with pytest.raises(ProjectError, match="no Fusus project"):
        store.load(tmp_path)
    with pytest.raises(ProjectError, match="already"):
        store.create(project, Project(name="X"))


def test_every_stored_format_opens():
    for path in sorted((Path(__file__).parent / "stored").glob("format-*.json")):
        data = path.read_text()
        from fusus.project.migrations import migrated

        assert Project.model_validate(migrated(json.loads(data))).name == "Stored"


def test_the_published_schema_is_current():
    assert (DOCS / "project.schema.json").read_text() == store.schema_text(), "write it anew: python -m tools.schema"


def test_project_round_trip():
    p = Project(name="Round", brief=Project(name="x").brief.model_copy(update={"place": Place(lat_deg=1, lon_deg=2)}))
    assert Project.model_validate_json(p.model_dump_json()) == p


def test_the_book_only_grows_and_survives_a_cut_line(project):
    book.note(project, "flown", minutes=7)
    first = (project / "book.jsonl").read_bytes()
    book.note(project, "knocked")
    assert (project / "book.jsonl").read_bytes().startswith(first)
    with (project / "book.jsonl").open("a") as file:
        file.write('{"at": "2026')
    assert [e["what"] for e in book.entries(project)] == ["flown", "knocked"]
    (project / "book.jsonl").write_text("rubbish\n" + first.decode())
    assert [e["what"] for e in book.entries(project)] == ["flown"] and book.damaged(project) == [1]
