"""``fusus recordings``: list them, and rename, note, set aside, remove, read again or export one."""

from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, Any

import typer
from rich.console import Console

from fusus.cli.options import JsonFlag, ProjectFolder, command_with
from fusus.cli.output import answering, print_json, refuse, table_of


@dataclass(frozen=True, slots=True)
class RecordingsOptions:
    """What to do with which recording; nothing lists them all."""

    project: ProjectFolder
    rename: Annotated[tuple[str, str] | None, typer.Option(metavar="NAME NEW", help="Give it another name.")] = None
    note: Annotated[tuple[str, str] | None, typer.Option(metavar="NAME TEXT", help="Note something of it.")] = None
    set_aside: Annotated[str | None, typer.Option(metavar="NAME", help="Keep it, and do not evaluate it.")] = None
    use: Annotated[str | None, typer.Option(metavar="NAME", help="Evaluate it again after it was set aside.")] = None
    delete: Annotated[str | None, typer.Option(metavar="NAME", help="Move it to the desktop's bin.")] = None
    again: Annotated[str | None, typer.Option(metavar="NAME", help="Read its source files again, with --mapping.")] = (
        None
    )
    mapping: Annotated[Path | None, typer.Option(help="The mapping to read it again with.")] = None
    source: Annotated[list[Path] | None, typer.Option(help="Where its source files are now, for --again.")] = None
    export: Annotated[str | None, typer.Option(metavar="NAME", help="Write its streams as CSV into --out.")] = None
    out: Annotated[Path | None, typer.Option(help="An empty folder for --export.")] = None
    recover: Annotated[bool, typer.Option("--recover", help="Make recordings of interrupted captures.")] = False
    discard_interrupted: Annotated[
        bool, typer.Option("--discard-interrupted", help="Move what interrupted captures left to the desktop's bin.")
    ] = False
    as_json: JsonFlag = False


@command_with(RecordingsOptions)
def recordings(options: RecordingsOptions) -> None:
    """List the recordings of a project, or change one: rename, note, set aside, delete, read again, export."""
    wanted = {
        "rename": options.rename, "note": options.note, "set_aside": options.set_aside, "use": options.use, "delete": options.delete,
        "again": options.again, "export": options.export, "recover": options.recover or None,
        "discard_interrupted": options.discard_interrupted or None,
    }  # fmt: skip
    asked = [name for name, value in wanted.items() if value is not None]
    with answering(options.as_json):
        if len(asked) > 1:
            refuse(
                f"one thing at a time: {' and '.join('--' + n.replace('_', '-') for n in asked)} were given.",
                options.as_json,
            )
        if not asked:
            _list(options)
        elif asked[0] == "export":
            _export(options)
        elif options.recover or options.discard_interrupted:
            _interrupted(options)
        else:
            _change(options, asked[0])


def _list(options: RecordingsOptions) -> None:
    from fusus.devices.kept import leftovers
    from fusus.logs.info import list_recordings
    from fusus.project import store

    loaded = store.load(options.project)
    found = list_recordings(options.project, set_aside=True)
    left = [str(f) for f in leftovers(options.project)]
    if options.as_json:
        print_json({"project": loaded.name, "recordings": [_described(r) for r in found], "interrupted": left})
        return
    for folder in left:
        typer.echo(
            f"An interrupted capture left lines in {folder}: --recover makes a recording of them, --discard-interrupted bins them."
        )
    if not found:
        typer.echo("No recordings yet. Next: fusus import LOG --project DIR --name NAME")
        return
    table = table_of("name", "kind", "length>", "streams", "problems>", "note")
    for r in found:
        streams = ", ".join(f"{k} {v.rate_hz:.0f} Hz" if v.rate_hz else k for k, v in r.streams.items())
        note = "; ".join(x for x in ("set aside" if r.is_set_aside else "", r.note) if x)
        table.add_row(r.name, r.kind, f"{r.length_s:.1f} s", streams, str(len(r.problems)), note)
    Console().print(table)


