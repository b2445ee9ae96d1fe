"""NMEA 0183 text of a receiver as the stream ``gnss``: sentences of one moment make one row, what is not whole is refused and counted."""

import hashlib
import math
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, time, timedelta
from pathlib import Path
from typing import Any

import numpy as np
import pynmea2

from fusus.core.arrays import Array
from fusus.errors import LogError
from fusus.logs.info import SourceFile
from fusus.logs.problems import ProblemKind, Problems
from fusus.logs.source import read_head

KNOT_M_S = 1852.0 / 3600.0
# Horizontal accuracy by the kind of fix where the receiver states none, m: common practice.
USUAL_M = {1: 2.5, 2: 1.0, 3: 2.5, 4: 0.02, 5: 0.4}
READ = ("GGA", "RMC", "VTG", "GST", "ZDA")
COLUMNS = (
    "lat_deg", "lon_deg", "height_m", "fix", "satellites", "hdop", "h_acc_m", "v_acc_m", "speed_m_s", "course_deg", "vel_n_m_s",
    "vel_e_m_s",
)  # fmt: skip
HALF_DAY_S = 43200.0


def is_nmea(path: Path) -> bool:
    """Return whether a file's first lines are NMEA sentences."""
    lines = [x.strip() for x in read_head(path, 4096).split(b"\n") if x.strip()]
    return bool(lines) and sum(x.startswith(b"$") and b"," in x for x in lines) > 0.5 * len(lines)


@dataclass(slots=True)
class _Reader:
    """Rows so far, and the one that is being filled."""

    file: str
    problems: Problems
    rows: list[dict[str, float]] = field(default_factory=list)
    row: dict[str, float] = field(default_factory=dict)
    day: date | None = None
    day_s: float = 0.0  # whole days since the first sentence, s
    at: float | None = None

    def refuse(self, kind: ProblemKind, why: str, line: int) -> None:
        self.problems.add(self.file, kind, why, "sentence left out", line=line)

    def begin(self, moment: time | None) -> None:
        """Go on to a moment of the day; the row before is finished."""
        if moment is None:
            return
        seconds = moment.hour * 3600.0 + moment.minute * 60.0 + moment.second + moment.microsecond * 1e-6
        if self.at is not None and seconds < self.at - HALF_DAY_S:
            self.day_s += 86400.0
        if self.at is not None and seconds == self.at:
            return
        self.finish()
        self.at = seconds
        self.row = {"t_s": self.day_s + seconds}

    def finish(self) -> None:
        # What comes before the first moment of the day belongs to none.
        if len(self.row) > 1 and "t_s" in self.row:
            self.rows.append(self.row)
        self.row = {}


def read_nmea(path: Path, problems: Problems) -> tuple[dict[str, Array], SourceFile, datetime | None]:
    """Return the columns of ``gnss``, the source, and when it began (None without a date); LogError where no fix is in it."""
    try:
        data = path.read_bytes()
    except OSError as error:
        raise LogError(path, None, None, f"the file cannot be read ({error.strerror}).") from error
    reader = _Reader(path.name, problems)
    for number, raw in enumerate(data.split(b"\n"), 1):
        text = raw.decode("ascii", "replace").strip("\r\x00 ")
        if text.startswith("$"):
            _sentence(reader, text, number)
        elif text:
            reader.refuse("text", f"“{text[:40]}” is no sentence", number)
    reader.finish()
    if not any("lat_deg" in r for r in reader.rows):
        raise LogError(path, None, None, "no sentence in it holds a position (GGA or RMC with a checksum that fits).")
    t = np.array([r["t_s"] for r in reader.rows])
    out: dict[str, Array] = {"t_ns": np.round((t - t[0]) * 1e9).astype(np.int64)}
    for name in COLUMNS:
        values = np.array([r.get(name, math.nan) for r in reader.rows])
        if np.isfinite(values).any():
            out[name] = values
    when = None
    if reader.day is not None:
        # The date of the last sentence less the midnights since the first.
        first = datetime.combine(reader.day, time(), UTC) - timedelta(seconds=reader.day_s)
        when = first + timedelta(seconds=float(t[0]))
    source = SourceFile(name=path.name, sha256=hashlib.sha256(data).hexdigest(), bytes=len(data))
    return _in_order(out, reader), source, when


