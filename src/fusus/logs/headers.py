"""What a column is, by its name: stream, canonical column, unit."""

import re
from typing import NamedTuple

from fusus.core.frames.units import KINDS, known_unit
from fusus.logs.streams import STREAMS


class Meaning(NamedTuple):
    """Stream and canonical column (``imu.gyro_x_rad_s``), the unit in the name, and whether the values are counts."""

    target: str
    unit: str | None
    is_raw: bool = False


class TimeName(NamedTuple):
    """A time column by name: unit where the name tells, ``counter`` for sample numbers; a higher rank is preferred."""

    unit: str | None
    rank: int


_SENSOR_WORDS = {
    "gyro": "gyro", "gyroscope": "gyro", "gyr": "gyro", "gy": "gyro", "gyros": "gyro", "omega": "gyro", "angular": "gyro",
    "angvel": "gyro",
    "acc": "acc", "ac": "acc", "accel": "acc", "accelerometer": "acc", "acceleration": "acc", "accelerations": "acc", "accl": "acc",
    "specific": "acc", "force": "acc", "linear": "acc",
    "mag": "mag", "magn": "mag", "magnetometer": "mag", "magnetic": "mag", "compass": "mag", "magneto": "mag",
    "baro": "baro", "barometer": "baro", "pressure": "baro", "press": "baro", "pres": "baro",
    "gnss": "gnss", "gps": "gnss", "quat": "quat", "quaternion": "quat", "q": "quat", "attitude": "angles",
    "euler": "angles",
    "vel": "vel", "velocity": "vel", "pos": "pos", "position": "pos", "range": "range", "rangefinder": "range",
    "lidar": "range", "sonar": "range", "distance": "range",
}  # fmt: skip
_TRUTH = {"ref", "reference", "truth", "true", "gt", "groundtruth", "jig", "mocap", "rtk", "expected"}
_SIGMA = {"sigma", "sigmas", "std", "stddev", "uncertainty"}
_BOARD = {"est", "estimate", "estimated", "board", "ahrs", "ekf", "filter", "fused"}
_SETPOINT = {"setpoint", "sp", "target", "desired", "cmd", "command"}
_STICK = {"stick", "rc"}
_RAW = {"raw", "counts", "lsb", "adc", "count"}
_AXES = {"x": "x", "y": "y", "z": "z", "forward": "x", "right": "y", "down": "z", "roll": "x", "pitch": "y", "yaw": "z"}
_NED = {"n": "n", "e": "e", "d": "d", "north": "n", "east": "e", "down": "d"}
_SHORT = {
    **{f"{s}{a}": ("gyro", a) for s in ("g", "w") for a in "xyz"},
    **{f"a{a}": ("acc", a) for a in "xyz"}, **{f"f{a}": ("acc", a) for a in "xyz"},
    **{f"m{a}": ("mag", a) for a in "xyz"},
    **{f"{s}{a}": (s, a) for s in ("gyro", "gyr", "acc", "accel", "mag") for a in "xyz"},
    # "GyX", "AcX": short for the sensor, then the axis in a capital letter.
    **{f"{s}{a}": (k, a) for s, k in (("gy", "gyro"), ("ac", "acc"), ("mg", "mag"), ("ma", "mag")) for a in "xyz"},
}  # fmt: skip
_TIME = {"time": 5, "timestamp": 6, "t": 4, "ts": 4, "timestamps": 6, "datetime": 6, "utc": 4, "epoch": 5, "clock": 3,
         "millis": 4, "micros": 4, "elapsed": 4, "tow": 3, "stamp": 4, "sec": 2, "seconds": 3, "secs": 2}  # fmt: skip
