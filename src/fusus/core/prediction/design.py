"""What a suite of sensors gives the recursion: the filter's noises, the true ones, and the sources it does not know.

Arrays, where a function does not say otherwise (shape, unit, frame):

    ranges : (15, 2) places, any
"""

import math
from bisect import bisect_left, bisect_right
from dataclasses import dataclass

import numpy as np

from fusus.core.arrays import Array, BoolArray, ByteArray, IntArray
from fusus.core.mission.trajectory import PROFILES, Trajectory
from fusus.core.noise import markov_sigma_of_instability
from fusus.core.parts.models import SuiteModel
from fusus.core.prediction import kernel

# A soft mount lets about a third of the frame's vibration through, and samples fold it into white noise: common practice.
VIBRATION_LEAK = 0.3
# Motion that an attitude filter without GNSS takes for gravity, and for how long it lasts.
MOTION_M_S2, MOTION_TAU_S = 1.0, 0.5
LEVER_ARM_SIGMA_M, LATENCY_SIGMA_S = 0.01, 0.01
STILL_M_S = 0.02
START_HEADING_RAD = 0.1  # as set by hand or from a first look at the field
WEATHER_TAU_S = 3 * 3600.0
GUST_SHARE, GUST_TAU_S = 0.3, 3.0
SLOWEST_COURSE_M_S = 2.0
CORRELATED_S = (
    10.0  # a filter that takes each fix as new information follows the receiver's drift: fixes so near count once
)
STEEL_GATE = 0.25  # a filter refuses a field that differs by more than this share


@dataclass(frozen=True, slots=True)
class Source:
    """A cause of error outside the filter's model: constant where ``tau_s`` is infinite, else Gauss-Markov.

    ``sigma`` is one sigma in the unit of what it disturbs; ``grows`` means that it starts from zero.
    """

    group: str
    kind: int
    axis: int
    profile: str
    sigma: float
    tau_s: float = math.inf
    grows: bool = False


@dataclass(frozen=True, slots=True)
class Design:
    """All numbers of one suite on one trajectory, as the kernel takes them."""

    due: ByteArray
    q_filter: Array
    q_true: Array
    r_filter: Array
    r_true: Array
    p_filter: Array
    p_true: Array
    sources: tuple[Source, ...]

    def kinds(self) -> IntArray:
        """Return kind, axis and profile column of each source, (J, 3)."""
        rows = [(s.kind, s.axis, PROFILES.index(s.profile)) for s in self.sources]
        return np.array(rows, dtype=np.int64).reshape(len(rows), 3)

    def tables(self, step_s: float) -> Array:
        """Return the variance at the start, ρ and drive of each source, (J, 3)."""
        rows = []
        for s in self.sources:
            rho = math.exp(-step_s / s.tau_s) if math.isfinite(s.tau_s) else 1.0
            rows.append((0.0 if s.grows else s.sigma**2, rho, s.sigma**2 * (1 - rho**2)))
        return np.array(rows, dtype=float).reshape(len(rows), 3)


def ranges_of(sources: tuple[Source, ...]) -> IntArray:
    """Return which sources, from and to, show in each measurement itself, (15, 2)."""
    kinds = [s.kind for s in sources]
    rows = [(bisect_left(kinds, first), bisect_right(kinds, last)) for first, last in kernel.SHOWS]
    return np.array(rows, dtype=np.int64)


