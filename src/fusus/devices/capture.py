"""A capture: lines go to disk as they come, are decoded beside, and become a recording at the end.

A crash loses what came within the last second at most: the lines lie in a folder of their own, from which ``kept.recover`` makes the
recording later.
"""

import contextlib
import fcntl
import json
import math
import os
import shutil
import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import numpy as np

from fusus.core.frames.quaternion import to_euler
from fusus.devices.kept import ABOUT_FILE, LINES_FILE, PREFIX, SPOILT, EndedCapture, make_recording
from fusus.devices.links import Link
from fusus.devices.protocol import Decoder
from fusus.errors import FususError, ProjectError, RecordingError
from fusus.logs.info import RecordingInfo, check_kind, check_name, recordings_folder
from fusus.project.atomic import write_atomically, writing

SYNC_S, SILENT_S, RETRY_S = 0.5, 1.5, 0.3
RECENT_S = 2.0


@dataclass(frozen=True, slots=True)
class Health:
    """How a capture goes: seconds of it, good and spoilt lines, samples missing by their times, breaks, bytes waiting, and for
    each stream its rows, rate in Hz and jitter (sigma of the step) in s over the last seconds. ``board``: the attitude that the board
    itself told last, roll, pitch and heading in rad; None where it tells none."""

    seconds: float
    good: int
    spoilt: int
    missing: int
    breaks: int
    waiting: int
    is_connected: bool
    streams: dict[str, tuple[int, float, float]]
    board: tuple[float, float, float] | None = None

    @property
    def board_says(self) -> str:
        """What the board says of its own attitude, empty where it says nothing."""
        if self.board is None:
            return ""
        roll, pitch, heading = (math.degrees(v) for v in self.board)
        return f"the board says: roll {roll:+.1f}°, pitch {pitch:+.1f}°, heading {heading % 360.0:.0f}°"