def _interrupted(options: RecordingsOptions) -> None:
    """Make recordings of what interrupted captures left, or throw it away; tell what is left then."""
    from fusus.devices.kept import leftovers, recover
    from fusus.logs.handling import to_bin
    from fusus.project import book, store

    store.load(options.project)
    made: list[str] = []
    binned: list[str] = []
    if options.recover:
        made = [info.name for info in recover(options.project)]
    else:
        for folder in leftovers(options.project):
            to_bin(folder)
            binned.append(str(folder))
    left = [str(f) for f in leftovers(options.project)]
    if made or binned:
        book.note(options.project, "interrupted captures", recovered=made, binned=len(binned))
    if options.as_json:
        print_json({"recovered": made, "binned": binned, "interrupted": left})
        return
    for name in made:
        typer.echo(f"Made the recording “{name}”.")
    for name in binned:
        typer.echo(f"Moved {name} to the bin.")
    for name in left:
        typer.echo(f"Nothing can be read of {name}/lines.txt; it stays.")
    if not made and not binned and not left:
        typer.echo("No capture was interrupted.")


def _described(r: Any) -> dict[str, Any]:
    return {
        "name": r.name, "kind": r.kind, "when": r.when.isoformat() if r.when else None, "reference": r.reference_is,
        "streams": {k: v.model_dump() for k, v in r.streams.items()}, "problems": len(r.problems), "note": r.note,
        "is_set_aside": r.is_set_aside,
    }  # fmt: skip


def _change(options: RecordingsOptions, what: str) -> None:
    from fusus.logs import handling
    from fusus.project import book
    from fusus.project.document import Document

    document = Document.open(options.project)
    try:
        document.require_writable()
        if options.rename is not None:
            name, new = options.rename
            document.do(handling.RenameRecording(name, new))
            told: dict[str, Any] = {"recording": new, "was": name}
            words = f"Renamed “{name}” to “{new}”."
        elif options.note is not None:
            name, text = options.note
            document.do(handling.noted(options.project, name, text))
            told, words = {"recording": name, "note": text}, f"Noted of “{name}”."
        elif options.set_aside is not None or options.use is not None:
            name = str(options.set_aside or options.use)
            aside = options.set_aside is not None
            document.do(handling.put_aside(options.project, name, aside))
            told = {"recording": name, "is_set_aside": aside}
            words = f"“{name}” is kept, and not evaluated." if aside else f"“{name}” is evaluated again."
        elif options.delete is not None:
            handling.remove_recording(options.project, options.delete)
            told, words = {"recording": options.delete, "deleted": True}, f"Moved “{options.delete}” to the bin."
        else:
            told, words = _again(options, document.project)
        book.note(options.project, f"recording: {what.replace('_', ' ')}", **told)
    finally:
        document.close()
    if options.as_json:
        print_json(told)
    else:
        typer.echo(words)


def _again(options: RecordingsOptions, project: Any) -> tuple[dict[str, Any], str]:
    from fusus.logs.handling import read_again
    from fusus.logs.importer import ImportRequest
    from fusus.logs.mapping import load_mapping
    from fusus.study.brief.site import site_of

    name = str(options.again)
    request = ImportRequest(
        (), options.project, name, place=project.brief.place, declination_rad=site_of(project).declination_rad
    )
    mapping = load_mapping(options.mapping) if options.mapping else None
    info = read_again(options.project, name, mapping, tuple(options.source or ()), request)
    told = {"recording": name, "streams": {k: v.model_dump() for k, v in info.streams.items()}}
    return told, f"Read “{name}” again; what it was before is in the bin."


def _export(options: RecordingsOptions) -> None:
    from fusus.logs.handling import export_recording

    if options.out is None:
        refuse("--export needs --out, an empty folder.", options.as_json)
    files = export_recording(options.project, str(options.export), options.out)
    if options.as_json:
        print_json({"recording": options.export, "files": [str(f) for f in files]})
    else:
        typer.echo(f"Wrote {len(files)} files into {options.out}.")
