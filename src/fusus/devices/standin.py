"""The stand-in board as a process of its own: it prints the line protocol on a pseudo-terminal or UDP, and obeys commands.

Commands come on standard input, one a line: ``face NAME``, ``stand``, ``turn``, ``motions``, ``spin``, ``motors 0.5``, ``blow on``,
``foam on``, ``steel on``, ``outdoors on``, ``room 35``, ``sticks on``, ``fault drop|garble|clock|unplug``, ``quit``.
"""

import os
import select
import socket
import sys
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from fusus.core.arrays import Array
from fusus.core.calibration.poses import FACES
from fusus.core.simulation.board.board import Board
from fusus.core.simulation.board.handling import face_attitude, motions, stand_level, tumble
from fusus.errors import FususError, LinkError
from fusus.logs.lines import PRACTICE, encode, encode_header

BLOCK_S, HEADER_S = 0.02, 2.0
FAULTS = ("drop", "garble", "clock", "unplug")
HELP = (
    "face level|upside down|nose up|nose down|left side up|right side up, stand, turn, motions, spin, motors 0..1, blow on|off, "
    "foam on|off, steel on|off, outdoors on|off, room DEGC, sticks on|off, second on|off, fault drop|garble|clock|unplug, quit"
)


class CommandError(FususError, ValueError):
    """A command that the stand-in does not know."""

    def __init__(self, command: str) -> None:
        self.command = command
        super().__init__(f"“{command}” is no command of the stand-in; it knows {HELP}.")


def obey(board: Board, command: str) -> str | None:
    """Do what a command says to the board; return the fault it asks for, or None. CommandError for what is none."""
    verb, _, rest = command.strip().partition(" ")
    rest = rest.strip().strip("“”\"'")
    hands, rng = board.hands, board.rng
    switches = {"blow": "blowing", "foam": "foam", "steel": "steel", "outdoors": "outdoors", "sticks": "sticks"}
    if verb == "face" and rest in FACES:
        hands.go_to(face_attitude(rest, board.specimen.mounting, rng))
    elif verb == "stand":
        stand_level(hands, rng)
    elif verb == "turn":
        tumble(hands, rng, 60.0)
    elif verb == "motions":
        motions(hands, rng)
    elif verb == "spin":
        hands.turn(np.array([0.0, 0.0, 1.0]), 90.0, 60.0)
    elif verb == "flip":  # half round on the table, for the level trim
        hands.turn(np.array([0.0, 0.0, 1.0]), np.pi, 2.5)
    elif verb in switches and rest in ("on", "off"):
        board.put(**{switches[verb]: rest == "on"})
    elif verb == "second" and rest in ("on", "off"):
        board.has_second_imu = rest == "on"
    elif verb == "fault" and rest in FAULTS:
        return rest
    elif verb in ("motors", "room"):
        try:
            value = float(rest)
        except ValueError:
            raise CommandError(command) from None
        if not (0 <= value <= 1 if verb == "motors" else -60 <= value <= 90):
            raise CommandError(command)
        board.put(**({"throttle": value} if verb == "motors" else {"room_degc": value}))
    else:
        raise CommandError(command)
    return None


# What each scenario does, as (board time s, command). The board runs on after its last command.
_FACES_PLAN = tuple((6.0 * i, f"face {name}") for i, name in enumerate(FACES[::-1]))
SCENARIOS: dict[str, tuple[tuple[float, str], ...]] = {
    "still": ((0.0, "face level"),),
    "six-face": _FACES_PLAN,
    "level": ((0.0, "stand"), (9.0, "flip")),
    "rotate": ((0.0, "outdoors on"), (1.0, "turn")),
    "mounting": ((0.0, "motions"),),
    "soak": ((0.0, "room 2"), (60.0, "room 30")),
    "airflow": ((0.0, "motors 0.5"), (22.0, "foam on")),
    "motor-current": tuple((4.0 * i, f"motors {u}") for i, u in enumerate((0.0, 0.3, 0.5, 0.7, 0.4, 0.2, 0.6, 0.0))),
    "vibration": ((0.0, "motors 0.5"),),
    "gnss-static": ((0.0, "outdoors on"),),
    "lever-arm": ((0.0, "outdoors on"), (6.0, "spin")),
    "sticks": ((6.0, "sticks on"),),
    "two-imu": ((0.0, "second on"), (5.0, "turn")),
}


@dataclass(slots=True)
class Printer:
    """Turns blocks of samples into lines, with headers at the start and every few seconds, and plays faults."""

    headers: dict[str, list[str]] = field(default_factory=dict)
    due_s: float = 0.0
    clock_shift_us: int = 0
    drop: int = 0
    garble: int = 0
    rng: np.random.Generator = field(default_factory=lambda: np.random.default_rng(1))

    def lines(self, streams: dict[str, dict[str, Array]], now_s: float) -> bytes:
        """Return the block's lines in the order of time."""
        out: list[tuple[int, bytes]] = []
        for name, columns in streams.items():
            names = [c for c in columns if c != "t_ns"]
            if self.headers.get(name) != names:
                self.headers[name] = names
                self.due_s = now_s
            t_us = columns["t_ns"].astype(np.int64) // 1000
            table = [[f"{v:.7g}" if v == v else "" for v in columns[c]] for c in names]
            for i, t in enumerate(t_us.tolist()):
                out.append((t, encode(name, (t + self.clock_shift_us) % (1 << 32), [column[i] for column in table])))
        out.sort(key=lambda item: item[0])
        data = b"".join(line for _, line in out)
        if now_s >= self.due_s:
            self.due_s = now_s + HEADER_S
            data = encode_header(PRACTICE, []) + b"".join(encode_header(n, c) for n, c in self.headers.items()) + data
        return self._spoil(data)

    def _spoil(self, data: bytes) -> bytes:
        if self.drop > 0:
            cut = int(self.rng.integers(0, max(1, len(data) - 40)))
            data = data[:cut] + data[cut + 37 :]
            self.drop -= 1
        if self.garble > 0:
            spoilt = bytearray(data)
            for i in self.rng.integers(0, max(1, len(spoilt)), 6):
                spoilt[i] = int(self.rng.integers(33, 126))
            data = bytes(spoilt)
            self.garble -= 1
        return data


