"""A canonical recording on disk: ``recording.json`` and one Parquet file per stream."""

import json
from datetime import datetime
from pathlib import Path
from typing import Any, Literal

from pydantic import ValidationError

from fusus.errors import ProjectError, RecordingError
from fusus.logs.conclusions import Conclusion
from fusus.logs.mapping import Mapping
from fusus.logs.problems import Problem
from fusus.logs.streams import KINDS
from fusus.project.atomic import write_atomically
from fusus.project.evidence import Record
from fusus.project.json_text import parsed
from fusus.project.reads import note_file, note_folder
from fusus.project.records import Place

RECORDING_FORMAT = 1
RECORDING_FILE = "recording.json"


class SourceFile(Record):
    """A file that a recording was made from, and where it lay then."""

    name: str
    sha256: str
    bytes: int
    path: str | None = None


class StreamInfo(Record):
    """What a stream holds: rows, mean rate, first and last time in s."""

    rows: int
    rate_hz: float | None
    start_s: float | None
    end_s: float | None


class RecordingInfo(Record):
    """What stands in ``recording.json``. ``is_calibrated``: its source corrected the sensors already;
    ``is_set_aside``: it is kept and not evaluated; ``is_practice``: the stand-in or a simulation made it."""

    format: Literal[1] = 1
    name: str
    kind: str = "other"
    when: datetime | None = None
    place: Place | None = None
    temperature_degc: float | None = None
    conditions: str = ""
    note: str = ""
    is_set_aside: bool = False
    is_calibrated: bool = False
    is_practice: bool = False
    reference_is: str | None = None
    seed: int | None = None
    sources: tuple[SourceFile, ...] = ()
    mapping: Mapping | None = None
    frames: str = "body forward-right-down, navigation north-east-down, times in ns"
    clock: str = "as in the source"
    streams: dict[str, StreamInfo] = {}  # noqa: RUF012  pydantic copies it
    problems: tuple[Problem, ...] = ()
    conclusions: tuple[Conclusion, ...] = ()

    @property
    def length_s(self) -> float:
        """From the first to the last sample of any stream, s."""
        spans = [(s.start_s, s.end_s) for s in self.streams.values() if s.start_s is not None and s.end_s is not None]
        return max(e for _, e in spans) - min(s for s, _ in spans) if spans else 0.0


def recordings_folder(project: Path) -> Path:
    """Return where a project keeps its recordings."""
    return project / "recordings"


def recording_names(project: Path) -> list[str]:
    """Return the names of a project's recordings; one still being written, in a hidden folder, is none yet."""
    note_folder(recordings_folder(project))
    files = recordings_folder(project).glob(f"*/{RECORDING_FILE}")
    return sorted(path.parent.name for path in files if not path.parent.name.startswith("."))


def list_recordings(project: Path, set_aside: bool = False) -> list[RecordingInfo]:
    """Return the recordings of a project by name, those set aside only if asked for.

    One damaged or just removed is passed over (``load_info`` tells why).
    """
    found = []
    for name in recording_names(project):
        try:
            info = load_info(project, name)
            if set_aside or not info.is_set_aside:
                found.append(info)
        except (ProjectError, RecordingError):
            continue
    return found


def duplicates(infos: list[RecordingInfo]) -> dict[str, str]:
    """Return, by recording, the earlier one that was made from the same files."""
    first: dict[tuple[str, ...], str] = {}
    out = {}
    for info in sorted(infos, key=lambda i: (i.when is None, str(i.when), i.name)):
        key = tuple(sorted(s.sha256 for s in info.sources))
        if not key:
            continue
        if key in first:
            out[info.name] = first[key]
        first.setdefault(key, info.name)
    return out


def save_info(project: Path, info: RecordingInfo) -> None:
    """Write a recording's description."""
    write_atomically(
        recordings_folder(project) / info.name / RECORDING_FILE, info.model_dump_json(indent=2).encode() + b"\n"
    )


def load_info(project: Path, name: str) -> RecordingInfo:
    """Return a recording's description."""
    folder = recordings_folder(project) / name
    note_file(folder / RECORDING_FILE)
    if "/" in name or not (folder / RECORDING_FILE).exists():
        known = ", ".join(recording_names(project))
        raise RecordingError(name, f"there is no such recording. There are: {known or 'none yet; import one first'}.")
    path = folder / RECORDING_FILE
    try:
        data: Any = parsed(path.read_text(encoding="utf-8"))
        if isinstance(data, dict) and isinstance(data.get("format"), int) and data["format"] > RECORDING_FORMAT:
            raise ProjectError(
                path, f"it was written by a newer Fusus (format {data['format']}). Open it with that version."
            )
        return RecordingInfo.model_validate(data)
    except (OSError, UnicodeDecodeError, json.JSONDecodeError) as error:
        raise ProjectError(path, f"it cannot be read ({error}). Import the source again.") from error
    except ValidationError as error:
        first = error.errors()[0]
        place = ".".join(str(p) for p in first["loc"])
        raise ProjectError(path, f"field “{place}”: {first['msg']}. Import the source again.") from error


def check_kind(kind: str) -> str:
    """Return a known kind of recording, or raise RecordingError naming them."""
    if kind not in KINDS:
        raise RecordingError(kind, f"this is no kind of recording; the kinds are {', '.join(KINDS)}.")
    return kind


def check_name(name: str) -> str:
    """Return a name that can be a folder's, or raise RecordingError."""
    if not name or len(name) > 100 or name.startswith(".") or any(c in name for c in '/\\:*?"<>|\n\t\0'):
        raise RecordingError(name, "give it a name without slashes, colons and quotes, not starting with a dot.")
    return name
