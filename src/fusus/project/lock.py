"""One writer a project. The lock ends with the process, however it ends."""

import fcntl
import os
from pathlib import Path

from fusus.errors import LockedError


class ProjectLock:
    """Held while a window or a command may write the project."""

    def __init__(self, folder: Path) -> None:
        self._path = folder / ".lock"
        self._handle: int | None = None

    def acquire(self) -> None:
        """Take the lock, or raise LockedError that names the holder."""
        try:
            handle = os.open(self._path, os.O_RDWR | os.O_CREAT, 0o644)
        except OSError as error:
            raise LockedError(self._path.parent, "the folder cannot be written, so it opens read-only.") from error
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            holder = os.read(handle, 64).decode(errors="replace").strip() or "unknown"
            os.close(handle)
            raise LockedError(
                self._path.parent, f"another Fusus (process {holder}) has it open, so it opens read-only here."
            ) from error
        os.ftruncate(handle, 0)
        os.write(handle, str(os.getpid()).encode())
        self._handle = handle

    def release(self) -> None:
        """Give the lock up."""
        if self._handle is not None:
            os.close(self._handle)
            self._handle = None
