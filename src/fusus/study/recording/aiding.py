"""A recording's fixes, pressures and distances as the core takes them, in the project's frame."""

from pathlib import Path
from typing import NamedTuple

import numpy as np

from fusus.core.arrays import Array, BoolArray
from fusus.core.estimation.aiding import (
    NO_ACCURACY,
    Accuracy,
    Aiding,
    baro_rows,
    gnss_rows,
    mag_rows,
    range_rows,
    usual_accuracy,
)
from fusus.core.estimation.filled import filled
from fusus.core.estimation.initial import rest_at_start
from fusus.core.estimation.known import grounded, known_of
from fusus.core.frames.geodesy import geodetic_to_ned
from fusus.logs.info import RecordingInfo
from fusus.logs.problems import Problem, ProblemKind
from fusus.logs.recording import Stream, load_stream
from fusus.project.records import Place, Project

FIRST_FIXES = 10


def home_of(project: Project, info: RecordingInfo) -> Place | None:
    """Return the place that positions count from: the brief's, else the recording's."""
    return project.brief.place or info.place


class Inertial(NamedTuple):
    """Times (N,) s, rates (N, 3) rad/s and specific forces (N, 3) m/s^2 of a recording, body axes."""

    t_s: Array
    gyro_b: Array
    acc_b: Array


def aiding_of(
    folder: Path, project: Project, info: RecordingInfo, inertial: Inertial, mag: tuple[Array, Array] | None, use_barometer: bool,
    use_gnss: bool, problems: list[Problem],
) -> Aiding:  # fmt: skip
    """Return what a recording holds beside its inertial samples; what cannot be used is told in ``problems``."""
    t_s, gyro_b, acc_b = inertial
    rest = rest_at_start(gyro_b, acc_b, t_s)
    known = known_of(
        gyro_b,
        acc_b,
        rest if rest > 1 and t_s[rest - 1] - t_s[0] >= 0.4 else 0,
        _grounded(folder, info, t_s, gyro_b, acc_b),
        _filled(info, t_s, gyro_b, acc_b, problems),
    )
    gnss, starts_at_home, accuracy = np.empty((0, 9)), False, NO_ACCURACY
    if use_gnss:
        gnss, starts_at_home, accuracy = _gnss(folder, project, info, problems)
    baro = np.empty((0, 2))
    stream = load_stream(folder, info.name, "baro") if use_barometer else None
    if stream is not None and stream.has("pressure_pa"):
        pressure = stream.matrix("pressure_pa")[:, 0]
        baro = baro_rows(stream.t_s, pressure, t_s[max(rest - 1, 0)])
        if len(baro) < len(pressure):
            problems.append(
                _problem(
                    info, "nan", len(pressure) - len(baro), "pressures that are no number or none of air", "left out"
                )
            )
    ranges = np.empty((0, 2))
    stream = load_stream(folder, info.name, "range")
    if stream is not None and stream.has("range_m"):
        ranges = range_rows(stream.t_s, stream.matrix("range_m")[:, 0])
    field = mag_rows(*mag) if mag is not None else np.empty((0, 5))
    after = t_s[0]
    return Aiding(
        gnss[gnss[:, 0] >= after],
        baro[baro[:, 0] >= after],
        field[field[:, 0] >= after],
        ranges[ranges[:, 0] >= after],
        known,
        starts_at_home,
        accuracy,
    )


def _problem(info: RecordingInfo, kind: ProblemKind, count: int, what: str, action: str) -> Problem:
    return Problem(file=info.name, kind=kind, count=count, action=action, message=what)


def _filled(info: RecordingInfo, t_s: Array, gyro_b: Array, acc_b: Array, problems: list[Problem]) -> BoolArray:
    out = filled(t_s, gyro_b, acc_b)
    if out.any():
        first = float(t_s[int(np.argmax(out))])
        what = f"samples of imu lie on a straight line in every axis, the first at t = {first:.3f} s: a hole that the logger filled"
        problems.append(_problem(info, "filled", int(out.sum()), what, "taken as not measured"))
    return out


def _grounded(folder: Path, info: RecordingInfo, t_s: Array, gyro_b: Array, acc_b: Array) -> BoolArray | None:
    motors = load_stream(folder, info.name, "motor")
    names = [c for c in motors.frame.columns if c.startswith("motor_")] if motors is not None else []
    if motors is None or not names:
        return None
    throttle = motors.matrix(*names).max(axis=1)
    good = np.isfinite(throttle)
    if good.sum() < 2 or throttle[good].max() < 0.1:
        return None  # a log whose motors never run says nothing of the ground
    return grounded(t_s, gyro_b, acc_b, motors.t_s[good], throttle[good])


