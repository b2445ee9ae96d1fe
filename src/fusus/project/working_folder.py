"""Folders in which something is made before it gets its name, held by a lock; and what processes that died have left of them."""

import contextlib
import fcntl
import os
import shutil
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

from fusus.project.atomic import writing

PREFIX = ".importing-"
# Files and folders that are not held by a lock are left alone for so long: their maker may be about to name them.
OLD_S = 3600.0


@contextlib.contextmanager
def working_folder(parent: Path, name: str) -> Iterator[Path]:
    """Yield a new folder of its own in ``parent``, locked; what is still there under this name at the end is removed."""
    with writing(parent):
        parent.mkdir(parents=True, exist_ok=True)
        folder = Path(tempfile.mkdtemp(prefix=f"{PREFIX}{name[:60]}-", dir=parent))
        folder.chmod(0o755)
        handle = os.open(folder, os.O_RDONLY)
    try:
        fcntl.flock(handle, fcntl.LOCK_EX)
        yield folder
    finally:
        shutil.rmtree(folder, ignore_errors=True)
        os.close(handle)


def put_in_place(folder: Path, target: Path) -> bool:
    """Give a folder its name; False where there is something of that name, which is left as it is."""
    with writing(target):
        try:
            if target.exists():
                return False
            folder.rename(target)
        except (FileExistsError, NotADirectoryError):
            return False
        except OSError as error:
            if target.exists():
                return False
            raise error
    return True


def clear_leftovers(project: Path) -> int:
    """Remove what processes that died have left half made in a project; return how many there were. What is in use stays."""
    count = 0
    recordings = project / "recordings"
    for folder in [*recordings.glob(f"{PREFIX}*"), *recordings.glob(".starting-*")]:
        if folder.is_dir() and _is_free(folder):
            shutil.rmtree(folder, ignore_errors=True)
            count += 1
    for file in [*project.glob(".*.tmp"), *recordings.glob("*/.*.tmp")]:
        with contextlib.suppress(OSError):
            if time.time() - file.stat().st_mtime > OLD_S:
                file.unlink()
                count += 1
    return count


def _is_free(folder: Path) -> bool:
    """Whether nobody holds a folder, and nobody is just about to."""
    try:
        handle = os.open(folder, os.O_RDONLY)
    except OSError:
        return False
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        # A folder of an earlier version has no lock: its age tells.
        return folder.name.startswith(PREFIX) or time.time() - os.fstat(handle).st_mtime > OLD_S
    except OSError:
        return False
    finally:
        os.close(handle)
