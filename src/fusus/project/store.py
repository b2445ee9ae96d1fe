"""A project as a folder: ``project.json``, ``recordings/``, ``book.jsonl``, ``results/``."""

import json
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from fusus.errors import NewerVersionError, ProjectError
from fusus.project.atomic import write_atomically, writing
from fusus.project.json_text import parsed
from fusus.project.migrations import migrated
from fusus.project.records import FORMAT, Project

PROJECT_FILE = "project.json"


def create(folder: Path, project: Project) -> None:
    """Make a new project folder; an existing project is never overwritten."""
    if (folder / PROJECT_FILE).exists():
        raise ProjectError(folder, "there is a project here already. Choose another folder, or open this one.")
    with writing(folder):
        (folder / "recordings").mkdir(parents=True, exist_ok=True)
        (folder / "results").mkdir(exist_ok=True)
    save(folder, project)


def save(folder: Path, project: Project) -> None:
    """Write ``project.json``."""
    write_atomically(folder / PROJECT_FILE, project.model_dump_json(indent=2).encode() + b"\n")


def load(folder: Path) -> Project:
    """Read ``project.json``; every way in which it can be wrong has its sentence."""
    path = folder / PROJECT_FILE
    try:
        text = path.read_text(encoding="utf-8")
    except FileNotFoundError as error:
        raise ProjectError(
            folder, f"this is no Fusus project: it holds no {PROJECT_FILE}. Make one with “new”."
        ) from error
    except NotADirectoryError as error:
        raise ProjectError(folder, "this is a file, not a project folder.") from error
    except UnicodeDecodeError as error:
        raise ProjectError(path, f"byte {error.start} is not text; restore the file from a backup.") from error
    except OSError as error:
        raise ProjectError(path, f"it cannot be read ({error.strerror}).") from error
    try:
        data: Any = parsed(text)
    except json.JSONDecodeError as error:
        raise ProjectError(
            path, f"line {error.lineno}, column {error.colno}: {error.msg}. Mend the file by hand."
        ) from error
    if not isinstance(data, dict) or not isinstance(data.get("format"), int):
        raise ProjectError(path, "the field “format” with a whole number is missing; this is no Fusus project.")
    if data["format"] > FORMAT:
        raise NewerVersionError(folder, data["format"], FORMAT)
    try:
        return Project.model_validate_json(json.dumps(migrated(data)))
    except ValidationError as error:
        first = error.errors()[0]
        place = ".".join(str(p) for p in first["loc"])
        raise ProjectError(
            path, f"field “{place}”: {first['msg']} (found {first['input']!r}). Mend the file by hand."
        ) from error


def schema_text() -> str:
    """Return the JSON Schema of ``project.json`` that the documentation publishes."""
    return json.dumps(Project.model_json_schema(), indent=2) + "\n"
