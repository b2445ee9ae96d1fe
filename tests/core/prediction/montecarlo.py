"""Simulated flights of the designed filter, many at once: the nonlinear check of the covariance recursion.

Sensors read the true motion through their whole error models, a strapdown integration runs on the readings, and the filter's
designed gains correct it. Nothing of the linear recursion is used but the gains.
"""

from dataclasses import dataclass

import numpy as np

from fusus.core.arrays import Array
from fusus.core.frames import quaternion as qt
from fusus.core.mission.trajectory import PROFILES
from fusus.core.noise import markov_sigma_of_instability
from fusus.core.prediction import design as d
from fusus.core.prediction import kernel as k
from fusus.core.prediction.predict import Recursion
from fusus.core.progress import Progress, Silent


@dataclass(frozen=True, slots=True)
class Flights:
    """Errors of many flights at the ends of steps: position m, velocity m/s, attitude rad, each (N, runs, 3) NED."""

    t_s: Array
    position_n: Array
    velocity_n: Array
    attitude_n: Array

    def variances(self) -> Array:
        """Return mean squares in the columns of the recursion's outputs, (N, 11)."""
        out = [(x**2).mean(axis=1) for x in (self.position_n, self.velocity_n, self.attitude_n)]
        cross = [(x[..., 0] * x[..., 1]).mean(axis=1)[:, None] for x in (self.position_n, self.attitude_n)]
        return np.hstack(out + cross)


class _Drift:
    """A Gauss-Markov process in many runs; constant for an infinite time."""

    def __init__(
        self, rng: np.random.Generator, shape: tuple[int, ...], sigma: float, tau_s: float, grows: bool
    ) -> None:
        self._rng, self._sigma, self._tau = rng, sigma, tau_s
        self.value = np.zeros(shape) if grows else rng.standard_normal(shape) * sigma

    def step(self, dt: float) -> Array:
        rho = np.exp(-dt / self._tau)
        drive = self._sigma * np.sqrt(1 - rho**2)
        self.value = rho * self.value + self._rng.standard_normal(self.value.shape) * drive
        return self.value


class _Specimens:
    """The sensors of all runs, each with its own errors."""

    def __init__(self, recursion: Recursion, runs: int, rng: np.random.Generator) -> None:
        self.rng, self.runs = rng, runs
        self.suite, self.trajectory, self.design = recursion.suite, recursion.trajectory, recursion.design
        gyro, acc = self.suite.gyro, self.suite.acc
        self.gyro_matrix, self.acc_matrix = (
            self._matrix(gyro.scale, gyro.misalignment_rad),
            self._matrix(acc.scale, acc.misalignment_rad),
        )
        self.gyro_bias, self.acc_bias = self._three(gyro.bias), self._three(acc.bias)
        self.gyro_slope, self.acc_slope = self._three(gyro.temperature_slope), self._three(acc.temperature_slope)
        self.g_matrix = rng.standard_normal((runs, 3, 3)) * gyro.g_sensitivity
        self.rectified = self._three(acc.vibration_rectification)
        self.gyro_drift = _Drift(
            rng, (runs, 3), markov_sigma_of_instability(gyro.instability), gyro.instability_tau_s, False
        )
        self.acc_drift = _Drift(
            rng, (runs, 3), markov_sigma_of_instability(acc.instability), acc.instability_tau_s, False
        )
        self._around()

    def _around(self) -> None:
        suite, m, rng, runs = self.suite, self.trajectory.mission, self.rng, self.runs
        if suite.gnss is not None:
            g = suite.gnss
            scale = np.array([g.correlated_horizontal_m, g.correlated_horizontal_m, g.correlated_vertical_m])
            self.drift_scale = scale
            self.drift = _Drift(rng, (runs, 3), 1.0, g.correlation_time_s, True)
            self.arm = np.array(g.lever_arm_b_m) + self._three(d.LEVER_ARM_SIGMA_M)
            self.late_s = rng.standard_normal(runs) * d.LATENCY_SIGMA_S
            gust = np.arctan(d.GUST_SHARE * m.wind_m_s / max(m.speed_m_s, d.SLOWEST_COURSE_M_S))
            self.crab = _Drift(rng, (runs,), float(gust), d.GUST_TAU_S, False)
        if suite.baro is not None:
            mpp = self.trajectory.metres_per_pascal
            self.weather = _Drift(rng, (runs,), m.weather_pa * mpp, d.WEATHER_TAU_S, True)
            self.airflow = rng.standard_normal(runs) * suite.baro.airflow_cp
            self.baro_slope = rng.standard_normal(runs) * suite.baro.temperature_slope_pa_k * mpp
        if suite.mag is not None:
            self.hard = self._three(suite.mag.hard_iron_ut)
            self.soft = np.eye(3) + np.eye(3) * rng.standard_normal((runs, 1, 3)) * suite.mag.soft_iron
            self.motor = self._three(suite.mag.motor_ut_a)
            self.steel = rng.standard_normal((runs, 2))

    def _three(self, sigma: float) -> Array:
        return np.asarray(self.rng.standard_normal((self.runs, 3)) * sigma)

    def _matrix(self, scale: float, misalignment: float) -> Array:
        m = self.rng.standard_normal((self.runs, 3, 3)) * misalignment
        m[:, [0, 1, 2], [0, 1, 2]] = self.rng.standard_normal((self.runs, 3)) * scale
        return np.asarray(m + np.eye(3))

    def inertial(self, rate: Array, force: Array, warm: float, shake: float, dt: float) -> tuple[Array, Array]:
        """Return readings of rate and force, (runs, 3), over a short step."""
        q = self.design.q_true
        self.gyro_bias += self.rng.standard_normal(self.gyro_bias.shape) * np.sqrt(q[2] * dt)
        self.acc_bias += self.rng.standard_normal(self.acc_bias.shape) * np.sqrt(q[3] * dt)
        gyro = self.gyro_matrix @ rate + self.g_matrix @ force + self.gyro_bias + self.gyro_slope * warm
        gyro += self.gyro_drift.step(dt) + self._three(float(np.sqrt(q[0] / dt)))
        acc = self.acc_matrix @ force + self.acc_bias + self.acc_slope * warm + self.rectified * shake
        acc += self.acc_drift.step(dt) + self._three(float(np.sqrt(q[1] / dt)))
        return gyro, acc


