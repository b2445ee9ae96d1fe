"""What the filter sums up between updates, and the updates themselves.

Accelerations of a flying craft last for tenths of a second to seconds, so neighbouring accelerometer samples carry
nearly the same error. Averaging them in north-east-down over a window, and one update a window, keeps the claimed
sigma honest; how much the craft moves is measured from the innovations themselves.

Arrays, where a function does not say otherwise (shape, unit, frame):

    h : (3, 6) any, b
    p : (6, 6) rad² and rad²/s², b
    work : (3, 6) any, b
    k : (6,) any, b
"""

import math
from typing import NamedTuple

from fusus.core._jit import kernel
from fusus.core.arrays import Array
from fusus.core.estimation.attitude_ekf.covariance import project, update, update_beside
from fusus.core.estimation.attitude_math import ACC_GATED, ACC_USED, MAG_USED, down_in_body, to_nav

# How long the filter looks back to judge how much the craft moves and how much the field wavers.
ADAPT_S = 10.0
# A craft cannot accelerate one way for ever: an innovation with a mean is an error of the filter, not motion.
MEAN_S = 20.0
# Gravity is refused no longer than this: then the attitude is rather wrong than the craft accelerating.
ACC_RECOVER_S = 10.0
# How long a field error lasts (motors, passing steel): the accelerometer's counterpart is a parameter.
MAG_TAU_S = 1.0
# From this variance of the heading on, rad², gravity leaves it alone: some 17°.
KNOWN_HEADING_VAR = 0.09
# Windows of the accelerometer are never taken to be more alike than this.
MOST_ALIKE = 0.97


class Coefficients(NamedTuple):
    """Constant during a run: variances in rad^2 where not said otherwise."""

    gyro_var: float
    walk_var: float
    scale_var: float
    window_s: float
    gravity_m_s2: float
    acc_gate_m_s2: float
    acc_floor_var: float
    acc_start_var: float
    acc_start_near: float
    acc_start_far: float
    field_ut: float
    dip_rad: float
    tan_dip: float
    mag_gate: float
    dip_gate_rad: float
    mag_white_var: float
    mag_start_var: float
    mag_inflate: float
    gate2: float
    recover_s: float
    sin_dec: float
    cos_dec: float
    tilt_bias_var: float
    heading_bias_var: float


class Window(NamedTuple):
    """Sums since the last update (specific force · s, heading innovation in rad), what was learnt, the last NIS; the tilts seen in
    the last four windows (how many there are, north and east, rad), and half the mean squares of their changes over one and over four."""

    t_s: float
    fn: float
    fe: float
    fd: float
    heading: float
    fields: float
    refused: float
    acc_var: float
    mag_var: float
    mean_heading: float
    acc_refused_s: float
    mag_refused_s: float
    nis_acc: float
    nis_mag: float
    windows: float
    n1: float
    n2: float
    n3: float
    n4: float
    e1: float
    e2: float
    e3: float
    e4: float
    near_var: float
    far_var: float


@kernel
def nav_rows(w: float, x: float, y: float, z: float, turn_n: float, turn_e: float, turn_d: float, h: Array) -> None:
    """Write a row that reads the attitude error about a north-east-down axis: the axis seen from the body."""
    r00, r01, r02 = 1.0 - 2.0 * (y * y + z * z), 2.0 * (x * y - w * z), 2.0 * (x * z + w * y)
    r10, r11, r12 = 2.0 * (x * y + w * z), 1.0 - 2.0 * (x * x + z * z), 2.0 * (y * z - w * x)
    r20, r21, r22 = 2.0 * (x * z - w * y), 2.0 * (y * z + w * x), 1.0 - 2.0 * (x * x + y * y)
    h[0] = turn_n * r00 + turn_e * r10 + turn_d * r20
    h[1] = turn_n * r01 + turn_e * r11 + turn_d * r21
    h[2] = turn_n * r02 + turn_e * r12 + turn_d * r22


@kernel
def heading_variance(p: Array, dx: float, dy: float, dz: float) -> float:
    """Return the variance of the turn about down (unit, body axes), rad²."""
    across = dx * dy * p[0, 1] + dx * dz * p[0, 2] + dy * dz * p[1, 2]
    return float(dx * dx * p[0, 0] + dy * dy * p[1, 1] + dz * dz * p[2, 2] + 2.0 * across)


@kernel
def gravity_row(w: float, x: float, y: float, z: float, half: float, north: int, h: Array) -> None:
    """Write the row of f_N/g = φ_E (``north`` = 1) or f_E/g = -φ_N, seen ``half`` seconds before now."""
    if north == 1:
        nav_rows(w, x, y, z, 0.0, 1.0, 0.0, h)
    else:
        nav_rows(w, x, y, z, -1.0, 0.0, 0.0, h)
    h[3], h[4], h[5] = half * h[0], half * h[1], half * h[2]


@kernel
def alike(near_var: float, far_var: float) -> float:
    """Return the correlation ρ of neighbouring windows of a first-order process: far / near = 1 + ρ + ρ² + ρ³, by Newton's steps."""
    if far_var <= near_var:
        return 0.0
    ratio = far_var / near_var
    rho = MOST_ALIKE
    if ratio < 4.0:
        rho = (ratio - 1.0) / 3.0
        for _ in range(8):
            rho -= (1.0 + rho * (1.0 + rho * (1.0 + rho)) - ratio) / (1.0 + rho * (2.0 + 3.0 * rho))
    return float(min(rho, MOST_ALIKE))


@kernel
def lasting(acc_var: float, near_var: float, far_var: float) -> float:
    """Return the variance that a window weighs by: accelerations that last make neighbours alike, and so many windows weigh as one."""
    rho = alike(near_var, far_var)
    return acc_var * (1.0 + rho) / (1.0 - rho)


