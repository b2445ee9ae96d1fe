"""Which recordings a kit, or code of the maker's own, is held against."""

from pathlib import Path

from fusus.logs.info import list_recordings
from fusus.project.records import Project


def for_kit(folder: Path, project: Project) -> list[str]:
    """Return recordings that hold gyro and accelerometer: that of Fusion first, then flights, then the others."""
    found = [i for i in list_recordings(folder) if "imu" in i.streams]
    chosen = project.fusion.recording
    return [i.name for i in sorted(found, key=lambda i: (i.name != chosen, i.kind != "flight", i.name))]
