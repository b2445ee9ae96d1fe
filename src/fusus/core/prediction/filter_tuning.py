"""A tuning from error models: what datasheet and bench say of the sensors, as the filters take it."""

import math

from fusus.core.mission.mission import Mission
from fusus.core.noise import markov_sigma_of_instability
from fusus.core.parts.models import SuiteModel
from fusus.core.sensors.inertial import InertialModel

# A board warms up over some minutes. Its drift is smooth: a random walk that reaches half as far in that time is as hard to
# follow for a filter (simulated flights: the claimed sigmas then hold).
WARMING_TAU_S, WARMING_SHARE = 180.0, 0.5
DELAY_SIGMA_S = 0.02

Tuning = dict[str, float]


def from_suite(
    estimator: str, suite: SuiteModel, mission: Mission, gravity_m_s2: float, metres_per_pascal: float
) -> Tuning:
    """Return the parameters of an estimator that a suite's error models tell, by name; those that they do not are left out."""
    if estimator == "navigation-ekf":
        return _navigation(suite, mission, gravity_m_s2, metres_per_pascal)
    if estimator == "attitude-ekf":
        return _attitude(suite, mission, gravity_m_s2)
    if estimator in ("altitude", "altitude-3"):
        found = _altitude(suite, mission, metres_per_pascal)
        kept = ("baro_noise_m", "baro_delay_s") if estimator == "altitude-3" else tuple(found)
        return {k: v for k, v in found.items() if k in kept}
    return {}


def walk(model: InertialModel, warming_k: float) -> float:
    """Return the random walk K that stands for walk, instability and warming together."""
    b = markov_sigma_of_instability(model.instability)
    warm = (WARMING_SHARE * model.temperature_slope * warming_k) ** 2 / WARMING_TAU_S
    return math.sqrt(model.walk**2 + 2 * b**2 / model.instability_tau_s + warm)


def _acc_bias(suite: SuiteModel, mission: Mission, gravity: float) -> float:
    acc = suite.acc
    return math.hypot(
        acc.bias,
        acc.scale * gravity,
        acc.misalignment_rad * gravity,
        acc.vibration_rectification * mission.vibration_acc_m_s2**2,
    )


def _navigation(suite: SuiteModel, mission: Mission, gravity: float, mpp: float) -> Tuning:
    gyro, acc = suite.gyro, suite.acc
    out: Tuning = {
        "gyro_noise_rad_s_rthz": gyro.noise,
        "gyro_walk_rad_s2_rthz": walk(gyro, mission.warming_k),
        "gyro_bias_sigma_rad_s": gyro.bias,
        "gyro_scale_sigma": gyro.scale,
        "gyro_cross_sigma_rad": gyro.misalignment_rad,
        "acc_noise_m_s2_rthz": acc.noise,
        "acc_walk_m_s3_rthz": walk(acc, mission.warming_k),
        "acc_bias_sigma_m_s2": _acc_bias(suite, mission, gravity),
        "acc_scale_sigma": math.hypot(acc.scale, acc.misalignment_rad),
    }
    if suite.gnss is not None:
        g = suite.gnss
        out |= {
            "gnss_horizontal_m": g.white_horizontal_m,
            "gnss_vertical_m": g.white_vertical_m,
            "gnss_wander_horizontal_m": g.correlated_horizontal_m,
            "gnss_wander_vertical_m": g.correlated_vertical_m,
            "gnss_wander_tau_s": g.correlation_time_s,
            "gnss_velocity_horizontal_m_s": g.velocity_horizontal_m_s,
            "gnss_velocity_vertical_m_s": g.velocity_vertical_m_s,
            "gnss_delay_s": g.latency_s,
            "gnss_delay_sigma_s": DELAY_SIGMA_S,
        } | dict(zip(("lever_arm_x_m", "lever_arm_y_m", "lever_arm_z_m"), g.lever_arm_b_m, strict=True))
    if suite.baro is not None:
        out |= _baro(suite, mission, mpp) | {"baro_airflow": suite.baro.airflow_cp}
    if suite.mag is not None:
        out |= {
            "mag_noise_ut": suite.mag.noise_ut,
            "mag_iron_sigma_ut": suite.mag.hard_iron_ut,
            "mag_motor_sigma_ut": suite.mag.motor_ut_a * mission.hover_current_a,
            "mag_soft_sigma": suite.mag.soft_iron,
        }
    return out


def _baro(suite: SuiteModel, mission: Mission, mpp: float) -> Tuning:
    b = suite.baro
    if b is None:
        return {}
    weather = 2 * (mission.weather_pa * mpp) ** 2 / b.weather_tau_s
    warm = (b.temperature_slope_pa_k * mission.warming_k * mpp) ** 2 / WARMING_TAU_S
    return {
        "baro_noise_m": b.noise_pa * mpp,
        "baro_walk_m_rthz": math.sqrt(weather + warm),
        "baro_delay_s": b.iir_tau_s,
    }


def _attitude(suite: SuiteModel, mission: Mission, gravity: float) -> Tuning:
    gyro, acc = suite.gyro, suite.acc
    out: Tuning = {
        "gyro_noise_rad_s_rthz": gyro.noise,
        "gyro_walk_rad_s2_rthz": walk(gyro, mission.warming_k),
        "gyro_bias_sigma_rad_s": gyro.bias,
        "gyro_scale_sigma": math.hypot(gyro.scale, gyro.misalignment_rad),
        "acc_noise_m_s2_rthz": acc.noise,
        "acc_bias_sigma_m_s2": _acc_bias(suite, mission, gravity),
    }
    if suite.mag is not None:
        constant = math.hypot(suite.mag.hard_iron_ut, suite.mag.motor_ut_a * mission.hover_current_a)
        out |= {"mag_noise_ut": suite.mag.noise_ut, "mag_bias_sigma_ut": constant}
    return out


def _altitude(suite: SuiteModel, mission: Mission, mpp: float) -> Tuning:
    out = _baro(suite, mission, mpp)
    if suite.gnss is not None:
        g = suite.gnss
        # A drift is no white noise: as one, it weighs as much as its few independent values.
        slow = g.correlated_vertical_m**2 * 2 * g.correlation_time_s * g.rate_hz
        out |= {"gnss_vertical_m": math.sqrt(g.white_vertical_m**2 + slow), "gnss_climb_m_s": g.velocity_vertical_m_s}
    return out
