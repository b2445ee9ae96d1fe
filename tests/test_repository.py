"""The repository as a newcomer and a maintainer meet it."""

import ast
import re
import subprocess
from pathlib import Path

ROOT = Path(__file__).parents[1]
SOURCES = sorted((ROOT / "src").rglob("*.py"))
DOCS = [ROOT / "README.md", *(ROOT / "docs").rglob("*.md")]


def test_links_lead_somewhere():
    links = [(path, link) for path in DOCS for link in re.findall(r"\]\(([^)#]+)\)", path.read_text())]
    assert len(links) > 40
    assert not [(path.name, link) for path, link in links if not (path.parent / link).exists()]


def test_documented_commands_exist():
    from typer.main import get_command

    from fusus.cli.main import app

    known = get_command(app).commands
    text = (ROOT / "docs" / "command-line.md").read_text()
    for name, rest in re.findall(r"^fusus ([\w-]+)(.*)$", text, re.M):
        assert name in known
        options = {o for p in known[name].params for o in p.opts}
        assert set(re.findall(r"--[a-z-]+", rest.split("&&")[0])) <= options, name


def test_every_kind_of_problem_is_documented():
    from typing import get_args

    from fusus.logs.problems import ProblemKind

    text = (ROOT / "docs" / "importing.md").read_text()
    told = set(re.findall(r"`([a-z_]+)`", text))
    quiet = {"preamble", "ignored_column", "ignored_file", "encoding"}
    assert set(get_args(ProblemKind)) - quiet <= told


def too_large(path):
    text = path.read_text()
    if len(text.splitlines()) > 400:
        yield f"{path.name} has {len(text.splitlines())} lines"
    for node in ast.walk(ast.parse(text)):
        if isinstance(node, ast.FunctionDef):
            body = node.body[1:] if ast.get_docstring(node) else node.body
            length = (body[-1].end_lineno - body[0].lineno + 1) if body else 0
            if length > 80:
                yield f"{path.name}: {node.name} has {length} lines"


def test_files_and_functions_stay_small():
    assert len(SOURCES) > 300
    assert not [words for path in SOURCES for words in too_large(path)]


def test_the_core_knows_no_interface_and_reads_no_files():
    for path in (ROOT / "src" / "fusus" / "core").rglob("*.py"):
        names = {a.name for n in ast.walk(ast.parse(path.read_text())) if isinstance(n, ast.Import) for a in n.names}
        names |= {n.module or "" for n in ast.walk(ast.parse(path.read_text())) if isinstance(n, ast.ImportFrom)}
        assert not any(
            n.startswith(("PyQt6", "pyqtgraph", "fusus.app", "fusus.logs", "fusus.project", "fusus.cli")) for n in names
        ), path
        if path.name not in ("_jit.py", "source.py"):
            assert not re.search(r"\b(open|read_text|write_text|read_bytes|write_bytes)\(", path.read_text()), path


def test_run_tells_its_commands():
    out = subprocess.run([str(ROOT / "run"), "help"], capture_output=True, text=True, check=True).stdout
    for command in ("demo", "test", "lint", "bench", "shots", "fusus"):
        assert f"./run {command}" in out
    assert subprocess.run([str(ROOT / "run"), "dance"], capture_output=True).returncode == 2


def test_the_lock_names_exact_versions_and_no_place():
    found = []
    for name in ("requirements.lock", "requirements-dev.lock"):
        text = (ROOT / name).read_text()
        assert "http" not in text and "file:" not in text
        names = {n.lower() for n in re.findall(r"^([\w.-]+)==", text, re.M)}
        assert text.count("--hash=sha256:") >= len(names)
        found.append(names)
    users, tests = found
    assert {"pyqt6", "numpy", "numba", "polars", "pydantic"} <= users and {"pytest", "ruff", "mypy"} <= tests
    assert not users & tests and not {"pytest", "ahrs", "filterpy", "mypy"} & users, "users need no tools for tests"


def test_licences_lie_beside_what_they_belong_to():
    assert "GNU GENERAL PUBLIC LICENSE" in (ROOT / "LICENSE").read_text()
    assert (
        "Bitstream Vera is a trademark"
        in (ROOT / "src" / "fusus" / "app" / "assets" / "fonts" / "LICENSE-DejaVu.txt").read_text()
    )
    assert "Haslwanter" in (ROOT / "tests" / "data" / "LICENSE-recorded-data.txt").read_text()


def test_screenshots_are_few_and_linked():
    shots = list((ROOT / "docs" / "screenshots").glob("*.png"))
    readme = (ROOT / "README.md").read_text()
    assert 5 <= len(shots) < 20
    for shot in shots:
        assert shot.name in readme
        assert shot.stat().st_size < 1_500_000
