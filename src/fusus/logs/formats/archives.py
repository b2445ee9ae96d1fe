"""Compressed files and archives of logs, unpacked within limits of size, number and place."""

import bz2
import gzip
import lzma
import tarfile
import zipfile
import zlib
from collections.abc import Callable
from pathlib import Path, PurePosixPath
from typing import IO, Any

from fusus.errors import LogError
from fusus.logs.formats.reasons import short

MOST_BYTES = 4 << 30
MOST_FILES = 200
# Text of sensors packs by a factor of ten or so; a thousand is made to fill a disk.
MOST_RATIO = 300
CHUNK = 1 << 20
PACKED_ONE = {".gz", ".bz2", ".xz", ".tgz", ".zst", ".lz4"}
BROKEN = (
    OSError,
    EOFError,
    zlib.error,
    lzma.LZMAError,
    zipfile.BadZipFile,
    tarfile.TarError,
    RuntimeError,
    NotImplementedError,
)


class _Budget:
    """How much may still be unpacked."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self._left = min(MOST_BYTES, MOST_RATIO * max(path.stat().st_size, CHUNK))

    def copy(self, source: IO[bytes], target: Path) -> None:
        with target.open("wb") as file:
            while chunk := source.read(CHUNK):
                self._left -= len(chunk)
                if self._left < 0:
                    raise LogError(
                        self._path, None, None, "it unpacks to more than a log can be; nothing of it is read."
                    )
                file.write(chunk)


def _arrow(codec: str) -> Callable[[IO[bytes]], Any]:
    """Return what opens a stream packed with a codec of Arrow's."""

    def open_it(packed: IO[bytes]) -> Any:
        import pyarrow as pa

        return pa.CompressedInputStream(pa.PythonFile(packed), codec)

    return open_it


def decompressed(path: Path, kind: str, folder: Path) -> list[Path]:
    """Unpack a compressed file."""
    name = path.stem if path.suffix.lower() in PACKED_ONE else path.name
    target = folder / (name or "log")
    try:
        with path.open("rb") as packed:
            openers: dict[str, Any] = {
                "gzip": gzip.open,
                "bzip2": bz2.open,
                "xz": lzma.open,
                "zstd": _arrow("zstd"),
                "lz4": _arrow("lz4"),
            }
            source = openers[kind](packed)
            _Budget(path).copy(source, target)
    except BROKEN as error:
        raise LogError(path, None, None, f"it cannot be unpacked ({short(error)}).") from error
    return [target]


def unpacked(path: Path, folder: Path, wanted: set[str]) -> list[Path]:
    """Unpack the logs in an archive; folders in it, links and files of other kinds are left out."""
    budget = _Budget(path)
    out: list[Path] = []
    try:
        if zipfile.is_zipfile(path):
            with zipfile.ZipFile(path) as archive:
                for info in archive.infolist():
                    if not info.is_dir() and _is_wanted(info.filename, wanted):
                        with archive.open(info) as source:
                            out.append(_put(path, info.filename, source, folder, budget, len(out)))
        else:
            with tarfile.open(path) as archive:
                for member in archive:
                    if member.isfile() and _is_wanted(member.name, wanted):
                        source_or_none: IO[bytes] | Any = archive.extractfile(member)
                        if source_or_none is not None:
                            out.append(_put(path, member.name, source_or_none, folder, budget, len(out)))
    except BROKEN as error:
        raise LogError(path, None, None, f"it cannot be unpacked ({short(error)}).") from error
    if not out:
        raise LogError(path, None, None, "the archive holds no file that is a log by its ending.")
    return sorted(out, key=lambda p: p.name)


def _is_wanted(name: str, wanted: set[str]) -> bool:
    place = PurePosixPath(name)
    hidden = any(part.startswith((".", "__")) and part != ".." for part in place.parts)
    return not hidden and place.suffix.lower() in wanted


def _put(path: Path, name: str, source: IO[bytes], folder: Path, budget: _Budget, number: int) -> Path:
    if number >= MOST_FILES:
        raise LogError(
            path, None, None, f"it holds more than {MOST_FILES} files; import a folder of those that belong together."
        )
    # Only the last part of a name counts: no archive chooses where it is unpacked.
    target = folder / str(number) / PurePosixPath(name).name
    target.parent.mkdir()
    budget.copy(source, target)
    return target
