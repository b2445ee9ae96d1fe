"""Where bytes come from: a serial port (or pseudo-terminal), UDP, or a file of lines."""

import contextlib
import select
import socket
import time
from pathlib import Path
from typing import Protocol

import serial

from fusus.errors import LinkError
from fusus.logs.lines import is_whole

USUAL_BAUD = 921600
LOCAL = "127.0.0.1"
CHUNK = 65536


class Link(Protocol):
    """A stream of bytes that may break off and come back; ``refused``: how many pieces of other senders were left out."""

    name: str
    refused: int

    def read(self, timeout_s: float) -> bytes | None:
        """Return what has come, b"" where nothing came in time, None where the other side is gone."""

    def waiting(self) -> int:
        """Return how many bytes wait to be read, 0 where that is not known."""

    def write(self, data: bytes) -> None:
        """Send to the board; lost where the link cannot."""

    def reopen(self) -> bool:
        """Try to open it again; return whether it is there."""

    def close(self) -> None:
        """Let it go."""


class SerialLink:
    """A serial port or pseudo-terminal."""

    def __init__(self, path: str, baud: int = USUAL_BAUD) -> None:
        self.name, self.refused = f"serial:{path}", 0
        self._path, self._baud = path, baud
        self._port: serial.Serial | None = None
        try:
            self._open()
        except (serial.SerialException, OSError, ValueError) as error:
            raise LinkError(
                self.name, f"it cannot be opened ({error}). Plug the board in, check the name and your rights."
            ) from error

    def _open(self) -> None:
        # No timeout: we wait in select, so that a vanished board is noticed at once.
        self._port = serial.Serial(self._path, self._baud, timeout=0, write_timeout=0.2)

    def read(self, timeout_s: float) -> bytes | None:
        """Return what has come."""
        if self._port is None:
            return None
        try:
            ready, _, _ = select.select([self._port.fileno()], [], [], timeout_s)
            if not ready:
                return b""
            data = self._port.read(CHUNK)
        except (serial.SerialException, OSError, TypeError, ValueError):
            self.close()
            return None
        if not data:  # readable and empty: the other side closed
            self.close()
            return None
        return bytes(data)

    def waiting(self) -> int:
        """Return how many bytes wait to be read."""
        try:
            return int(self._port.in_waiting) if self._port is not None else 0
        except (serial.SerialException, OSError):
            return 0

    def write(self, data: bytes) -> None:
        """Send to the board."""
        if self._port is not None:
            try:
                self._port.write(data)
            except (serial.SerialException, OSError):
                return

    def reopen(self) -> bool:
        """Try to open it again."""
        self.close()
        if not Path(self._path).exists():
            return False
        try:
            self._open()
        except (serial.SerialException, OSError, ValueError):
            return False
        return True

    def close(self) -> None:
        """Let it go."""
        if self._port is not None:
            with contextlib.suppress(serial.SerialException, OSError):
                self._port.close()
            self._port = None


class UdpLink:
    """Datagrams to a port of this computer. There is no other side to vanish: silence is all that shows.

    It listens to this computer alone, where no address of it is named. Who sends the first whole line is the board; datagrams of others
    are counted and left out.
    """

    def __init__(self, port: int, address: str = LOCAL) -> None:
        self.name = f"udp:{port}" if address == LOCAL else f"udp:{address}:{port}"
        self.refused = 0
        self._socket = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self._socket.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 4 << 20)
        self._board: tuple[str, int] | None = None
        try:
            self._socket.bind((address, port))
        except (OSError, OverflowError) as error:
            self._socket.close()
            raise LinkError(
                self.name, f"it cannot be listened to ({error}). Choose another port, and an address of this computer."
            ) from error
        self._socket.setblocking(False)

    def read(self, timeout_s: float) -> bytes | None:
        """Return what has come from the board: all datagrams that wait. Until it is known, what has come from anybody."""
        ready, _, _ = select.select([self._socket], [], [], timeout_s)
        if not ready:
            return b""
        parts = []
        for _ in range(512):
            try:
                data, sender = self._socket.recvfrom(CHUNK)
            except (BlockingIOError, OSError):
                break
            if self._board is None and any(is_whole(line) for line in data.splitlines()):
                self._board = sender
            if self._board not in (None, sender):
                self.refused += 1
                continue
            parts.append(data if data.endswith(b"\n") else data + b"\n")
        return b"".join(parts)

    def waiting(self) -> int:
        """Return 0: the system does not tell."""
        return 0

    def write(self, data: bytes) -> None:
        """Send to the board, once it is known."""
        if self._board is not None:
            try:
                self._socket.sendto(data, self._board)
            except OSError:
                return

    def reopen(self) -> bool:
        """There is nothing to open again."""
        return True

    def close(self) -> None:
        """Let it go."""
        self._socket.close()


class FileLink:
    """A file of lines, as a logger on the board would write it, read at once."""

    def __init__(self, path: str) -> None:
        self.name, self.refused = f"file:{path}", 0
        try:
            self._file = Path(path).open("rb")  # noqa: SIM115  closed by close()
        except OSError as error:
            raise LinkError(self.name, f"it cannot be read ({error.strerror}).") from error

    def read(self, timeout_s: float) -> bytes | None:
        """Return the next piece, None at the end."""
        return self._file.read(CHUNK) or None

    def waiting(self) -> int:
        """Return 0."""
        return 0

    def write(self, data: bytes) -> None:
        """Nobody listens."""

    def reopen(self) -> bool:
        """A file that is read stays read."""
        return False

    def close(self) -> None:
        """Let it go."""
        self._file.close()


def open_link(text: str, wait_s: float = 0.0) -> Link:
    """Return the link that a text names; LinkError says what is wrong.

    serial:PATH[@BAUD]; udp:PORT, which hears this computer alone; udp:ADDRESS:PORT, which listens at an address of this computer
    (0.0.0.0: all of its networks); file:PATH.
    """
    kind, colon, rest = text.partition(":")
    if not colon or not rest:
        raise LinkError(text, "write serial:PATH, udp:PORT, udp:ADDRESS:PORT or file:PATH.")
    if kind == "serial":
        path, _, baud = rest.partition("@")
        if baud and not baud.isdigit():
            raise LinkError(text, f"“{baud}” is no baud rate.")
        until = time.monotonic() + wait_s
        while True:
            try:
                return SerialLink(path, int(baud) if baud else USUAL_BAUD)
            except LinkError:
                if time.monotonic() >= until:
                    raise
                time.sleep(0.1)
    if kind == "udp":
        address, _, port = rest.rpartition(":")
        if not port.isdigit() or not 0 < int(port[:6]) < 65536:
            raise LinkError(text, f"“{port}” is no port; write a number from 1 to 65535.")
        return UdpLink(int(port), address or LOCAL)
    if kind == "file":
        return FileLink(rest)
    raise LinkError(text, "write serial:PATH, udp:PORT, udp:ADDRESS:PORT or file:PATH.")