@dataclass(slots=True)
class _Estimate:
    """What the filter holds, per run, or the truth (one run)."""

    p: Array
    v: Array
    q: Array
    bg: Array
    ba: Array
    bb: Array

    def advance(self, gyro: Array, acc: Array, gravity: float, dt: float) -> None:
        half = qt.multiply(self.q, qt.from_rotation_vector((gyro - self.bg) * (0.5 * dt)))
        a = qt.rotate(half, acc - self.ba) + np.array([0.0, 0.0, gravity])
        self.p = self.p + self.v * dt + 0.5 * a * dt * dt
        self.v = self.v + a * dt
        self.q = qt.normalise(qt.multiply(self.q, qt.from_rotation_vector((gyro - self.bg) * dt)))

    def correct(self, gain: Array, r: Array) -> None:
        dx = gain * r[:, None]
        self.p = self.p - dx[:, 0:3]
        self.v = self.v - dx[:, 3:6]
        self.q = qt.multiply(qt.from_rotation_vector(-dx[:, 6:9]), self.q)
        self.bg, self.ba, self.bb = self.bg + dx[:, 9:12], self.ba + dx[:, 12:15], self.bb + dx[:, 15]


def fly_many(recursion: Recursion, runs: int, seed: int, progress: Progress | None = None) -> Flights:
    """Return the errors of simulated flights with the recursion's suite, trajectory and gains.

    Parameters
    ----------
    recursion : Recursion
        Made with ``keeps=True``: its gains are used.
    runs : int
        How many flights; the sampling error of a sigma is some 1/sqrt(2 runs).
    seed : int
        Of all noise.
    progress : Progress
        Told about steps.

    Returns
    -------
    Flights
        Estimate minus truth.
    """
    progress = progress or Silent()
    rng = np.random.default_rng(seed)
    trajectory = recursion.trajectory
    sensors = _Specimens(recursion, runs, rng)
    start = np.sqrt(np.diag(recursion.design.p_true))
    sub = trajectory.sub_steps
    motion, dt, gravity = trajectory.motion, trajectory.step_s / sub, trajectory.site.gravity_m_s2
    zero = np.zeros((1, 3))
    truth = _Estimate(zero, zero, motion.q_nb[:1], zero, zero, np.zeros(1))
    turned = qt.from_rotation_vector(rng.standard_normal((runs, 3)) * start[6:9])
    estimate = _Estimate(
        np.zeros((runs, 3)), rng.standard_normal((runs, 3)) * start[3:6], qt.multiply(turned, motion.q_nb[:1]),
        np.zeros((runs, 3)), np.zeros((runs, 3)), np.zeros(runs),
    )  # fmt: skip
    out = np.zeros((3, len(trajectory.t_s), runs, 3))
    warm, shake = trajectory.profiles[:, PROFILES.index("warming")], trajectory.profiles[:, PROFILES.index("shake")]
    for t in range(len(trajectory.t_s)):
        progress.step(t, len(trajectory.t_s), "Flying")
        for i in range(t * sub, (t + 1) * sub):
            rate = 0.5 * (motion.rate_b[i] + motion.rate_b[i + 1])
            force = 0.5 * (motion.force_b[i] + motion.force_b[i + 1])
            truth.advance(rate[None], force[None], gravity, dt)
            gyro, acc = sensors.inertial(rate, force, float(warm[t]), float(shake[t]), dt)
            estimate.advance(gyro, acc, gravity, dt)
            last_force = acc
        _measure(recursion, sensors, truth, estimate, last_force, t)
        out[0, t], out[1, t] = estimate.p - truth.p, estimate.v - truth.v
        out[2, t] = qt.to_rotation_vector(qt.multiply(estimate.q, qt.conjugate(truth.q)))
    progress.step(len(trajectory.t_s), len(trajectory.t_s), "Flying")
    return Flights(trajectory.t_s, out[0], out[1], out[2])


