"""``fusus book``."""

from pathlib import Path
from typing import Annotated, Any

import typer

from fusus.cli.options import JsonFlag, ProjectFolder
from fusus.cli.output import answering, print_json, table_of


def book(
    project: ProjectFolder,
    add: Annotated[
        str | None, typer.Option(help="knock, new firmware, moved, transport, new wiring, repair, flight or note.")
    ] = None,
    note: Annotated[str, typer.Option(help="Words to it.")] = "",
    temperature: Annotated[float | None, typer.Option(help="°C.")] = None,
    place: Annotated[str | None, typer.Option(help="Where.")] = None,
    minutes: Annotated[float | None, typer.Option(help="Of a flight.")] = None,
    charge: Annotated[float | None, typer.Option(help="That a flight took, mAh.")] = None,
    stop_voltage: Annotated[float | None, typer.Option(help="At which a flight ended, V.")] = None,
    weather: Annotated[str | None, typer.Option(help="Of a flight.")] = None,
    find: Annotated[str, typer.Option(help="Only entries that hold these words.")] = "",
    what: Annotated[str | None, typer.Option(help="Only entries of this kind, such as flight or capture.")] = None,
    since: Annotated[str | None, typer.Option(help="Only from this day on, YYYY-MM-DD.")] = None,
    until: Annotated[str | None, typer.Option(help="Only up to this day.")] = None,
    save: Annotated[Path | None, typer.Option(help="Save what is shown: a file that ends in .jsonl or .csv.")] = None,
    take_in: Annotated[
        Path | None, typer.Option(help="Add the entries of such a file that the book does not hold.")
    ] = None,
    as_json: JsonFlag = False,
) -> None:
    """Show the book or a part of it, write an event into it, save it, or take entries in."""
    with answering(as_json):
        from fusus.project import book as the_book
        from fusus.project import book_tables, store

        store.load(project)
        if add is not None:
            the_book.add_event(
                project, add, note, temperature_degc=temperature, place=place, minutes=minutes, charge_mah=charge,
                stop_voltage_v=stop_voltage, weather=weather,
            )  # fmt: skip
        taken = book_tables.take_in(project, take_in) if take_in is not None else None
        entries = book_tables.select(the_book.entries(project), find, what, since, until)
        if save is not None:
            book_tables.save(entries, save)
        f = book_tables.flights(entries)
        report: dict[str, Any] = {
            "entries": entries,
            "flights": {
                "count": f.count,
                "minutes": f.minutes,
                "usual_minutes": f.usual_min,
                "mean_current_a": f.mean_a,
            },
            "taken_in": None if taken is None else {"added": taken[0], "already_there": taken[1]},
            "saved": None if save is None else str(save),
        }
        if as_json:
            print_json(report)
        else:
            _tell(report)


def _tell(report: dict[str, Any]) -> None:
    from rich.console import Console

    table = table_of("when", "what", "")
    for e in report["entries"]:
        rest = ", ".join(f"{k} {v}" for k, v in e.items() if k not in ("at", "what") and v not in (None, ""))
        table.add_row(str(e.get("at", ""))[:16].replace("T", " "), str(e.get("what", "")), rest[:100])
    Console(width=150).print(table)
    f = report["flights"]
    if f["count"]:
        usual = "" if f["usual_minutes"] is None else f", usually {f['usual_minutes']:.1f} min"
        amps = (
            ""
            if f["mean_current_a"] is None
            else f", {f['mean_current_a']:.1f} A on average: enter it as brief.craft.mean_current_a"
        )
        typer.echo(f"{f['count']} flight{'' if f['count'] == 1 else 's'}, {f['minutes']:.0f} min in all{usual}{amps}")
    if report["taken_in"]:
        typer.echo(
            f"taken in: {report['taken_in']['added']} entries; {report['taken_in']['already_there']} were there already"
        )
    if report["saved"]:
        typer.echo(f"saved: {report['saved']}")
