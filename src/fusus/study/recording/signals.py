"""What a recording holds, channel by channel: as logged, as corrected by the active calibrations, and what stands out in it.

Arrays, where a function does not say otherwise (shape, unit, frame):
t_s : (N,) s; logged, corrected, values : (N,) the group's unit, b or n as the group's name says
"""

from dataclasses import dataclass
from pathlib import Path

import numpy as np

from fusus.core.arrays import Array
from fusus.core.calibration.apply import Corrections
from fusus.core.frames.quaternion import to_euler
from fusus.errors import RecordingError
from fusus.logs.info import RecordingInfo, load_info
from fusus.logs.problems import Problem
from fusus.logs.recording import Stream, load_stream
from fusus.project.records import Project
from fusus.study.recording.corrections import corrections_for, current_at, temperature_of

# A step so many times the usual one is a gap.
GAP_STEPS = 4.0
BINS = 80
LEAST_SPECTRUM = 64
LONGEST_SPECTRUM = 1 << 20


@dataclass(frozen=True, slots=True)
class Channel:
    """One line of a group; ``corrected`` is None where no calibration changes it."""

    name: str
    logged: Array
    corrected: Array | None = None


@dataclass(frozen=True, slots=True)
class Group:
    """Channels of one quantity on one clock: a name, a title, the unit shown, and where samples are missing (start, end), s."""

    name: str
    title: str
    unit: str
    t_s: Array
    channels: tuple[Channel, ...]
    gaps: tuple[tuple[float, float], ...]

    @property
    def rate_hz(self) -> float | None:
        """The usual rate, None for fewer than two samples."""
        steps = np.diff(self.t_s)
        return float(1.0 / np.median(steps)) if len(steps) and np.median(steps) > 0 else None


@dataclass(frozen=True, slots=True)
class Signals:
    """All groups of a recording, what its import had to say, and the calibrations that were applied."""

    info: RecordingInfo
    groups: tuple[Group, ...]
    corrected_by: tuple[str, ...]

    @property
    def problems(self) -> tuple[Problem, ...]:
        """What the import found."""
        return self.info.problems

    def group(self, name: str) -> Group:
        """Return a group by its name; RecordingError names those that there are."""
        for group in self.groups:
            if group.name == name:
                return group
        raise RecordingError(
            self.info.name, f"there is no group “{name}”; there are {', '.join(g.name for g in self.groups)}."
        )


# By stream: (group, title, unit, factor from SI, columns with the channels' names).
_NED = (("n", "north"), ("e", "east"), ("d", "down"))
_PLAIN: dict[str, tuple[tuple[str, str, str, float, tuple[tuple[str, str], ...]], ...]] = {
    "baro": (
        ("pressure", "Pressure", "hPa", 0.01, (("pressure_pa", "pressure"),)),
        ("baro-temperature", "Barometer temperature", "°C", 1.0, (("temperature_degc", "temperature"),)),
    ),
    "gnss": (
        ("gnss-velocity", "GNSS velocity", "m/s", 1.0, tuple((f"vel_{a}_m_s", n) for a, n in _NED)),
        ("gnss-height", "GNSS height", "m", 1.0, (("height_m", "height"),)),
        ("gnss-accuracy", "GNSS stated accuracy", "m", 1.0, (("h_acc_m", "horizontal"), ("v_acc_m", "vertical"))),
        ("satellites", "Satellites", "", 1.0, (("satellites", "satellites"),)),
    ),
    "range": (("range", "Rangefinder", "m", 1.0, (("range_m", "range"),)),),
    "motor": (
        ("motors", "Motor commands", "%", 100.0, tuple((f"motor_{i}", f"motor {i}") for i in range(1, 9))),
        ("rpm", "Motor speed", "rpm", 1.0, tuple((f"rpm_{i}", f"motor {i}") for i in range(1, 9))),
    ),
    "battery": (
        ("voltage", "Battery voltage", "V", 1.0, (("voltage_v", "voltage"),)),
        ("current", "Battery current", "A", 1.0, (("current_a", "current"),)),
    ),
    "stick": (("sticks", "Sticks", "", 1.0, tuple((n, n) for n in ("roll", "pitch", "yaw", "throttle"))),),
    "setpoint": (
        ("rate-setpoint", "Rate setpoint", "°/s", 57.29577951308232, tuple((f"rate_{a}_rad_s", a) for a in "xyz")),
    ),
}  # fmt: skip


