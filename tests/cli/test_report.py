"""``fusus report`` from outside, by the contract."""

import json

from tests.cli.command import fusus

from fusus.project import store
from fusus.project.records import Project


def test_page_and_print(tmp_path):
    store.create(tmp_path / "Heron", Project(name="Heron"))
    for name, begins in (("r.html", b"<!DOCTYPE html>"), ("r.pdf", b"%PDF")):
        done = fusus("report", "--project", tmp_path / "Heron", "--out", tmp_path / name, "--json")
        assert done.returncode == 0, done.stderr
        assert json.loads(done.stdout)["bytes"] == len((tmp_path / name).read_bytes())
        assert (tmp_path / name).read_bytes().startswith(begins)


def test_bad_input_is_one_sentence(tmp_path):
    store.create(tmp_path / "Heron", Project(name="Heron"))
    done = fusus("report", "--project", tmp_path / "Heron", "--out", tmp_path / "r.txt")
    assert done.returncode == 2 and ".html or .pdf" in done.stderr and "Traceback" not in done.stderr
    done = fusus("report", "--project", tmp_path / "nothing", "--out", tmp_path / "r.pdf")
    assert done.returncode == 2 and done.stdout == ""
