"""From the lines that a capture wrote to its recording; also for captures whose program is gone."""

import fcntl
import hashlib
import shutil
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, cast

import numpy as np

from fusus.core.arrays import Array, IntArray
from fusus.devices.protocol import Decoder
from fusus.errors import FususError, ProjectError, RecordingError
from fusus.logs.create import create_recording
from fusus.logs.info import RecordingInfo, SourceFile, check_kind, check_name, recordings_folder
from fusus.logs.problems import Problem, ProblemKind
from fusus.project.atomic import writing
from fusus.project.json_text import parsed

LINES_FILE, ABOUT_FILE, PREFIX = "lines.txt", "about.json", ".capturing-"
MOST_NAMES = 1000
SPOILT: dict[str, str] = {
    "bad checksum": "lines whose checksum did not fit", "garbled": "lines that were no lines of the protocol",
    "wrong length": "lines with too few or too many values", "no number": "lines with something that is no number",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class EndedCapture:
    """A capture that has ended: its working folder, what it is called, its kind, when it began, how often the link broke, marks set on
    the way (s, words), what else is known of it, and how many datagrams of other senders were left out."""

    folder: Path
    name: str
    kind: str
    when: datetime
    breaks: int
    marks: list[tuple[float, str]]
    about: dict[str, Any]
    refused: int = 0


def make_recording(project: Path, ended: EndedCapture, decoder: Decoder) -> RecordingInfo:
    """Return the recording of what a decoder has taken; RecordingError where that is nothing."""
    streams: dict[str, dict[str, Array]] = {}
    problems = list(_problems(decoder, ended.breaks, ended.name))
    if ended.refused:
        words = "datagrams came from other senders than the board"
        problems.append(
            Problem(file=ended.name, kind="other_sender", count=ended.refused, message=words, action="left out")
        )
    for stream in decoder.streams:
        if decoder.rows(stream) == 0:
            continue
        t, columns = decoder.take(stream)
        t, columns, disorder = _in_order(t, columns)
        if disorder:
            problems.append(
                Problem(file=ended.name, kind="backward_time", count=disorder, message=f"rows of {stream} came out of order or twice",
                        action="put in the order of time, the later of two left out")
            )  # fmt: skip
        streams[stream] = {"t_ns": t, **columns}  # type: ignore[dict-item]
    if not streams:
        raise RecordingError(ended.name, f"nothing came that could be read. {_why_nothing(decoder)}")
    lines = ended.folder / LINES_FILE
    with writing(lines):
        data = lines.read_bytes()
    source = SourceFile(name=LINES_FILE, sha256=hashlib.sha256(data).hexdigest(), bytes=len(data))
    words = "; ".join(f"{words} at {t:.1f} s" for t, words in ended.marks)
    about = dict(ended.about)
    told = str(about.pop("conditions", "") or "")
    info = RecordingInfo(
        name=ended.name, kind=ended.kind, when=ended.when, sources=(source,), problems=tuple(problems),
        frames="the board's own axes, times in ns", clock="the board's own", is_practice=decoder.is_practice,
        conditions="; ".join(w for w in (told, words) if w), **about,
    )  # fmt: skip
    return _created(project, info, streams)


def _created(project: Path, info: RecordingInfo, streams: dict[str, dict[str, Array]]) -> RecordingInfo:
    """Return a recording that was made under its name, or under the first free one after it: another may have taken it meanwhile."""
    for number in range(2, MOST_NAMES):
        try:
            return create_recording(project, info, streams)
        except ProjectError:
            if not (recordings_folder(project) / info.name).exists():
                raise
            info = info.model_copy(update={"name": f"{info.name.removesuffix(f' {number - 1}')} {number}"})
    raise ProjectError(
        recordings_folder(project) / info.name, "there are too many recordings of this name. Choose another name."
    )


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
        for kind, words in SPOILT.items()
        if decoder.counts[kind]
    ]
    if decoder.counts["impossible"]:
        words = "values that are infinite, or more than any such sensor gives"
        out.append(
            Problem(
                file=name, kind="impossible", count=decoder.counts["impossible"], message=words, action="left empty"
            )
        )
    if decoder.counts["changed header"]:
        count = decoder.counts["changed header"]
        words = "a header line named other columns or units than before"
        out.append(
            Problem(file=name, kind="units_change", count=count, message=words, action="each read by its own header")
        )
    for what, count in decoder.unknown.items():
        out.append(
            Problem(
                file=name,
                kind="ignored_column",
                column=what,
                count=count,
                message="a header names what is not known",
                action="left out",
            )
        )
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


def leftovers(project: Path) -> list[Path]:
    """Return the working folders of captures whose program is gone: nobody holds the lock on their lines."""
    return [f for f in sorted(recordings_folder(project).glob(f"{PREFIX}*")) if _is_left(f / LINES_FILE)]


def _is_left(lines: Path) -> bool:
    try:
        with lines.open("rb") as file:
            fcntl.flock(file.fileno(), fcntl.LOCK_SH | fcntl.LOCK_NB)
            return True
    except OSError:
        return False


def recover(project: Path) -> list[RecordingInfo]:
    """Make recordings of interrupted captures. One to which nothing came is thrown away; one of which nothing can be made stays as it
    lies, and keeps none of the others from being recovered."""
    out = []
    for folder in leftovers(project):
        decoder = Decoder()
        try:
            decoder.feed((folder / LINES_FILE).read_bytes())
            if decoder.counts:
                out.append(make_recording(project, _interrupted(folder), decoder))
        except (FususError, OSError):
            continue
        shutil.rmtree(folder, ignore_errors=True)
    return out


def _interrupted(folder: Path) -> EndedCapture:
    """Return what is known of an interrupted capture; where its notes are damaged or refused, its folder's name says what it was."""
    told = {"conditions": "recovered after an interruption"}
    try:
        about = parsed((folder / ABOUT_FILE).read_text(encoding="utf-8"))
        name, kind, when = check_name(str(about["name"])), str(about["kind"]), datetime.fromisoformat(about["when"])
        marks = [(float(t), str(w)) for t, w in about.get("marks", [])]
        check_kind(kind)
        return EndedCapture(folder, name, kind, when, 0, marks, told)
    except (OSError, ValueError, KeyError, TypeError, AttributeError, FususError):
        named = folder.name.removeprefix(PREFIX).rpartition("-")[0]
        return EndedCapture(folder, named or "interrupted", "other", datetime.now(UTC), 0, [], told)
