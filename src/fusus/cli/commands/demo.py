"""``fusus demo`` and ``fusus open``: both start the window, which is a program of its own."""

import os
import subprocess
import sys
from pathlib import Path
from typing import Annotated

import typer
from platformdirs import user_data_path

from fusus.cli.commands.verify import print_verdicts, verify_report
from fusus.cli.output import BAD_INPUT, StderrProgress, answering


def demo(
    headless: Annotated[
        bool, typer.Option("--headless", help="No window: replay, print the verdicts, make pictures.")
    ] = False,
    out: Annotated[Path | None, typer.Option(metavar="DIR", help="Where to put the demo project.")] = None,
) -> None:
    """Open the demo project Dunlin; all of it is invented."""
    with answering(False):
        if not headless:
            raise typer.Exit(start_window("--demo", *([str(out)] if out is not None else [])))
        from fusus.demo.build import build
        from fusus.demo.warming import warm

        warm(StderrProgress())
        folder = build(out or user_data_path("fusus") / "Dunlin", StderrProgress())
        report = verify_report(folder, None, False)
        typer.echo("Dunlin, invented: every craft, place, part and figure here is made up.\n")
        print_verdicts(report)
        from fusus.project import store
        from fusus.report.write import write_report

        written = folder / "report.html"
        write_report(folder, store.load(folder), written, StderrProgress())
        pictures = folder / "pictures"
        code = run_app("fusus.app.pictures", str(folder), str(pictures), offscreen=True)
        typer.echo(
            f"\nProject: {folder}\nReport: {written}" + (f"\nPictures of each stage: {pictures}" if code == 0 else "")
        )
        if code:
            raise typer.Exit(code)


def open_window(
    folder: Annotated[Path | None, typer.Argument(metavar="[DIR]", help="A project; else the last one.")] = None,
) -> None:
    """Open the window."""
    with answering(False):
        if folder is not None:
            from fusus.project import store

            store.load(folder)
        raise typer.Exit(start_window(*([str(folder)] if folder else [])))


def start_window(*arguments: str) -> int:
    """Start the window and wait for it."""
    return run_app("fusus.app", *arguments)


def run_app(module: str, *arguments: str, offscreen: bool = False) -> int:
    """Run a module of the application in a process of its own; what it cannot do it says in one sentence."""
    environment = dict(os.environ)
    if offscreen:
        environment["QT_QPA_PLATFORM"] = "offscreen"
    code = subprocess.call([sys.executable, "-m", module, *arguments], env=environment)
    if code < 0 or code > BAD_INPUT:
        sys.stderr.write(
            "fusus: the window could not be opened. Without a display, use --headless; with one, see the README for the "
            "system packages that Qt needs.\n"
        )
        return BAD_INPUT
    return code