def design(suite: SuiteModel, trajectory: Trajectory, course_heading: bool = False) -> Design:
    """Return a suite's design. ``course_heading`` takes heading from the GNSS trajectory instead of the magnetometer."""
    m = trajectory.mission
    due, rf, rt = _measurements(suite, trajectory, course_heading)
    gyro, acc = suite.gyro, suite.acc
    turning = float(np.sqrt(np.mean(trajectory.profiles[:, 1:4] ** 2)))
    shaken_acc = (VIBRATION_LEAK * m.vibration_acc_m_s2) ** 2 / suite.imu_rate_hz
    shaken_gyro = (VIBRATION_LEAK * m.vibration_gyro_rad_s) ** 2 / suite.imu_rate_hz
    b_gyro, b_acc = markov_sigma_of_instability(gyro.instability), markov_sigma_of_instability(acc.instability)
    warm = m.warming_k**2 / 180.0
    rectified = acc.vibration_rectification * m.vibration_acc_m_s2**2
    acc_left = math.hypot(acc.bias, acc.scale * trajectory.site.gravity_m_s2, rectified)
    q_true = np.array([gyro.noise**2 + shaken_gyro, acc.noise**2 + shaken_acc, gyro.walk**2, acc.walk**2, 0.0])
    weather = (m.weather_pa * trajectory.metres_per_pascal) ** 2
    q_filter = np.array(
        [
            q_true[0] + (gyro.scale * turning) ** 2 + (gyro.misalignment_rad * turning) ** 2,
            q_true[1] + (acc.scale * 1.0) ** 2,
            q_true[2] + 2 * b_gyro**2 / gyro.instability_tau_s + gyro.temperature_slope**2 * warm / 60.0,
            q_true[3] + 2 * b_acc**2 / acc.instability_tau_s + acc.temperature_slope**2 * warm / 60.0,
            2 * weather / WEATHER_TAU_S + 1e-6,
        ]
    )
    start = np.array([0.0] * 3 + [1e-3**2] * 3 + [0.03**2, 0.03**2, START_HEADING_RAD**2] + [gyro.bias**2] * 3)
    p_filter = np.diag(np.concatenate([start + 1e-12, [acc_left**2] * 3, [0.05**2]]))
    p_true = np.diag(np.concatenate([start, [acc.bias**2] * 3, [0.0]]))
    sources = tuple(sorted((s for s in _sources(suite, trajectory) if s.sigma > 0), key=lambda s: s.kind))
    return Design(due, q_filter, q_true, rf, rt, p_filter, p_true, sources)


def _every(n: int, rate_hz: float, step_s: float) -> tuple[BoolArray, float]:
    """Return which steps hold samples of a rate, and how many each."""
    per_step = rate_hz * step_s
    if per_step >= 1.0:
        return np.ones(n, dtype=bool), per_step
    return (np.arange(n) % round(1.0 / per_step)) == 0, 1.0


def _measurements(suite: SuiteModel, trajectory: Trajectory, course_heading: bool) -> tuple[ByteArray, Array, Array]:
    """Return which measurements are due (N, 15), and their variances for the filter and in truth (N, 15)."""
    n = len(trajectory.t_s)
    due = np.zeros((n, kernel.MEASUREMENTS), dtype=np.uint8)
    rf, rt = np.ones((n, kernel.MEASUREMENTS)), np.zeros((n, kernel.MEASUREMENTS))
    gnss = suite.gnss
    if gnss is not None:
        when, per = _every(n, gnss.rate_hz, trajectory.step_s)
        when &= trajectory.visible
        for i, (white, drift) in enumerate(
            [(gnss.white_horizontal_m, gnss.correlated_horizontal_m)] * 2
            + [(gnss.white_vertical_m, gnss.correlated_vertical_m)]
        ):
            due[:, kernel.POSITION + i] = when
            rt[:, kernel.POSITION + i] = white**2 / per
            rf[:, kernel.POSITION + i] = white**2 / per + drift**2 * CORRELATED_S / trajectory.step_s
        for i, speed in enumerate([gnss.velocity_horizontal_m_s] * 2 + [gnss.velocity_vertical_m_s]):
            due[:, kernel.VELOCITY + i] = when
            rt[:, kernel.VELOCITY + i] = speed**2 / per
            rf[:, kernel.VELOCITY + i] = speed**2 / per + 0.01**2
    else:
        due[:, kernel.GRAVITY] = due[:, kernel.GRAVITY + 1] = ~trajectory.rests
        tilt = (MOTION_M_S2 / trajectory.site.gravity_m_s2) ** 2 * min(1.0, 2 * MOTION_TAU_S / trajectory.step_s)
        rf[:, kernel.GRAVITY :] = rt[:, kernel.GRAVITY :] = tilt
    if suite.baro is not None:
        when, per = _every(n, suite.baro_rate_hz, trajectory.step_s)
        due[:, kernel.BARO] = when
        mpp = trajectory.metres_per_pascal
        rt[:, kernel.BARO] = (suite.baro.noise_pa * mpp) ** 2 / per
        airflow = trajectory.profiles[:, PROFILES.index("airflow")]
        rf[:, kernel.BARO] = rt[:, kernel.BARO] + (suite.baro.airflow_cp * airflow) ** 2 + 0.05**2
    if suite.rangefinder is not None:
        ranger = suite.rangefinder
        when, per = _every(n, ranger.rate_hz, trajectory.step_s)
        due[:, kernel.RANGE] = when & (trajectory.height_m > ranger.low_m) & (trajectory.height_m < ranger.high_m)
        spread = (ranger.noise_m / math.sqrt(per)) ** 2 + (ranger.noise_share * trajectory.height_m) ** 2
        rt[:, kernel.RANGE], rf[:, kernel.RANGE] = spread, spread + 0.03**2
    _heading(suite, trajectory, course_heading, due, rf, rt)
    for i in range(3):
        due[:, kernel.STILL + i] = trajectory.rests
        rf[:, kernel.STILL + i] = rt[:, kernel.STILL + i] = STILL_M_S**2
    return due, rf, rt


