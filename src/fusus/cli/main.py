"""The command ``fusus``: one file a command, each on the same core as the window."""

import os
import sys
from typing import Annotated

import typer

from fusus.cli import commands
from fusus.cli.terminal import ShownStream

app = typer.Typer(
    name="fusus",
    help="From loose sensor readings to the state estimate that a home-built multirotor flies on.",
    no_args_is_help=True,
    add_completion=False,
    pretty_exceptions_enable=False,
    context_settings={"help_option_names": ["-h", "--help"]},
)


@app.callback()
def options(
    _version: Annotated[
        bool,
        typer.Option(
            "--version",
            is_eager=True,
            callback=commands.machine.tell_version,
            help="Print the version and what it stands on.",
        ),
    ] = False,
) -> None:
    """From loose sensor readings to the state estimate that a home-built multirotor flies on."""


app.command("new")(commands.project.new)
app.command("import")(commands.importing.import_sources)
app.command("recordings")(commands.recordings.recordings)
app.command("signals")(commands.signals.signals)
app.command("replay")(commands.replay.replay)
app.command("compare")(commands.compare.compare)
app.command("simulate")(commands.simulate.simulate)
app.command("tune")(commands.fusion.tune)
app.command("ablate")(commands.fusion.ablate)
app.command("faults")(commands.fusion.faults)
app.command("schools")(commands.fusion.schools)
app.command("survey")(commands.fusion.survey)
app.command("brief")(commands.brief.brief)
app.command("drift")(commands.brief.drift)
app.command("parts")(commands.parts.parts)
app.command("predict")(commands.parts.predict)
app.command("rank")(commands.parts.rank)
app.command("loops")(commands.loops.loops)
app.command("failsafes")(commands.failsafes.failsafes)
app.command("allan")(commands.bench.allan)
app.command("calibrate")(commands.bench.calibrate)
app.command("capture")(commands.capture.capture)
app.command("stand-in")(commands.capture.stand_in)
app.command("snippet")(commands.capture.snippet)
app.command("due")(commands.capture.due)
app.command("book")(commands.book.book)
app.command("preflight")(commands.book.preflight)
app.command("reference")(commands.proof.reference)
app.command("causes")(commands.proof.causes)
app.command("cards")(commands.proof.cards)
app.command("kit")(commands.kit.kit)
app.command("check-c")(commands.kit.check_c)
app.command("verify")(commands.verify.verify)
app.command("report")(commands.report.report)
app.command("doctor")(commands.machine.doctor)
app.command("demo")(commands.demo.demo)
app.command("open")(commands.demo.open_window)


def main() -> None:
    """Run the command line."""
    sys.stdout, sys.stderr = ShownStream(sys.stdout), ShownStream(sys.stderr)
    try:
        app()
    except BrokenPipeError:
        # The reader of our output has gone (a pager was closed): no error of ours.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())


if __name__ == "__main__":
    main()
