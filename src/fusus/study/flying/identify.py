"""What a flight recording shows of a project's loops: each axis as it flew, its noise, its swings, and the loop's beat."""

import math
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from fusus.core.arrays import Array, BoolArray, IntArray
from fusus.core.control.identification.oscillation import Known, Oscillation, spectrum, swings
from fusus.core.control.identification.plant import FlownAxis, identify
from fusus.core.control.identification.response import MeasuredResponse, delay_s, frequency_response
from fusus.core.control.identification.sample_period import SamplePeriod, beat
from fusus.core.judgement.finding import Finding
from fusus.core.vehicle.airframe import AXES, hover
from fusus.errors import RecordingError
from fusus.logs.info import load_info
from fusus.logs.recording import load_stream
from fusus.project.records import Project
from fusus.study.brief.brief import airframe_of, density_of
from fusus.study.brief.site import site_of
from fusus.study.flying.identify_findings import identify_findings
from fusus.study.flying.setup import cascade
from fusus.study.loops.axes import LoopStudy, filters_of, study_loops

# In the air: a motor asks for more than this share of its thrust; so much is left out at both ends.
FLIES, EDGE_S, SHORTEST_S = 0.1, 1.0, 5.0
# A plant is looked at up to so many times the crossover: beyond it shaking rotors speak louder.
REACHES, HIGHEST_HZ = 6.0, 60.0


@dataclass(frozen=True, slots=True)
class AxisFlown:
    """One axis: the measured response from wanted to flown rate, what stands behind it (None where too little can be trusted), by how
    much the rate follows s, and the spectrum of the gyro: Hz, (rad/s)²/Hz."""

    name: str
    response: MeasuredResponse | None
    axis: FlownAxis | None
    follows_s: float
    hz: Array
    density: Array


@dataclass(frozen=True, slots=True)
class Identified:
    """What a recording shows: beat of its IMU (None without one), time in the air s, axes, swings, and what it says."""

    recording: str
    design: LoopStudy
    period: SamplePeriod | None
    air_s: float
    axes: tuple[AxisFlown, ...]
    oscillations: tuple[Oscillation, ...]
    findings: tuple[Finding, ...]


def identify_flight(folder: Path, project: Project, recording: str) -> Identified:
    """Return what a recording shows of the loops; RecordingError where it holds no gyro or no flight."""
    load_info(folder, recording)
    imu = _stream(folder, recording, "imu", ("gyro_x_rad_s", "gyro_y_rad_s", "gyro_z_rad_s"))
    if imu is None:
        raise RecordingError(recording, "it holds no gyro; loops are seen in rates.")
    t_ns, gyro = imu
    found = beat(t_ns)
    if found is None:
        raise RecordingError(recording, f"{len(t_ns)} samples are too few to see a loop in.")
    rate = found.rate_hz
    t = t_ns * 1e-9
    grid = np.arange(t[0], t[-1], 1.0 / rate)
    even = np.stack([np.interp(grid, t, gyro[:, i]) for i in range(3)], axis=1)
    flies = _in_air(folder, recording, grid)
    if flies.sum() < SHORTEST_S * rate:
        raise RecordingError(
            recording, f"it holds {flies.sum() / rate:.1f} s in the air; at least {SHORTEST_S:.0f} s are needed."
        )
    study = study_loops(project)
    wanted = _stream(folder, recording, "setpoint", ("rate_x_rad_s", "rate_y_rad_s", "rate_z_rad_s"))
    asked = None
    if wanted is not None:
        at = wanted[0] * 1e-9
        # What was wanted last is what the loop works on: it is held, not drawn in between.
        place = np.clip(np.searchsorted(at, grid, side="right") - 1, 0, len(at) - 1)
        asked = wanted[1][place]
    axes = tuple(_axis(study, i, even[flies], None if asked is None else asked[flies], rate) for i in range(3))
    outer = cascade(study)
    known = tuple(
        Known(
            a.margins.turning_rad_s / (2.0 * math.pi), a.controller.kd * a.margins.turning_rad_s > a.controller.kp,
            (outer.heading_p if a.name == "yaw" else outer.tilt_p) / (2.0 * math.pi),
        )
        for a in study.axes
    )  # fmt: skip
    rotor = hover(airframe_of(project.brief.craft), site_of(project).gravity_m_s2, density_of(project)).rotor_hz
    seen = swings(even[flies], rate, (known[0], known[1], known[2]), rotor, None if asked is None else asked[flies])
    air = float(flies.sum() / rate)
    return Identified(
        recording, study, found, air, axes, seen, identify_findings(study, found, axes_by_name(axes), seen)
    )


def axes_by_name(axes: tuple[AxisFlown, ...]) -> dict[str, FlownAxis | None]:
    """Return what stands behind each axis by its name."""
    return {a.name: a.axis for a in axes}


def _axis(study: LoopStudy, i: int, gyro: Array, wanted: Array | None, rate: float) -> AxisFlown:
    hz, density = spectrum(gyro[:, i], rate)
    if wanted is None or not np.ptp(wanted[:, i]) > 0:
        return AxisFlown(AXES[i], None, None, math.nan, hz, density)
    response = frequency_response(wanted[:, i], gyro[:, i], rate)
    highest = min(REACHES * study.axes[i].margins.crossover_rad_s / (2.0 * math.pi), HIGHEST_HZ, 0.3 * rate)
    found = identify(response, study.axes[i].controller, filters_of(study.project.loops), highest, rate)
    return AxisFlown(AXES[i], response, found, delay_s(wanted[:, i], gyro[:, i], rate), hz, density)


def _stream(folder: Path, recording: str, name: str, columns: tuple[str, ...]) -> tuple[IntArray, Array] | None:
    """Return times ns and columns (N, C), rows with all of them finite; None where there is none."""
    stream = load_stream(folder, recording, name)
    if stream is None or not stream.has(*columns):
        return None
    values = stream.matrix(*columns)
    good = np.isfinite(values).all(axis=1)
    return (stream.t_ns[good], values[good]) if good.any() else None


def _in_air(folder: Path, recording: str, grid: Array) -> BoolArray:
    """Return where it flies (N,): motors ask for thrust, the ends left out; everywhere without motors in the log."""
    stream = load_stream(folder, recording, "motor")
    names = [c for c in stream.frame.columns if c.startswith("motor_")] if stream is not None else []
    if stream is None or not names:
        return np.ones(len(grid), dtype=bool)
    mean = np.nan_to_num(stream.matrix(*names)).mean(axis=1)
    on = np.asarray(np.interp(grid, stream.t_s, (mean > FLIES).astype(float)) > 0.5)
    if not on.any():
        return on
    first, last = np.flatnonzero(on)[[0, -1]]
    return np.asarray(on & (grid > grid[first] + EDGE_S) & (grid < grid[last] - EDGE_S))
