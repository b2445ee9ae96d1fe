"""The craft as a rigid body with motors that lag, in moving air and on the ground; compiled, stepped by Runge-Kutta of order four.

Axes are principal ones; what spinning rotors do as gyros is left out: some percent of the torques of a small craft.
"""

import math
from typing import NamedTuple

from fusus.core._jit import contracting_kernel, kernel

# Sliding on the ground: the friction of plastic feet on grass or wood, and the speed below which they stick. Common practice.
FRICTION, STICKS_M_S = 0.8, 0.05
# A foot gives way so far under the resting craft, with so much of critical damping.
SINKS_M, DAMPING = 0.002, 0.5


class Body(NamedTuple):
    """Mass kg, principal moments kg m², one over each of these, drag per mass 1/s, turning drag N m s, gravity m/s², the ground's
    upward normal (north, east, down), half the distance of the feet m, and their stiffness N/m and damping N s/m."""

    mass_kg: float
    ix: float
    iy: float
    iz: float
    per_mass: float
    per_ix: float
    per_iy: float
    per_iz: float
    drag_per_s: float
    spin_drag: float
    gravity_m_s2: float
    up_n: float
    up_e: float
    up_d: float
    foot_m: float
    stiffness: float
    damping: float


# Position and velocity north-east-down, attitude q_nb, body rate; and thrust N with torques N m.
Motion13 = tuple[float, float, float, float, float, float, float, float, float, float, float, float, float]
Wrench = tuple[float, float, float, float]
# Accelerations from outside north-east-down and torques about the body's axes.
ExternalForces = tuple[float, float, float, float, float, float]


def body_of(
    mass_kg: float, inertia_kg_m2: tuple[float, float, float], drag_per_s: float, gravity_m_s2: float, foot_m: float,
    slope_rad: float = 0.0,
) -> Body:  # fmt: skip
    """Return a body on ground that slopes up to the north by ``slope_rad``; feet at (± foot, ± foot) beside the centre of gravity."""
    weight = mass_kg * gravity_m_s2
    stiffness = weight / (4.0 * SINKS_M)
    damping = 2.0 * DAMPING * math.sqrt(stiffness * mass_kg / 4.0)
    # A craft that spins comes to rest in seconds: turning drag as a share of its inertia.
    spin = 0.3 * max(inertia_kg_m2)
    x, y, z = inertia_kg_m2
    return Body(
        mass_kg, x, y, z, 1.0 / mass_kg, 1.0 / x, 1.0 / y, 1.0 / z, drag_per_s, spin, gravity_m_s2, -math.sin(slope_rad), 0.0,
        -math.cos(slope_rad), foot_m, stiffness, damping,
    )  # fmt: skip


@kernel
def foot_force(b: Body, height: float, vn: float, ve: float, vd: float) -> tuple[float, float, float]:
    """Return the ground's force north-east-down on a foot at a height over it (below zero: pressed in) that moves so."""
    if height >= 0.0:
        return 0.0, 0.0, 0.0
    rises = b.up_n * vn + b.up_e * ve + b.up_d * vd
    press = max(-b.stiffness * height - b.damping * rises, 0.0)
    sn, se, sd = vn - rises * b.up_n, ve - rises * b.up_e, vd - rises * b.up_d
    grip = FRICTION * press / math.sqrt(sn * sn + se * se + sd * sd + STICKS_M_S * STICKS_M_S)
    return press * b.up_n - grip * sn, press * b.up_e - grip * se, press * b.up_d - grip * sd


@kernel
def ground(b: Body, m: Motion13) -> tuple[float, float, float, float, float, float]:
    """Return the ground's force north-east-down, N, and its torque about the body's axes, N m."""
    pn, pe, pd, vn, ve, vd, w, x, y, z, p, q, r = m
    fn, fe, fd, tx, ty, tz = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
    r11, r12, r13 = 1 - 2 * (y * y + z * z), 2 * (x * y - w * z), 2 * (x * z + w * y)
    r21, r22, r23 = 2 * (x * y + w * z), 1 - 2 * (x * x + z * z), 2 * (y * z - w * x)
    r31, r32, r33 = 2 * (x * z - w * y), 2 * (y * z + w * x), 1 - 2 * (x * x + y * y)
    for i in range(4):
        cx = b.foot_m if i < 2 else -b.foot_m
        cy = b.foot_m if i % 2 == 0 else -b.foot_m
        # A foot's place and speed: it lies in the plane of the centre of gravity.
        height = (
            b.up_n * (pn + r11 * cx + r12 * cy)
            + b.up_e * (pe + r21 * cx + r22 * cy)
            + b.up_d * (pd + r31 * cx + r32 * cy)
        )
        if height >= 0.0:
            continue
        ux, uy, uz = -r * cy, r * cx, p * cy - q * cx
        gn, ge, gd = foot_force(
            b,
            height,
            vn + r11 * ux + r12 * uy + r13 * uz,
            ve + r21 * ux + r22 * uy + r23 * uz,
            vd + r31 * ux + r32 * uy + r33 * uz,
        )
        fn, fe, fd = fn + gn, fe + ge, fd + gd
        bx, by, bz = r11 * gn + r21 * ge + r31 * gd, r12 * gn + r22 * ge + r32 * gd, r13 * gn + r23 * ge + r33 * gd
        tx, ty, tz = tx + cy * bz, ty - cx * bz, tz + cx * by - cy * bx
    return fn, fe, fd, tx, ty, tz


