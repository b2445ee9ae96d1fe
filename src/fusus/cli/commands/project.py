"""``fusus new``."""

from pathlib import Path
from typing import Annotated

import typer

from fusus.cli.options import JsonFlag
from fusus.cli.output import answering, print_json, refuse


def new(
    folder: Annotated[Path, typer.Argument(metavar="DIR", help="Folder to make.", show_default=False)],
    name: Annotated[str | None, typer.Option(help="The craft's name; else the folder's.")] = None,
    lat: Annotated[float | None, typer.Option(help="Latitude of home, degrees.")] = None,
    lon: Annotated[float | None, typer.Option(help="Longitude of home, degrees.")] = None,
    height: Annotated[float | None, typer.Option(help="Height of home above sea level, m.")] = None,
    practice: Annotated[
        bool,
        typer.Option("--practice", help="A craft to learn on: what the stand-in shows counts in it, as in no other."),
    ] = False,
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
            project = Project(name=name or folder.resolve().name, is_practice=practice, brief=Brief(place=place))
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