def signals(folder: Path, project: Project, recording: str) -> Signals:
    """Return all that a recording holds, ready to be drawn."""
    info = load_info(folder, recording)
    corrections = corrections_for(project, info)
    groups: list[Group] = []
    for name in info.streams:
        stream = load_stream(folder, recording, name)
        if stream is None or not len(stream.t_ns):
            continue
        if name.startswith("imu"):
            groups += _inertial(name, stream, corrections)
        elif name == "mag":
            groups += _field(folder, recording, stream, corrections)
        elif name in ("reference", "board"):
            groups += _track(name, stream)
        else:
            groups += _plain(name, stream)
            if name == "gnss":
                groups += _place(stream)
    if not groups:
        raise RecordingError(recording, "it holds no samples.")
    return Signals(info, tuple(groups), corrections.kinds)


def gaps_of(t_s: Array) -> tuple[tuple[float, float], ...]:
    """Return where samples are missing, (start, end) in s."""
    steps = np.diff(t_s)
    if not len(steps):
        return ()
    wide = np.flatnonzero(steps > GAP_STEPS * np.median(steps))
    return tuple((float(t_s[i]), float(t_s[i + 1])) for i in wide.tolist())


def _group(name: str, title: str, unit: str, t_s: Array, channels: tuple[Channel, ...]) -> Group:
    return Group(name, title, unit, t_s, channels, gaps_of(t_s))


def _axes(names: tuple[str, ...], logged: Array, corrected: Array | None, factor: float) -> tuple[Channel, ...]:
    changed = corrected is not None and not np.array_equal(corrected, logged, equal_nan=True)
    return tuple(
        Channel(n, logged[:, i] * factor, corrected[:, i] * factor if changed and corrected is not None else None)
        for i, n in enumerate(names)
    )


def _inertial(name: str, stream: Stream, corrections: Corrections) -> list[Group]:
    """Return gyro, accelerometer and temperature of an IMU; calibrations are those of the first one."""
    out = []
    number = f" {name[3:]}" if name != "imu" else ""
    warm = temperature_of(stream)
    uses = bool(corrections.kinds) and name == "imu"
    if stream.has("gyro_x_rad_s", "gyro_y_rad_s", "gyro_z_rad_s"):
        logged = stream.vector("gyro", "rad_s")
        corrected = corrections.gyro(logged, warm) if uses else None
        channels = _axes(("x", "y", "z"), logged, corrected, 180.0 / np.pi)
        out.append(_group(f"{name}-gyro", f"Gyro{number}", "°/s", stream.t_s, channels))
    if stream.has("acc_x_m_s2", "acc_y_m_s2", "acc_z_m_s2"):
        logged = stream.vector("acc", "m_s2")
        corrected = corrections.acc(logged, warm) if uses else None
        out.append(
            _group(
                f"{name}-acc",
                f"Accelerometer{number}",
                "m/s²",
                stream.t_s,
                _axes(("x", "y", "z"), logged, corrected, 1.0),
            )
        )
    if warm is not None and np.isfinite(warm).any():
        out.append(
            _group(f"{name}-temperature", f"IMU{number} temperature", "°C", stream.t_s, (Channel("temperature", warm),))
        )
    return out


