"""What a recording is held against: references that the maker declares, each with its own uncertainty."""

import csv
import io
import math
import re
from typing import Annotated, Literal

from pydantic import Field

from fusus.errors import DeclaredReferenceError
from fusus.project.evidence import Record

ReferenceKind = Literal["own", "jig", "turntable", "heights", "closure", "surveyed", "track"]
AxesName = Literal["ned-frd", "enu-flu", "enu-frd", "nwu-flu", "ned-flu"]

# What each kind is, and what it is itself off where nobody says better: one sigma, rad, m, m/s. Common practice.
KINDS: dict[str, str] = {
    "own": "the reference that the recording holds",
    "jig": "poses on a jig: roll, pitch and perhaps heading while it lies still",
    "turntable": "turning at a known rate from one moment to another",
    "heights": "heights by tape or staircase, counted from the first",
    "closure": "set down where it started",
    "surveyed": "standing over a surveyed point",
    "track": "another recording: a satellite track or another system's estimate",
}
USUAL_SIGMAS: dict[str, dict[str, float]] = {
    "own": {},
    "jig": {"tilt": math.radians(0.2), "heading": math.radians(1.0)},
    "turntable": {"heading": math.radians(0.5)},
    "heights": {"height": 0.01},
    "closure": {"position": 0.05, "height": 0.02},
    "surveyed": {"position": 0.03, "height": 0.05},
    "track": {},
}
AXES: dict[str, str] = {
    "ned-frd": "north-east-down, body forward-right-down",
    "enu-flu": "east-north-up, body forward-left-up",
    "enu-frd": "east-north-up, body forward-right-down",
    "nwu-flu": "north-west-up, body forward-left-up",
    "ned-flu": "north-east-down, body forward-left-up",
}
# Word in a line or table: field, factor to SI, least and greatest SI.
WORDS: dict[str, tuple[str, float, float, float]] = {
    "from": ("start_s", 1.0, 0.0, 1e7),
    "to": ("end_s", 1.0, 0.0, 1e7),
    "roll": ("roll_rad", math.radians(1), -math.pi, math.pi),
    "pitch": ("pitch_rad", math.radians(1), -math.pi / 2, math.pi / 2),
    "yaw": ("yaw_rad", math.radians(1), -2 * math.pi, 2 * math.pi),
    "rate": ("rate_rad_s", math.radians(1), -100.0, 100.0),
    "height": ("height_m", 1.0, -1e4, 1e4),
    "north": ("north_m", 1.0, -1e6, 1e6),
    "east": ("east_m", 1.0, -1e6, 1e6),
    "lat": ("lat_deg", 1.0, -90.0, 90.0),
    "lon": ("lon_deg", 1.0, -180.0, 180.0),
}
NEEDED: dict[str, tuple[str, ...]] = {
    "jig": ("roll", "pitch"), "turntable": ("from", "to", "rate"), "heights": ("height",), "closure": (), "surveyed": ("from", "to"),
}  # fmt: skip
UNITS = {
    "roll": "deg",
    "pitch": "deg",
    "yaw": "deg",
    "rate": "deg/s",
    "from": "s",
    "to": "s",
    "lat": "deg",
    "lon": "deg",
}


class ReferencePoint(Record):
    """One pose, height, turn or place; times in s from the recording's first sample, None: found by stillness."""

    start_s: float | None = None
    end_s: float | None = None
    roll_rad: float | None = None
    pitch_rad: float | None = None
    yaw_rad: float | None = None
    rate_rad_s: float | None = None
    height_m: float | None = None
    north_m: float | None = None
    east_m: float | None = None
    lat_deg: float | None = None
    lon_deg: float | None = None


class DeclaredReference(Record):
    """What a recording is held against. ``other``: the recording that a track lies in; ``axes`` it is written in; its clock reads
    ``clock_offset_s`` when the log's reads zero and gains ``clock_ppm``; ``sigmas``: one sigma by quantity (tilt and heading rad,
    position and height m, velocity m/s a component), in place of the usual ones."""

    recording: str
    kind: ReferenceKind = "own"
    points: tuple[ReferencePoint, ...] = ()
    other: str | None = None
    axes: AxesName = "ned-frd"
    clock_offset_s: Annotated[float, Field(ge=-1e7, le=1e7)] = 0.0
    clock_ppm: Annotated[float, Field(ge=-1e4, le=1e4)] = 0.0
    sigmas: dict[str, Annotated[float, Field(ge=0, le=1e5)]] = Field(default_factory=dict)
    note: str = ""

    def all_sigmas(self) -> dict[str, float]:
        """Return the sigmas with the usual ones where none was given."""
        return USUAL_SIGMAS[self.kind] | self.sigmas