@kernel
def doubt_heading(w: float, x: float, y: float, z: float, var: float, p: Array, k: Array) -> None:
    """Add a variance to the heading: refused for long, the field is rather right and the heading wrong than the other way round."""
    nav_rows(w, x, y, z, 0.0, 0.0, 1.0, k)
    for i in range(3):
        for j in range(3):
            p[i, j] += var * k[i] * k[j]


@kernel
def fold_window(
    c: Coefficients, n: Window, w: float, x: float, y: float, z: float, p: Array, work: Array
) -> tuple[Window, int]:
    """Return an empty window after updating P and leaving the error found in ``work[2]``.

    A horizontal specific force over the vertical one is a tilt error: f_N/g = φ_E, f_E/g = -φ_N. A heading innovation
    is φ_D - tan(dip) (φ_N cos D + φ_E sin D). The sums see the attitude of mid-window, t/2 of bias error ago.
    """
    h, k, e = work[0], work[1], work[2]
    e[:] = 0.0
    half = 0.5 * n.t_s
    used = 0
    nis_acc, nis_mag = math.nan, math.nan
    acc_var, mag_var, mean_heading = n.acc_var, n.mag_var, n.mean_heading
    windows, near_var, far_var = n.windows, n.near_var, n.far_var
    n1, n2, n3, n4 = n.n1, n.n2, n.n3, n.n4
    e1, e2, e3, e4 = n.e1, n.e2, n.e3, n.e4
    acc_refused_s, mag_refused_s = n.acc_refused_s, n.mag_refused_s
    adapt = n.t_s / (n.t_s + ADAPT_S)
    forget = n.t_s / (n.t_s + MEAN_S)

    up = -n.fd / n.t_s
    if abs(up - c.gravity_m_s2) <= c.acc_gate_m_s2:
        yn, ye = n.fn / n.t_s / up, n.fe / n.t_s / up
        gravity_row(w, x, y, z, half, 1, h)
        sn = project(p, h, k)
        gravity_row(w, x, y, z, half, 0, h)
        se = project(p, h, k)
        nis_acc = yn * yn / (sn + acc_var) + ye * ye / (se + acc_var)
        if nis_acc <= 2.0 * c.gate2 or acc_refused_s > ACC_RECOVER_S:
            if nis_acc > 2.0 * c.gate2:
                for i in range(3):
                    p[i, i] += yn * yn + ye * ye
            r = lasting(acc_var, near_var, far_var)
            # Gravity shows no heading: where that is hardly known, rounding and tilts of before would leak from it.
            dx, dy, dz = down_in_body(w, x, y, z)
            if heading_variance(p, dx, dy, dz) < KNOWN_HEADING_VAR:
                dx, dy, dz = 0.0, 0.0, 0.0
            update_beside(p, h, k, r, ye, e, dx, dy, dz)
            gravity_row(w, x, y, z, half, 1, h)
            update_beside(p, h, k, r, yn, e, dx, dy, dz)
            acc_refused_s = 0.0
            used |= ACC_USED
        else:
            acc_refused_s += n.t_s
            used |= ACC_GATED
        # How much the tilts seen change from window to window, and over four: motion, for the gyro's own drift is slow beside it. What the
        # filter itself made of it does not count: all are seen from the attitude of now.
        most = c.gate2 * acc_var
        if windows >= 1.0:
            near_var += adapt * (min(0.25 * ((yn - n1) ** 2 + (ye - e1) ** 2), most) - near_var)
        if windows >= 4.0:
            far_var += adapt * (min(0.25 * ((yn - n4) ** 2 + (ye - e4) ** 2), most) - far_var)
        acc_var = max(c.acc_floor_var, near_var / (1.0 - alike(near_var, far_var)))
        turn_n, turn_e, _ = to_nav(w, x, y, z, e[0], e[1], e[2])
        n4, n3, n2, n1 = n3 - turn_e, n2 - turn_e, n1 - turn_e, yn - turn_e
        e4, e3, e2, e1 = e3 + turn_n, e2 + turn_n, e1 + turn_n, ye + turn_n
        windows = min(windows + 1.0, 4.0)
    else:
        used |= ACC_GATED

    if n.fields > 0.0 and n.fields >= n.refused:
        y_mag = n.heading / n.fields
        ct, st = -c.tan_dip * c.cos_dec, -c.tan_dip * c.sin_dec
        nav_rows(w, x, y, z, ct, st, 1.0, h)
        h[3], h[4], h[5] = half * h[0], half * h[1], half * h[2]
        s_mag = project(p, h, k)
        v = max(mag_var, c.mag_white_var / n.fields)
        nis_mag = y_mag * y_mag / (s_mag + v)
        excess = min((y_mag - mean_heading) ** 2, c.gate2 * (s_mag + v)) - s_mag
        mean_heading += forget * (y_mag - mean_heading)
        if nis_mag <= c.gate2 or mag_refused_s > c.recover_s:
            if nis_mag > c.gate2:
                doubt_heading(w, x, y, z, y_mag * y_mag, p, k)
            update(p, h, k, v * c.mag_inflate, y_mag, e)
            mag_refused_s = 0.0
            mean_heading = mean_heading if nis_mag <= c.gate2 else 0.0
            used |= MAG_USED
        else:
            mag_refused_s += n.t_s
        mag_var = max(c.mag_white_var / n.fields, mag_var + adapt * (excess - mag_var))
    empty = Window(
        0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0,
        acc_var, mag_var, mean_heading, acc_refused_s, mag_refused_s, nis_acc, nis_mag,
        windows, n1, n2, n3, n4, e1, e2, e3, e4, near_var, far_var,
    )  # fmt: skip
    return empty, used
