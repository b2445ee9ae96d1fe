"""Writes that either happen whole or not at all."""

import contextlib
import errno
import fcntl
import os
import tempfile
from collections.abc import Iterator
from pathlib import Path

from fusus.errors import ProjectError

_REASONS = {
    errno.ENOSPC: "the disk is full. Free some space; nothing that was saved before is lost.",
    errno.EDQUOT: "your disk quota is used up. Free some space; nothing that was saved before is lost.",
    errno.EROFS: "the disk is read-only. Copy the project to a place where you may write.",
    errno.EACCES: "you may not write here. Check the folder's permissions, or copy the project to another place.",
    errno.EPERM: "you may not write here. Check the folder's permissions, or copy the project to another place.",
    errno.ENOENT: "the folder does not exist any more. Was the disk taken out?",
    errno.ENOTDIR: "part of this path is a file, not a folder. Choose another place.",
}


@contextlib.contextmanager
def writing(path: Path) -> Iterator[None]:
    """Turn a refused write into one sentence."""
    try:
        yield
    except OSError as error:
        reason = _REASONS.get(error.errno or 0, f"it cannot be written ({error.strerror or error}).")
        raise ProjectError(path, reason) from error


def write_atomically(path: Path, data: bytes) -> None:
    """Replace a file's content: temporary file, fsync, rename; an interruption leaves the earlier content."""
    with writing(path):
        handle, name = tempfile.mkstemp(prefix=f".{path.name}.", suffix=".tmp", dir=path.parent)
        try:
            with os.fdopen(handle, "wb") as file:
                file.write(data)
                file.flush()
                os.fsync(file.fileno())
            Path(name).chmod(0o644)
            Path(name).replace(path)
        except BaseException:
            Path(name).unlink(missing_ok=True)
            raise
        sync_folder(path.parent)


def sync_folder(folder: Path) -> None:
    """Make a rename in ``folder`` survive a power cut."""
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def append_line(path: Path, line: str) -> None:
    """Add one whole line to a file that only ever grows, or none, and say so.

    A line that a power cut tore stays as it is, on a line of its own. Writers take turns: what a full disk took of a line only in part is
    taken back, and nobody else's line with it.
    """
    with writing(path):
        handle = os.open(path, os.O_RDWR | os.O_CREAT | os.O_APPEND, 0o644)
        try:
            fcntl.flock(handle, fcntl.LOCK_EX)
            size = os.fstat(handle).st_size
            torn = size > 0 and os.pread(handle, 1, size - 1) != b"\n"
            data = (b"\n" if torn else b"") + line.encode() + b"\n"
            try:
                if os.write(handle, data) < len(data):
                    raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
                os.fsync(handle)
            except OSError:
                os.ftruncate(handle, size)
                raise
        finally:
            os.close(handle)
