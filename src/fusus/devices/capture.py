"""A capture: lines go to disk as they come, are decoded beside, and become a recording at the end.

A crash loses what came within the last second at most: the lines lie in a folder of their own, from which ``recover`` makes the
recording later.
"""

import contextlib
import hashlib
import json
import os
import shutil
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, cast

import numpy as np

from fusus.core.arrays import Array, IntArray
from fusus.devices.links import Link
from fusus.devices.protocol import Decoder
from fusus.errors import FususError, ProjectError, RecordingError
from fusus.logs.create import create_recording
from fusus.logs.info import RecordingInfo, SourceFile, check_kind, check_name, recordings_folder
from fusus.logs.problems import Problem, ProblemKind
from fusus.project.atomic import write_atomically, writing

LINES_FILE, ABOUT_FILE, PREFIX = "lines.txt", "about.json", ".capturing-"
SYNC_S, SILENT_S, RETRY_S = 0.5, 1.5, 0.3
RECENT_S = 2.0
_MESSAGES: dict[str, str] = {
    "bad checksum": "lines whose checksum did not fit", "garbled": "lines that were no lines of the protocol",
    "wrong length": "lines with too few or too many values", "no number": "lines with something that is no number",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Health:
    """How a capture goes: seconds of it, good and spoilt lines, samples missing by their times, breaks, bytes waiting, and for
    each stream its rows, rate in Hz and jitter (sigma of the step) in s over the last seconds."""

    seconds: float
    good: int
    spoilt: int
    missing: int
    breaks: int
    waiting: int
    is_connected: bool
    streams: dict[str, tuple[int, float, float]]


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
        self._folder = target.parent / f"{PREFIX}{self.name}-{os.getpid()}"
        self._when = datetime.now(UTC)
        with writing(self._folder):
            self._folder.mkdir(parents=True, exist_ok=True)
            self._file = (self._folder / LINES_FILE).open("wb")
        self._write_about()
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
            self._file.write(data)
            good = self.decoder.feed(data, now)
            self._heard = now
        if now - self._synced >= SYNC_S:
            self._synced = now
            self._file.flush()
            os.fsync(self._file.fileno())
        return good

    @property
    def is_silent(self) -> bool:
        """Whether nothing has come for long, although the link stands."""
        return time.monotonic() - self._heard > SILENT_S

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
        spoilt = sum(counts[k] for k in _MESSAGES)
        return Health(
            self.seconds, counts["good"], spoilt, missing, self.breaks, self._waiting, self.is_connected, streams
        )

    def finish(self, **about: Any) -> RecordingInfo:
        """Make the recording of what has come and take the working folder away."""
        self._close()
        try:
            return _recording(
                self.project,
                self._folder,
                self.name,
                self.kind,
                self._when,
                self.decoder,
                self.breaks,
                self.marks,
                about,
            )
        except RecordingError:  # nothing had come: nothing to keep
            shutil.rmtree(self._folder, ignore_errors=True)
            raise
        finally:
            if (recordings_folder(self.project) / self.name).exists():
                shutil.rmtree(self._folder, ignore_errors=True)

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


def _recording(
    project: Path, folder: Path, name: str, kind: str, when: datetime, decoder: Decoder, breaks: int,
    marks: list[tuple[float, str]], about: dict[str, Any],
) -> RecordingInfo:  # fmt: skip
    streams: dict[str, dict[str, Array]] = {}
    problems = list(_problems(decoder, breaks, name))
    for stream in decoder.streams:
        if decoder.rows(stream) == 0:
            continue
        t, columns = decoder.take(stream)
        t, columns, disorder = _in_order(t, columns)
        if disorder:
            problems.append(
                Problem(file=name, kind="backward_time", count=disorder, message=f"rows of {stream} came out of order or twice",
                        action="put in the order of time, the later of two left out")
            )  # fmt: skip
        streams[stream] = {"t_ns": t, **columns}  # type: ignore[dict-item]
    if not streams:
        raise RecordingError(name, f"nothing came that could be read. {_why_nothing(decoder)}")
    lines = folder / LINES_FILE
    with writing(lines):
        data = lines.read_bytes()
    source = SourceFile(name=LINES_FILE, sha256=hashlib.sha256(data).hexdigest(), bytes=len(data))
    words = "; ".join(f"{words} at {t:.1f} s" for t, words in marks)
    told = str(about.pop("conditions", "") or "")
    info = RecordingInfo(
        name=name, kind=kind, when=when, sources=(source,), problems=tuple(problems), frames="the board's own axes, times in ns",
        clock="the board's own", conditions="; ".join(w for w in (told, words) if w), **about,
    )  # fmt: skip
    return create_recording(project, info, streams)


def _in_order(t: IntArray, columns: dict[str, Array]) -> tuple[IntArray, dict[str, Array], int]:
    steps = np.diff(t)
    if (steps > 0).all():
        return t, columns, 0
    _, kept = np.unique(t, return_index=True)
    return t[kept], {k: v[kept] for k, v in columns.items()}, int((steps <= 0).sum())


def _problems(decoder: Decoder, breaks: int, name: str) -> list[Problem]:
    out = [
        Problem(
            file=name,
            kind=cast(ProblemKind, kind.replace(" ", "_")),
            count=decoder.counts[kind],
            message=words,
            action="left out",
        )
        for kind, words in _MESSAGES.items()
        if decoder.counts[kind]
    ]
    for at, by in decoder.clock_jumps:
        out.append(
            Problem(file=name, kind="clock_jump", count=1, message=f"the board's clock jumped by {by:+.1f} s at {at:.1f} s",
                    action="the jump taken out: times go on without it")
        )  # fmt: skip
    if breaks:
        out.append(Problem(file=name, kind="gap", count=breaks, message="the link broke off", action="left open"))
    return out


def _why_nothing(decoder: Decoder) -> str:
    if decoder.counts["before header"]:
        return "Lines came, but no header line that names their columns: print one at the start and every few seconds."
    if decoder.counts["bad checksum"] or decoder.counts["garbled"]:
        return "Only spoilt lines came: check baud rate, wiring and the protocol."
    return "Check that the board is powered and prints, and that the link is the right one."


def run(
    capture: Capture, seconds: float | None, watch: Callable[[Capture], bool] | None = None, wait_s: float = 10.0
) -> None:
    """Pump until so many seconds of samples have come, ``watch`` says that it is enough, or nothing comes for ``wait_s``."""
    quiet = time.monotonic()
    first: int | None = None
    while True:
        if capture.pump():
            quiet = time.monotonic()
            first = capture.decoder.last_us if first is None else first
        if seconds is not None and first is not None and (capture.decoder.last_us - first) * 1e-6 >= seconds:
            return
        if watch is not None and watch(capture):
            return
        if time.monotonic() - quiet > wait_s:
            return


def leftovers(project: Path) -> list[Path]:
    """Return the working folders of captures whose program is gone."""
    found = []
    for folder in sorted(recordings_folder(project).glob(f"{PREFIX}*")):
        pid = folder.name.rpartition("-")[2]
        if (folder / LINES_FILE).exists() and not (pid.isdigit() and Path(f"/proc/{pid}").exists()):
            found.append(folder)
    return found


def recover(project: Path) -> list[RecordingInfo]:
    """Make recordings of interrupted captures; one that holds nothing is thrown away."""
    out = []
    for folder in leftovers(project):
        try:
            about = json.loads((folder / ABOUT_FILE).read_text(encoding="utf-8"))
            name, kind, when = str(about["name"]), str(about["kind"]), datetime.fromisoformat(about["when"])
            marks = [(float(t), str(w)) for t, w in about.get("marks", [])]
        except (OSError, ValueError, KeyError, TypeError):
            name, kind, when, marks = (
                folder.name.removeprefix(PREFIX).rpartition("-")[0],
                "other",
                datetime.now(UTC),
                [],
            )
        while (recordings_folder(project) / name).exists():
            name += " again"
        decoder = Decoder()
        decoder.feed((folder / LINES_FILE).read_bytes())
        told = {"conditions": "recovered after an interruption"}
        with contextlib.suppress(RecordingError):  # nothing had come yet
            out.append(_recording(project, folder, name, kind, when, decoder, 0, marks, told))
        shutil.rmtree(folder, ignore_errors=True)
    return out
