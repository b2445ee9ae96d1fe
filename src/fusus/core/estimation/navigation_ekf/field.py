"""The magnetometer, as a heading or with all three axes.

Arrays, where a function does not say otherwise (shape, unit, frame):

    p : (1088,) factors of the covariance, n
    rows : (R, 5) channel, s, innovation, variance, used, any
"""

import math

from fusus.core._jit import kernel
from fusus.core.arrays import Array
from fusus.core.estimation.attitude_math import MOST_UT, is_reading
from fusus.core.estimation.elapsed import reached
from fusus.core.estimation.navigation_ekf.covariance import variance_of
from fusus.core.estimation.navigation_ekf.measure import entry, first, inject, rotation, update_scalar
from fusus.core.estimation.navigation_ekf.states import ALWAYS, CH_FIELD, E_ATT, Coefficients, Memory

# A field error lasts while the craft goes by its cause: neighbouring samples share it. That of an imperfect calibration lasts as
# long as the nose points one way: a leg or a hover, a minute of it.
DISTURBED_TAU_S, CALIBRATION_TAU_S = 5.0, 60.0
# What is off is judged by a mean over so long, which the noise of samples does not hide.
MEAN_S = 0.5
# Headings of so long are averaged before they are taken in: the covariance need not be touched at every sample.
FOLD_S = 0.04
SURE = 3.0  # squared sigmas beyond which a mean is no chance


@kernel
def fuse_field(
    c: Coefficients, m: Memory, p: Array, n: int, rows: Array, t: float, bx: float, by: float, bz: float, every_s: float
) -> int:
    """Take a field sample in; return 1 used, 2 left out by strength, dip or gate.

    What strength, dip and direction are off the expected tells how far the direction may be off: that much noise is added.
    """
    if not is_reading(bx, by, bz, MOST_UT):
        return 2
    r = rotation(m.attitude[0], m.attitude[1], m.attitude[2], m.attitude[3])
    mx, my, mz = bx - m.craft_field[0], by - m.craft_field[1], bz - m.craft_field[2]
    mn = r[0] * mx + r[1] * my + r[2] * mz
    me = r[3] * mx + r[4] * my + r[5] * mz
    md = r[6] * mx + r[7] * my + r[8] * mz
    horizontal2 = mn * mn + me * me
    horizontal = math.sqrt(horizontal2)
    strength = math.sqrt(horizontal2 + md * md)
    off = strength - c.field_ut
    lean = math.atan2(md, horizontal) - c.dip_rad
    share = every_s / (every_s + MEAN_S)
    m.field_off += share * (off - m.field_off)
    m.field_lean += share * (lean - m.field_lean)
    if abs(off) > c.mag_gate * c.field_ut or abs(lean) > c.dip_gate_rad or horizontal < 1e-6:
        return 2
    fn, fe = m.earth_field[0], m.earth_field[1]
    y = math.atan2(fe * mn - fn * me, fn * mn + fe * me)
    m.field_turn += share * (y - m.field_turn)
    samples = 1.0
    if not c.vector:
        m.field_sum += y
        m.field_count += 1.0
        samples = m.field_count
        if not reached(samples * every_s, FOLD_S):
            return 1
        y = m.field_sum / samples
        m.field_sum = m.field_count = 0.0
    noise = noise_of(c, m, p, n, share, every_s * samples, c.mag_var / samples)
    used = (
        fuse_axes(c, m, p, n, rows, t, bx, by, bz, noise)
        if c.vector
        else fuse_heading(c, m, p, n, rows, t, y, noise, samples)
    )
    inject(m, t)
    # A field that is clearly off weighs next to nothing: as good as left out.
    return 1 if used > 0 and m.field_doubt < 4.0 * c.mag_var else 2


