"""Which of a project's calibrations a recording gets, and its streams with them applied."""

from pathlib import Path

import numpy as np

from fusus.core.arrays import Array
from fusus.core.calibration.apply import Corrections
from fusus.logs.info import RecordingInfo
from fusus.logs.recording import Stream, load_stream
from fusus.project.records import Project

APPLIED = ("thermal", "gyro-bias", "six-face", "motor-current", "magnetometer", "mounting", "level")


def corrections_for(project: Project, info: RecordingInfo, without: tuple[str, ...] = ()) -> Corrections:
    """Return the corrections that a recording gets: none where its source made them, or the project wants none."""
    if not project.bench.use or info.is_calibrated:
        return Corrections({})
    force = project.bench.in_force()
    return Corrections({k: force[k].parameters for k in APPLIED if k in force and k not in without})


def temperature_of(stream: Stream) -> Array | None:
    """Return the sensor's own temperature (N,), °C, or None."""
    return stream.matrix("temperature_degc")[:, 0] if stream.has("temperature_degc") else None


def current_at(folder: Path, recording: str, t_s: Array) -> Array | None:
    """Return the battery's current at times, or None where it was not logged."""
    battery = load_stream(folder, recording, "battery")
    if battery is None or not battery.has("current_a"):
        return None
    current = battery.matrix("current_a")[:, 0]
    known = np.isfinite(current)
    return np.interp(t_s, battery.t_s[known], current[known]) if known.sum() > 1 else None
