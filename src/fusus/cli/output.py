"""How commands speak: results on standard output, progress and errors on standard error, exit status by contract."""

import json
import logging
import sys
import traceback
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any, NoReturn

import typer
from platformdirs import user_log_path
from rich.table import Table

from fusus.cli.terminal import json_shown
from fusus.errors import CancelledError, FususError, OpenQuestionsError

DONE, FAILED, BAD_INPUT = 0, 1, 2


class StderrProgress:
    """Progress for people: one line that is written over, only on a terminal."""

    def __init__(self) -> None:
        self._shows = sys.stderr.isatty()
        self._last = ""

    def step(self, done: int, total: int, what: str) -> None:
        """Show how far the work is."""
        if not self._shows:
            return
        line = f"{what}: {100 * done // max(total, 1)} %"
        if line != self._last:
            end = "\n" if done >= total else ""
            sys.stderr.write(f"\r\x1b[K{line}{end}")
            sys.stderr.flush()
            self._last = line


def print_json(value: dict[str, Any]) -> None:
    """Print exactly one JSON object."""
    sys.stdout.write(json_shown(json.dumps(value, ensure_ascii=False, indent=2, allow_nan=False)) + "\n")


def table_of(*titles: str) -> Table:
    """Return an empty table for people; titles that end in > stand over figures."""
    table = Table(box=None, header_style="bold")
    for title in titles:
        table.add_column(title.removesuffix(">"), justify="right" if title.endswith(">") else "left")
    return table


def refuse(message: str, as_json: bool, details: dict[str, Any] | None = None) -> NoReturn:
    """End with the status for bad input and one sentence; ``details`` stand beside it in the JSON object."""
    if as_json:
        print_json({"error": message} | (details or {}))
    sys.stderr.write(f"fusus: {message}\n")
    raise typer.Exit(BAD_INPUT)


@contextmanager
def answering(as_json: bool) -> Iterator[None]:
    """Turn errors into one sentence and status 2; the traceback of a defect goes to the log file."""
    try:
        yield
    except typer.Exit:
        raise
    except OpenQuestionsError as error:
        refuse(str(error), as_json, error.details)
    except FususError as error:
        refuse(str(error), as_json)
    except (KeyboardInterrupt, CancelledError):
        sys.stderr.write("fusus: stopped.\n")
        raise typer.Exit(130) from None
    except MemoryError:
        refuse("there is not enough memory for this. Close other programs, or take a shorter recording.", as_json)
    except BrokenPipeError:
        raise typer.Exit(DONE) from None
    except BaseException as error:
        # Libraries that are not written in Python tell their own defects by errors of a kind of their own.
        if isinstance(error, (SystemExit, GeneratorExit)):
            raise
        refuse(f"a defect of Fusus stopped this command; the details are in {_write_log()}.", as_json)


def _write_log() -> str:
    path = user_log_path("fusus") / "errors.log"
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        with path.open("a", encoding="utf-8") as file:
            file.write(traceback.format_exc() + "\n")
    except OSError:
        logging.getLogger("fusus").exception("defect")
        return "the lines above"
    return str(path)
