"""The line protocol: ASCII lines ``stream,t_us,v1,v2,...*hh``, small enough to print from any firmware.

``hh`` is the exclusive or of all bytes before the star, two hexadecimal digits. Header lines name what the columns are:
``#stream,column[unit],...*hh``; they come at the start and every few seconds, so that a reader may join at any time. Times are
microseconds since the board started and may wrap at 32 bits. An empty value is a missing one.
"""

import re
from array import array
from collections import Counter
from dataclasses import dataclass, field

import numpy as np

from fusus.core.arrays import Array, IntArray
from fusus.core.frames.units import KINDS, from_si, known_unit, to_si
from fusus.logs.lines import PRACTICE, checksum
from fusus.logs.streams import IN_DEGREES, STREAMS

WRAP_US = 1 << 32
JUMP_US = 2_000_000  # a step longer than this, beyond what this computer's clock saw, is no gap but another clock
LONGEST_GAP_US = 3_600_000_000  # where nobody looked at the clock: a file
MOST_EARLY = 20_000
MOST_US = 1 << 53  # 285 years: no counter of microseconds stands so high
_HEADING = re.compile(r"^\s*([A-Za-z0-9_]+)\s*(?:\[([^\]]*)\])?\s*$")


@dataclass(slots=True)
class _Stream:
    """One stream as it comes: columns with what makes SI of them, samples row by row, and its clock.

    Another header begins a new piece: what came before keeps its columns and units.
    """

    columns: list[str]
    factors: Array
    offsets: Array
    limits: tuple[tuple[float, float], ...] = ()  # what can be a reading, as it is written
    pieces: list[tuple[IntArray, dict[str, Array]]] = field(default_factory=list)  # of headers before this one
    before: int = 0  # rows in them
    t_us: array = field(default_factory=lambda: array("q"))  # type: ignore[type-arg]
    values: array = field(default_factory=lambda: array("d"))  # type: ignore[type-arg]


