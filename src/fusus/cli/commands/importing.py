"""``fusus import``."""

from dataclasses import dataclass, replace
from pathlib import Path
from typing import Annotated, Any

import typer

from fusus.cli.options import JsonFlag, ProjectFolder, command_with
from fusus.cli.output import BAD_INPUT, StderrProgress, answering, print_json, refuse


@dataclass(frozen=True, slots=True)
class ImportOptions:
    """What to import, and how to read it."""

    sources: Annotated[
        list[Path], typer.Argument(metavar="SOURCE...", help="Logs, archives or folders.", show_default=False)
    ]
    project: ProjectFolder
    name: Annotated[str | None, typer.Option(help="Name of the recording.", show_default=False)] = None
    mapping: Annotated[Path | None, typer.Option(help="A saved mapping (JSON); else it is found.")] = None
    read_as: Annotated[
        str | None, typer.Option("--as", metavar="RECORDING", help="Read it as this recording of the project was read.")
    ] = None
    part: Annotated[
        str | None,
        typer.Option(
            help="Raw counts: of this part, by its name or “chosen” for the project's; its widest range and bits."
        ),
    ] = None
    ranges: Annotated[
        list[str] | None,
        typer.Option(
            "--range",
            help="Raw counts: SENSOR=FULL_SCALE[UNIT][:BITS], as gyro=500, acc=8g, mag=800uT:14; may be repeated.",
        ),
    ] = None
    kind: Annotated[str, typer.Option(help="still, six-face, rotate, jig, flight, ...")] = "flight"
    explain: Annotated[bool, typer.Option("--explain", help="Say what is concluded and why, and import nothing.")] = (
        False
    )
    as_json: JsonFlag = False


@command_with(ImportOptions)
def import_sources(options: ImportOptions) -> None:
    """Import logs as one recording; says what was found and what was wrong, and asks what the data do not decide."""
    with answering(options.as_json):
        from fusus.logs.importer import ImportRequest, import_recording
        from fusus.logs.info import duplicates, list_recordings
        from fusus.logs.known import mapping_of
        from fusus.logs.mapping import load_mapping
        from fusus.project import book, store
        from fusus.study.brief.site import site_of

        if options.mapping is not None and options.read_as is not None:
            refuse("give --mapping or --as, not both.", options.as_json)
        if options.name is None and not options.explain:
            refuse("give the recording a name with --name, or look first with --explain.", options.as_json)
        loaded = store.load(options.project)
        mapping = load_mapping(options.mapping) if options.mapping else None
        if options.read_as is not None:
            mapping = mapping_of(options.project, options.read_as)
        if options.ranges:
            from fusus.study.parts.counts import with_ranges

            mapping = with_ranges(mapping, options.ranges)
        request = ImportRequest(
            tuple(options.sources), options.project, options.name or "explained", options.kind, mapping,
            place=loaded.brief.place, declination_rad=site_of(loaded).declination_rad,
        )  # fmt: skip
        if options.part is not None:
            from fusus.logs.importer import plan_import
            from fusus.study.parts.counts import with_part

            found = with_part(plan_import(request), mapping, loaded, options.part)
            request = replace(request, mapping=found.mapping)
            for words in found.said:
                typer.echo(words, err=True)
        if options.explain:
            _explain(request, options.as_json)
            return
        info = import_recording(request, StderrProgress())
        name = info.name
        book.note(options.project, "recording imported", recording=name, sources=[s.model_dump() for s in info.sources])
        twice = duplicates(list_recordings(options.project))
        same_as = twice.get(name) or next((other for other, first in twice.items() if first == name), None)
        if options.as_json:
            print_json(
                {
                    "recording": name,
                    "streams": {k: v.model_dump() for k, v in info.streams.items()},
                    "mapping": info.mapping.model_dump() if info.mapping else {},
                    "conclusions": [c.model_dump() for c in info.conclusions],
                    "questions": [],
                    "problems": [p.model_dump() for p in info.problems],
                    "sources": [s.model_dump() for s in info.sources],
                    "same_as": same_as,
                }
            )
            return
        typer.echo(f"Imported “{name}”:")
        if same_as is not None:
            typer.echo(
                f"  ! the same files were imported before as “{same_as}”: where flights are pooled, they count once."
            )
        for stream, s in info.streams.items():
            rate = f"{s.rate_hz:.1f} Hz" if s.rate_hz else "-"
            typer.echo(f"  {stream:<10} {s.rows:>9} rows  {rate:>10}  {s.start_s or 0:.3f} to {s.end_s or 0:.3f} s")
        for p in info.problems:
            typer.echo(f"  ! {p.sentence()}")


def _explain(request: Any, as_json: bool) -> None:
    """Print what would be concluded, asked and told."""
    from fusus.logs.importer import plan_import, said_of
    from fusus.logs.known import known_mappings

    plan = plan_import(request)
    known = known_mappings(request.project, plan)
    if as_json:
        print_json({"recording": None, "mapping": plan.mapping.model_dump(), "read_before": known} | said_of(plan))
    else:
        for c in plan.conclusions:
            place = c.file + (f", “{c.column}”" if c.column else "")
            typer.echo(f"  {c.certainty:<7} {place}: {c.conclusion} ({c.reason})")
        for p in plan.problems:
            typer.echo(f"  !       {p.sentence()}")
        for q in plan.questions:
            typer.echo(f"  ?       {q.sentence()}")
        if known:
            typer.echo(f"  Files of this header were read with a corrected mapping before: --as {known[-1]!r}")
    if plan.questions:
        raise typer.Exit(BAD_INPUT)