@dataclass(slots=True)
class Capture:
    """One capture in a project. Call ``pump`` until it is enough, then ``finish`` or ``discard``."""

    project: Path
    name: str
    link: Link
    kind: str = "other"
    decoder: Decoder = field(default_factory=Decoder)
    breaks: int = 0
    is_connected: bool = True
    marks: list[tuple[float, str]] = field(default_factory=list)
    _folder: Path = field(init=False)
    _file: Any = field(init=False)
    _began: float = field(init=False)
    _heard: float = field(init=False)
    _synced: float = field(init=False)
    _when: datetime = field(init=False)
    _waiting: int = 0

    def __post_init__(self) -> None:
        target = recordings_folder(self.project) / self.name
        try:
            check_name(self.name)
            check_kind(self.kind)
            if target.exists():
                raise ProjectError(target, "there is a recording of this name already. Choose another name.")
        except FususError:
            self.link.close()
            raise
        self._when = datetime.now(UTC)
        try:
            with writing(target.parent):
                target.parent.mkdir(parents=True, exist_ok=True)
                # A folder of its own, whatever others do at the same time. It gets the name that recovery looks for once it is locked.
                self._folder = Path(tempfile.mkdtemp(prefix=".starting-", dir=target.parent))
                self._file = (self._folder / LINES_FILE).open("xb")
                fcntl.flock(self._file.fileno(), fcntl.LOCK_EX)
                own = self._folder.name.removeprefix(".starting-")
                self._folder = self._folder.rename(target.parent / f"{PREFIX}{self.name}-{own}")
            self._write_about()
        except FususError:
            self.link.close()
            raise
        self._began = self._heard = self._synced = time.monotonic()

    def _write_about(self) -> None:
        about = {
            "name": self.name,
            "kind": self.kind,
            "when": self._when.isoformat(),
            "link": self.link.name,
            "marks": self.marks,
        }
        write_atomically(self._folder / ABOUT_FILE, json.dumps(about).encode())

    @property
    def seconds(self) -> float:
        """How long it has run."""
        return time.monotonic() - self._began

    def pump(self, timeout_s: float = 0.05) -> int:
        """Take what has come within a time; return the good lines. A lost link is sought again."""
        self._waiting = self.link.waiting()
        data = self.link.read(timeout_s)
        now = time.monotonic()
        if data is None:
            if self.is_connected:
                self.is_connected = False
                self.breaks += 1
            time.sleep(min(RETRY_S, timeout_s + 0.02))
            if self.link.reopen():
                self.is_connected = True
                self._heard = now
            return 0
        good = 0
        if data:
            good = self.decoder.feed(data, now)
            self._heard = now
        with writing(self._folder):
            self._file.write(data)
            if now - self._synced >= SYNC_S:
                self._synced = now
                self._file.flush()
                os.fsync(self._file.fileno())
        return good

    def mark(self, words: str) -> None:
        """Note at what board time something was done, such as "foam on"."""
        self.marks.append((self.decoder.last_us * 1e-6, words))
        self._write_about()

    def health(self) -> Health:
        """Return how it goes."""
        counts = self.decoder.counts
        streams = {}
        missing = 0
        for name, s in self.decoder.streams.items():
            recent = np.array(s.t_us[-4000:], dtype=np.int64) * 1e-6
            recent = recent[recent >= recent[-1] - RECENT_S] if len(recent) else recent
            steps = np.diff(recent)
            usual = float(np.median(steps)) if len(steps) else 0.0
            rate = 1.0 / float(steps[steps < 1.6 * usual].mean()) if usual > 0 else 0.0
            jitter = float(np.std(steps[steps < 1.6 * usual])) if len(steps) > 2 else 0.0
            missing += int(np.sum(np.rint(steps[steps > 1.6 * usual] / usual) - 1)) if usual > 0 else 0
            streams[name] = (len(s.t_us), rate, jitter)
        spoilt = sum(counts[k] for k in SPOILT)
        return Health(
            self.seconds, counts["good"], spoilt, missing, self.breaks, self._waiting, self.is_connected, streams,
            self._board_says(),
        )  # fmt: skip

    def _board_says(self) -> tuple[float, float, float] | None:
        """Return roll, pitch and heading of the newest attitude that the board told, rad."""
        told = self.decoder.streams.get("board")
        if told is None or not told.values or not {"q_w", "q_x", "q_y", "q_z"} <= set(told.columns):
            return None
        last = told.values[-len(told.columns) :]
        q = np.array([last[told.columns.index(f"q_{a}")] for a in "wxyz"])
        if not np.isfinite(q).all() or not np.linalg.norm(q) > 0.1:
            return None
        yaw, pitch, roll = to_euler(q / np.linalg.norm(q))
        return float(roll), float(pitch), float(yaw)

    def finish(self, **about: Any) -> RecordingInfo:
        """Make the recording of what has come and take the working folder away; another recording that took the name meanwhile keeps
        it. Where it cannot be written, the lines stay, and ``kept.recover`` makes the recording later."""
        self._close()
        ended = EndedCapture(
            self._folder, self.name, self.kind, self._when, self.breaks, self.marks, about, self.link.refused
        )
        try:
            info = make_recording(self.project, ended, self.decoder)
        except RecordingError:
            if not self.decoder.counts:  # nothing at all had come: nothing to keep
                shutil.rmtree(self._folder, ignore_errors=True)
            raise
        shutil.rmtree(self._folder, ignore_errors=True)
        return info

    def keep_lines(self) -> None:
        """End it without a recording: what came stays on disk, and ``kept.recover`` makes one of it later."""
        with contextlib.suppress(OSError):  # the very disk that is full
            self._close()

    def discard(self) -> None:
        """Throw it away."""
        self._close()
        shutil.rmtree(self._folder, ignore_errors=True)

    def _close(self) -> None:
        self.link.close()
        if not self._file.closed:
            self._file.flush()
            os.fsync(self._file.fileno())
            self._file.close()


def run(
    capture: Capture, seconds: float | None, watch: Callable[[Capture], bool] | None = None, wait_s: float = 10.0
) -> None:
    """Pump until so many seconds of samples have come, ``watch`` says that it is enough, or nothing comes for ``wait_s``."""
    silent_s = 0.0  # only what the link was waited for: what the watcher takes is no silence of the board
    first: int | None = None
    while True:
        began = time.monotonic()
        came = capture.pump()
        silent_s = 0.0 if came else silent_s + time.monotonic() - began
        if came and first is None:
            first = capture.decoder.last_us
        if seconds is not None and first is not None and (capture.decoder.last_us - first) * 1e-6 >= seconds:
            return
        if watch is not None and watch(capture):
            return
        if silent_s > wait_s:
            return
