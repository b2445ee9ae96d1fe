"""``fusus failsafes``."""

from typing import Annotated, Any

import typer

from fusus.cli.options import JsonFlag, ProjectFolder
from fusus.cli.output import FAILED, StderrProgress, answering, print_json, table_of

CAUTION = (
    "A simulation is no proof of a craft: try each failsafe with propellers off before the first hover, then low, over soft ground, "
    "away from people, with a switch that stops the motors; follow the local rules."
)


def failsafes(
    project: ProjectFolder,
    fly: Annotated[int, typer.Option(min=0, max=10000, help="Fly each in simulation, so many times.")] = 0,
    seed: Annotated[int, typer.Option(min=0, help="Of the first flight of each.")] = 1,
    as_json: JsonFlag = False,
) -> None:
    """Show what the craft does by itself when radio, sensors, battery or motors fail; fly it; exit status 1 if a flight does not end so."""
    with answering(as_json):
        from fusus.project import store
        from fusus.study.flying.failsafes import failsafes_report, fly_failsafes

        loaded = store.load(project)
        flown = fly_failsafes(loaded, fly, seed, StderrProgress()) if fly else ()
        report = failsafes_report(loaded, flown)
        if as_json:
            print_json(report)
        else:
            _tell(report)
        if any(f["as_they_should"] < f["flights"] for f in report["flights"]):
            raise typer.Exit(FAILED)


def _tell(report: dict[str, Any]) -> None:
    from rich.console import Console

    console = Console(width=170)
    typer.echo(f"Radio silent: {report['school']} ({report['school_is']}). loops.failsafe.radio: land, return or stop.")
    table = table_of("what fails", "told by", "after s>", "what is done", "until", "never")
    for r in report["table"]:
        after = "–" if r["after_s"] is None else f"{r['after_s']:g}"
        table.add_row(r["cause"], r["told_by"], after, r["does"], r["ends"], r["never"])
    console.print(table)
    if report["flights"]:
        table = table_of("flown", "safe>", "acts s>", "motors off s>", "at most s>", "away m>", "ground m/s>", "why")
        for f in report["flights"]:
            name = f["scenario"] + (" (falls)" if f["falls_by_design"] else "")
            table.add_row(
                name, f"{f['as_they_should']} of {f['flights']}", _one(f["acts_s"]["median"]), _one(f["stopped_s"]["median"]),
                _one(f["stopped_s"]["most"]), _one(f["distance_m"]["most"]), _one(f["ground_m_s"]["most"]), ", ".join(f["why"]),
            )  # fmt: skip
        console.print(table)
        typer.echo(
            "Seconds from the failure, medians; distance and speed at the ground of the worst flight. All of it simulated."
        )
    typer.echo(CAUTION)


def _one(value: float | None) -> str:
    return "–" if value is None else f"{value:.1f}"