class PtyPort:
    """A pseudo-terminal; its other end's path is what the capture opens. Unplugging takes it away for a while."""

    def __init__(self, link_path: str | None = None, patience_s: float = 0.2) -> None:
        self._link_path, self._patience_s = link_path, patience_s
        self.path = ""
        self._open()

    def _open(self) -> None:
        import tty

        self._ours, self._theirs = os.openpty()
        tty.setraw(self._ours)
        tty.setraw(self._theirs)
        os.set_blocking(self._ours, False)
        self.path = os.ttyname(self._theirs)
        if self._link_path is not None:
            temporary = f"{self._link_path}.new"
            Path(temporary).symlink_to(self.path)
            Path(temporary).replace(self._link_path)
            self.path = self._link_path

    def send(self, data: bytes) -> None:
        """Write what fits; where nobody reads, the rest is lost, as on a real line."""
        view = memoryview(data)
        until = time.monotonic() + self._patience_s
        while view:
            try:
                view = view[os.write(self._ours, view) :]
            except BlockingIOError:
                if time.monotonic() > until:
                    return
                select.select([], [self._ours], [], 0.01)
            except OSError:
                return

    def unplug(self) -> None:
        """Take the line away."""
        os.close(self._ours)
        os.close(self._theirs)
        if self._link_path is not None and Path(self._link_path).is_symlink():
            Path(self._link_path).unlink()

    def plug(self) -> None:
        """Bring it back, under another name unless a link keeps it."""
        self._open()

    def close(self) -> None:
        """Let it go."""
        self.unplug()


class UdpPort:
    """Datagrams to a port of this computer."""

    def __init__(self, port: int) -> None:
        if not 0 < port < 65536:
            raise LinkError(f"udp:{port}", "write a number from 1 to 65535.")
        self.path = f"udp:{port}"
        self._socket = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self._to = ("127.0.0.1", port)
        self._muted = False

    def send(self, data: bytes) -> None:
        """Send in pieces that a datagram holds, whole lines each."""
        if self._muted:
            return
        while data:
            cut = data.rfind(b"\n", 0, 1400) + 1 or len(data)
            try:
                self._socket.sendto(data[:cut], self._to)
            except OSError:
                return
            data = data[cut:]

    def unplug(self) -> None:
        """Fall silent."""
        self._muted = True

    def plug(self) -> None:
        """Speak again."""
        self._muted = False

    def close(self) -> None:
        """Let it go."""
        self._socket.close()


Port = PtyPort | UdpPort
UNPLUGGED_S = 2.0


@dataclass(slots=True)
class StandIn:
    """The board on its line. ``speed`` lets board time run faster than the clock on the wall; ``is_stopped`` ends a run."""

    board: Board
    port: Port
    scenario: tuple[tuple[float, str], ...] = ()
    speed: float = 1.0
    printer: Printer = field(default_factory=Printer)
    is_stopped: bool = False
    _back_at: float | None = None
    _next: int = 0
    _typed: bytes = b""

    def step(self) -> None:
        """Play one block."""
        while self._next < len(self.scenario) and self.scenario[self._next][0] <= self.board.t_s + 1e-9:
            self.command(self.scenario[self._next][1])
            self._next += 1
        streams, _ = self.board.advance(max(1, round(BLOCK_S * self.board.rates.imu_hz)))
        data = self.printer.lines(streams, self.board.t_s)
        if self._back_at is not None and time.monotonic() >= self._back_at:
            self._back_at = None
            self.port.plug()
        if self._back_at is None:
            self.port.send(data)

    def command(self, text: str) -> None:
        """Obey a command."""
        fault = obey(self.board, text)
        if fault == "drop":
            self.printer.drop = 5
        elif fault == "garble":
            self.printer.garble = 5
        elif fault == "clock":
            self.printer.clock_shift_us += 30_000_000
        elif fault == "unplug" and self._back_at is None:
            self.port.unplug()
            self._back_at = time.monotonic() + UNPLUGGED_S

    def run(self, commands: int | None, say: Callable[[str], None], seconds: float | None = None) -> None:
        """Play until the file descriptor of commands says ``quit``, or so many seconds of board time are over."""
        began, started = time.monotonic(), self.board.t_s
        while not self.is_stopped and (seconds is None or self.board.t_s - started < seconds):
            self.step()
            ahead = max(0.0, (self.board.t_s - started) / self.speed - (time.monotonic() - began))
            if commands is None:
                time.sleep(ahead)
                continue
            ready, _, _ = select.select([commands], [], [], ahead)
            if ready:
                data = os.read(commands, 4096)
                if not data:
                    commands = None
                elif self._obey_all(data, say):
                    return

    def _obey_all(self, data: bytes, say: Callable[[str], None]) -> bool:
        """Obey all whole lines that have come; return whether one of them was ``quit``."""
        *lines, self._typed = (self._typed + data).split(b"\n")
        for line in lines:
            text = line.decode("utf-8", "replace").strip()
            if text == "quit":
                return True
            if text:
                try:
                    self.command(text)
                except CommandError as error:
                    say(str(error))
        return False


def say_to_stderr(text: str) -> None:
    """Write a line on standard error."""
    sys.stderr.write(text + "\n")
    sys.stderr.flush()