@dataclass(slots=True)
class Decoder:
    """Lines in, streams out. Every line that is not taken is counted by its reason; nothing raises on what a wire does."""

    counts: Counter[str] = field(default_factory=Counter)
    streams: dict[str, _Stream] = field(default_factory=dict)
    unknown: Counter[str] = field(default_factory=Counter)
    is_practice: bool = False  # the board said that it is a stand-in
    clock_jumps: list[tuple[float, float]] = field(default_factory=list)  # at board time s, by s
    _rest: bytes = b""
    _wraps: int = 0
    _last_raw: int | None = None
    _shift: int = 0
    last_us: int = 0
    _early: dict[str, list[bytes]] = field(default_factory=dict)
    _host_began: float | None = None
    _host_last: float | None = None
    _began_us: int | None = None
    _may_step_us: float = JUMP_US

    def feed(self, data: bytes, now_s: float | None = None) -> int:
        """Take what came; return how many good lines were in it. A piece of a line waits for its end.

        ``now_s`` is this computer's clock: it tells a link that was silent from a board whose clock jumped.
        """
        self._look_at_clock(now_s)
        lines = (self._rest + data).split(b"\n")
        self._rest = lines.pop()
        if len(self._rest) > 4096:  # no line is so long: the newline was lost
            self._rest = b""
            self.counts["garbled"] += 1
        return sum(self._line(line.rstrip(b"\r")) for line in lines)

    def _look_at_clock(self, now_s: float | None) -> None:
        if now_s is None:
            self._may_step_us = LONGEST_GAP_US
            return
        if self._host_began is None or self._host_last is None:
            self._host_began = self._host_last = now_s
        run = max(now_s - self._host_began, 1e-3)
        self._began_us = self._began_us if self._began_us is not None or not self.last_us else self.last_us
        pace = max(1.0, (self.last_us - (self._began_us or self.last_us)) * 1e-6 / run)  # a stand-in may run faster
        self._may_step_us = JUMP_US + 1.5e6 * pace * (now_s - self._host_last)
        self._host_last = now_s

    def _line(self, line: bytes) -> bool:
        if not line:
            return False
        body, star, given = line.rpartition(b"*")
        if not star or len(given) != 2:
            self.counts["garbled"] += 1
            return False
        try:
            wanted = int(given, 16)
        except ValueError:
            self.counts["garbled"] += 1
            return False
        if checksum(body) != wanted:
            self.counts["bad checksum"] += 1
            return False
        return self._header(body[1:]) if body.startswith(b"#") else self._sample(body)

    def _header(self, body: bytes) -> bool:
        name, *words = body.decode("utf-8", "replace").split(",")
        if name == PRACTICE and not words:
            self.is_practice = True
            self.counts["headers"] += 1
            return True
        known = STREAMS.get(name)
        found = [_HEADING.match(w) for w in words]
        if known is None or not words or not all(found):
            self.unknown[name] += 1
            self.counts["unknown header"] += 1
            return False
        columns, factors, offsets = [], [], []
        for m in found:
            column, unit = (m.group(1), m.group(2) or "") if m else ("", "")
            if column not in known:
                self.unknown[f"{name}.{column}"] += 1
                columns.append("")
                factors.append(1.0)
                offsets.append(0.0)
                continue
            scale = _scale(column, known[column].kind, unit)
            if scale is None:
                self.unknown[f"{name}.{column} in {unit}"] += 1
                columns.append("")
                scale = (1.0, 0.0)
            else:
                columns.append(column)
            factors.append(scale[0])
            offsets.append(scale[1])
        have = self.streams.get(name)
        scales = (np.array(factors), np.array(offsets))
        if have is None or have.columns != columns or not np.array_equal((have.factors, have.offsets), scales):
            limits = tuple(
                _written(known[c].limit if c else np.inf, *s) for c, *s in zip(columns, *scales, strict=True)
            )
            new = _Stream(columns, *scales, limits)
            if have is not None:
                new.pieces, new.before = have.pieces, self.rows(name)
                if len(have.t_us):
                    new.pieces.append(self._piece(have))
                    self.counts["changed header"] += 1
            self.streams[name] = new
            for early in self._early.pop(name, []):  # it came before its header
                self.counts["before header"] -= 1
                self._sample(early)
        self.counts["headers"] += 1
        return True

    def _sample(self, body: bytes) -> bool:
        parts = body.split(b",")
        stream = self.streams.get(parts[0].decode("ascii", "replace"))
        if stream is None:
            self.counts["before header"] += 1
            waiting = self._early.setdefault(parts[0].decode("ascii", "replace"), [])
            if len(waiting) < MOST_EARLY and len(self._early) < 32:
                waiting.append(body)
            return False
        if len(parts) != len(stream.columns) + 2:
            self.counts["wrong length"] += 1
            return False
        try:
            raw = int(parts[1])
            values = [float(p) if p else float("nan") for p in parts[2:]]
        except ValueError:
            self.counts["no number"] += 1
            return False
        if not 0 <= raw < MOST_US:
            self.counts["no number"] += 1
            return False
        for i, value in enumerate(values):
            low, high = stream.limits[i]
            if not low <= value <= high and value == value:  # infinite, or more than any such sensor gives
                values[i] = float("nan")
                self.counts["impossible"] += 1
        stream.t_us.append(self._time(raw))
        stream.values.extend(values)
        self.counts["good"] += 1
        return True

    def _time(self, raw: int) -> int:
        """Return the time on one steady clock: 32-bit wraps undone, jumps taken out and reported."""
        if self._last_raw is not None:
            step = raw - self._last_raw
            if step < -WRAP_US // 2:
                self._wraps += WRAP_US
            elif not -JUMP_US <= step <= self._may_step_us:
                self.clock_jumps.append((self.last_us * 1e-6, step * 1e-6))
                self._shift -= step
        self._last_raw = raw
        self.last_us = max(self.last_us, raw + self._wraps + self._shift)
        return raw + self._wraps + self._shift

    def rows(self, name: str) -> int:
        """Return how many samples of a stream have come."""
        stream = self.streams.get(name)
        return stream.before + len(stream.t_us) if stream is not None else 0

    def take(self, name: str, first: int = 0) -> tuple[IntArray, dict[str, Array]]:
        """Return times in ns and SI columns of a stream from a row on, in the order in which they came.

        What a piece under another header did not hold is NaN in it.
        """
        stream = self.streams[name]
        if first >= stream.before:
            return self._piece(stream, first - stream.before)
        pieces = [*stream.pieces, self._piece(stream)]
        names = dict.fromkeys(c for _, columns in pieces for c in columns)
        t = np.concatenate([times for times, _ in pieces])
        joined = {c: np.concatenate([x.get(c, np.full(len(times), np.nan)) for times, x in pieces]) for c in names}
        return t[first:], {c: v[first:] for c, v in joined.items()}

    @staticmethod
    def _piece(s: _Stream, first: int = 0) -> tuple[IntArray, dict[str, Array]]:
        width = max(1, len(s.columns))
        t = np.array(s.t_us[first:], dtype=np.int64) * 1000
        table = np.array(s.values[first * width :], dtype=float).reshape(-1, width) * s.factors + s.offsets
        return t, {c: np.ascontiguousarray(table[:, i]) for i, c in enumerate(s.columns) if c}


def _written(limit: float, factor: float, offset: float) -> tuple[float, float]:
    """Return the least and the greatest number that can stand for a reading whose size in SI has a limit."""
    low, high = (-limit - offset) / factor, (limit - offset) / factor
    finite = float(np.finfo(float).max)
    return max(min(low, high), -finite), min(max(low, high), finite)


def _scale(column: str, kind: str, unit: str) -> tuple[float, float] | None:
    """Return factor and offset from a header's unit to the canonical column's; without one it is canonical, an unknown one is None."""
    if not unit.strip():
        return 1.0, 0.0
    found = known_unit(unit)
    if found is None or found not in KINDS.get(kind, {}):
        return None
    offset = to_si(0.0, found, kind)
    factor = to_si(1.0, found, kind) - offset
    if column in IN_DEGREES:
        factor = from_si(factor, "deg", kind)
    return factor, offset
