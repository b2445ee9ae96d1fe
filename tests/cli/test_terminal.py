"""What commands print of foreign names: seen, never obeyed by the terminal."""

import json
import subprocess
import sys

from fusus.cli.terminal import json_shown, shown

NAME = "Heron \x1b]0;owned\x07\x1b[2J\x08\x9b31m\u202eevil"


def test_sequences_are_marked_and_colours_stay():
    assert shown(NAME) == "Heron \ufffd]0;owned\ufffd\ufffd[2J\ufffd\ufffd31m\ufffdevil"
    assert shown("\x1b[1mtime\x1b[0m\tµT\n\x1b[K") == "\x1b[1mtime\x1b[0m\tµT\n\x1b[K"
    assert shown(b"log-\xe9.csv".decode("utf-8", "surrogateescape")) == "log-\ufffd.csv"
    assert json.loads(json_shown(json.dumps({"a": NAME}, ensure_ascii=False))) == {"a": NAME}


def test_a_foreign_projects_name_does_not_act_on_the_terminal(project):
    path = project / "project.json"
    told = json.loads(path.read_text())
    told["name"] = NAME
    path.write_text(json.dumps(told))
    log = project / b"l\xe9g\x07.csv".decode("utf-8", "surrogateescape")
    for command in (["brief"], ["import", str(log)], ["brief", "--json"], ["kit", "--no-proof", "--no-cost"]):
        done = subprocess.run(
            [sys.executable, "-m", "fusus.cli.main", *command, "--project", str(project)],
            capture_output=True,
            timeout=300,
        )
        both = done.stdout + done.stderr
        assert b"Traceback" not in both and b"defect" not in both, both[-500:]
        for code in (b"\x1b", b"\x07", b"\x08", b"\xc2\x9b", "\u202e".encode()):
            assert code not in both, (command, code)
