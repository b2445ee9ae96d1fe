"""``fusus import``."""

from pathlib import Path
from typing import Annotated

import typer

from fusus.cli.options import JsonFlag, ProjectFolder
from fusus.cli.output import StderrProgress, answering, print_json


def import_sources(
    sources: Annotated[list[Path], typer.Argument(metavar="SOURCE...", help="Tables or folders.", show_default=False)],
    project: ProjectFolder,
    name: Annotated[str, typer.Option(help="Name of the recording.", show_default=False)],
    mapping: Annotated[Path | None, typer.Option(help="A saved mapping (JSON); else it is found.")] = None,
    kind: Annotated[str, typer.Option(help="still, six-face, rotate, jig, flight, ...")] = "flight",
    as_json: JsonFlag = False,
) -> None:
    """Import logs as one recording; says what was found and what was wrong."""
    with answering(as_json):
        from fusus.logs.importer import ImportRequest, import_recording
        from fusus.logs.info import duplicates, list_recordings
        from fusus.logs.mapping import load_mapping
        from fusus.project import book, store
        from fusus.study.brief.site import site_of

        loaded = store.load(project)
        request = ImportRequest(
            sources=tuple(sources),
            project=project,
            name=name,
            kind=kind,
            mapping=load_mapping(mapping) if mapping else None,
            place=loaded.brief.place,
            declination_rad=site_of(loaded).declination_rad,
        )
        info = import_recording(request, StderrProgress())
        book.note(project, "recording imported", recording=name, sources=[s.model_dump() for s in info.sources])
        twice = duplicates(list_recordings(project))
        same_as = twice.get(name) or next((other for other, first in twice.items() if first == name), None)
        if as_json:
            print_json(
                {
                    "recording": info.name,
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
        typer.echo(f"Imported “{info.name}”:")
        if same_as is not None:
            typer.echo(
                f"  ! the same files were imported before as “{same_as}”: where flights are pooled, they count once."
            )
        for stream, s in info.streams.items():
            rate = f"{s.rate_hz:.1f} Hz" if s.rate_hz else "-"
            typer.echo(f"  {stream:<10} {s.rows:>9} rows  {rate:>10}  {s.start_s or 0:.3f} to {s.end_s or 0:.3f} s")
        for p in info.problems:
            place = p.file + (f", line {p.line}" if p.line else "") + (f", column “{p.column}”" if p.column else "")
            times = f" ({p.count} times)" if p.count > 1 else ""
            typer.echo(f"  ! {place}: {p.message}{times}; {p.action}.")
