"""From parts to error models: what is left of a datasheet's errors in flight, after calibration or without it."""

import math
from dataclasses import dataclass

from fusus.core.noise import allan_from_one_sided
from fusus.core.parts.fitting import LEFT_BY_FOAM, Fitting
from fusus.core.parts.part import Completed
from fusus.core.sensors.barometer import BarometerModel
from fusus.core.sensors.gnss import GnssModel
from fusus.core.sensors.inertial import InertialModel
from fusus.core.sensors.magnetometer import MagnetometerModel
from fusus.core.sensors.rangefinder import RangefinderModel

INSTABILITY_TAU_S = 100.0


@dataclass(frozen=True, slots=True)
class SuiteModel:
    """The error models of a set of sensors with their rates; None where the suite goes without."""

    gyro: InertialModel
    acc: InertialModel
    imu_rate_hz: float
    baro: BarometerModel | None = None
    baro_rate_hz: float = 25.0
    mag: MagnetometerModel | None = None
    mag_rate_hz: float = 100.0
    gnss: GnssModel | None = None
    rangefinder: RangefinderModel | None = None


def inertial_models(imu: Completed, fitting: Fitting) -> tuple[InertialModel, InertialModel]:
    """Return gyro and accelerometer. Spreads are one sigma: datasheets' typical offsets are taken as such."""
    allan = imu.part.word("noise_is") == "Allan coefficient"
    left = fitting.left

    def noise(printed: float) -> float:
        return printed if allan else allan_from_one_sided(printed)

    gyro = InertialModel(
        noise=noise(imu.value("gyro_noise")),
        walk=imu.value("gyro_walk"),
        instability=imu.value("gyro_instability"),
        instability_tau_s=INSTABILITY_TAU_S,
        bias=imu.value("gyro_offset"),
        scale=math.hypot(imu.value("gyro_scale_error") * left, imu.value("gyro_nonlinearity")),
        misalignment_rad=imu.value("gyro_cross_axis") * left,
        temperature_slope=imu.value("gyro_offset_temperature"),
        full_scale=imu.value("gyro_range"),
        bits=round(imu.value("gyro_bits")),
        g_sensitivity=imu.value("gyro_g_sensitivity"),
    )
    acc = InertialModel(
        noise=noise(imu.value("acc_noise")),
        walk=imu.value("acc_walk"),
        instability=imu.value("acc_instability"),
        instability_tau_s=INSTABILITY_TAU_S,
        bias=imu.value("acc_offset") * left,
        scale=math.hypot(imu.value("acc_scale_error") * left, imu.value("acc_nonlinearity") * left),
        misalignment_rad=imu.value("acc_cross_axis") * left,
        temperature_slope=imu.value("acc_offset_temperature"),
        full_scale=imu.value("acc_range"),
        bits=round(imu.value("acc_bits")),
        vibration_rectification=imu.value("acc_rectification"),
    )
    return gyro, acc


def magnetometer_model(part: Completed, fitting: Fitting) -> MagnetometerModel:
    """Return the magnetometer of a part that has one."""
    left = fitting.left
    return MagnetometerModel(
        noise_ut=part.value("mag_noise"),
        hard_iron_ut=part.value("mag_offset") * left,
        soft_iron=math.hypot(part.value("mag_scale_error"), part.value("mag_cross_axis")) * left,
        motor_ut_a=fitting.motor_ut_a,
        full_scale_ut=part.value("mag_range"),
        bits=round(part.value("mag_bits")),
    )


def suite_model(
    imu: Completed,
    barometer: Completed | None,
    magnetometer: Completed | None,
    receiver: Completed | None,
    rangefinder: Completed | None,
    fitting: Fitting,
) -> SuiteModel:
    """Return the models of a set of parts. The magnetometer may be the IMU itself where that is a nine-axis board."""
    gyro, acc = inertial_models(imu, fitting)
    baro = None
    if barometer is not None:
        baro = BarometerModel(
            noise_pa=barometer.value("noise"),
            offset_pa=barometer.value("offset"),
            temperature_slope_pa_k=barometer.value("offset_temperature"),
            iir_tau_s=barometer.value("filter_time"),
            airflow_cp=barometer.value("airflow") * (LEFT_BY_FOAM if fitting.foam else 1.0),
        )
    gnss = None
    if receiver is not None:
        slow = receiver.value("slow_share")
        fast = math.sqrt(max(0.0, 1.0 - slow**2))
        horizontal, vertical = receiver.value("position_horizontal"), receiver.value("position_vertical")
        gnss = GnssModel(
            rate_hz=receiver.value("rate"),
            white_horizontal_m=horizontal * fast,
            white_vertical_m=vertical * fast,
            correlated_horizontal_m=horizontal * slow,
            correlated_vertical_m=vertical * slow,
            correlation_time_s=receiver.value("wander_time"),
            velocity_horizontal_m_s=receiver.value("speed"),
            velocity_vertical_m_s=1.6 * receiver.value("speed"),  # the sky is above only: common practice
            latency_s=receiver.value("latency"),
            lever_arm_b_m=fitting.lever_arm_b_m,
        )
    ranger = None
    if rangefinder is not None:
        ranger = RangefinderModel(
            rangefinder.value("noise"),
            rangefinder.value("noise_share"),
            rangefinder.value("range_low"),
            rangefinder.value("range_high"),
            rangefinder.value("rate"),
        )
    return SuiteModel(
        gyro,
        acc,
        min(imu.value("gyro_rate"), imu.value("acc_rate")),
        baro,
        barometer.value("rate") if barometer else 25.0,
        magnetometer_model(magnetometer, fitting) if magnetometer else None,
        magnetometer.value("mag_rate") if magnetometer else 100.0,
        gnss,
        ranger,
    )
