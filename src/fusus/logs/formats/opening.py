"""From the files that a user names to text tables: what each file is shows in its first bytes."""

import hashlib
import tempfile
import zipfile
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from fusus.errors import FususError, LogError
from fusus.logs.formats.archives import PACKED_ONE, decompressed, unpacked
from fusus.logs.formats.columnar import arrow_table, parquet_table
from fusus.logs.formats.documents import gpx_table, json_tables_of, spreadsheet_tables
from fusus.logs.formats.numerical import hdf5_tables, matlab_tables, numpy_tables
from fusus.logs.info import SourceFile
from fusus.logs.source import read_head

TEXT_ENDINGS = {".csv", ".tsv", ".txt", ".dat", ".log", ".asc", ".tab", ".nmea", ".jsonl", ".ndjson"}
OTHER_ENDINGS = {
    ".parquet",
    ".arrow",
    ".feather",
    ".ipc",
    ".npz",
    ".npy",
    ".mat",
    ".h5",
    ".hdf5",
    ".xlsx",
    ".xls",
    ".ods",
    ".gpx",
    ".json",
}
PACKED_ENDINGS = PACKED_ONE | {".zip", ".tar"}
READERS = {
    "parquet": parquet_table, "arrow": arrow_table, "numpy": numpy_tables, "matlab": matlab_tables, "hdf5": hdf5_tables,
    "spreadsheet": spreadsheet_tables, "gpx": gpx_table, "json": json_tables_of,
}  # fmt: skip
DEEPEST = 2


@dataclass(frozen=True, slots=True)
class Opened:
    """A text table, and the file of the user that it comes from."""

    path: Path
    source: Path

    def described(self) -> SourceFile:
        """Return name, hash and size of the user's file."""
        with self.source.open("rb") as file:
            digest = hashlib.file_digest(file, "sha256").hexdigest()
        return SourceFile(
            name=self.source.name, sha256=digest, bytes=self.source.stat().st_size, path=str(self.source.resolve())
        )


def expand(sources: Sequence[Path]) -> list[Path]:
    """Return the files meant: a folder stands for the logs in it."""
    files: list[Path] = []
    for source in sources:
        if source.is_dir():
            known = TEXT_ENDINGS | OTHER_ENDINGS | PACKED_ENDINGS
            found = sorted(p for p in source.iterdir() if p.is_file() and p.suffix.lower() in known)
            if not found:
                raise LogError(source, None, None, "the folder holds no table or log (csv, txt, parquet and so on).")
            files += found
        else:
            files.append(source)
    if not files:
        raise LogError("import", None, None, "name at least one source file.")
    return files


@contextmanager
def opened(sources: Sequence[Path]) -> Iterator[list[Opened]]:
    """Open sources as text tables; what had to be unpacked or converted for it is removed at the end."""
    with tempfile.TemporaryDirectory(prefix="fusus-import-") as folder:
        out: list[Opened] = []
        for number, source in enumerate(expand(sources)):
            out += [Opened(p, source) for p in _tables(source, Path(folder) / str(number), 0)]
        yield out


def _tables(path: Path, folder: Path, depth: int) -> list[Path]:
    kind = kind_of(path)
    if kind == "text":
        return [path]
    folder.mkdir(parents=True)
    if kind in READERS:
        return _read(path, kind, folder)
    if depth >= DEEPEST:
        raise LogError(path, None, None, "it is packed more than twice; unpack it first.")
    if kind in ("gzip", "bzip2", "xz", "zstd", "lz4"):
        packed = decompressed(path, kind, folder)
    else:
        packed = unpacked(path, folder, TEXT_ENDINGS | OTHER_ENDINGS | PACKED_ENDINGS)
    return [t for n, p in enumerate(packed) for t in _tables(p, folder / f"inner-{n}", depth + 1)]


def _read(path: Path, kind: str, folder: Path) -> list[Path]:
    """Convert a file; whatever a library raises on a damaged one becomes a sentence."""
    try:
        return READERS[kind](path, folder)
    except FususError:
        raise
    except MemoryError as error:
        raise LogError(path, None, None, "it would take more memory than there is. Was it damaged?") from error
    except Exception as error:  # parsers of others fail on damaged files in ways of their own
        raise LogError(path, None, None, f"it is damaged, or no {kind} file of a usual kind.") from error


def kind_of(path: Path) -> str:
    """Return what a file is by its first bytes: a key of ``READERS``, a packing, or "text"."""
    head = read_head(path, 4096)
    start = head.removeprefix(b"\xef\xbb\xbf").lstrip()
    marks = (
        (b"PAR1", "parquet"), (b"ARROW1", "arrow"), (b"\x93NUMPY", "numpy"), (b"\x89HDF\r\n\x1a\n", "hdf5"), (b"MATLAB", "matlab"),
        (b"\x1f\x8b", "gzip"), (b"BZh", "bzip2"), (b"\xfd7zXZ\x00", "xz"), (b"\x28\xb5\x2f\xfd", "zstd"), (b"\x04\x22\x4d\x18", "lz4"),
        (b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1", "spreadsheet"),
    )  # fmt: skip
    for mark, kind in marks:
        if head.startswith(mark):
            return kind
    if head.startswith(b"PK\x03\x04"):
        return _kind_of_zip(path)
    if head[257:262] == b"ustar":
        return "tar"
    if head.startswith(b"\xb5\x62") or b"\xb5\x62\x01" in head[:512]:
        raise LogError(
            path, None, None, "this is a receiver's binary protocol. Let the receiver send text (NMEA 0183: GGA, RMC and GST), or "
            "write its messages as CSV, and import that.",
        )  # fmt: skip
    if head[:4] == b"\xff\xff\xff\xff" and path.suffix.lower() in (".arrow", ".ipc", ".feather"):
        return "arrow"
    if start.startswith((b"<?xml", b"<gpx")):
        if b"<gpx" in head:
            return "gpx"
        raise LogError(path, 1, None, "this is XML, and no track (GPX). Export it as CSV.")
    if (start.startswith(b"[") and path.suffix.lower() in (".json", ".jsonl")) or _is_one_object(start, path):
        return "json"
    return "text"


def _kind_of_zip(path: Path) -> str:
    try:
        with zipfile.ZipFile(path) as archive:
            names = archive.namelist()
    except (zipfile.BadZipFile, OSError, NotImplementedError) as error:
        raise LogError(path, None, None, "the archive is damaged, or was cut off.") from error
    if "[Content_Types].xml" in names or "content.xml" in names:
        return "spreadsheet"
    return "numpy" if names and all(n.endswith(".npy") for n in names) else "zip"


def _is_one_object(start: bytes, path: Path) -> bool:
    """Return whether a text is one JSON object over several lines, or one of arrays, rather than an object a line."""
    if not start.startswith(b"{") or path.suffix.lower() != ".json":
        return False
    first = start.split(b"\n", 1)[0].rstrip()
    return not first.endswith(b"}") or b"\n" not in start.rstrip()