_STEPS = {"dt", "delta", "deltat", "deltatime", "timedelta", "tdelta", "timestep"}
_COUNTER = {"packet", "sample", "samples", "index", "frame", "seq", "sequence", "counter", "row", "idx", "nr"}
_UNIT_TAILS = (
    "rad_s", "deg_s", "mdps", "dps", "m_s2", "m_s_2", "ms2", "mps2", "m_s", "cm_s", "ut", "nt", "mgauss", "gauss",
    "hpa", "kpa",
    "mbar", "pa", "degc", "mg", "g", "deg", "rad", "mm", "cm", "m", "us", "ms", "ns", "s", "mv", "v", "ma", "a",
    "usec", "msec", "kmh", "kph", "knots", "kn", "mps",
)  # fmt: skip
_CANONICAL_TAILS = (
    ("_rad_s", "rad/s"), ("_m_s2", "m/s²"), ("_m_s", "m/s"), ("_ut", "µT"), ("_pa", "Pa"), ("_rad", "rad"), ("_deg",
    "deg"),
    ("_degc", "°C"), ("_m", "m"), ("_v", "V"), ("_a", "A"),
)  # fmt: skip
_TAIL_UNITS = {
    "rad_s": "rad/s", "deg_s": "deg/s", "mdps": "mdeg/s", "m_s2": "m/s²", "m_s_2": "m/s²", "ms2": "m/s²", "m_s": "m/s",
    "cm_s": "cm/s",
}  # fmt: skip


_TIME_UNITS = {"us": "us", "usec": "us", "usecs": "us", "ms": "ms", "msec": "ms", "msecs": "ms", "ns": "ns", "nsec": "ns",
               "µs": "us", "microseconds": "us", "milliseconds": "ms", "nanoseconds": "ns"}  # fmt: skip


def sensor_of(word: str) -> str | None:
    """Return which sensor a single word names, as lines begin with it: "imu", "gyro", "baro", "gnss" and so on; else None."""
    low = word.strip().lower()
    if low in ("imu", "ins", "inertial", "6dof", "9dof"):
        return "imu"
    if low in ("bmp", "alt", "altimeter"):
        return "baro"
    found = _SENSOR_WORDS.get(low)
    return (
        found if found in ("gyro", "acc", "mag", "baro", "gnss", "range", "quat", "angles") and len(low) > 2 else None
    )


def words(name: str) -> list[str]:
    """Return the words of a name in small letters: cut at signs, at capitals, and between letters and digits."""
    spaced = re.sub(r"([a-z])([A-Z])", r"\1 \2", name)
    spaced = re.sub(r"([A-Za-z])(\d)", r"\1 \2", spaced)
    return [w for w in re.split(r"[^a-z0-9]+", spaced.lower()) if w]


def split_unit(name: str) -> tuple[str, str | None]:
    """Return a name without its unit, and the unit as ``frames.units`` spells it."""
    bracket = re.search(r"[\[(]([^\])]*)[\])]\s*$", name.strip())
    if bracket:
        inner = bracket.group(1).strip()
        unit = known_unit(inner)
        bare = name[: bracket.start()].strip()
        # What stands in brackets and is no unit may be a word of the name.
        return (bare, unit) if unit else (f"{bare} {inner}", None)
    low = name.strip().lower().replace(" ", "_").replace("/", "_").replace("^", "").replace("²", "2").replace("µ", "u")
    for tail in _UNIT_TAILS:
        if low.endswith("_" + tail):
            unit = _TAIL_UNITS.get(tail) or known_unit(tail)
            return name.strip()[: -(len(tail) + 1)] if unit else name, unit
    return name, None


def is_step_name(name: str) -> bool:
    """Return whether a column of this name holds the time since the row before."""
    return "".join(words(split_unit(name)[0])) in _STEPS


def time_name(name: str) -> TimeName | None:
    """Return what a name says of a time column, or None."""
    bare, unit = split_unit(name)
    if bare.strip().lower() in _TIME_UNITS:
        return TimeName(_TIME_UNITS[bare.strip().lower()], 5)
    parts = words(bare)
    if not parts or is_step_name(name):
        return None
    if "since" in parts or (parts[0] in ("rate", "temperature")):
        return None
    rank = max((_TIME.get(p, 0) for p in parts), default=0)
    if rank and len(parts) <= 3 and not set(parts) & set(_SENSOR_WORDS) - {"gnss"}:
        units = {"s": "s", "ms": "ms", "µs": "us", "ns": "ns", "min": "min"}
        if unit in units:
            return TimeName(units[unit], rank + 2)
        if "millis" in parts:
            return TimeName("ms", rank)
        if "micros" in parts:
            return TimeName("us", rank)
        return TimeName(None, rank)
    if set(parts) & _COUNTER and len(parts) <= 2:
        return TimeName("counter", 1)
    return None


