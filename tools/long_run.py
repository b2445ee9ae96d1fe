"""The long run, in parts that can be resumed: all seeds, long recordings, checked bounds, kernels without the compiler.

It is started by hand before anything is called done that touches kernels, the translator or estimators. Parts that have passed for the
present commit are not run again; ``docs/long-run.md`` says which have, and which have not been run.
"""

import json
import os
import re
import subprocess
import sys
import time
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

ROOT = Path(__file__).parents[1]
STATE = ROOT / ".long-run.json"
KERNELS = ["tests/core/estimation", "tests/core/prediction/test_twin.py"]
ALL = {"FUSUS_LONG": "1"}
# Name, what it is, environment, arguments of pytest. Each takes less than forty minutes on two quiet cores.
PARTS: tuple[tuple[str, str, dict[str, str], list[str]], ...] = (
    ("core", "the core and its outside values, all seeds", ALL, ["tests/core", "tests/outside"]),
    ("firmware", "kits, ten minutes and three hours, sanitizers, seeded errors", ALL, ["tests/firmware"]),
    (
        "others", "everything else, all seeds", ALL,
        ["tests", "--ignore=tests/core", "--ignore=tests/outside", "--ignore=tests/firmware"],
    ),
    ("bounds", "the estimators with checked bounds", {"NUMBA_BOUNDSCHECK": "1"}, [*KERNELS, "-m", "not slow"]),
    ("uncompiled", "the estimators without the compiler", {"NUMBA_DISABLE_JIT": "1"}, [*KERNELS, "-m", "not slow"]),
)  # fmt: skip


def commit() -> str:
    """Return the commit, marked where the tree differs from it."""
    name = subprocess.run(
        ["git", "rev-parse", "--short=12", "HEAD"], cwd=ROOT, capture_output=True, text=True, check=True
    )
    clean = not subprocess.run(
        ["git", "status", "--porcelain", "--untracked-files=no", "--", ".", ":!docs/long-run.md"],
        cwd=ROOT,
        capture_output=True,
        text=True,
        check=True,
    ).stdout.strip()
    return name.stdout.strip() + ("" if clean else " and changes")


def load(now: str) -> dict[str, Any]:
    """Return what has passed for this commit so far."""
    try:
        state: dict[str, Any] = json.loads(STATE.read_text())
    except (OSError, ValueError):
        state = {}
    return state if state.get("commit") == now and "changes" not in now else {"commit": now, "parts": {}}


def run(environment: dict[str, str], arguments: list[str]) -> tuple[bool, str]:
    """Run one part; return whether it passed, and its last line."""
    command = [sys.executable, "-m", "pytest", "-n", "2", "--dist", "worksteal", *arguments]
    process = subprocess.Popen(
        command,
        cwd=ROOT,
        env=os.environ | {"QT_QPA_PLATFORM": "offscreen"} | environment,
        stdout=subprocess.PIPE,
        text=True,
    )
    last = ""
    for line in process.stdout or ():
        sys.stdout.write(line)
        last = line.strip() if re.search(r"\d+ (passed|failed|error)", line) else last
    return process.wait() == 0, last


def row(name: str, what: str, found: dict[str, Any] | None) -> str:
    """Return a part's line of the page."""
    if found is None:
        return f"| {name} | {what} | not run for this commit | |"
    return f"| {name} | {what} | {found['said']} | {found['minutes']:.0f} min |"


def write(state: dict[str, Any]) -> None:
    """Write what the page says of the last long run."""
    rows = "\n".join(row(name, what, state["parts"].get(name)) for name, what, _, _ in PARTS)
    (ROOT / "docs" / "long-run.md").write_text(
        f"""# The last long run

`./run test --long` runs what takes longer than one waits for: all seeds, recordings of ten minutes and three hours, sanitizers, the
estimators with checked bounds and without the compiler. It goes on where it was stopped.

Commit `{state["commit"]}`, {datetime.now(UTC):%Y-%m-%d}:

| part | what | result | time |
|---|---|---|---|
{rows}
"""
    )


def main(wanted: list[str]) -> int:
    """Run the parts that are due, or those named; return 0 once all of them have passed."""
    state = load(commit())
    for name, what, environment, arguments in PARTS:
        if wanted and name not in wanted:
            continue
        if name in state["parts"]:
            print(f"{name}: passed before for this commit ({state['parts'][name]['said']})")
            continue
        print(f"{name}: {what}", flush=True)
        began = time.monotonic()
        passed, said = run(environment, arguments)
        if not passed:
            print(f"{name}: failed. What has passed is kept; run this again once it is mended.")
            return 1
        state["parts"][name] = {"said": said, "minutes": (time.monotonic() - began) / 60}
        STATE.write_text(json.dumps(state, indent=2))
        write(state)
    left = [name for name, *_ in PARTS if name not in state["parts"]]
    print(f"Still to run: {', '.join(left)}." if left else "All parts have passed: see docs/long-run.md.")
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
