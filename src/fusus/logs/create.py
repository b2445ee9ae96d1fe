"""A recording written from streams in memory: what simulations leave behind."""

from pathlib import Path

import polars as pl

from fusus.core.arrays import Array
from fusus.errors import ProjectError
from fusus.logs.info import RECORDING_FILE, RecordingInfo, check_kind, check_name, recordings_folder
from fusus.logs.recording import stream_info
from fusus.logs.writer import write_frame
from fusus.project.atomic import sync_folder, write_atomically
from fusus.project.working_folder import put_in_place, working_folder

MOST_OF_ONE_NAME = 1000


def create_recording(project: Path, info: RecordingInfo, streams: dict[str, dict[str, Array]]) -> RecordingInfo:
    """Write a recording whose columns are canonical already; ``info.streams`` is filled in."""
    check_name(info.name)
    check_kind(info.kind)
    folder = recordings_folder(project)
    target = folder / info.name
    if target.exists():
        raise ProjectError(target, "there is a recording of this name already. Choose another name.")
    with working_folder(folder, info.name) as working:
        for name, columns in streams.items():
            write_frame(working / f"{name}.parquet", pl.DataFrame(columns))
        filled = {name: stream_info(columns["t_ns"].astype("int64")) for name, columns in streams.items()}
        return finished(working, folder, info.model_copy(update={"streams": filled}))


def finished(working: Path, folder: Path, info: RecordingInfo) -> RecordingInfo:
    """Give a recording that is made its name, or the next free one where another has taken it meanwhile; return it as written."""
    name = info.name
    for number in range(2, MOST_OF_ONE_NAME):
        write_atomically(working / RECORDING_FILE, info.model_dump_json(indent=2).encode() + b"\n")
        if put_in_place(working, folder / info.name):
            sync_folder(folder)
            return info
        info = info.model_copy(update={"name": f"{name} {number}"})
    raise ProjectError(folder / name, "there are too many recordings of this name. Choose another name.")
