"""``fusus book``."""

from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, Any

import typer
from rich.console import Console

from fusus.cli.options import JsonFlag, ProjectFolder, command_with
from fusus.cli.output import FAILED, answering, print_json, refuse, table_of


@dataclass(frozen=True, kw_only=True, slots=True)
class BookOptions:
    """What ``fusus book`` is asked for."""

    project: ProjectFolder
    add: Annotated[
        str | None, typer.Option(help="knock, new firmware, moved, transport, new wiring, repair, flight or note.")
    ] = None
    note: Annotated[str, typer.Option(help="Words to it.")] = ""
    temperature: Annotated[float | None, typer.Option(help="°C.")] = None
    place: Annotated[str | None, typer.Option(help="Where.")] = None
    minutes: Annotated[float | None, typer.Option(help="Of a flight.")] = None
    charge: Annotated[float | None, typer.Option(help="That a flight took, mAh.")] = None
    stop_voltage: Annotated[float | None, typer.Option(help="At which a flight ended, V.")] = None
    weather: Annotated[str | None, typer.Option(help="Of a flight.")] = None
    part: Annotated[
        str | None,
        typer.Option(help="Which part it concerns; without --add: its story (imu, barometer, magnetometer, receiver)."),
    ] = None
    firmware: Annotated[str | None, typer.Option(help="The version, of new firmware.")] = None
    picture: Annotated[list[Path] | None, typer.Option(help="A picture that belongs to it; may be given again.")] = None
    find: Annotated[str, typer.Option(help="Only entries that hold these words.")] = ""
    what: Annotated[str | None, typer.Option(help="Only entries of this kind, such as flight or capture.")] = None
    since: Annotated[str | None, typer.Option(help="Only from this day on, YYYY-MM-DD.")] = None
    until: Annotated[str | None, typer.Option(help="Only up to this day.")] = None
    save: Annotated[Path | None, typer.Option(help="Save what is shown: a file that ends in .jsonl or .csv.")] = None
    take_in: Annotated[
        Path | None, typer.Option(help="Add the entries of such a file that the book does not hold.")
    ] = None
    as_json: JsonFlag = False


@command_with(BookOptions)
def book(given: BookOptions) -> None:
    """Show the book or a part of it, write an event into it, save it, or take entries in."""
    with answering(given.as_json):
        from fusus.project import book as the_book
        from fusus.project import book_tables, pictures, store

        loaded = store.load(given.project)
        if given.add is not None:
            attached = [pictures.attach(given.project, p) for p in given.picture or []]
            the_book.add_event(
                given.project, given.add, given.note, temperature_degc=given.temperature, place=given.place,
                minutes=given.minutes, charge_mah=given.charge,
                stop_voltage_v=given.stop_voltage, weather=given.weather,
                part=given.part, firmware=given.firmware, pictures=attached or None,
            )  # fmt: skip
        elif given.picture:
            refuse("--picture belongs to an entry: give --add too.", given.as_json)
        taken = book_tables.take_in(given.project, given.take_in) if given.take_in is not None else None
        entries = book_tables.select(the_book.entries(given.project), given.find, given.what, given.since, given.until)
        if given.save is not None:
            book_tables.save(entries, given.save)
        from fusus.study.keeping.logbook import part_story

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
            "saved": None if given.save is None else str(given.save),
            "damaged_lines": the_book.damaged(given.project),
            "part": part_story(given.project, loaded, given.part)
            if given.part is not None and given.add is None
            else None,
        }
        if given.as_json:
            print_json(report)
        else:
            _tell(report)


def preflight(
    project: ProjectFolder,
    note: Annotated[bool, typer.Option("--note", help="Write into the book that all of it was looked at.")] = False,
    as_json: JsonFlag = False,
) -> None:
    """The list before a flight with the currency of each calibration, and what is due when; exit status 1 if a calibration is due."""
    with answering(as_json):
        from fusus.project import book as the_book
        from fusus.project import store
        from fusus.study.keeping.logbook import logbook_report

        report = logbook_report(project, store.load(project))
        holds = not any(p["holds"] is False for p in report["preflight"])
        if note:
            the_book.note(project, "preflight", holds=holds)
        if as_json:
            print_json(report | {"holds": holds})
        else:
            table = table_of("", "before the flight", "")
            for p in report["preflight"]:
                mark = {True: "● holds", False: "■ due", None: "○ look"}[p["holds"]]
                table.add_row(mark, p["what"], p["why"])
            Console(width=150).print(table)
            for item in report["calendar"]:
                typer.echo(f"{item['day'] or 'next flight':<12} {item['what']} ({item['why']})")
        if not holds:
            raise typer.Exit(FAILED)


def _tell(report: dict[str, Any]) -> None:
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
    if report["damaged_lines"]:
        lines = ", ".join(str(n) for n in report["damaged_lines"])
        typer.echo(
            f"line {lines} of book.jsonl cannot be read and stays as it is; mend or remove it by hand.", err=True
        )
    story = report["part"]
    if story is not None:
        typer.echo(f"{story['part']}: {story['name'] or 'none chosen'}")
        for c in story["calibrations"]:
            typer.echo(
                f"  {c['when']}  {c['kind']} from {c['recording']}: {c['verdict']}{', active' if c['in_force'] else ''}"
            )
        for m in story["measured"]:
            typer.echo(f"  {m['when']}  {m['field']} measured in {m['recording']}: {m['value']:.4g} (SI)")
    if report["taken_in"]:
        typer.echo(
            f"added: {report['taken_in']['added']} entries; {report['taken_in']['already_there']} were there already"
        )
    if report["saved"]:
        typer.echo(f"saved: {report['saved']}")
