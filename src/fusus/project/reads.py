"""What a computation read of a project and its files, recorded while it runs: its result knows by itself when it is out of date.

A computation is handed a project that looks and behaves like the true one and notes each field that is read, down to the leaf:
what reads ``project.fusion.mahony`` does not depend on ``project.fusion.madgwick``. A record that is compared, hashed or dumped
counts as read as a whole. Files note themselves through :func:`note_file` and :func:`note_folder` where they are read.
"""

import hashlib
import json
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from pathlib import Path
from typing import Any, Self, TypeVar

from pydantic_core import to_jsonable_python

from fusus.project.evidence import Record
from fusus.project.records import Project

SMALL_BYTES = 1 << 20  # so small a file is told by its content, a larger one by its size and the time it was written
_GONE = "-"


class Reads:
    """The fields (dotted path: value) and files (path: fingerprint) that a computation has read."""

    def __init__(self) -> None:
        self.fields: dict[str, Any] = {}
        self.files: dict[Path, str] = {}
        self._is_open = True

    def note_field(self, path: str, value: Any) -> None:
        """Note that a field was read; the first value counts."""
        if self._is_open:
            self.fields.setdefault(path, value)

    def note_file(self, path: Path, fingerprint: str) -> None:
        """Note that a file or folder was read."""
        if self._is_open:
            self.files.setdefault(path, fingerprint)

    def close(self) -> None:
        """End the recording: what is looked at later, when the result is shown, is no input of it."""
        self._is_open = False

    def changed(self, project: Project) -> tuple[str, ...]:
        """Return the fields that differ in a project from what was read, and the files that are no longer what they were."""
        fields = [path for path, value in self.fields.items() if value_at(project, path) != value]
        return (*fields, *(str(p) for p, mark in self.files.items() if _fingerprint(p) != mark))

    def still_hold(self, project: Project) -> bool:
        """Return whether a computation from this project and the files as they are now would read the same."""
        return all(value_at(project, path) == value for path, value in self.fields.items()) and all(
            _fingerprint(p) == mark for p, mark in self.files.items()
        )

    def as_json(self, folder: Path) -> dict[str, dict[str, str]]:
        """Return fingerprints of all that was read, files by their place in the project's folder where they lie in it."""
        return {
            "fields": {path: digest_of(value) for path, value in sorted(self.fields.items())},
            "files": {_place(folder, p): mark for p, mark in sorted(self.files.items())},
        }


def holds(kept: dict[str, dict[str, str]], folder: Path, project: Project) -> bool:
    """Return whether fingerprints that :meth:`Reads.as_json` gave are those of this project and the files as they are now."""
    return all(digest_of(value_at(project, path)) == mark for path, mark in kept["fields"].items()) and all(
        _fingerprint(folder / place) == mark for place, mark in kept["files"].items()
    )


def value_at(project: Project, path: str) -> Any:
    """Return the value at a dotted path; the whole project for an empty one, None where a record on the way is missing."""
    found: Any = project
    for name in path.split(".") if path else ():
        if found is None:
            return None
        found = getattr(found, name)
    return found


def digest_of(value: Any) -> str:
    """Return a fingerprint of a value of a project."""
    text = json.dumps(to_jsonable_python(value, inf_nan_mode="constants"), sort_keys=True)
    return hashlib.sha256(text.encode()).hexdigest()[:16]


_CURRENT: ContextVar[Reads | None] = ContextVar("reads", default=None)


@contextmanager
def recorded(project: Project) -> Iterator[tuple[Project, Reads]]:
    """Yield a project to compute with, and the reads that it notes until the block ends."""
    reads = Reads()
    token = _CURRENT.set(reads)
    try:
        yield _watched(project, reads, ""), reads
    finally:
        reads.close()
        _CURRENT.reset(token)
        outer = _CURRENT.get()
        if outer is not None:
            for path, mark in reads.files.items():
                outer.note_file(path, mark)


def note_file(path: Path) -> None:
    """Note that the running computation reads a file, present or not."""
    reads = _CURRENT.get()
    if reads is not None and path not in reads.files:
        reads.note_file(path, _fingerprint(path))


def note_folder(path: Path) -> None:
    """Note that the running computation reads which entries a folder has."""
    note_file(path)