@kernel
def noise_of(c: Coefficients, m: Memory, p: Array, n: int, share: float, every_s: float, white: float) -> float:
    """Return the variance of a field measurement, µT²: white noise, and what the last half second says of errors that last.

    A lasting error is taken for a noise whose few independent samples weigh as much.
    """
    known = 0.5 * c.mag_var * share + c.mag_soft_var
    if c.i_iron >= ALWAYS:
        iron = variance_of(p, n, c.i_iron) + variance_of(p, n, c.i_iron + 1) + variance_of(p, n, c.i_iron + 2)
        known += iron / 3.0
    tilt = 0.5 * (variance_of(p, n, E_ATT) + variance_of(p, n, E_ATT + 1))
    turned = known + variance_of(p, n, E_ATT + 2) * c.horizontal_ut * c.horizontal_ut
    doubt = max(m.field_off**2 - SURE * known, 0.0)
    doubt += max((m.field_lean * c.field_ut) ** 2 - SURE * (known + tilt * c.field_ut * c.field_ut), 0.0)
    doubt += max((m.field_turn * c.horizontal_ut) ** 2 - SURE * turned, 0.0)
    m.field_doubt = doubt
    noise = white + doubt * (1.0 + 2.0 * DISTURBED_TAU_S / every_s)
    noise += c.mag_soft_var * (1.0 + 2.0 * CALIBRATION_TAU_S / every_s)
    return float(noise)


@kernel
def fuse_heading(
    c: Coefficients, m: Memory, p: Array, n: int, rows: Array, t: float, y: float, noise: float, samples: float
) -> int:
    """Take the direction of the horizontal field against the declination.

    The row is that of the expected field: one of the measured field shares its noise, and would learn from it.
    """
    r = rotation(m.attitude[0], m.attitude[1], m.attitude[2], m.attitude[3])
    fn, fe, fd = m.earth_field[0], m.earth_field[1], m.earth_field[2]
    horizontal = math.sqrt(fn * fn + fe * fe)
    cos, sin, slope = fn / horizontal, fe / horizontal, fd / horizontal
    first(m, E_ATT + 2, 1.0)
    entry(m, E_ATT, -slope * cos)
    entry(m, E_ATT + 1, -slope * sin)
    if c.i_iron >= ALWAYS:
        for j in range(3):
            entry(m, c.i_iron + j, -(cos * r[3 + j] - sin * r[j]) / horizontal)
    if c.i_field >= ALWAYS:
        h2 = fn * fn + fe * fe
        entry(m, c.i_field, fe / h2)
        entry(m, c.i_field + 1, -fn / h2)
    # Errors that last make neighbours alike: a single one varies by the samples' own noise and the doubt alone.
    m.shown_var = (c.mag_var / max(samples, 1.0) + m.field_doubt + c.mag_soft_var) / (horizontal * horizontal)
    return update_scalar(m, p, n, rows, CH_FIELD, t, y, noise / (horizontal * horizontal), E_ATT + 2, 0.0)


@kernel
def fuse_axes(
    c: Coefficients, m: Memory, p: Array, n: int, rows: Array, t: float, bx: float, by: float, bz: float, noise: float
) -> int:
    """Take all three axes: b = Rᵀ m + h, so that an error φ shows as Rᵀ (m × φ)."""
    r = rotation(m.attitude[0], m.attitude[1], m.attitude[2], m.attitude[3])
    fn, fe, fd = m.earth_field[0], m.earth_field[1], m.earth_field[2]
    used = 0
    for i in range(3):
        b = bx if i == 0 else by if i == 1 else bz
        y = b - (r[i] * fn + r[3 + i] * fe + r[6 + i] * fd + m.craft_field[i])
        # Rows of Rᵀ [m×].
        first(m, E_ATT, r[3 + i] * fd - r[6 + i] * fe)
        entry(m, E_ATT + 1, r[6 + i] * fn - r[i] * fd)
        entry(m, E_ATT + 2, r[i] * fe - r[3 + i] * fn)
        if c.i_iron >= ALWAYS:
            entry(m, c.i_iron + i, 1.0)
        if c.i_field >= ALWAYS:
            for j in range(3):
                entry(m, c.i_field + j, r[3 * j + i])
        used += update_scalar(m, p, n, rows, CH_FIELD + i, t, y, noise, E_ATT + 2, 0.0)
    return used
