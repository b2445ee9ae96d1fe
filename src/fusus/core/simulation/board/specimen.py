"""One board with its hidden errors, drawn from the chosen parts' spreads."""

from dataclasses import dataclass

import numpy as np

from fusus.core.arrays import Array
from fusus.core.calibration.alignment import right_angle_rotations
from fusus.core.frames import quaternion
from fusus.core.parts.models import SuiteModel
from fusus.core.sensors.inertial import InertialErrors, draw_errors

# What a craft adds to its sensors' own errors; made up, in plausible ranges.
HARD_IRON_UT, SOFT_IRON, FIELD_PER_AMP_UT = 18.0, 0.04, 0.5
ALIGNMENT_RAD, FINE_RAD = np.radians(1.5), np.radians(1.2)
STICK_CENTRE = 0.03


@dataclass(frozen=True, slots=True)
class Specimen:
    """The truth that calibrations have to find. Matrices as in the fits: reading = matrix · truth + offset, sensor axes.

    ``mounting`` turns the board's axes into the craft's; ``mag_alignment`` the magnetometer's into the board's.
    """

    gyro: InertialErrors
    acc: InertialErrors
    second_gyro: InertialErrors
    second_acc: InertialErrors
    soft_iron: Array
    hard_iron_ut: Array
    motor_ut_a: Array
    mag_alignment: Array
    mounting: Array
    fine_rad: Array
    baro_offset_pa: float
    baro_slope_pa_k: float
    lever_arm_b_m: Array
    stick_centre: Array
    clock_ppm: float


def draw_specimen(model: SuiteModel, lever_arm_b_m: tuple[float, float, float], seed: int) -> Specimen:
    """Return a board; the same seed gives the same one."""
    rng = np.random.default_rng(seed)
    rotations = right_angle_rotations()
    # Boards lie flat, either way up, turned by any quarter: eight of the twenty-four.
    flat = [r for r in rotations if abs(r[2, 2]) > 0.5]
    square = flat[int(rng.integers(len(flat)))]
    fine = rng.normal(0.0, FINE_RAD, 3)
    soft = rng.normal(0.0, SOFT_IRON, (3, 3))
    baro = model.baro
    return Specimen(
        draw_errors(model.gyro, rng),
        draw_errors(model.acc, rng),
        draw_errors(model.gyro, rng),
        draw_errors(model.acc, rng),
        np.eye(3) + 0.5 * (soft + soft.T),
        rng.normal(0.0, HARD_IRON_UT, 3),
        rng.normal(0.0, FIELD_PER_AMP_UT, 3),
        _small(rng, ALIGNMENT_RAD),
        # The small rotation is seen from the craft: body = fine · square · sensor.
        quaternion.to_matrix(quaternion.from_rotation_vector(fine)) @ square,
        fine,
        float(rng.normal(0.0, baro.offset_pa)) if baro else 0.0,
        float(rng.normal(0.0, baro.temperature_slope_pa_k)) if baro else 0.0,
        np.asarray(lever_arm_b_m, dtype=float),
        rng.normal(0.0, STICK_CENTRE, 3),
        float(rng.normal(0.0, 30.0)),
    )


def _small(rng: np.random.Generator, sigma: float) -> Array:
    return quaternion.to_matrix(quaternion.from_rotation_vector(rng.normal(0.0, sigma, 3)))
