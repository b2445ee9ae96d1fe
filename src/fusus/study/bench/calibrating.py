"""From a recording to a calibration: which streams each kind needs, and the fit over them."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from pathlib import Path

import numpy as np

from fusus.core.arrays import Array
from fusus.core.calibration.agreement import agreement
from fusus.core.calibration.airflow import airflow
from fusus.core.calibration.gnss_scatter import gnss_scatter
from fusus.core.calibration.gyro_bias import gyro_bias
from fusus.core.calibration.level import TABLE_RAD, level_trim
from fusus.core.calibration.lever_arm import lever_arm
from fusus.core.calibration.magnetometer import magnetometer
from fusus.core.calibration.motor_current import motor_current
from fusus.core.calibration.mounting import mounting
from fusus.core.calibration.regression import SlowNoise
from fusus.core.calibration.result import Calibration
from fusus.core.calibration.six_face import School, six_face
from fusus.core.calibration.sticks import sticks
from fusus.core.calibration.thermal import thermal
from fusus.core.calibration.vibration import vibration
from fusus.core.estimation.attitude_ekf.parameters import Parameters as EkfParameters
from fusus.core.estimation.replay import run_estimator
from fusus.core.frames.geodesy import geodetic_to_ned
from fusus.core.noise import markov_sigma_of_instability
from fusus.core.progress import Progress, Silent
from fusus.core.sensors.inertial import InertialModel
from fusus.core.world.site import Site
from fusus.errors import RecordingError
from fusus.logs.info import RecordingInfo, load_info
from fusus.logs.recording import Stream, load_stream
from fusus.project.records import Project, StoredCalibration
from fusus.study.brief.site import site_of
from fusus.study.parts.suite import choice_of, model_of
from fusus.study.recording.corrections import corrections_for, temperature_of
from fusus.study.recording.loading import load


@dataclass(frozen=True, slots=True)
class Given:
    """All that a fit may look at: the project, the recording, its place, and another recording to compare with."""

    folder: Path
    project: Project
    info: RecordingInfo
    site: Site
    other: str | None
    school: School

    def stream(self, name: str, *columns: str, recording: str | None = None) -> Stream:
        """Return a stream that must be there with its columns."""
        recording = recording or self.info.name
        found = load_stream(self.folder, recording, name)
        if found is None or not found.has(*columns):
            raise RecordingError(
                recording, f"this needs the stream “{name}” with {', '.join(columns)}; log it, and record again."
            )
        return found

    def imu(self, name: str = "imu") -> tuple[Array, Array, Array, Array | None]:
        """Return times, rates and forces in sensor axes, and the temperature or None; rows that lack a number left out."""
        found = self.stream(
            name, "gyro_x_rad_s", "gyro_y_rad_s", "gyro_z_rad_s", "acc_x_m_s2", "acc_y_m_s2", "acc_z_m_s2"
        )
        gyro, acc = found.vector("gyro", "rad_s"), found.vector("acc", "m_s2")
        good = np.isfinite(gyro).all(axis=1) & np.isfinite(acc).all(axis=1)
        warm = temperature_of(found)
        return found.t_s[good], gyro[good], acc[good], None if warm is None else warm[good]


def _gyro_bias(g: Given) -> Calibration:
    t, gyro, acc, warm = g.imu()
    choice = choice_of(g.project)
    datasheet = None if choice is None else model_of(g.project, choice).gyro
    if datasheet is not None and "thermal" in g.project.bench.in_force():
        datasheet = replace(datasheet, temperature_slope=0.0)
    return gyro_bias(t, gyro, acc, warm, g.project.drift.bias_error_rad_s, datasheet)


def _six_face(g: Given) -> Calibration:
    t, gyro, acc, _ = g.imu()
    choice = choice_of(g.project)
    if choice is None:
        return six_face(t, gyro, acc, g.site.gravity_m_s2, g.school)
    floor = markov_sigma_of_instability(model_of(g.project, choice).acc.instability)
    return six_face(t, gyro, acc, g.site.gravity_m_s2, g.school, floor_m_s2=floor)


def _level(g: Given) -> Calibration:
    t, gyro, acc, warm = g.imu()
    c = corrections_for(g.project, g.info, without=("level",))
    return level_trim(t, c.gyro(gyro, warm), c.acc(acc, warm))


def _magnetometer(g: Given) -> Calibration:
    mag = g.stream("mag", "mag_x_ut", "mag_y_ut", "mag_z_ut")
    strength = g.site.field.strength_ut if g.site.field else None
    field = mag.vector("mag", "ut")
    if load_stream(g.folder, g.info.name, "imu") is None:
        return magnetometer(field, strength)
    t, gyro, _, _ = g.imu()
    return magnetometer(field, strength, mag.t_s, t, gyro)


def _mounting(g: Given) -> Calibration:
    t, gyro, acc, warm = g.imu()
    c = corrections_for(g.project, g.info, without=("mounting", "level"))
    # What the accelerometer's offset may still be leans the level rest; the table leans it too.
    spread = g.project.bench.in_force().get("six-face")
    offset = 0.2 if spread is None else float(np.linalg.norm(spread.standard_errors["offset_m_s2"]))
    level = float(np.hypot(TABLE_RAD, offset / g.site.gravity_m_s2))
    return mounting(t, c.gyro(gyro, warm), c.acc(acc, warm), level)


def _thermal(g: Given) -> Calibration:
    t, gyro, acc, warm = g.imu()
    if warm is None:
        raise RecordingError(
            g.info.name, "this needs the sensor's temperature in the stream “imu”; log it, and record again."
        )
    choice = choice_of(g.project)
    if choice is None:
        return thermal(t, gyro, acc, warm)
    model = model_of(g.project, choice)
    return thermal(t, gyro, acc, warm, _drifting(model.gyro), _drifting(model.acc))


def _drifting(model: InertialModel) -> SlowNoise:
    return SlowNoise(model.walk, markov_sigma_of_instability(model.instability), model.instability_tau_s)


def _airflow(g: Given) -> Calibration:
    off = g.stream("baro", "pressure_pa")
    warm = g.info.temperature_degc if g.info.temperature_degc is not None else 15.0
    first = off.t_s, off.matrix("pressure_pa")[:, 0]
    if g.other is None:
        return airflow(*first, temperature_degc=warm)
    on = g.stream("baro", "pressure_pa", recording=g.other)
    return airflow(*first, on.t_s, on.matrix("pressure_pa")[:, 0], temperature_degc=warm)


def _motor_current(g: Given) -> Calibration:
    mag = g.stream("mag", "mag_x_ut", "mag_y_ut", "mag_z_ut")
    battery = g.stream("battery", "current_a")
    current = battery.matrix("current_a")[:, 0]
    known = np.isfinite(current)
    imu = load_stream(g.folder, g.info.name, "imu")
    turning = (imu.t_s, imu.vector("gyro", "rad_s")) if imu is not None and imu.has("gyro_x_rad_s") else (None, None)
    return motor_current(
        mag.t_s, mag.vector("mag", "ut"), battery.t_s[known], current[known], g.site.horizontal_ut, *turning
    )


def _gnss_scatter(g: Given) -> Calibration:
    found = g.stream("gnss")
    position = _local(found)
    claimed = None
    if found.has("h_acc_m"):
        accuracy = found.matrix("h_acc_m")[:, 0]
        accuracy = accuracy[np.isfinite(accuracy)]
        claimed = float(np.median(accuracy)) / np.sqrt(2) if len(accuracy) else None
    return gnss_scatter(found.t_s, position, claimed)


def _local(gnss: Stream) -> Array:
    """Return positions (N, 3) north, east, down of the first fix, m."""
    if gnss.has("pos_n_m", "pos_e_m", "pos_d_m"):
        return gnss.matrix("pos_n_m", "pos_e_m", "pos_d_m")
    if not gnss.has("lat_deg", "lon_deg"):
        raise RecordingError(gnss.recording, "this needs positions in the stream “gnss”; log them, and record again.")
    globe = gnss.matrix("lat_deg", "lon_deg", *(["height_m"] if gnss.has("height_m") else []))
    if globe.shape[1] == 2:
        globe = np.column_stack([globe, np.zeros(len(globe))])
    known = np.flatnonzero(np.isfinite(globe).all(axis=1))
    if len(known) == 0:
        raise RecordingError(gnss.recording, "no fix in the stream “gnss” is whole.")
    home = globe[known[0]]
    return geodetic_to_ned(globe[:, 0], globe[:, 1], globe[:, 2], (float(home[0]), float(home[1]), float(home[2])))


def _lever_arm(g: Given) -> Calibration:
    found = g.stream("gnss", "vel_n_m_s", "vel_e_m_s", "vel_d_m_s")
    loaded = load(g.folder, g.project, g.info.name)
    replay = run_estimator("attitude-ekf", EkfParameters(), loaded.given, loaded.site)
    rate = loaded.given.samples.gyro_b - replay.outputs.gyro_bias_b
    entered = g.project.parts.fitting.lever_arm_b_m
    return lever_arm(
        found.t_s, found.matrix("vel_n_m_s", "vel_e_m_s", "vel_d_m_s"), replay.t_s, replay.outputs.q_nb, rate, entered
    )


def _sticks(g: Given) -> Calibration:
    found = g.stream("stick", "roll", "pitch", "yaw")
    throttle = found.matrix("throttle")[:, 0] if found.has("throttle") else None
    return sticks(found.t_s, found.matrix("roll", "pitch", "yaw"), throttle)


def _two_imu(g: Given) -> Calibration:
    t, gyro, acc, _ = g.imu()
    other_t, other_gyro, other_acc, _ = g.imu("imu2")
    return agreement(t, gyro, acc, other_t, other_gyro, other_acc)


def _vibration(g: Given) -> Calibration:
    t, gyro, acc, _ = g.imu()
    motor = load_stream(g.folder, g.info.name, "motor")
    rotor = None
    if motor is not None and motor.has("rpm_1"):
        rpm = motor.matrix("rpm_1")[:, 0]
        rpm = rpm[np.isfinite(rpm) & (rpm > 0)]
        rotor = float(np.median(rpm)) / 60.0 if len(rpm) else None
    return vibration(t, gyro, acc, rotor)


FITS: dict[str, Callable[[Given], Calibration]] = {
    "gyro-bias": _gyro_bias,
    "six-face": _six_face,
    "level": _level,
    "magnetometer": _magnetometer,
    "mounting": _mounting,
    "thermal": _thermal,
    "airflow": _airflow,
    "motor-current": _motor_current,
    "gnss-scatter": _gnss_scatter,
    "lever-arm": _lever_arm,
    "sticks": _sticks,
    "two-imu": _two_imu,
    "vibration": _vibration,
}


def calibrate(
    folder: Path, project: Project, kind: str, recording: str, other: str | None = None, school: School | None = None,
    progress: Progress | None = None,
) -> Calibration:  # fmt: skip
    """Return the calibration of a kind from a recording; RecordingError where it lacks what the kind needs."""
    progress = progress or Silent()
    if kind not in FITS:
        raise RecordingError(recording, f"“{kind}” is no calibration; the kinds are {', '.join(FITS)}.")
    info = load_info(folder, recording)
    progress.step(0, 1, f"Fitting {kind}")
    result = FITS[kind](Given(folder, project, info, site_of(project, info), other, school or project.bench.faces))
    progress.step(1, 1, f"Fitting {kind}")
    return result


def stored(calibration: Calibration, info: RecordingInfo, project: Project) -> StoredCalibration:
    """Return a calibration in the form that a project keeps."""
    warm = calibration.parameters.get("temperature_degc", info.temperature_degc)
    return StoredCalibration(
        kind=calibration.kind, recording=info.name, when=info.when or datetime.now(UTC), parameters=dict(calibration.parameters),
        standard_errors=dict(calibration.standard_errors), units=calibration.units, before=calibration.before,
        after=calibration.after, condition=calibration.condition if calibration.condition and np.isfinite(calibration.condition) else None,
        verdict=calibration.verdict, reason=calibration.reason, temperature_degc=warm if isinstance(warm, float) else None,
        place=info.place or project.brief.place, is_practice=info.is_practice,
    )  # fmt: skip
