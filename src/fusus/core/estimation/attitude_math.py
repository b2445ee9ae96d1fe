"""Compiled pieces that the attitude kernels share: plain floats in and out, attitudes body to north-east-down."""

import math
from typing import NamedTuple

from fusus.core._jit import contracting_kernel, kernel

# Bits of the flag that each sample leaves behind: why the estimate did what it did.
ACC_USED = 1
ACC_GATED = 2
MAG_USED = 4
MAG_GATED = 8
GAP = 16
GNSS_USED = 32
GNSS_GATED = 64
BARO_GATED = 128


class State(NamedTuple):
    """What a filter without covariance hands on: attitude ``q_nb``, gyro bias in rad/s (fixed in the complementary filter), what it
    keeps of the field (the last heading error in rad, or the time since the last field in s), the last sample's flags."""

    w: float
    x: float
    y: float
    z: float
    bx: float
    by: float
    bz: float
    kept: float
    flags: int


# Longer steps than this are gaps: the attitude goes on with the last rate, and the sample is flagged.
GAP_S = 0.25
# No sensor of this kind reads more, in rad/s, m/s² and µT, and no interval is longer, in s: what is beyond, or no number, did not come.
MOST_RAD_S, MOST_M_S2, MOST_UT, MOST_S = 1e3, 1e4, 1e5, 1e4
# By how much the square of a quaternion's length may be off one before it is brought back: 16 times the last place.
PLACES = 16.0 * 2.0**-52


@kernel
def is_reading(x: float, y: float, z: float, most: float) -> bool:
    """Return whether three figures are a reading: numbers, and none beyond ``most``."""
    return abs(x) <= most and abs(y) <= most and abs(z) <= most


@kernel
def sound_step(dt: float) -> float:
    """Return an interval of samples, s; none where it is no number, negative or beyond all reason."""
    return dt if 0.0 <= dt <= MOST_S else 0.0


@kernel
def sound_factor(said: float) -> float:
    """Return a factor of a variance as a receiver's word gives it; one where it says nothing usable."""
    return said if 1e-4 <= said <= 1e8 else 1.0


@kernel
def unit(w: float, x: float, y: float, z: float) -> tuple[float, float, float, float]:
    """Return a quaternion of length one; near one a Newton step is exact and spares root and division."""
    n2 = w * w + x * x + y * y + z * z
    n = 1.5 - 0.5 * n2 if abs(n2 - 1.0) < 1e-8 else 1.0 / math.sqrt(n2)
    return w * n, x * n, y * n, z * n


@contracting_kernel
def turn(w: float, x: float, y: float, z: float, rx: float, ry: float, rz: float) -> tuple[float, float, float, float]:
    """Return the unit quaternion q ⊗ exp(r/2) for a rotation vector r in rad."""
    h2 = 0.25 * (rx * rx + ry * ry + rz * rz)
    if h2 < 0.01:
        # The series is exact to 2e-12 here and spares two trigonometric calls.
        c = 1.0 - h2 * (0.5 - h2 * (1.0 / 24.0 - h2 / 720.0))
        k = 0.5 * (1.0 - h2 * (1.0 / 6.0 - h2 * (1.0 / 120.0 - h2 / 5040.0)))
    else:
        h = math.sqrt(h2)
        c = math.cos(h)
        k = 0.5 * math.sin(h) / h
    px, py, pz = k * rx, k * ry, k * rz
    qw = w * c - x * px - y * py - z * pz
    qx = w * px + x * c + y * pz - z * py
    qy = w * py - x * pz + y * c + z * px
    qz = w * pz + x * py - y * px + z * c
    # A product of unit quaternions is unit but for rounding. Brought back at every step, roundings of a single place would add up to
    # a turn of their own: it waits for some places, and then one step of Newton's for 1/√n is exact.
    off = 1.0 - (qw * qw + qx * qx + qy * qy + qz * qz)
    if abs(off) > PLACES:
        scale = 1.0 + 0.5 * off
        qw, qx, qy, qz = qw * scale, qx * scale, qy * scale, qz * scale
    return qw, qx, qy, qz


@kernel
def nudge(w: float, x: float, y: float, z: float, rx: float, ry: float, rz: float) -> tuple[float, float, float, float]:
    """Return the unit quaternion turned by a rotation vector r of some milliradians: first order, then made unit."""
    px, py, pz = 0.5 * rx, 0.5 * ry, 0.5 * rz
    return unit(
        w - x * px - y * py - z * pz,
        x + w * px + y * pz - z * py,
        y - x * pz + w * py + z * px,
        z + x * py - y * px + w * pz,
    )


@kernel
def down_in_body(w: float, x: float, y: float, z: float) -> tuple[float, float, float]:
    """Return the down direction in body axes: the third row of R(q)."""
    return 2.0 * (x * z - w * y), 2.0 * (y * z + w * x), 1.0 - 2.0 * (x * x + y * y)


@contracting_kernel
def to_nav(w: float, x: float, y: float, z: float, vx: float, vy: float, vz: float) -> tuple[float, float, float]:
    """Return R(q) v."""
    tx = 2.0 * (y * vz - z * vy)
    ty = 2.0 * (z * vx - x * vz)
    tz = 2.0 * (x * vy - y * vx)
    return vx + w * tx + y * tz - z * ty, vy + w * ty + z * tx - x * tz, vz + w * tz + x * ty - y * tx


@kernel
def tilt_error(
    dx: float, dy: float, dz: float, ax: float, ay: float, az: float, norm: float
) -> tuple[float, float, float]:
    """Return the rotation, body axes, from the estimated down d to the one that the specific force shows.

    At rest the specific force points up, so down is -f/|f|; the cross product is the sine of the angle.
    """
    inverse = -1.0 / norm
    mx, my, mz = ax * inverse, ay * inverse, az * inverse
    return my * dz - mz * dy, mz * dx - mx * dz, mx * dy - my * dx


@kernel
def heading_error(mn: float, me: float, sin_dec: float, cos_dec: float) -> float:
    """Return the angle about down, rad, that turns a horizontal field (north, east) onto the declination."""
    return math.atan2(sin_dec * mn - cos_dec * me, cos_dec * mn + sin_dec * me)