def _measure(r: Recursion, s: _Specimens, truth: _Estimate, estimate: _Estimate, acc: Array, t: int) -> None:
    """Take the measurements of a step in, one after the other; residuals are prediction minus measurement."""
    due = r.design.due[t]
    trajectory, gnss = r.trajectory, r.suite.gnss
    noise = s.rng.standard_normal((k.MEASUREMENTS, s.runs)) * np.sqrt(r.design.r_true[t])[:, None]
    if gnss is not None:
        drift, crab = s.drift.step(trajectory.step_s) * s.drift_scale, s.crab.step(trajectory.step_s)
        rate = trajectory.rate_end[t]
        antenna = truth.p + qt.rotate(truth.q, s.arm) - trajectory.vel_n[t] * s.late_s[:, None] + drift
        speed = truth.v + qt.rotate(truth.q, np.cross(rate, s.arm)) - trajectory.acc_n[t] * s.late_s[:, None]
        arm = np.array(gnss.lever_arm_b_m)
    weather = s.weather.step(trajectory.step_s) if r.suite.baro is not None else np.zeros(s.runs)
    column = dict(zip(PROFILES, trajectory.profiles[t], strict=True))
    for m in np.flatnonzero(due):
        if m < k.VELOCITY:
            x = (estimate.p + qt.rotate(estimate.q, arm) - antenna)[:, m]
        elif m < k.BARO:
            x = (estimate.v + qt.rotate(estimate.q, np.cross(rate, arm)) - speed)[:, m - 3]
        elif m == k.BARO:
            disturbed = weather + s.airflow * column["airflow"] + s.baro_slope * column["warming"]
            x = -estimate.p[:, 2] + estimate.bb - (-truth.p[0, 2] + disturbed)
        elif m == k.HEADING:
            x = _heading_residual(r, s, truth, estimate, column)
        elif m == k.RANGE:
            x = -estimate.p[:, 2] + truth.p[0, 2]
        elif m < k.COURSE:
            x = estimate.v[:, m - k.STILL]
        elif m == k.COURSE:
            off = qt.to_rotation_vector(qt.multiply(estimate.q, qt.conjugate(truth.q)))
            x = off[:, 2] - crab
        else:
            # The direction of gravity that the accelerometer shows, against the estimate's.
            f = qt.rotate(estimate.q, np.broadcast_to(acc - estimate.ba, (s.runs, 3)))
            true_f = qt.rotate(truth.q, trajectory.motion.force_b[(t + 1) * trajectory.sub_steps])
            x = ((f - true_f)[:, 1] if m == k.GRAVITY else -(f - true_f)[:, 0]) / trajectory.place[3]
        estimate.correct(r.gains[t, m], x + noise[m])


def _heading_residual(
    r: Recursion, s: _Specimens, truth: _Estimate, estimate: _Estimate, column: dict[str, float]
) -> Array:
    trajectory = r.trajectory
    cos, sin, tan_dip, _, horizontal = trajectory.place
    field = horizontal * np.array([cos, sin, tan_dip])
    disturbed = field + np.concatenate(
        [s.steel * [column["steel n"], column["steel e"]], np.zeros((s.runs, 1))], axis=1
    )
    body = qt.rotate(qt.conjugate(truth.q), disturbed)
    reading = np.einsum("rij,rj->ri", s.soft, body) + s.hard + s.motor * column["current"]
    seen = qt.rotate(estimate.q, reading)
    angle = np.arctan2(seen[:, 1], seen[:, 0]) - np.arctan2(sin, cos)
    return np.asarray((angle + np.pi) % (2 * np.pi) - np.pi)
