"""Scaling and calibrations in C."""

import math

from fusus.core.control import sections
from fusus.core.world.atmosphere import P0_PA, pressure_altitude_m
from fusus.firmware.translation.unit import Unit
from fusus.firmware.writing import constants
from fusus.firmware.writing.constants import Constant
from fusus.firmware.writing.layout import layout_for
from fusus.firmware.writing.plan import Plan
from fusus.firmware.writing.render import constants_file, render


def sensor_constants(plan: Plan) -> list[Constant]:
    """Return what the sensors are and what the bench found."""
    c, precision, scales = plan.calibrations, plan.precision, plan.scales
    e = plan.evidence
    height = float(pressure_altitude_m(P0_PA * math.exp(-1.0)))
    exponent = _height_exponent()
    found = [
        constants.number("KIT_GYRO_RAD_S_PER_COUNT", scales.gyro_rad_s, f"One count of the gyro: {scales.said}.", precision),
        constants.number("KIT_ACC_M_S2_PER_COUNT", scales.acc_m_s2, f"One count of the accelerometer: {scales.said}.", precision),
        constants.number("KIT_MAG_UT_PER_COUNT", scales.mag_ut, f"One count of the magnetometer: {scales.said}.", precision),
        constants.table("KIT_MOUNTING", c.mounting, f"From the board's axes to body axes: {e('mounting')}.", precision),
        constants.table("KIT_GYRO_BIAS_RAD_S", c.gyro_bias, f"The gyro's bias: {e('gyro-bias')}.", precision),
        constants.table("KIT_ACC_OFFSET_M_S2", c.acc_offset, f"The accelerometer's offset: {e('six-face')}.", precision),
        constants.table("KIT_ACC_MATRIX", c.acc_matrix, f"Its scale and misalignment ({e('six-face')}), then the mounting.", precision),
        constants.table("KIT_MAG_UT_PER_A", c.mag_slope, f"What motor currents add to the field: {e('motor-current')}.", precision),
        constants.table("KIT_MAG_HARD_IRON_UT", c.mag_hard, f"Hard iron: {e('magnetometer')}.", precision),
        constants.table("KIT_MAG_MATRIX", c.mag_matrix, f"Soft iron and alignment ({e('magnetometer')}), then the mounting.", precision),
        constants.number("KIT_SEA_LEVEL_PA", P0_PA, "The standard atmosphere (ISO 2533).", precision),
        constants.number("KIT_HEIGHT_EXPONENT", exponent, "Of pressure in it.", precision),
        constants.number("KIT_HEIGHT_SCALE_M", height / math.expm1(-exponent), "Temperature over lapse rate.", precision),
    ]  # fmt: skip
    if c.gyro_thermal is not None and c.acc_thermal is not None:
        words = f"Bias in powers of temperature less the reference, constant first: {e('thermal')}."
        found += [
            constants.table("KIT_GYRO_THERMAL", c.gyro_thermal, words, precision),
            constants.table("KIT_ACC_THERMAL", c.acc_thermal, words, precision),
            constants.table("KIT_GYRO_MOVED_RAD_S", c.gyro_moved, "What the stored bias says beyond it.", precision),
            constants.number("KIT_THERMAL_REFERENCE_DEGC", c.reference_degc, "The reference temperature.", precision),
        ]
    if len(plan.controls.acc_sections):
        rows = f"The accelerometer's filter as second-order sections b0 b1 b2 a0 a1 a2 at the loop's rate: {e('acc_filter')}."
        found.append(constants.flat_table("KIT_ACC_SECTIONS", plan.controls.acc_sections, rows, precision))
    return found


def sensor_files(plan: Plan) -> dict[str, str]:
    """Return scaling and calibrations."""
    precision, polynomial = plan.precision, plan.calibrations.gyro_thermal
    rows = plan.controls.acc_sections
    unit = Unit(layout_for(4, len(rows)), precision)
    if len(rows):
        unit.add(sections.prime)
        unit.add(sections.filtered)
        unit.add(sections.is_force)
    definitions = unit.definitions() if len(rows) else ""
    thermal = None if polynomial is None else {"terms": polynomial.shape[1]}
    return {
        "sensors.h": render(precision, "sensors.h.j2", sections=len(rows)),
        "sensors.c": render(precision, "sensors.c.j2", thermal=thermal, sections=len(rows), definitions=definitions),
        "sensors_constants.h": constants_file(
            plan, "sensors", "kit_math.h", "What the sensors are and what the bench found.", sensor_constants(plan)
        ),
    }


def _height_exponent() -> float:
    """Return e of H = k ((p/p0)^e - 1), from two heights of the standard atmosphere."""
    one, two = (float(pressure_altitude_m(P0_PA * math.exp(-x))) for x in (1.0, 2.0))
    return -math.log(two / one - 1.0)
