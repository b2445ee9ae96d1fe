"""What one does with a recording: rename, note, set aside, remove, read again, export. Its source files are never touched."""

import shutil
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from fusus.errors import ProjectError, RecordingError
from fusus.logs.info import RecordingInfo, check_name, load_info, recordings_folder, save_info
from fusus.logs.mapping import Mapping
from fusus.project.atomic import sync_folder, writing
from fusus.project.records import Project

if TYPE_CHECKING:
    from fusus.logs.importer import ImportRequest

# Fields of a project that name a recording.
NAMING = {"recording", "other"}


@dataclass(frozen=True, slots=True)
class RenameRecording:
    """Give a recording another name, in its folder and wherever the project names it."""

    old: str
    new: str
    label: str = "Rename recording"
    merge_key: str | None = None

    def apply(self, project: Project) -> Project:
        """Return the project with the new name in the place of the old one."""
        return Project.model_validate(_renamed(project.model_dump(), self.old, self.new))

    def forward(self, folder: Path) -> None:
        """Rename the folder."""
        _rename_folder(folder, self.old, self.new)

    def backward(self, folder: Path) -> None:
        """Give the folder its old name back."""
        _rename_folder(folder, self.new, self.old)


@dataclass(frozen=True, slots=True)
class DescribeRecording:
    """Change what stands of a recording beside its data: its note, and whether it is set aside."""

    before: RecordingInfo
    after: RecordingInfo
    label: str
    merge_key: str | None = None

    def apply(self, project: Project) -> Project:
        """Return the project as it is: only the recording changes."""
        return project

    def forward(self, folder: Path) -> None:
        """Write the new description."""
        save_info(folder, self.after)

    def backward(self, folder: Path) -> None:
        """Write the old one again."""
        save_info(folder, self.before)


def noted(folder: Path, name: str, text: str) -> DescribeRecording:
    """Return the command that notes something of a recording."""
    info = load_info(folder, name)
    return DescribeRecording(info, info.model_copy(update={"note": text}), "Note on recording")


def put_aside(folder: Path, name: str, aside: bool) -> DescribeRecording:
    """Return the command that sets a recording aside, or takes it back: it is kept, and not evaluated."""
    info = load_info(folder, name)
    label = "Set recording aside" if aside else "Use recording again"
    return DescribeRecording(info, info.model_copy(update={"is_set_aside": aside}), label)


def remove_recording(folder: Path, name: str) -> None:
    """Move a recording to the desktop's bin."""
    load_info(folder, name)
    to_bin(recordings_folder(folder) / name)


def to_bin(path: Path) -> None:
    """Move a folder to the desktop's bin; ProjectError where that cannot be done, and then nothing was removed."""
    from send2trash import TrashPermissionError, send2trash

    try:
        send2trash(path)
    except (TrashPermissionError, OSError) as error:
        raise ProjectError(path, f"it cannot be moved to the bin ({str(error)[:80]}). Nothing was removed.") from error


def sources_of(info: RecordingInfo) -> tuple[Path, ...]:
    """Return the files that a recording was made from; RecordingError where they lie there no more."""
    found = []
    for source in info.sources:
        path = Path(source.path) if source.path else None
        if path is None or not path.is_file():
            raise RecordingError(
                info.name,
                f"its source “{source.name}” is no longer {f'at {path.parent}' if path else 'known'}; name it with --source.",
            )
        if path not in found:
            found.append(path)
    if not found:
        raise RecordingError(info.name, "it was not imported from files, so there is nothing to read again.")
    return tuple(found)


def read_again(
    folder: Path, name: str, mapping: Mapping | None, sources: tuple[Path, ...], request: "ImportRequest"
) -> RecordingInfo:
    """Import a recording's sources anew in its place, with another mapping; the old one goes to the bin.

    ``request`` carries place and declination; if the import fails, the old recording stays.
    """
    from fusus.logs.importer import import_recording  # the window starts without the libraries that read logs

    info = load_info(folder, name)
    beside = f"{name} (read again)"
    files = sources or sources_of(info)
    done = import_recording(
        replace(request, sources=files, project=folder, name=beside, kind=info.kind, mapping=mapping)
    )
    try:
        remove_recording(folder, name)
    except ProjectError:
        shutil.rmtree(recordings_folder(folder) / beside, ignore_errors=True)
        raise
    _rename_folder(folder, beside, name)
    again = done.model_copy(update={"name": name, "note": info.note, "is_set_aside": info.is_set_aside})
    save_info(folder, again)
    return again


def export_recording(folder: Path, name: str, target: Path) -> list[Path]:
    """Write a recording's streams as CSV with the canonical names, and its description; return the files."""
    import polars as pl

    info = load_info(folder, name)
    if target.exists() and any(target.iterdir()):
        raise ProjectError(target, "the folder is not empty. Choose another, so that nothing is overwritten.")
    out = []
    with writing(target):
        target.mkdir(parents=True, exist_ok=True)
        for stream in info.streams:
            path = target / f"{stream}.csv"
            pl.scan_parquet(recordings_folder(folder) / name / f"{stream}.parquet").sink_csv(path)
            out.append(path)
        description = target / "recording.json"
        description.write_bytes(info.model_dump_json(indent=2).encode() + b"\n")
        out.append(description)
    return out


def _rename_folder(folder: Path, old: str, new: str) -> None:
    check_name(new)
    info = load_info(folder, old)
    source, target = recordings_folder(folder) / old, recordings_folder(folder) / new
    if target.exists():
        raise ProjectError(target, "there is a recording of this name already. Choose another name.")
    with writing(target):
        source.rename(target)
        sync_folder(target.parent)
    save_info(folder, info.model_copy(update={"name": new}))


def _renamed(value: Any, old: str, new: str, key: str = "") -> Any:
    if isinstance(value, dict):
        return {k: _renamed(v, old, new, k) for k, v in value.items()}
    if isinstance(value, list | tuple):
        return [_renamed(v, old, new, key) for v in value]
    return new if key in NAMING and value == old else value
