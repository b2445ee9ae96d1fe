"""A recording written from streams in memory: what simulations leave behind."""

import os
import shutil
from pathlib import Path

import polars as pl

from fusus.core.arrays import Array
from fusus.errors import ProjectError
from fusus.logs.info import RECORDING_FILE, RecordingInfo, check_kind, check_name, recordings_folder
from fusus.logs.recording import stream_info
from fusus.logs.writer import write_frame
from fusus.project.atomic import sync_folder, write_atomically, writing


def create_recording(project: Path, info: RecordingInfo, streams: dict[str, dict[str, Array]]) -> RecordingInfo:
    """Write a recording whose columns are canonical already; ``info.streams`` is filled in."""
    check_name(info.name)
    check_kind(info.kind)
    target = recordings_folder(project) / info.name
    if target.exists():
        raise ProjectError(target, "there is a recording of this name already. Choose another name.")
    working = target.parent / f".importing-{info.name}-{os.getpid()}"
    with writing(target.parent):
        working.mkdir(parents=True)
    try:
        for name, columns in streams.items():
            write_frame(working / f"{name}.parquet", pl.DataFrame(columns))
        filled = {name: stream_info(columns["t_ns"].astype("int64")) for name, columns in streams.items()}
        done = info.model_copy(update={"streams": filled})
        write_atomically(working / RECORDING_FILE, done.model_dump_json(indent=2).encode() + b"\n")
        with writing(target):
            working.rename(target)
            sync_folder(target.parent)
        return done
    finally:
        shutil.rmtree(working, ignore_errors=True)
