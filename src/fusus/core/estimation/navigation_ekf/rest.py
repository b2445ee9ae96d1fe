"""What standing still says: no velocity, and the gyro reads its own bias.

Arrays, where a function does not say otherwise (shape, unit, frame):

    p : (1088,) factors of the covariance, n
    rows : (R, 5) channel, s, innovation, variance, used, any
"""

from fusus.core._jit import kernel
from fusus.core.arrays import Array
from fusus.core.estimation.navigation_ekf.measure import first, inject, update_scalar
from fusus.core.estimation.navigation_ekf.states import (
    CH_RATE,
    CH_STILL,
    E_GYRO,
    E_VEL,
    Coefficients,
    Memory,
)

EVERY_S = 0.1
# One sigma of how still a craft stands on its legs, and of what else than bias a gyro then reads (the earth turns).
STILL_M_S, STILL_RAD_S = 0.02, 1e-4


@kernel
def fuse_rest(c: Coefficients, m: Memory, p: Array, n: int, rows: Array, t: float) -> None:
    """Take a tenth of a second at rest in; the sums of it are in the group and are emptied."""
    seconds = m.rest_s
    for i in range(3):
        first(m, E_VEL + i, 1.0)
        update_scalar(m, p, n, rows, CH_STILL + i, t, -m.velocity[i], STILL_M_S * STILL_M_S, E_VEL + i, 0.0)
    for i in range(3):
        first(m, E_GYRO + i, 1.0)
        noise = c.gyro_var / seconds + STILL_RAD_S * STILL_RAD_S
        update_scalar(m, p, n, rows, CH_RATE + i, t, m.rest_turn[i] / seconds - m.gyro_bias[i], noise, E_GYRO + i, 0.0)
        m.rest_turn[i] = 0.0
    m.rest_s = 0.0
    inject(m, t)