def meaning(name: str, context: str = "") -> Meaning | None:
    """Return what a column is by its name; ``context`` is the file's name, for columns called just "X"."""
    exact = _canonical(name)
    if exact:
        return exact
    bare, unit = split_unit(name)
    parts = [p for p in words(bare) if p not in ("float", "int", "double")]
    raw = bool(set(parts) & _RAW)
    parts = [
        p
        for p in parts
        if p not in _RAW and p not in ("axis", "element", "component", "body", "sensor", "data", "value")
    ]
    number = next((int(p) for p in parts if p.isdecimal()), None)
    plain = [p for p in parts if not p.isdecimal()]
    stream = _whose(plain)
    plain = [p for p in plain if p not in _TRUTH | _BOARD | _SETPOINT | _STICK]
    kind, axis = _kind_and_axis(plain)
    if kind is None and axis in ("x", "y", "z") and plain == ["rate", axis]:
        kind = "gyro"
    if kind is None and axis in ("x", "y", "z") and unit is not None:
        # A letter and an axis with a unit: the unit says which sensor it is.
        kind = next(
            (k for k, of in (("gyro", "rate"), ("acc", "acceleration"), ("mag", "field")) if unit in KINDS[of]), None
        )
    if kind is None and (axis or parts == [str(number)]):
        kind = next((_SENSOR_WORDS[w] for w in words(context) if w in _SENSOR_WORDS), None)
    if plain in (["p"], ["pres"], ["air"]) and unit in KINDS["pressure"]:
        kind = "baro"
    target = _target(kind, axis, plain, number, stream)
    return Meaning(target, unit, raw) if target else None


def _canonical(name: str) -> Meaning | None:
    """Return the meaning of a name that is canonical already, with or without its stream before a dot."""
    low = name.strip().lower()
    stream, _, column = low.rpartition(".")
    for known, columns in STREAMS.items():
        if (not stream or stream == known) and column in columns and not (known == "stick" and not stream):
            kind = columns[column].kind
            unit: str | None = None
            for tail, text in _CANONICAL_TAILS:
                if column.endswith(tail) and text in KINDS[kind]:
                    unit = text
                    break
            if unit is None and kind == "share":
                unit = "1"
            if unit is None:
                continue
            target_stream = (
                "reference" if known == "gnss" and column.startswith(("pos_", "vel_")) and not stream else known
            )
            return Meaning(f"{target_stream}.{column}", unit)
    return None


def _whose(parts: list[str]) -> str:
    found = set(parts)
    if found & _TRUTH:
        return "reference"
    if found & _BOARD:
        return "board"
    if found & _SETPOINT:
        return "setpoint"
    return "stick" if found & _STICK else ""


def _kind_and_axis(parts: list[str]) -> tuple[str | None, str | None]:
    kind: str | None = None
    axis: str | None = None
    joined = "".join(parts)
    if joined in _SHORT:
        kind, axis = _SHORT[joined]
        return _SENSOR_WORDS.get(kind, kind), axis
    for part in parts:
        if part in _SHORT and kind is None:
            kind, axis = _SHORT[part]
            kind = _SENSOR_WORDS.get(kind, kind)
        elif part in _SENSOR_WORDS:
            # "angular rate", "magnetic field", "gyro bias": the first word that names a sensor counts.
            # "gnss" alone says little.
            kind = _SENSOR_WORDS[part] if kind in (None, "gnss") else kind
        elif part == "w" and kind == "quat":
            axis = "w"
        elif re.fullmatch(r"q[wxyz]", part):
            kind, axis = "quat", part[1]
        elif (part in _AXES and len(part) == 1) or (part in _NED and len(part) == 1):
            axis = axis or part
        elif re.fullmatch(r"v[ned]", part) or re.fullmatch(r"vel[ned]", part):
            kind, axis = "vel", part[-1]
        elif re.fullmatch(r"pos[ned]", part):
            kind, axis = "pos", part[-1]
        elif part in ("a", "g", "m", "w") and len(parts) == 2 and kind is None:
            kind = {"a": "acc", "g": "gyro", "m": "mag", "w": "gyro"}[part]
    if kind == "gyro" and axis is None:
        axis = next((_AXES[p] for p in parts if p in _AXES), None)
    if axis is None and kind in ("vel", "pos"):
        axis = next((_NED[p] for p in parts if p in _NED), None)
    if kind is None and axis is None and parts == ["w"]:
        axis = "w"
    return kind, axis


