"""What the machine has: told truly, with what to do where something is missing."""

import json
import shutil

import pytest
from typer.testing import CliRunner

from fusus.cli.main import app
from fusus.study import machine


def run(*words):
    return CliRunner().invoke(app, [*words])


def test_the_version_is_told_with_what_it_stands_on():
    import numpy

    said = run("--version")
    assert said.exit_code == 0 and said.stdout.startswith("fusus ") and f"numpy {numpy.__version__}" in said.stdout


def test_each_check_says_what_was_found():
    said = run("doctor", "--json")
    report = json.loads(said.stdout)
    assert said.exit_code == 0 and {c["name"] for c in report["checks"]} >= {
        "libraries",
        "display",
        "C compiler",
        "serial ports",
    }
    assert all(c["found"] for c in report["checks"])
    assert all(c["action"] for c in report["checks"] if not c["there"])
    assert "C compiler" in run("doctor").stdout


def test_without_a_compiler_and_isolation_the_packages_are_named(monkeypatch, tmp_path):
    monkeypatch.setenv("PATH", str(tmp_path))
    monkeypatch.delenv("CC", raising=False)
    monkeypatch.setattr(machine, "isolating_tool", lambda: None)
    found = {c.name: c for c in machine.checks()}
    assert not found["C compiler"].is_there and "gcc" in found["C compiler"].action
    assert not found["isolation of foreign code"].is_there and "bubblewrap" in found["isolation of foreign code"].action
    assert not found["C compiler"].is_needed


def test_what_is_needed_and_missing_ends_with_one(monkeypatch):
    monkeypatch.setattr(machine, "LIBRARIES", ("numpy", "nowhere-to-be-found"))
    said = run("doctor", "--json")
    assert said.exit_code == 1
    assert "nowhere-to-be-found" in json.loads(said.stdout)["checks"][0]["found"]


def test_a_full_disk_is_told(monkeypatch):
    full = shutil.disk_usage("/")._replace(free=1000)
    monkeypatch.setattr(machine.shutil, "disk_usage", lambda _: full)
    assert any(not c.is_there and "Free some space" in c.action for c in machine.checks())


@pytest.mark.parametrize("mode", [0o000, 0o666])
def test_a_serial_port_without_rights_names_the_group(mode, tmp_path, monkeypatch):
    port = tmp_path / "ttyACM0"
    port.write_text("")
    monkeypatch.setattr(machine.os, "access", lambda *_: mode != 0)
    found = machine._serial(tmp_path)
    assert found.is_there == (mode != 0) and "ttyACM0" in found.found
    assert mode or "usermod" in found.action
