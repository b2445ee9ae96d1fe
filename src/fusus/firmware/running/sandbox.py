"""Foreign code in a process of its own: isolated where that can be, with limits of time, memory and disk, in an empty folder, without
the user's environment."""

import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from fusus.errors import SandboxError
from fusus.firmware.running.isolation import isolated, isolating_tool

# Compilers want more memory than estimators, and less time.
COMPILE_S, COMPILE_BYTES = 60.0, 2 << 30
RUN_BYTES = 1 << 30
MOST_FILE_BYTES = 4 << 30
POLL_S = 0.01


@dataclass(frozen=True, slots=True)
class Limits:
    """Seconds of processor and of waiting, bytes of memory (None: as much as there is, for checked programs, which map all of it), bytes
    of each file, the only files that may be written (None: any in the folder), and words of the environment."""

    seconds: float
    memory_bytes: int | None
    file_bytes: int = MOST_FILE_BYTES
    writes: tuple[str, ...] | None = None
    environment: dict[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Ended:
    """How a process ended: its status, the signal that killed it (0: none), whether time ran out, what it printed."""

    status: int
    signal: int
    timed_out: bool
    out: str
    err: str
    seconds: float

    @property
    def is_good(self) -> bool:
        """Whether it ended by itself without complaint."""
        return self.status == 0 and self.signal == 0 and not self.timed_out

    @property
    def words(self) -> str:
        """How it ended, for people."""
        if self.timed_out:
            return f"it was stopped after {self.seconds:.0f} s: it does not come to an end, or takes far too long"
        if self.signal:
            return _SIGNALS.get(self.signal, f"it was killed by signal {self.signal} ({_signal_name(self.signal)})")
        return f"it ended with status {self.status}" + (
            f": {self.err.strip().splitlines()[-1]}" if self.err.strip() else ""
        )


_SIGNALS = {
    int(signal.SIGSEGV): "it crashed: it reads or writes memory that is not its own (segmentation fault)",
    int(signal.SIGFPE): "it crashed: a whole number was divided by zero (arithmetic fault)",
    int(signal.SIGABRT): "it aborted itself: a check of its own or of the library failed",
    int(signal.SIGILL): "it crashed: it ran into what is no instruction",
    int(signal.SIGBUS): "it crashed: it reads memory at an address that is not allowed (bus fault)",
    int(signal.SIGXCPU): "it was stopped: it took more processor time than it may",
    int(signal.SIGXFSZ): "it was stopped: it wrote more to disk than it may",
    int(signal.SIGKILL): "it was stopped: it took more time or memory than it may",
}


def _signal_name(number: int) -> str:
    try:
        return signal.Signals(number).name
    except ValueError:
        return "unknown"


def run_limited(command: list[str], folder: Path, limits: Limits, cancelled: Callable[[], bool] | None = None) -> Ended:
    """Run a command in ``folder`` within limits and wait for its end; it never outlives the call."""
    if sys.platform != "linux":
        raise SandboxError("Foreign code is only run on Linux, where its time and memory can be limited.")
    environment = {
        "PATH": os.environ.get("PATH", "/usr/bin:/bin"),
        "LC_ALL": "C",
        "TMPDIR": str(folder),
        "HOME": str(folder),
        **limits.environment,
    }
    out, err = folder / "stdout.txt", folder / "stderr.txt"
    began = time.monotonic()
    timed_out = False
    # The shell sets the limits before the program begins: code of our own between fork and exec is not safe beside threads.
    seconds = int(limits.seconds) + 2
    memory = "unlimited" if limits.memory_bytes is None else str(limits.memory_bytes >> 10)
    set_limits = (
        f'ulimit -t {seconds}; ulimit -v {memory}; ulimit -f {max(limits.file_bytes >> 9, 1)}; ulimit -c 0; exec "$@"'
    )
    command = isolated(command, folder, limits.writes)
    with out.open("wb") as out_file, err.open("wb") as err_file:
        process = subprocess.Popen(
            ["/bin/sh", "-c", set_limits, "sh", *command], cwd=folder, env=environment, stdin=subprocess.DEVNULL, stdout=out_file,
            stderr=err_file, start_new_session=True,
        )  # fmt: skip
        try:
            while process.poll() is None:
                if cancelled is not None and cancelled():
                    _kill(process)
                    break
                if time.monotonic() - began > limits.seconds:
                    timed_out = True
                    _kill(process)
                    break
                try:
                    process.wait(POLL_S)
                except subprocess.TimeoutExpired:
                    continue
        finally:
            if process.poll() is None:
                _kill(process)
    status = process.wait()
    # What isolates tells a signal as a shell does: 128 and its number.
    killed_by = (
        -status if status < 0 else status - 128 if isolating_tool() is not None and 128 < status < 128 + 65 else 0
    )
    timed_out = timed_out or killed_by == signal.SIGXCPU
    return Ended(
        status,
        killed_by if not timed_out else 0,
        timed_out,
        _head(out),
        _head(err),
        time.monotonic() - began,
    )


def _kill(process: subprocess.Popen[bytes]) -> None:
    """Kill a process with all that it started."""
    try:
        os.killpg(process.pid, signal.SIGKILL)
    except ProcessLookupError:
        process.kill()


def _head(path: Path, most: int = 200_000) -> str:
    with path.open("rb") as file:
        return file.read(most).decode("utf-8", "replace")
