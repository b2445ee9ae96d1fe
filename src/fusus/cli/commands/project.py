"""``fusus new`` and ``fusus recordings``."""

from pathlib import Path
from typing import Annotated

import typer
from rich.console import Console

from fusus.cli.options import JsonFlag, ProjectFolder
from fusus.cli.output import answering, print_json, refuse, table_of


def new(
    folder: Annotated[Path, typer.Argument(metavar="DIR", help="Folder to make.", show_default=False)],
    name: Annotated[str | None, typer.Option(help="The craft's name; else the folder's.")] = None,
    lat: Annotated[float | None, typer.Option(help="Latitude of home, degrees.")] = None,
    lon: Annotated[float | None, typer.Option(help="Longitude of home, degrees.")] = None,
    height: Annotated[float | None, typer.Option(help="Height of home above sea level, m.")] = None,
    as_json: JsonFlag = False,
) -> None:
    """Make a new project."""
    from pydantic import ValidationError

    from fusus.project import book, store
    from fusus.project.records import Brief, Place, Project

    with answering(as_json):
        if (lat is None) != (lon is None):
            refuse("give both --lat and --lon, or neither.", as_json)
        if lat is None and height is not None:
            refuse("--height needs --lat and --lon.", as_json)
        try:
            place = (
                Place(lat_deg=lat, lon_deg=lon, height_m=height or 0.0) if lat is not None and lon is not None else None
            )
            project = Project(name=name or folder.resolve().name, brief=Brief(place=place))
        except ValidationError as error:
            first = error.errors()[0]
            refuse(f"{'.'.join(str(p) for p in first['loc'])} is {first['input']}: {first['msg'].lower()}.", as_json)
        store.create(folder, project)
        book.note(folder, "project made", name=project.name)
        if as_json:
            print_json({"project": str(folder), "name": project.name, "place": place.model_dump() if place else None})
        else:
            typer.echo(
                f"Made the project “{project.name}” in {folder}. Next: fusus import LOG --project {folder} --name NAME"
            )


def recordings(project: ProjectFolder, as_json: JsonFlag = False) -> None:
    """List the recordings of a project."""
    from fusus.logs.info import list_recordings
    from fusus.project import store

    with answering(as_json):
        loaded = store.load(project)
        found = list_recordings(project)
        if as_json:
            print_json(
                {
                    "project": loaded.name,
                    "recordings": [
                        {
                            "name": r.name,
                            "kind": r.kind,
                            "when": r.when.isoformat() if r.when else None,
                            "reference": r.reference_is,
                            "streams": {k: v.model_dump() for k, v in r.streams.items()},
                            "problems": len(r.problems),
                        }
                        for r in found
                    ],
                }
            )
            return
        if not found:
            typer.echo("No recordings yet. Next: fusus import LOG --project DIR --name NAME")
            return
        table = table_of("name", "kind", "length>", "streams", "problems>")
        for r in found:
            spans = [(s.start_s, s.end_s) for s in r.streams.values() if s.start_s is not None and s.end_s is not None]
            length = max(e for _, e in spans) - min(s for s, _ in spans) if spans else 0.0
            streams = ", ".join(f"{k} {v.rate_hz:.0f} Hz" if v.rate_hz else k for k, v in r.streams.items())
            table.add_row(r.name, r.kind, f"{length:.1f} s", streams, str(len(r.problems)))
        Console().print(table)