def _heading(
    suite: SuiteModel, trajectory: Trajectory, course_heading: bool, due: ByteArray, rf: Array, rt: Array
) -> None:
    h, n = trajectory.place[4], len(trajectory.t_s)
    if suite.mag is not None and not course_heading:
        when, per = _every(n, suite.mag_rate_hz, trajectory.step_s)
        steel = np.hypot(
            trajectory.profiles[:, PROFILES.index("steel n")], trajectory.profiles[:, PROFILES.index("steel e")]
        )
        total = h * math.hypot(1.0, trajectory.place[2])
        due[:, kernel.HEADING] = when & (steel < STEEL_GATE * total)
        rt[:, kernel.HEADING] = (suite.mag.noise_ut / h) ** 2 / per
        current = trajectory.profiles[:, PROFILES.index("current")]
        fixed = suite.mag.hard_iron_ut**2 + (suite.mag.soft_iron * total) ** 2 + (suite.mag.motor_ut_a * current) ** 2
        rf[:, kernel.HEADING] = rt[:, kernel.HEADING] + (
            (fixed * CORRELATED_S / trajectory.step_s + steel**2) / h**2 + math.radians(1.0) ** 2
        )
    elif suite.gnss is not None:
        speed = np.hypot(trajectory.vel_n[:, 0], trajectory.vel_n[:, 1])
        when, _ = _every(n, suite.gnss.rate_hz, trajectory.step_s)
        due[:, kernel.COURSE] = when & trajectory.visible & (speed > SLOWEST_COURSE_M_S)
        crab = np.arctan(GUST_SHARE * trajectory.mission.wind_m_s / np.maximum(speed, SLOWEST_COURSE_M_S))
        rt[:, kernel.COURSE] = (suite.gnss.velocity_horizontal_m_s / np.maximum(speed, SLOWEST_COURSE_M_S)) ** 2
        rf[:, kernel.COURSE] = rt[:, kernel.COURSE] + crab**2


