"""What is not known of the motion between measurements: noise of the sensors, shaking, and biases that drift.

Arrays, where a function does not say otherwise (shape, unit, frame):

    p : (1088,) factors of the covariance, n
"""

from fusus.core._jit import kernel
from fusus.core.arrays import Array
from fusus.core.estimation.navigation_ekf.covariance import add_variance, variance_of
from fusus.core.estimation.navigation_ekf.states import (
    ALWAYS,
    E_ACC,
    E_ATT,
    E_BARO,
    E_GYRO,
    E_VEL,
    Coefficients,
    Memory,
)

# A soft mount and the integration let this share of shaking through as noise: common practice.
LEAK = 0.1
# How long the filter looks back to judge how much the frame shakes, in groups.
SHAKE_GROUPS = 100.0
# Airflow on a barometer follows the airspeed, which changes in seconds.
AIRFLOW_TAU_S = 5.0
GRAVITY = 9.80665
# Over what time a push must stand out from its noise, and by how many variances.
TOLD_S, CLEARLY = 0.3, 3.0
# For how long noise is added up.
WAITS_S = 0.019


@kernel
def note_shaking(
    m: Memory, ax: float, ay: float, az: float, bx: float, by: float, bz: float,
    gx: float, gy: float, gz: float, hx: float, hy: float, hz: float,
) -> None:  # fmt: skip
    """Follow how much the frame shakes: the difference of neighbouring samples shows it without the motion."""
    da = ((ax - bx) ** 2 + (ay - by) ** 2 + (az - bz) ** 2) / 6.0
    dg = ((gx - hx) ** 2 + (gy - hy) ** 2 + (gz - hz) ** 2) / 6.0
    m.shake_acc += (da - m.shake_acc) / SHAKE_GROUPS
    m.shake_gyro += (dg - m.shake_gyro) / SHAKE_GROUPS


@kernel
def heading_excitation(
    c: Coefficients, m: Memory, p: Array, n: int, dt: float, sample_s: float, fn: float, fe: float
) -> float:
    """Return what share of the horizontal force stands out from noise and from what a wrong tilt makes of gravity, 0 to 1.

    A push shows the heading: the velocity that follows points where the nose does. Taken as measured, mere noise would show it
    too, for the covariance takes the measured force for the true one.
    """
    share = dt / (dt + TOLD_S)
    m.push_force[0] += share * (fn - m.push_force[0])
    m.push_force[1] += share * (fe - m.push_force[1])
    push2 = m.push_force[0] * m.push_force[0] + m.push_force[1] * m.push_force[1]
    noise = (c.acc_var + LEAK * LEAK * m.shake_acc * sample_s) / (2.0 * TOLD_S)
    if push2 <= CLEARLY * noise:
        return 0.0
    tilt = 0.5 * (variance_of(p, n, E_ATT) + variance_of(p, n, E_ATT + 1)) * c.gravity_m_s2 * c.gravity_m_s2
    doubt = CLEARLY * (tilt + noise)
    return 1.0 - doubt / push2 if push2 > doubt else 0.0


@kernel
def walk(c: Coefficients, m: Memory, p: Array, dt: float) -> None:
    """Let drift what stands still in a step: biases, the barometer's zero, the craft's own field."""
    for i in range(3):
        add_variance(p, m, E_GYRO + i, c.gyro_walk_var * dt)
        add_variance(p, m, E_ACC + i, c.acc_walk_var * dt)
    speed2 = m.velocity[0] ** 2 + m.velocity[1] ** 2 + m.velocity[2] ** 2
    flow = c.airflow * speed2 / (2.0 * GRAVITY)
    add_variance(p, m, E_BARO, (c.baro_walk_var + flow * flow / AIRFLOW_TAU_S) * dt)
    if c.i_iron >= ALWAYS:
        for i in range(3):
            add_variance(p, m, c.i_iron + i, c.iron_walk_var * dt)


@kernel
def apply_process_noise(c: Coefficients, m: Memory, p: Array) -> None:
    """Add the noise that has built up: before a measurement, and otherwise every few steps, for less than that shows nowhere."""
    if m.noise_s <= 0.0:
        return
    for i in range(3):
        add_variance(p, m, E_VEL + i, m.noise_velocity)
        add_variance(p, m, E_ATT + i, m.noise_attitude[i])
        m.noise_attitude[i] = 0.0
    walk(c, m, p, m.noise_s)
    m.noise_velocity = m.noise_s = 0.0
