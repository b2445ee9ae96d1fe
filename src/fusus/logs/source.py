"""A source file as blocks of whole UTF-8 lines, hashed on the way."""

import codecs
import hashlib
import queue
import threading
from collections.abc import Iterator
from pathlib import Path

from fusus.errors import LogError

BLOCK_BYTES = 16 << 20  # smaller blocks stay in the cache, larger ones make the system zero fresh pages
HEAD_BYTES = 4 << 20
_BOMS = (
    (codecs.BOM_UTF8, "utf-8-sig"),
    (codecs.BOM_UTF32_LE, "utf-32"),
    (codecs.BOM_UTF16_LE, "utf-16"),
    (codecs.BOM_UTF16_BE, "utf-16"),
)


def read_head(path: Path, size: int = HEAD_BYTES) -> bytes:
    """Return the first bytes of a file; every way in which it cannot be read has its sentence."""
    try:
        if path.is_dir():
            raise LogError(path, None, None, "this is a folder; name the files in it.")
        with path.open("rb") as file:
            head = file.read(size)
    except FileNotFoundError as error:
        raise LogError(path, None, None, "the file does not exist.") from error
    except PermissionError as error:
        raise LogError(path, None, None, "you may not read this file; check its permissions.") from error
    except OSError as error:
        raise LogError(path, None, None, f"the file cannot be read ({error.strerror}).") from error
    if not head:
        raise LogError(path, None, None, "the file is empty. Was the logger stopped before it wrote anything?")
    return head


def find_encoding(path: Path, head: bytes) -> str:
    """Return the encoding of a file by its mark, or by the pattern of its bytes."""
    for mark, name in _BOMS:
        if head.startswith(mark):
            return name
    zeros = head[:4096]
    if zeros.count(0) > len(zeros) // 4:
        odd, even = zeros[1::2].count(0), zeros[0::2].count(0)
        if odd > 4 * even:
            return "utf-16-le"
        if even > 4 * odd:
            return "utf-16-be"
    control = sum(zeros.count(c) for c in range(32) if c not in (9, 10, 11, 12, 13, 27))
    if control > max(2, len(zeros) // 50):
        raise LogError(path, 1, None, "this is no text table (it holds binary data). Export it as CSV first.")
    try:
        # A cut in the middle of a letter is no error of the file.
        codecs.getincrementaldecoder("utf-8")("strict").decode(head)
    except UnicodeDecodeError:
        return "latin-1"
    return "utf-8"


def head_text(path: Path) -> tuple[str, str, bool]:
    """Return the beginning of a file as text, its encoding, and whether that is the whole file."""
    head = read_head(path)
    encoding = find_encoding(path, head)
    try:
        text = codecs.getincrementaldecoder(encoding)("replace").decode(head)
    except UnicodeDecodeError as error:
        raise LogError(path, 1, None, f"byte {error.start} is no {encoding} text.") from error
    return text.replace("\r\r\n", "\n").replace("\r\n", "\n").replace("\r", "\n"), encoding, len(head) < HEAD_BYTES


def plain_ends(chunk: bytes) -> bytes:
    """Return text whose lines all end with a line feed, whatever they ended with."""
    if b"\r" not in chunk:
        return chunk
    return chunk.replace(b"\r\r\n", b"\n").replace(b"\r\n", b"\n").replace(b"\r", b"\n")


class Blocks:
    """Iterates over a file in blocks of whole lines as UTF-8; ``sha256`` and ``ends_open`` are known at the end."""

    def __init__(self, path: Path, encoding: str, most_bytes: int | None = None) -> None:
        self._path, self._encoding = path, encoding
        self._size = min(BLOCK_BYTES, most_bytes) if most_bytes is not None else BLOCK_BYTES
        self._hash = hashlib.sha256()
        self.bytes_read = 0
        self.ends_open = False

    @property
    def sha256(self) -> str:
        """The hash of what was read so far."""
        return self._hash.hexdigest()

    def __iter__(self) -> Iterator[bytes]:
        # Reading and hashing run beside the parser; both leave the interpreter free.
        chunks: queue.Queue[bytes | OSError | None] = queue.Queue(maxsize=2)
        stop = threading.Event()
        thread = threading.Thread(target=self._read, args=(chunks, stop), daemon=True)
        thread.start()
        try:
            yield from self._lines(chunks)
        finally:
            stop.set()
            while thread.is_alive():
                while not chunks.empty():
                    chunks.get_nowait()
                thread.join(0.02)

    def _lines(self, chunks: "queue.Queue[bytes | OSError | None]") -> Iterator[bytes]:
        decoder = None
        if self._encoding not in ("utf-8", "utf-8-sig"):
            decoder = codecs.getincrementaldecoder(self._encoding)("replace")
        rest, first, held = b"", True, b""
        while (chunk := chunks.get()) is not None:
            if isinstance(chunk, OSError):
                raise LogError(self._path, None, None, f"the file cannot be read on ({chunk.strerror}).") from chunk
            if decoder is not None:
                chunk = decoder.decode(chunk).encode()
            if first:
                chunk = chunk.removeprefix(codecs.BOM_UTF8)
                first = False
            # A line end may be cut in two: carriage returns at a chunk's end wait for what follows.
            chunk = held + chunk
            whole = chunk.rstrip(b"\r")
            held, chunk = chunk[len(whole) :], plain_ends(whole)
            if not rest and chunk.endswith(b"\n"):
                yield chunk  # the usual case: the reader cut at a line's end
                continue
            cut = chunk.rfind(b"\n")
            if cut < 0:
                rest += chunk
                continue
            yield rest + chunk[: cut + 1]
            rest = chunk[cut + 1 :]
        if decoder is not None:
            rest += decoder.decode(b"", final=True).encode()
        rest += plain_ends(held)
        if rest.endswith(b"\n"):
            yield rest
        elif rest.strip(b"\x00 \t\r\n"):
            self.ends_open = True
            yield rest

    def _read(self, chunks: "queue.Queue[bytes | OSError | None]", stop: threading.Event) -> None:
        try:
            with self._path.open("rb") as file:
                while not stop.is_set():
                    chunk = file.read(self._size)
                    if not chunk:
                        break
                    if len(chunk) == self._size:
                        chunk += file.readline(1 << 16)
                    self._hash.update(chunk)
                    self.bytes_read += len(chunk)
                    chunks.put(chunk)
        except OSError as error:
            chunks.put(error)
        chunks.put(None)