def _target(kind: str | None, axis: str | None, parts: list[str], number: int | None, stream: str) -> str | None:
    found = set(parts)
    if found & _SIGMA:
        return _sigma(kind, axis, found)
    if kind == "acc" and "linear" in found and "acc" not in found and "acceleration" not in found:
        return None
    if kind in ("gyro", "acc") and axis in ("x", "y", "z"):
        unit = {"gyro": "rad_s", "acc": "m_s2"}[kind]
        if "bias" in found:
            return f"{stream or 'board'}.gyro_bias_{axis}_rad_s" if kind == "gyro" else None
        if stream == "setpoint":
            return f"setpoint.rate_{axis}_rad_s"
        if stream:
            return None
        return f"imu{number if number in (2, 3) else ''}.{kind}_{axis}_{unit}"
    if kind == "mag" and axis in ("x", "y", "z") and not stream:
        return f"mag.mag_{axis}_ut"
    if kind == "quat":
        letter = axis if axis in ("w", "x", "y", "z") else None
        if letter is None and number is not None and 0 <= number <= 4:
            # q0..q3 count from the scalar; "element 1..4" starts at one and is settled by the whole header.
            return f"{stream or 'reference'}.q_#{number}"
        return f"{stream or 'reference'}.q_{letter}" if letter else None
    if {"roll", "pitch", "yaw", "heading", "phi", "theta", "psi"} & found and kind in (None, "angles", "quat"):
        angle = "roll" if found & {"roll", "phi"} else "pitch" if found & {"pitch", "theta"} else "yaw"
        if stream == "stick":
            return f"stick.{angle}"
        return f"{stream or 'reference'}.{angle}_rad" if "rate" not in found else None
    if kind == "vel" and axis in ("n", "e", "d"):
        return f"{stream or ('gnss' if 'gnss' in found or 'gps' in found else 'reference')}.vel_{axis}_m_s"
    if kind == "pos" and axis in ("n", "e", "d"):
        return f"{stream or ('gnss' if 'gnss' in found or 'gps' in found else 'reference')}.pos_{axis}_m"
    return _scalar(kind, found, number, stream, parts)


def _sigma(kind: str | None, axis: str | None, found: set[str]) -> str | None:
    """Return which of the board's claimed sigmas a column is."""
    if kind in ("vel", "pos") and axis in ("n", "e", "d"):
        return f"board.sigma_{kind}_{axis}_{'m_s' if kind == 'vel' else 'm'}"
    for angle, names in (("roll", {"roll", "phi"}), ("pitch", {"pitch", "theta"}), ("yaw", {"yaw", "heading", "psi"})):
        if found & names:
            return f"board.sigma_{angle}_rad"
    return None


def _scalar(kind: str | None, found: set[str], number: int | None, stream: str, parts: list[str]) -> str | None:
    if stream in ("setpoint", "stick"):
        return "stick.throttle" if "throttle" in found else None
    if found & {"temp", "tmp", "temperature", "thermometer"}:
        if kind == "baro":
            return "baro.temperature_degc"
        return "imu.temperature_degc" if not found & {"processor", "cpu", "battery", "motor"} else None
    if kind == "baro" and not found & {"altitude", "height"}:
        return "baro.pressure_pa"
    if found & {"lat", "latitude"}:
        return "gnss.lat_deg"
    if found & {"lon", "lng", "long", "longitude"}:
        return "gnss.lon_deg"
    if (
        (kind == "gnss" and found & {"alt", "altitude", "height", "hmsl"})
        or found & {"hmsl"}
        or parts in (["alt"], ["altitude"], ["height"])
    ):
        return "gnss.height_m"
    if found & {"sats", "satellites", "numsats", "nsat"}:
        return "gnss.satellites"
    if "hdop" in found:
        return "gnss.hdop"
    if kind == "gnss" and found & {"course", "cog"}:
        return "gnss.course_deg"
    if kind == "gnss" and "speed" in found:
        return "gnss.speed_m_s"
    if kind == "gnss" and found & {"fix"}:
        return "gnss.fix"
    if kind == "range":
        return "range.range_m"
    if "motor" in found and number is not None and 1 <= number <= 12:
        return f"motor.motor_{number}"
    if "rpm" in found and number is not None and 1 <= number <= 12:
        return f"motor.rpm_{number}"
    if found & {"voltage", "vbat"} and kind is None:
        return "battery.voltage_v"
    if "current" in found and kind is None:
        return "battery.current_a"
    return None