def _in_order(columns: dict[str, Array], reader: _Reader) -> dict[str, Array]:
    t = columns["t_ns"]
    back = np.flatnonzero(np.diff(t) <= 0)
    if not len(back):
        return columns
    reader.problems.add(
        reader.file, "backward_time", "the time goes back or stands", "rows put in the order of time, the first of each kept",
        count=len(back),
    )  # fmt: skip
    _, first = np.unique(t, return_index=True)
    return {k: v[first] for k, v in columns.items()}


def _sentence(reader: _Reader, text: str, line: int) -> None:
    """Take one sentence in, or say why not."""
    kind = text[3:6]
    if "*" not in text:
        reader.refuse("truncated_line", f"“{text[:40]}” has no checksum", line)
        return
    try:
        m: Any = pynmea2.parse(text, check=True)
    except pynmea2.ChecksumError:
        reader.refuse("bad_checksum", f"the checksum of “{text[:40]}” does not fit", line)
        return
    except (pynmea2.ParseError, ValueError, IndexError):
        if kind in READ:
            reader.refuse("garbled", f"“{text[:40]}” is no whole sentence", line)
        return
    if kind not in READ:
        return
    try:
        TAKERS[kind](reader, m)
    except (ValueError, TypeError, AttributeError, IndexError):
        reader.refuse("no_number", f"a field of “{text[:60]}” is no number", line)


def _number(value: Any) -> float | None:
    """Return a field as a number, None where it is empty; ValueError for what is none."""
    if value is None or value == "":
        return None
    return float(value)


def _put(row: dict[str, float], **values: float | None) -> None:
    row.update({k: v for k, v in values.items() if v is not None and math.isfinite(v)})


def _place(m: Any) -> tuple[float | None, float | None]:
    """Return latitude and longitude, None where the receiver knows none."""
    if not m.lat or not m.lon:
        return None, None
    lat, lon = float(m.latitude), float(m.longitude)
    if not (abs(lat) <= 90 and abs(lon) <= 180):
        raise ValueError("no place on the globe")
    return lat, lon


def _gga(reader: _Reader, m: Any) -> None:
    quality = int(_number(m.gps_qual) or 0)
    satellites, hdop, height = _number(m.num_sats), _number(m.horizontal_dil), _number(m.altitude)
    lat, lon = _place(m)
    reader.begin(m.timestamp or None)
    row = reader.row
    _put(row, fix=3.0 if quality else 0.0, satellites=satellites, hdop=hdop)
    if quality:
        _put(row, lat_deg=lat, lon_deg=lon, height_m=height)
        if "h_acc_m" not in row:
            _put(row, h_acc_m=USUAL_M.get(quality))


def _rmc(reader: _Reader, m: Any) -> None:
    is_valid = m.status == "A"
    speed, course = _number(m.spd_over_grnd), _number(m.true_course)
    lat, lon = _place(m)
    reader.begin(m.timestamp or None)
    if m.datestamp:
        reader.day = m.datestamp
    if is_valid:
        if "lat_deg" not in reader.row:
            _put(reader.row, lat_deg=lat, lon_deg=lon, fix=3.0)
        _way(reader.row, None if speed is None else speed * KNOT_M_S, course)


def _vtg(reader: _Reader, m: Any) -> None:
    # The finer of the two units: kilometres an hour has no sentence's rounding in it that knots have not.
    kmh, knots = _number(m.spd_over_grnd_kmph), _number(m.spd_over_grnd_kts)
    speed = kmh / 3.6 if kmh is not None else None if knots is None else knots * KNOT_M_S
    _way(reader.row, speed, _number(m.true_track))


def _way(row: dict[str, float], speed: float | None, course: float | None) -> None:
    if speed is None or "vel_n_m_s" in row:
        return
    _put(row, speed_m_s=speed, course_deg=course)
    angle = math.radians(course) if course is not None else 0.0
    if course is not None or speed < 0.1:
        _put(row, vel_n_m_s=speed * math.cos(angle), vel_e_m_s=speed * math.sin(angle))


def _gst(reader: _Reader, m: Any) -> None:
    north, east, up = (_number(v) for v in (m.std_dev_latitude, m.std_dev_longitude, m.std_dev_altitude))
    reader.begin(m.timestamp or None)
    if north is not None and east is not None:
        _put(reader.row, h_acc_m=math.hypot(north, east))
    _put(reader.row, v_acc_m=up)


def _zda(reader: _Reader, m: Any) -> None:
    day = date(int(m.year), int(m.month), int(m.day))
    reader.begin(m.timestamp or None)
    reader.day = day


TAKERS = {"GGA": _gga, "RMC": _rmc, "VTG": _vtg, "GST": _gst, "ZDA": _zda}