@kernel
def is_near(b: Body, pn: float, pe: float, pd: float) -> bool:
    """Whether feet may touch the ground: they reach no further than this below the centre of gravity."""
    return b.up_n * pn + b.up_e * pe + b.up_d * pd < 1.5 * b.foot_m


@kernel
def in_air(b: Body, wn: float, we: float, wd: float) -> ExternalForces:
    """Return what acts from outside in the air: gravity and wind."""
    return b.drag_per_s * wn, b.drag_per_s * we, b.drag_per_s * wd + b.gravity_m_s2, 0.0, 0.0, 0.0


@kernel
def on_ground(b: Body, m: Motion13, air: ExternalForces) -> ExternalForces:
    """Return what acts from outside where feet touch the ground.

    It is held for a step of a fraction of a millisecond: the feet's springs swing a hundred times more slowly.
    """
    gn, ge, gd, tx, ty, tz = ground(b, m)
    return air[0] + gn * b.per_mass, air[1] + ge * b.per_mass, air[2] + gd * b.per_mass, tx, ty, tz


@contracting_kernel
def derivative(b: Body, m: Motion13, f: Wrench, o: ExternalForces) -> Motion13:
    """Return the motion's rate of change under thrust and torques and what acts from outside."""
    _, _, _, vn, ve, vd, w, x, y, z, p, q, r = m
    push = -f[0] * b.per_mass
    return (
        vn, ve, vd,
        push * 2.0 * (x * z + w * y) - b.drag_per_s * vn + o[0],
        push * 2.0 * (y * z - w * x) - b.drag_per_s * ve + o[1],
        push * (1.0 - 2.0 * (x * x + y * y)) - b.drag_per_s * vd + o[2],
        -0.5 * (x * p + y * q + z * r), 0.5 * (w * p + y * r - z * q), 0.5 * (w * q - x * r + z * p), 0.5 * (w * r + x * q - y * p),
        (f[1] + o[3] + (b.iy - b.iz) * q * r - b.spin_drag * p) * b.per_ix,
        (f[2] + o[4] + (b.iz - b.ix) * r * p - b.spin_drag * q) * b.per_iy,
        (f[3] + o[5] + (b.ix - b.iy) * p * q - b.spin_drag * r) * b.per_iz,
    )  # fmt: skip


@contracting_kernel
def moved(m: Motion13, d: Motion13, h: float) -> Motion13:
    """Return m + h d."""
    return (
        m[0] + h * d[0], m[1] + h * d[1], m[2] + h * d[2], m[3] + h * d[3], m[4] + h * d[4], m[5] + h * d[5], m[6] + h * d[6],
        m[7] + h * d[7], m[8] + h * d[8], m[9] + h * d[9], m[10] + h * d[10], m[11] + h * d[11], m[12] + h * d[12],
    )  # fmt: skip


@contracting_kernel
def joined(m: Motion13, k1: Motion13, k2: Motion13, k3: Motion13, k4: Motion13, h: float) -> Motion13:
    """Return the motion after a step of h from its four rates of change, the quaternion made unit."""
    s = h / 6.0
    w = m[6] + s * (k1[6] + 2.0 * (k2[6] + k3[6]) + k4[6])
    x = m[7] + s * (k1[7] + 2.0 * (k2[7] + k3[7]) + k4[7])
    y = m[8] + s * (k1[8] + 2.0 * (k2[8] + k3[8]) + k4[8])
    z = m[9] + s * (k1[9] + 2.0 * (k2[9] + k3[9]) + k4[9])
    n = 1.5 - 0.5 * (w * w + x * x + y * y + z * z)
    return (
        m[0] + s * (k1[0] + 2.0 * (k2[0] + k3[0]) + k4[0]), m[1] + s * (k1[1] + 2.0 * (k2[1] + k3[1]) + k4[1]),
        m[2] + s * (k1[2] + 2.0 * (k2[2] + k3[2]) + k4[2]), m[3] + s * (k1[3] + 2.0 * (k2[3] + k3[3]) + k4[3]),
        m[4] + s * (k1[4] + 2.0 * (k2[4] + k3[4]) + k4[4]), m[5] + s * (k1[5] + 2.0 * (k2[5] + k3[5]) + k4[5]),
        w * n, x * n, y * n, z * n, m[10] + s * (k1[10] + 2.0 * (k2[10] + k3[10]) + k4[10]),
        m[11] + s * (k1[11] + 2.0 * (k2[11] + k3[11]) + k4[11]), m[12] + s * (k1[12] + 2.0 * (k2[12] + k3[12]) + k4[12]),
    )  # fmt: skip


@contracting_kernel
def stepped(b: Body, m: Motion13, f0: Wrench, f1: Wrench, f2: Wrench, o: ExternalForces, h: float) -> Motion13:
    """Return the motion after a step of classical Runge-Kutta; thrust and torques at its beginning, middle and end."""
    k1 = derivative(b, m, f0, o)
    k2 = derivative(b, moved(m, k1, 0.5 * h), f1, o)
    k3 = derivative(b, moved(m, k2, 0.5 * h), f1, o)
    k4 = derivative(b, moved(m, k3, h), f2, o)
    return joined(m, k1, k2, k3, k4, h)
