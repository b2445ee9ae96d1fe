"""From what was declared of a recording to the track that estimates are held against."""

from pathlib import Path

import numpy as np

from fusus.core.analysis.comparison import Track
from fusus.core.arrays import Array
from fusus.core.calibration.stillness import still_spans
from fusus.core.frames.axes import attitude_to_ned, earth_matrix
from fusus.core.frames.clock import ClockMap
from fusus.core.frames.geodesy import geodetic_to_ned
from fusus.core.frames.quaternion import from_euler
from fusus.errors import DeclaredReferenceError, RecordingError
from fusus.logs.info import RecordingInfo, load_info
from fusus.logs.recording import Stream, load_stream
from fusus.project.records import Place, Project
from fusus.project.references import KINDS, DeclaredReference, ReferencePoint
from fusus.study.recording.aiding import home_of, positions_of

# Rows a second in stretches where the reference stands still: more say no more.
STILL_HZ = 20.0
# Stretches shorter than this are pauses, not poses.
STANDS_S = 1.5
BEFORE_S = 2.0


def reference_of(
    folder: Path, project: Project, info: RecordingInfo, t: Array, gyro: Array, acc: Array
) -> tuple[Track | None, str]:
    """Return what a recording (N samples at ``t``, calibrated) is held against, and what that is in words; None where nothing is."""
    declared = project.proof.declared(info.name)
    home = home_of(project, info)
    if declared is None:
        return load_track(folder, info.name, "reference", home), info.reference_is or "its own reference"
    words = KINDS[declared.kind] if declared.kind != "own" else info.reference_is or KINDS["own"]
    if declared.kind in ("own", "track"):
        track = _recorded(folder, project, info, declared)
    else:
        track = _stood(declared, home, t, gyro, acc)
    return track, words + (f" ({declared.note})" if declared.note else "")


def load_track(folder: Path, recording: str, stream: str, home: Place | None = None) -> Track | None:
    """Return a stream as a track; None where there is none, or it tells neither attitude nor place nor velocity."""
    found = load_stream(folder, recording, stream)
    return None if found is None else track_of(found, home)


def track_of(found: Stream, home: Place | None) -> Track | None:
    """Return a stream as a track, NaN for what it does not tell; None where it tells nothing."""
    attitude = found.matrix("q_w", "q_x", "q_y", "q_z") if found.has("q_w", "q_x", "q_y", "q_z") else None
    pos, vel = _triple(found, "pos", "m"), _triple(found, "vel", "m_s")
    if pos is None and found.has("lat_deg", "lon_deg"):
        pos = positions_of(found, home)
    q = attitude if attitude is not None else np.full((len(found.t_s), 4), np.nan)
    parts = [x for x in (attitude, pos, vel) if x is not None]
    if not parts:
        return None
    good = (
        np.isfinite(q).all(axis=1)
        if attitude is not None
        else np.any([np.isfinite(x).any(axis=1) for x in parts], axis=0)
    )
    if good.sum() < 2:
        return None
    pos, vel = (None if x is None else x[good] for x in (pos, vel))
    return Track(found.t_s[good], q[good], pos, vel)


def _triple(found: Stream, name: str, unit: str) -> Array | None:
    columns = [f"{name}_{a}_{unit}" for a in "ned"]
    known = [c for c in columns if found.has(c)]
    if not known:
        return None
    rows = len(found.t_s)
    return np.stack([found.matrix(c)[:, 0] if c in known else np.full(rows, np.nan) for c in columns], axis=1)


def _recorded(folder: Path, project: Project, info: RecordingInfo, declared: DeclaredReference) -> Track:
    """Return a recorded track in the log's clock and Fusus' axes."""
    other = declared.other if declared.kind == "track" else info.name
    if other is None:
        raise DeclaredReferenceError(f"Reference of “{info.name}”", "a track needs the recording that it lies in.")
    load_info(folder, other)  # says so where there is no such recording
    found, track = _first_track(folder, other, declared, home_of(project, info))
    earth, body = declared.axes.split("-")
    q, pos, vel = track.q_nb, track.pos_n, track.vel_n
    if declared.axes != "ned-frd":
        turn = earth_matrix(earth)  # type: ignore[arg-type]  # the record allows nothing else
        q = attitude_to_ned(q, earth, body)  # type: ignore[arg-type]
        # Latitude and longitude know no axes.
        pos = pos @ turn.T if pos is not None and not found.has("lat_deg") else pos
        vel = vel @ turn.T if vel is not None else None
    clock = ClockMap(declared.clock_offset_s, declared.clock_ppm * 1e-6)
    return Track(clock.back(track.t_s), q, pos, vel, _told(found) | declared.all_sigmas())


def _first_track(folder: Path, recording: str, declared: DeclaredReference, home: Place | None) -> tuple[Stream, Track]:
    order = ("reference",) if declared.kind == "own" else ("reference", "gnss", "board")
    for name in order:
        found = load_stream(folder, recording, name)
        track = None if found is None else track_of(found, home)
        if found is not None and track is not None:
            return found, track
    raise RecordingError(
        recording, f"it holds no track to hold “{declared.recording}” against: none of {', '.join(order)}."
    )


