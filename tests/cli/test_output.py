"""The demo without a display, and how commands speak."""

import io
import json
import sys

import pytest
import typer
from tests.cli.command import fusus_process

from fusus.cli import output
from fusus.errors import CancelledError, LogError


def test_the_demo_runs_headless(tmp_path):
    done = fusus_process("demo", "--headless", "--out", tmp_path / "Dunlin")
    assert done.returncode == 0, done.stderr
    assert "pool-survey" in done.stdout and "● pass" in done.stdout and "invented" in done.stdout
    assert {p.name for p in (tmp_path / "Dunlin" / "pictures").glob("*.png")} == {
        "bench.png",
        "loops.png",
        "brief.png",
        "drift.png",
        "fusion.png",
        "parts.png",
        "proof.png",
        "kit.png",
    }
    again = json.loads(fusus_process("verify", "--project", tmp_path / "Dunlin", "--json").stdout)
    assert again["passed"]


def test_a_window_that_cannot_open_is_told(tmp_path):
    refused = fusus_process("open", tmp_path)
    assert refused.returncode == 2 and "no Fusus project" in refused.stderr
    from fusus.project import store
    from fusus.project.records import Project

    store.create(tmp_path / "p", Project(name="P"))
    dark = fusus_process("open", tmp_path / "p", QT_QPA_PLATFORM="xcb", DISPLAY=":987", WAYLAND_DISPLAY="")
    assert dark.returncode == 2 and "could not be opened" in dark.stderr and "Traceback" not in dark.stderr


@pytest.mark.parametrize(
    ("error", "status"),
    [
        (LogError("a.csv", 3, None, "odd."), 2),
        (MemoryError(), 2),
        (KeyboardInterrupt(), 130),
        (CancelledError(), 130),
        (RuntimeError("x"), 2),
        (typer.Exit(1), 1),
    ],
)
def test_every_way_to_end_has_its_status(error, status, capsys):
    with pytest.raises(typer.Exit) as caught, output.answering(False):
        raise error
    assert caught.value.exit_code == status and "Traceback" not in capsys.readouterr().err


def test_progress_is_shown_on_a_terminal_alone(monkeypatch):
    class Terminal(io.StringIO):
        def isatty(self):
            return True

    shown, quiet = Terminal(), io.StringIO()
    for stream in (shown, quiet):
        monkeypatch.setattr(sys, "stderr", stream)
        progress = output.StderrProgress()
        for done in (0, 50, 50, 100):
            progress.step(done, 100, "Reading")
    assert (
        "Reading: 50 %" in shown.getvalue() and shown.getvalue().count("50 %") == 1 and shown.getvalue().endswith("\n")
    )
    assert quiet.getvalue() == ""


def test_json_is_one_object_without_nan(capsys):
    output.print_json({"a": 1})
    assert json.loads(capsys.readouterr().out) == {"a": 1}
    with pytest.raises(ValueError, match="compliant"):
        output.print_json({"a": float("nan")})