def _fingerprint(path: Path) -> str:
    try:
        if path.is_dir():
            # What begins with a dot is being written, or is litter of it.
            names = sorted(p.name for p in path.iterdir() if not p.name.startswith("."))
            return hashlib.sha256("\n".join(names).encode(errors="surrogateescape")).hexdigest()[:16]
        found = path.stat()
        if found.st_size > SMALL_BYTES:
            return f"{found.st_size}:{found.st_mtime_ns}"
        return hashlib.sha256(path.read_bytes()).hexdigest()[:16]
    except OSError:
        return _GONE


def _place(folder: Path, path: Path) -> str:
    return str(path.relative_to(folder)) if path.is_relative_to(folder) else str(path)


class _Watch:
    """What a watched record knows: the true record, where it stands, and which of its fields were put in by a copy."""

    def __init__(self, source: Record, reads: Reads, path: str, free: frozenset[str]) -> None:
        self.source, self.reads, self.path, self.free = source, reads, path, free
        self._inner: dict[str, Any] = {}

    def read(self, name: str) -> Any:
        value = getattr(self.source, name)
        if name in self.free:
            return value
        at = f"{self.path}.{name}" if self.path else name
        if not isinstance(value, Record):
            self.reads.note_field(at, value)
            return value
        if name not in self._inner:
            self._inner[name] = _watched(value, self.reads, at)
        return self._inner[name]

    def whole(self) -> Record:
        """Note all fields as read; return the true record."""
        if not self.free:
            self.reads.note_field(self.path, unwatched(self.source))
        else:
            for name in type(self.source).model_fields:
                value = getattr(self.source, name)
                if name not in self.free:
                    self.reads.note_field(f"{self.path}.{name}" if self.path else name, value)
        return self.source


_WHOLE = frozenset({"model_dump", "model_dump_json", "__copy__", "__deepcopy__"})
_PLACE = "__pydantic_private__"  # the one place of a frozen record that takes no part in what it holds


class _Watching:
    """Put before a kind of record: its fields note that they are read."""

    def __getattribute__(self, name: str) -> Any:
        if name in object.__getattribute__(self, "__class__").__pydantic_fields__:
            return _watch_of(self).read(name)
        if name in _WHOLE:
            return getattr(_watch_of(self).whole(), name)
        return object.__getattribute__(self, name)

    def __eq__(self, other: object) -> bool:
        source = _watch_of(self).whole()
        return bool(source == (_watch_of(other).whole() if isinstance(other, _Watching) else other))

    def __hash__(self) -> int:
        return hash(_watch_of(self).whole())

    def __iter__(self) -> Iterator[Any]:
        return iter(_watch_of(self).whole())

    def __repr__(self) -> str:
        return repr(_watch_of(self).whole())

    def __reduce_ex__(self, protocol: Any) -> Any:
        return _same, (_watch_of(self).whole(),)

    @classmethod
    def model_validate(cls, obj: Any, **how: Any) -> Any:
        """Return a true record: what is made anew of watched figures is watched no more."""
        true: Any = next(c for c in cls.__mro__ if issubclass(c, Record) and not issubclass(c, _Watching))
        return true.model_validate(obj, **how)

    def model_copy(self, *, update: Any = None, deep: bool = False) -> Self:
        """Return a copy that is watched too, apart from what was put in."""
        watch = _watch_of(self)
        put = {k: unwatched(v) for k, v in (update or {}).items()}
        source = watch.source.model_copy(update=put, deep=deep)
        return _watched(source, watch.reads, watch.path, watch.free | frozenset(put))  # type: ignore[return-value]


def _same(record: Record) -> Record:
    return record


def unwatched(value: Any) -> Any:
    """Return the true record of a watched one, read as a whole; any other value as it is."""
    return _watch_of(value).whole() if isinstance(value, _Watching) else value


def _watch_of(record: object) -> _Watch:
    found: _Watch = object.__getattribute__(record, _PLACE)
    return found


R = TypeVar("R", bound=Record)
_KINDS: dict[type, type] = {}


def _watched(record: R, reads: Reads, path: str, free: frozenset[str] = frozenset()) -> R:
    kind = type(record)
    made: Any = (
        kind if issubclass(kind, _Watching) else _KINDS.get(kind)
    )  # a watched one in a computation within another
    if made is None:
        made = _KINDS[kind] = type(f"Watched{kind.__name__}", (_Watching, kind), {"__module__": kind.__module__})
    out: R = made.__new__(made)
    object.__setattr__(out, "__dict__", record.__dict__)
    object.__setattr__(out, "__pydantic_fields_set__", record.__pydantic_fields_set__)
    object.__setattr__(out, "__pydantic_extra__", None)
    object.__setattr__(out, _PLACE, _Watch(record, reads, path, free))
    return out