def _told(found: Stream) -> dict[str, float]:
    """Return what a receiver says of its own accuracy, by quantity: one sigma of a component."""
    out = {}
    for column, quantity, share in (
        ("h_acc_m", "position", np.sqrt(0.5)), ("v_acc_m", "height", 1.0), ("speed_acc_m_s", "velocity", 1.0),
    ):  # fmt: skip
        values = found.matrix(column)[:, 0] if found.has(column) else np.empty(0)
        if np.isfinite(values).any():
            out[quantity] = float(np.nanmedian(values) * share)
    return out


def _stood(declared: DeclaredReference, home: Place | None, t: Array, gyro: Array, acc: Array) -> Track:
    """Return the track of a reference that stands, or turns evenly, from one time to another."""
    points = _timed(declared, t, gyro, acc)
    if declared.kind == "turntable":
        return _turned(declared, points, float(t[0]))
    times, q, pos, number = [], [], [], []
    for i, (start, end, p) in enumerate(points):
        at = np.arange(start, end, 1.0 / STILL_HZ)
        times.append(at)
        number.append(np.full(len(at), i, dtype=np.int64))
        attitude = np.full(4, np.nan)
        if declared.kind == "jig":
            attitude = from_euler(p.yaw_rad or 0.0, p.pitch_rad or 0.0, p.roll_rad or 0.0)
        q.append(np.tile(attitude, (len(at), 1)))
        pos.append(np.tile(_place(declared, p, home), (len(at), 1)))
    silent = ("heading",) if declared.kind == "jig" and any(p.yaw_rad is None for _, _, p in points) else ()
    relative = {"heights": ("height",), "closure": ("place", "height")}.get(declared.kind, ())
    stretch = np.concatenate(number)
    return Track(
        np.concatenate(times), np.concatenate(q), None if declared.kind == "jig" else np.concatenate(pos), None, declared.all_sigmas(),
        stretch, silent, relative, stretch == 0 if relative else None,
    )  # fmt: skip


def _place(declared: DeclaredReference, p: ReferencePoint, home: Place | None) -> Array:
    """Return a point's place north-east-down, NaN for what it does not tell."""
    if declared.kind == "closure":
        return np.zeros(3)
    height = np.nan if p.height_m is None else p.height_m
    if p.lat_deg is not None and p.lon_deg is not None:
        if home is None:
            raise DeclaredReferenceError(
                f"Reference of “{declared.recording}”",
                "a surveyed point by latitude and longitude needs the brief's place.",
            )
        ground = home.height_m if p.height_m is None else p.height_m
        ned = geodetic_to_ned(p.lat_deg, p.lon_deg, ground, (home.lat_deg, home.lon_deg, home.height_m))
        return np.array([ned[0], ned[1], np.nan if p.height_m is None else ned[2]])
    return np.array([np.nan if v is None else v for v in (p.north_m, p.east_m)] + [-height])


def _timed(declared: DeclaredReference, t: Array, gyro: Array, acc: Array) -> list[tuple[float, float, ReferencePoint]]:
    """Return each point with its times in the recording's clock: given, or found where the board lies still."""
    points = declared.points
    where = f"Reference of “{declared.recording}”"
    if declared.kind == "closure" and not points:
        spans = still_spans(t, gyro, acc, STANDS_S)
        if len(spans) < 2:
            raise DeclaredReferenceError(
                where,
                f"to close the way it must stand still before and after; {len(spans)} such stretches are found. Give the times.",
            )
        ends = (spans[0], spans[-1])
        return [(s.start_s, s.end_s, ReferencePoint()) for s in ends]
    if not points:
        raise DeclaredReferenceError(where, f"{declared.kind} needs points.")
    known = [p.start_s is not None and p.end_s is not None for p in points]
    if declared.kind == "heights" and len(points) < 2:
        raise DeclaredReferenceError(where, "heights count from the first: give two or more.")
    if all(known):
        begin = float(t[0])
        return [(begin + float(p.start_s or 0.0), begin + float(p.end_s or 0.0), p) for p in points]
    if any(known):
        raise DeclaredReferenceError(
            where, "some points have times and some have none: give all, or let all be found by stillness."
        )
    spans = still_spans(t, gyro, acc, STANDS_S)
    if len(spans) != len(points):
        found = ", ".join(f"{s.start_s - t[0]:.0f}:{s.end_s - t[0]:.0f}" for s in spans[:12])
        raise DeclaredReferenceError(
            where,
            f"{len(points)} points were given and {len(spans)} stretches at rest are found ({found or 'none'}). Give the times.",
        )
    return [(s.start_s, s.end_s, p) for s, p in zip(spans, points, strict=True)]


def _turned(declared: DeclaredReference, points: list[tuple[float, float, ReferencePoint]], first: float) -> Track:
    """Return headings over a turntable's turns, counted from the time before the first."""
    points = sorted(points, key=lambda x: x[0])
    begin = max(points[0][0] - BEFORE_S, first)
    at = np.arange(begin, points[-1][1], 1.0 / STILL_HZ)
    knots, angle = [begin], [0.0]
    for start, end, p in points:
        knots += [start, end]
        angle += [angle[-1], angle[-1] + (p.rate_rad_s or 0.0) * (end - start)]
    yaw = np.interp(at, knots, angle)
    before = at < points[0][0]
    if not before.any():
        raise DeclaredReferenceError(
            f"Reference of “{declared.recording}”",
            "a turntable must stand for a second before it turns: heading counts from there.",
        )
    q = from_euler(yaw, np.zeros(len(at)), np.zeros(len(at)))
    return Track(at, q, None, None, declared.all_sigmas(), None, ("tilt",), ("heading",), before)