def _sources(suite: SuiteModel, trajectory: Trajectory) -> list[Source]:
    m, k = trajectory.mission, kernel
    gyro, acc = suite.gyro, suite.acc
    out: list[Source] = []
    b_gyro, b_acc = markov_sigma_of_instability(gyro.instability), markov_sigma_of_instability(acc.instability)
    for i, axis in enumerate("xyz"):
        out += [
            Source("gyro instability", k.RATE, i, "one", b_gyro, gyro.instability_tau_s),
            Source("gyro scale and cross-axis", k.RATE, i, f"rate {axis}", gyro.scale),
            Source("gyro temperature", k.RATE, i, "warming", gyro.temperature_slope),
            # Drag makes a horizontal force of the wind, and that turns with the craft.
            *(Source("gyro g-sensitivity", k.RATE, i, f"force {a}", gyro.g_sensitivity) for a in "xyz"),
            Source("accelerometer instability", k.FORCE, i, "one", b_acc, acc.instability_tau_s),
            Source("accelerometer scale and cross-axis", k.FORCE, i, f"force {axis}", acc.scale),
            Source("accelerometer temperature", k.FORCE, i, "warming", acc.temperature_slope),
            Source("vibration rectified", k.FORCE, i, "shake", acc.vibration_rectification),
        ]
    for i in range(2):
        out.append(Source("gyro scale and cross-axis", k.RATE, i, "rate z", gyro.misalignment_rad))
        out.append(Source("accelerometer scale and cross-axis", k.FORCE, i, "force z", acc.misalignment_rad))
    if suite.gnss is not None:
        g = suite.gnss
        for i in range(3):
            drift = g.correlated_horizontal_m if i < 2 else g.correlated_vertical_m
            out.append(Source("GNSS drift", k.FIX, i, "one", drift, g.correlation_time_s, grows=True))
            out.append(Source("lever arm", k.ARM, i, "one", LEVER_ARM_SIGMA_M))
        out.append(Source("GNSS delay", k.DELAY, 0, "one", LATENCY_SIGMA_S))
        gust = math.atan(GUST_SHARE * m.wind_m_s / max(m.speed_m_s, SLOWEST_COURSE_M_S))
        out.append(Source("crab in the wind", k.CRAB, 0, "one", gust, GUST_TAU_S))
    if suite.baro is not None:
        mpp = trajectory.metres_per_pascal
        out += [
            Source("weather", k.PRESSURE, 0, "one", m.weather_pa * mpp, WEATHER_TAU_S, grows=True),
            Source("airflow on the barometer", k.PRESSURE, 0, "airflow", suite.baro.airflow_cp),
            Source("barometer temperature", k.PRESSURE, 0, "warming", suite.baro.temperature_slope_pa_k * mpp),
        ]
    if suite.mag is not None:
        for i, axis in enumerate("xyz"):
            out += [
                Source("magnetometer calibration", k.FIELD_BODY, i, "one", suite.mag.hard_iron_ut),
                Source("magnetometer calibration", k.FIELD_BODY, i, f"field {axis}", suite.mag.soft_iron),
                Source("motor currents", k.FIELD_BODY, i, "current", suite.mag.motor_ut_a),
            ]
        for i, axis in enumerate("ne"):
            out.append(Source("steel", k.FIELD_NAV, i, f"steel {axis}", 1.0))
    return out


def arms(trajectory: Trajectory, arm_b_m: tuple[float, float, float]) -> Array:
    """Return the antenna's offset and what turning makes of it, (N, 6), m and m/s, north-east-down."""
    arm = np.array(arm_b_m)
    moved = np.einsum("nij,nj->ni", trajectory.rot_end, np.cross(trajectory.rate_end, arm))
    return np.ascontiguousarray(np.hstack([trajectory.rot_end @ arm, moved]))


def direct_table(trajectory: Trajectory, sources: tuple[Source, ...], ranges: IntArray) -> Array:
    """Return how a unit of each source shows in each measurement itself, (N, 15, D): counted from ``ranges``' first."""
    deepest = int((ranges[:, 1] - ranges[:, 0]).max(initial=1))
    out = np.zeros((len(trajectory.t_s), kernel.MEASUREMENTS, max(deepest, 1)))
    rot, k = trajectory.rot_end, kernel
    cos, sin, _, gravity, horizontal = trajectory.place
    spin = _turned_rate(trajectory)
    for m in range(k.MEASUREMENTS):
        for j in range(ranges[m, 0], ranges[m, 1]):
            s = sources[j]
            unit: Array | float = 0.0
            if s.kind == k.FIX:
                unit = -1.0 if m == s.axis else 0.0
            elif s.kind == k.ARM:
                unit = -rot[:, m, s.axis] if m < 3 else -spin[:, m - 3, s.axis]
            elif s.kind == k.DELAY:
                unit = trajectory.vel_n[:, m] if m < 3 else trajectory.acc_n[:, m - 3]
            elif s.kind in (k.PRESSURE, k.CRAB):
                unit = -1.0
            elif s.kind == k.FIELD_BODY:
                unit = (cos * rot[:, 1, s.axis] - sin * rot[:, 0, s.axis]) / horizontal
            elif s.kind == k.FIELD_NAV:
                unit = (-sin if s.axis == 0 else cos) / horizontal
            elif s.kind == k.FORCE:
                unit = rot[:, 1, s.axis] / gravity if m == k.GRAVITY else -rot[:, 0, s.axis] / gravity
            out[:, m, j - ranges[m, 0]] = unit * trajectory.profiles[:, PROFILES.index(s.profile)]
    return out


def _turned_rate(trajectory: Trajectory) -> Array:
    """Return R [ω×], (N, 3, 3)."""
    x, y, z = trajectory.rate_end.T
    zero = np.zeros_like(x)
    skew = np.stack([zero, -z, y, z, zero, -x, -y, x, zero], axis=1).reshape(-1, 3, 3)
    return np.asarray(trajectory.rot_end @ skew)