def _field(folder: Path, recording: str, stream: Stream, corrections: Corrections) -> list[Group]:
    if not stream.has("mag_x_ut", "mag_y_ut", "mag_z_ut"):
        return []
    logged = stream.vector("mag", "ut")
    corrected = corrections.mag(logged, current_at(folder, recording, stream.t_s)) if corrections.kinds else None
    return [_group("mag", "Magnetometer", "µT", stream.t_s, _axes(("x", "y", "z"), logged, corrected, 1.0))]


def _track(name: str, stream: Stream) -> list[Group]:
    """Return attitude, velocity and place of a reference or of the board's own estimate."""
    title = {"reference": "Reference", "board": "Board's estimate"}[name]
    out = []
    if stream.has("q_w", "q_x", "q_y", "q_z"):
        angles = np.degrees(to_euler(stream.matrix("q_w", "q_x", "q_y", "q_z")))[:, ::-1]
        out.append(
            _group(
                f"{name}-attitude",
                f"{title}: attitude",
                "°",
                stream.t_s,
                _axes(("roll", "pitch", "yaw"), angles, None, 1.0),
            )
        )
    for kind, words, unit in (("vel", "velocity", "m_s"), ("pos", "position", "m")):
        columns = [f"{kind}_{a}_{unit}" for a in "ned"]
        if stream.has(*columns):
            values = stream.matrix(*columns)
            channels = _axes(("north", "east", "down"), values, None, 1.0)
            out.append(_group(f"{name}-{words}", f"{title}: {words}", unit.replace("_", "/"), stream.t_s, channels))
    return out


def _place(stream: Stream) -> list[Group]:
    """Return fixes as metres north and east of the first one."""
    if not stream.has("lat_deg", "lon_deg"):
        return []
    lat, lon = stream.matrix("lat_deg", "lon_deg").T
    good = np.isfinite(lat) & np.isfinite(lon)
    if not good.any():
        return []
    first = int(np.flatnonzero(good)[0])
    # Near the first fix a degree is 111.2 km; what is drawn needs no ellipsoid.
    north = (lat - lat[first]) * 111_195.0
    east = (lon - lon[first]) * 111_195.0 * np.cos(np.radians(lat[first]))
    return [
        _group(
            "gnss-position",
            "GNSS position from the first fix",
            "m",
            stream.t_s,
            (Channel("north", north), Channel("east", east)),
        )
    ]


def _plain(name: str, stream: Stream) -> list[Group]:
    out = []
    for group, title, unit, factor, columns in _PLAIN.get(name, ()):
        channels = []
        for column, words in columns:
            if stream.has(column):
                values = stream.matrix(column)[:, 0] * factor
                if np.isfinite(values).any():
                    channels.append(Channel(words, values))
        if channels:
            out.append(_group(group, title, unit, stream.t_s, tuple(channels)))
    return out


def spectrum(t_s: Array, values: Array) -> tuple[Array, Array] | None:
    """Return frequencies, Hz, and the amplitude density, unit/√Hz, one-sided, by Welch's method; None for too few samples.

    Samples are put on an even clock first. The mean is taken off.
    """
    good = np.isfinite(values) & np.isfinite(t_s)
    t, y = t_s[good], values[good]
    if len(t) < LEAST_SPECTRUM:
        return None
    step = float(np.median(np.diff(t)))
    if not step > 0:
        return None
    count = min(int((t[-1] - t[0]) / step) + 1, LONGEST_SPECTRUM)
    even = t[0] + step * np.arange(count)
    resampled = np.interp(even, t, y)
    from scipy import signal  # half a second, which the window's start can do without

    hz, density = signal.welch(resampled - resampled.mean(), 1.0 / step, nperseg=min(count, max(256, count // 8)))
    return hz[1:], np.sqrt(density[1:])


def histogram(values: Array) -> tuple[Array, Array] | None:
    """Return the middles of bins and how many samples lie in each; None without finite samples."""
    known = values[np.isfinite(values)]
    if not len(known):
        return None
    counts, edges = np.histogram(known, BINS)
    return 0.5 * (edges[1:] + edges[:-1]), counts.astype(float)