def _gnss(folder: Path, project: Project, info: RecordingInfo, problems: list[Problem]) -> tuple[Array, bool, Accuracy]:
    stream = load_stream(folder, info.name, "gnss")
    if stream is None:
        return np.empty((0, 9)), False, NO_ACCURACY
    has_fix = _has_fix(stream)
    if not has_fix.all():
        problems.append(_problem(info, "no_fix", int((~has_fix).sum()), "rows of gnss without a fix", "left out"))
    pos, starts_at_home = _positions(stream, has_fix, home_of(project, info))
    said = [stream.matrix(c)[:, 0] if stream.has(c) else None for c in ("h_acc_m", "v_acc_m", "speed_acc_m_s")]
    rows = gnss_rows(stream.t_s, pos, _velocities(stream), said[0], has_fix)
    horizontal, vertical, speed = (usual_accuracy(v[has_fix] if v is not None else None) for v in said)
    holes = int(np.isnan(rows[:, 1:4]).any(axis=1).sum()) if pos is not None else 0
    if holes:
        problems.append(_problem(info, "nan", holes, "fixes with a coordinate missing", "the others are used"))
    return rows, starts_at_home, (horizontal, vertical, speed)


def _has_fix(stream: Stream) -> BoolArray:
    """Return which rows claim a fix: by their own word, and by enough satellites where these are told."""
    good = np.ones(len(stream.t_s), dtype=bool)
    if stream.has("fix"):
        said = stream.matrix("fix")[:, 0]
        # A fix of 0 or 1 is none in one custom, of 0 alone in the other: what the rows mostly say decides.
        good &= ~(said <= (1 if np.nanmax(said, initial=0.0) >= 3 else 0))
    if stream.has("satellites"):
        said = stream.matrix("satellites")[:, 0]
        good &= ~((said < 4) & np.isfinite(said)) | (np.nanmax(said, initial=0.0) < 4)
    return np.asarray(good)


def positions_of(stream: Stream, home: Place | None) -> Array | None:
    """Return a stream's places north-east-down from home (N, 3), NaN where there is no fix; None where it tells none."""
    return _positions(stream, _has_fix(stream), home)[0]


def _positions(stream: Stream, has_fix: BoolArray, home: Place | None) -> tuple[Array | None, bool]:
    if stream.has("pos_n_m", "pos_e_m", "pos_d_m"):
        return stream.matrix("pos_n_m", "pos_e_m", "pos_d_m"), False
    if not stream.has("lat_deg", "lon_deg"):
        return None, False
    place = stream.matrix("lat_deg", "lon_deg")
    height = stream.matrix("height_m")[:, 0] if stream.has("height_m") else np.full(len(place), np.nan)
    # Latitude and longitude both zero is how many receivers write that they do not know.
    good = np.asarray(has_fix & np.isfinite(place).all(axis=1) & np.any(np.abs(place) > 1e-9, axis=1))
    good &= np.abs(place[:, 0]) <= 90
    if not good.any():
        return None, False
    first = np.flatnonzero(good)[:FIRST_FIXES]
    level = height[np.isfinite(height)]
    at_start = float(np.median(height[first][np.isfinite(height[first])])) if np.isfinite(height[first]).any() else 0.0
    lat, lon = (float(v) for v in np.median(place[first], axis=0))
    origin = (home.lat_deg, home.lon_deg, home.height_m) if home else (lat, lon, at_start)
    filled = np.where(np.isfinite(height), height, origin[2])
    pos = np.full((len(place), 3), np.nan)
    pos[good] = geodetic_to_ned(place[good, 0], place[good, 1], filled[good], origin)
    if not len(level):
        pos[:, 2] = np.nan
    pos[~np.isfinite(height), 2] = np.nan
    return pos, home is None


def _velocities(stream: Stream) -> Array | None:
    columns = [f"vel_{a}_m_s" for a in "ned"]
    if stream.has(*columns):
        return stream.matrix(*columns)
    if stream.has(*columns[:2]):
        level = stream.matrix(*columns[:2])
        return np.column_stack([level, np.full(len(level), np.nan)])
    if stream.has("speed_m_s", "course_deg"):
        speed, course = stream.matrix("speed_m_s", "course_deg").T
        angle = np.radians(course)
        return np.column_stack([speed * np.cos(angle), speed * np.sin(angle), np.full(len(speed), np.nan)])
    return None
