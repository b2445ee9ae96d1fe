"""The command line, in this process or in one of its own."""

import os
import subprocess
import sys
from dataclasses import dataclass

from typer.testing import CliRunner


@dataclass(frozen=True)
class Done:
    """How a command ended."""

    returncode: int
    stdout: str
    stderr: str


def fusus(*arguments, **environment):
    """Run the command line here: what it prints and how it ends are the same, without the seconds that a start takes."""
    from fusus.cli.main import app

    found = CliRunner().invoke(app, [str(a) for a in arguments], env=environment or None)
    if found.exception is not None and not isinstance(found.exception, SystemExit):
        raise found.exception
    return Done(found.exit_code, found.stdout, found.stderr)


def fusus_process(*arguments, **environment):
    """Run the command line in a process of its own."""
    return subprocess.run(
        [sys.executable, "-m", "fusus.cli.main", *map(str, arguments)],
        capture_output=True,
        text=True,
        env=os.environ | environment,
        timeout=300,
    )
