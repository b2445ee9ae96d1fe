"""From a project's recording to what the core takes."""

from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from fusus.core.analysis.comparison import Track
from fusus.core.arrays import Array, BoolArray
from fusus.core.estimation.accelerometer_filter import filter_accelerometer
from fusus.core.estimation.filled import begins_at
from fusus.core.estimation.replay import EstimatorInput, estimator_input
from fusus.core.world.site import Site
from fusus.errors import RecordingError
from fusus.logs.info import RecordingInfo, load_info
from fusus.logs.problems import Problem
from fusus.logs.recording import load_stream
from fusus.project.records import Project
from fusus.study.brief.site import site_of
from fusus.study.recording.accelerometer_filter import acc_filters_of
from fusus.study.recording.aiding import Inertial, aiding_of
from fusus.study.recording.corrections import corrections_for, current_at, temperature_of
from fusus.study.recording.references import reference_of

# Errors last for tenths of a second at least: a faster reference is only more work.
MOST_REFERENCE_HZ = 200.0


@dataclass(frozen=True, slots=True)
class LoadedRecording:
    """A recording ready for estimators, its reference if it has one, and what was left out.

    ``reference_is``: what the reference is, in words; ``measured_by``: what stands in for it, empty where nothing does.
    """

    info: RecordingInfo
    given: EstimatorInput
    reference: Track | None
    site: Site
    problems: tuple[Problem, ...]
    corrected_by: tuple[str, ...] = ()
    measured_by: str = ""
    reference_is: str = ""


def load(
    folder: Path,
    project: Project,
    recording: str,
    use_magnetometer: bool = True,
    use_barometer: bool = True,
    use_gnss: bool = True,
) -> LoadedRecording:
    """Return a recording ready to run; RecordingError says what it lacks."""
    info = load_info(folder, recording)
    problems: list[Problem] = []
    t, gyro, acc, warm = _inertial(folder, info, problems)
    seen = _field(folder, recording) if use_magnetometer else None
    corrections = corrections_for(project, info)
    if corrections.kinds:
        gyro, acc = corrections.gyro(gyro, warm), corrections.acc(acc, warm)
        if seen is not None:
            seen = (seen[0], corrections.mag(seen[1], current_at(folder, recording, seen[0])))
    aiding = aiding_of(folder, project, info, Inertial(t, gyro, acc), seen, use_barometer, use_gnss, problems)
    mag_t, mag_b = seen or (None, None)
    given = filter_accelerometer(acc_filters_of(project.loops), estimator_input(t, gyro, acc, mag_t, mag_b, aiding))
    reference, reference_is = reference_of(folder, project, info, t, gyro, acc)
    return LoadedRecording(
        info,
        given,
        _thinned(reference),
        site_of(project, info),
        tuple(problems),
        corrections.kinds,
        reference_is=reference_is,
    )


def _inertial(folder: Path, info: RecordingInfo, problems: list[Problem]) -> tuple[Array, Array, Array, Array | None]:
    """Return times, rate, specific force and temperature (or None) of the samples that hold both; the table itself is let go."""
    recording = info.name
    imu = load_stream(folder, recording, "imu")
    if imu is None or not imu.has("gyro_x_rad_s", "acc_x_m_s2"):
        raise RecordingError(
            recording,
            f"an attitude needs gyro and accelerometer; it holds {', '.join(info.streams) or 'nothing'}.",
        )
    t, gyro, acc = imu.t_s, imu.vector("gyro", "rad_s"), imu.vector("acc", "m_s2")
    good: BoolArray = np.asarray(np.isfinite(gyro).all(axis=1) & np.isfinite(acc).all(axis=1))
    if good.sum() < 2:
        raise RecordingError(recording, "fewer than two samples hold both gyro and accelerometer.")
    warm = temperature_of(imu)
    begin = begins_at(t)
    if begin:
        problems.append(
            Problem(
                file=recording, kind="gap", count=begin, action="left out; all begins after it",
                message=f"samples of imu before a hole of {t[begin] - t[begin - 1]:.2f} s at the very start",
            )
        )  # fmt: skip
        t, gyro, acc, good, warm = (
            t[begin:],
            gyro[begin:],
            acc[begin:],
            good[begin:],
            None if warm is None else warm[begin:],
        )
    if good.all():  # then there is nothing to copy
        return t, gyro, acc, warm
    first = int(np.flatnonzero(~good)[0])
    problems.append(
        Problem(
            file=recording, kind="nan", count=int((~good).sum()), action="samples left out; the step after is longer",
            message=f"samples of imu without gyro or accelerometer, the first at t = {t[first]:.3f} s",
        )
    )  # fmt: skip
    return t[good], gyro[good], acc[good], warm[good] if warm is not None else None


def _field(folder: Path, recording: str) -> tuple[Array, Array] | None:
    """Return times and field of the magnetometer, None without one."""
    mag = load_stream(folder, recording, "mag")
    if mag is None or not mag.has("mag_x_ut", "mag_y_ut", "mag_z_ut"):
        return None
    return mag.t_s, mag.vector("mag", "ut")


def _thinned(track: Track | None) -> Track | None:
    """Return a reference with no more rows a second than errors need."""
    if track is None or len(track.t_s) < 2:
        return track
    rate = (len(track.t_s) - 1) / max(float(track.t_s[-1] - track.t_s[0]), 1e-9)
    step = int(rate / MOST_REFERENCE_HZ)
    if step < 2:
        return track
    # Copies: a view would keep all of the rows.
    pos, vel = (None if x is None else x[::step].copy() for x in (track.pos_n, track.vel_n))
    return replace(track, t_s=track.t_s[::step].copy(), q_nb=track.q_nb[::step].copy(), pos_n=pos, vel_n=vel)
