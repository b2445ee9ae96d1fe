"""The streams of a recording in memory."""

from pathlib import Path

import numpy as np
import polars as pl

from fusus.core.arrays import Array, IntArray
from fusus.errors import ProjectError, RecordingError
from fusus.logs.info import StreamInfo, recordings_folder
from fusus.project.reads import note_file


class Stream:
    """One stream's columns in memory."""

    def __init__(self, recording: str, name: str, frame: pl.DataFrame) -> None:
        self.recording, self.name, self.frame = recording, name, frame

    @property
    def t_ns(self) -> IntArray:
        """Times in ns, shape (N,)."""
        return self.frame["t_ns"].to_numpy()

    @property
    def t_s(self) -> Array:
        """Times in s, shape (N,)."""
        return np.asarray(self.t_ns * 1e-9)

    def has(self, *columns: str) -> bool:
        """Return whether all columns are there."""
        return all(c in self.frame.columns for c in columns)

    def matrix(self, *columns: str) -> Array:
        """Return columns side by side, shape (N, len(columns)), NaN where empty."""
        missing = [c for c in columns if c not in self.frame.columns]
        if missing:
            raise RecordingError(self.recording, f"stream “{self.name}” has no column {', '.join(missing)}.")
        return np.stack([self.frame[c].cast(pl.Float64).fill_null(np.nan).to_numpy() for c in columns], axis=1)

    def vector(self, name: str, unit: str, axes: str = "xyz") -> Array:
        """Return the three axes of a quantity, shape (N, 3)."""
        return self.matrix(*(f"{name}_{a}_{unit}" for a in axes))


def load_stream(project: Path, recording: str, stream: str) -> Stream | None:
    """Return a stream, or None where the recording has none of that name."""
    path = recordings_folder(project) / recording / f"{stream}.parquet"
    note_file(path)
    if not path.exists():
        return None
    try:
        return Stream(recording, stream, pl.read_parquet(path, memory_map=False))
    except (OSError, pl.exceptions.PolarsError) as error:
        raise ProjectError(path, f"the stream is damaged ({str(error)[:80]}). Import the source again.") from error


def stream_info(t_ns: IntArray) -> StreamInfo:
    """Return rows, rate and span of a stream by its times."""
    n = len(t_ns)
    if n == 0:
        return StreamInfo(rows=0, rate_hz=None, start_s=None, end_s=None)
    steps = np.diff(t_ns)
    steps = steps[steps > 0]
    rate = float(np.clip(1e9 / np.median(steps), 0, 1e9)) if len(steps) else None
    if rate is not None:
        # The median step of a jittering clock is coarse: the mean over steps near it is not.
        near = steps[steps < 3 * np.median(steps)]
        rate = float(1e9 / near.mean())
    return StreamInfo(rows=n, rate_hz=rate, start_s=float(t_ns[0] * 1e-9), end_s=float(t_ns[-1] * 1e-9))