def read_points(text: str, kind: str) -> tuple[ReferencePoint, ...]:
    """Return points from lines (or parts between ``;``) like ``10:20 roll 30 pitch 0``, or from a table whose header names the words.

    Angles in degrees, rates in deg/s, heights and places in m. DeclaredReferenceError says where and what.
    """
    lines = [line.strip() for line in re.split(r"[\n;]", text) if line.strip() and not line.strip().startswith("#")]
    if not lines:
        points: list[ReferencePoint] = []
    elif "," in lines[0] and re.match(r"[A-Za-z]", lines[0]):
        points = _table(text)
    else:
        points = [_line(line, i) for i, line in enumerate(lines, 1)]
    for i, point in enumerate(points, 1):
        for word in NEEDED.get(kind, ()):
            if getattr(point, WORDS[word][0]) is None:
                raise DeclaredReferenceError(
                    f"Point {i}", f"a {kind} needs “{word}” for each point; write for example “{EXAMPLES[kind]}”."
                )
        if point.start_s is not None and point.end_s is not None and point.end_s <= point.start_s:
            raise DeclaredReferenceError(
                f"Point {i}", f"it ends at {point.end_s:g} s, not after its start at {point.start_s:g} s."
            )
    return tuple(points)


EXAMPLES: dict[str, str] = {
    "jig": "10:20 roll 30 pitch 0",
    "turntable": "10:46 rate 10",
    "heights": "0:5 height 0; 12:18 height 1.5",
    "closure": "0:3; 55:60",
    "surveyed": "0:10 lat 50.1 lon 1.2 height 3",
}


def _line(line: str, number: int) -> ReferencePoint:
    where = f"Point {number}, “{line}”"
    values: dict[str, float] = {}
    words = line.replace("=", " ").split()
    if words and re.fullmatch(r"[\d.]+:[\d.]+", words[0]):
        for word, part in zip(("from", "to"), words.pop(0).split(":"), strict=True):
            values[WORDS[word][0]] = _number(where, word, part)
    if len(words) % 2:
        raise DeclaredReferenceError(where, "names and values must come in pairs, like “roll 30 pitch 0”.")
    for word, part in zip(words[::2], words[1::2], strict=True):
        name = _field(where, word)
        values[name] = _number(where, word, part)
    return ReferencePoint(**values)


def _table(text: str) -> list[ReferencePoint]:
    rows = list(csv.reader(io.StringIO("\n".join(x for x in text.splitlines() if x.strip() and not x.startswith("#")))))
    names = [re.sub(r"[ _(\[].*$", "", n.strip().lower()) for n in rows[0]]
    names = [{"start": "from", "end": "to", "latitude": "lat", "longitude": "lon"}.get(n, n) for n in names]
    fields = [_field("Header", n) for n in names]
    out = []
    for i, row in enumerate(rows[1:], 2):
        if len(row) > len(names):
            raise DeclaredReferenceError(f"Line {i}", f"it has {len(row)} values where the header names {len(names)}.")
        values = {
            f: _number(f"Line {i}, column {n}", n, v) for f, n, v in zip(fields, names, row, strict=False) if v.strip()
        }
        out.append(ReferencePoint(**values))
    return out


def _field(where: str, word: str) -> str:
    if word not in WORDS:
        raise DeclaredReferenceError(where, f"“{word}” is none of {', '.join(WORDS)}.")
    return WORDS[word][0]


def _number(where: str, word: str, text: str) -> float:
    _, factor, low, high = WORDS[word]
    try:
        value = float(text.replace(",", ".")) * factor
    except ValueError:
        raise DeclaredReferenceError(where, f"“{text}” is no number for {word}.") from None
    if not low <= value <= high:
        raise DeclaredReferenceError(
            where,
            f"{word} is {text}; it must lie from {low / factor:.6g} to {high / factor:.6g} {UNITS.get(word, 'm')}.",
        )
    return value


def points_text(points: tuple[ReferencePoint, ...]) -> str:
    """Return points as the line that ``read_points`` takes."""
    out = []
    for p in points:
        words = [f"{p.start_s:g}:{p.end_s:g}"] if p.start_s is not None and p.end_s is not None else []
        for word, (name, factor, _, _) in WORDS.items():
            value = getattr(p, name)
            if value is not None and word not in ("from", "to"):
                words += [word, f"{value / factor:.8g}"]
        out.append(" ".join(words))
    return "; ".join(out)
