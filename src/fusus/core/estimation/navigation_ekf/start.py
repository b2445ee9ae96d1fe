"""The first state and how far it may be off, with what belongs together."""

import math

import numpy as np

from fusus.core.arrays import Array
from fusus.core.estimation.aiding import Aiding
from fusus.core.estimation.initial import Start
from fusus.core.estimation.navigation_ekf.covariance import project, ud_update
from fusus.core.estimation.navigation_ekf.measure import GREATEST_LEVEL, LEAST_LEVEL, entry, first
from fusus.core.estimation.navigation_ekf.parameters import Parameters
from fusus.core.estimation.navigation_ekf.receiver import GREATEST_DRIFT
from fusus.core.estimation.navigation_ekf.side_by_side import NOTHING_KNOWN, Known
from fusus.core.estimation.navigation_ekf.states import (
    ALWAYS,
    CH_POS,
    CH_VEL,
    E_ACC,
    E_ATT,
    E_BARO,
    E_GYRO,
    E_POS,
    E_VEL,
    FACTORS,
    MOMENTS,
    NEVER_S,
    Coefficients,
    D,
    Memory,
    Moment,
    State,
    W,
)
from fusus.core.estimation.rests import LATER_S, REST_BIAS_RAD_S
from fusus.core.frames.quaternion import to_matrix
from fusus.core.records import rows_of, zeros
from fusus.core.world.site import Site

# One sigma: a place that nothing shows, a velocity in motion, a tilt in motion, a heading that nothing shows.
FAR_M, MOVING_M_S, MOVING_TILT_RAD, UNKNOWN_HEADING_RAD = 100.0, 10.0, 0.2, math.pi / math.sqrt(3.0)
# Before the heading's first look at the field its doubt is this: the look then ties it to the iron's.
LOOSE_HEADING_RAD = 0.5
REST_M_S = 0.02
# What carries the sensors is not known in motion: all of its shaking may go through as noise (a hundred times LEAK², as a logarithm).
UNKNOWN_CARRIER = math.log(100.0)
# A home whose place nothing is said of is where the craft stands.
HOME_M = 0.01
# The barometer's zero is a mean of so many samples, of this variance at least.
ZERO_SAMPLES, LEAST_ZERO_VAR = 10.0, 1e-9
# What gravity shows at rest: over so long at least, with this share of the scale error at the tilts of a rest, and this variance at least.
LEAST_REST_S, LEVEL_SCALE, LEAST_LEVEL_VAR = 0.1, 1e-3, 1e-8


def coefficients(p: Parameters, site: Site, start: Start, aiding: Aiding) -> Coefficients:
    """Return what is constant during a run at ``site``."""
    at = ALWAYS
    places = []
    for wanted, size in (
        (len(aiding.gnss) > 0 and p.gnss_wander_horizontal_m + p.gnss_wander_vertical_m > 0.0, 3),
        (len(aiding.gnss) > 0 and p.gnss_delay_sigma_s > 0.0, 1),
        (len(aiding.gnss) > 0 and p.lever_arm_sigma_m > 0.0, 3),
        (_has_field(p, aiding, start) and p.mag_field_sigma_ut > 0.0, 3),
        (_has_field(p, aiding, start) and p.mag_iron_sigma_ut > 0.0, 3),
    ):
        places.append(at if wanted else -1)
        at += size if wanted else 0
    dip = start.dip_rad if start.has_heading else 1.0
    field = start.field_ut if start.has_heading else 50.0
    horizontal = field * math.cos(dip)
    ground = 0.0 if stands_at_home(p, aiding) else _first_fix(aiding)[2]
    return Coefficients(
        gravity_m_s2=float(site.gravity_m_s2),
        every=int(p.covariance_every),
        gyro_var=float(p.gyro_noise_rad_s_rthz**2),
        gyro_walk_var=float(p.gyro_walk_rad_s2_rthz**2),
        gyro_scale_var=float(p.gyro_scale_sigma**2),
        gyro_cross_var=float(p.gyro_cross_sigma_rad**2),
        acc_var=float(p.acc_noise_m_s2_rthz**2),
        acc_walk_var=float(p.acc_walk_m_s3_rthz**2),
        acc_scale_var=float(p.acc_scale_sigma**2),
        gnss_var_h=float(p.gnss_horizontal_m**2),
        gnss_var_v=float(p.gnss_vertical_m**2),
        gnss_bias_var_h=float(p.gnss_wander_horizontal_m**2),
        gnss_bias_var_v=float(p.gnss_wander_vertical_m**2),
        gnss_bias_tau_s=float(p.gnss_wander_tau_s),
        velocity_var_h=float(p.gnss_velocity_horizontal_m_s**2),
        velocity_var_v=float(p.gnss_velocity_vertical_m_s**2),
        follow=1.0 if p.follow_gnss else 0.0,
        delay_var=float(p.gnss_delay_sigma_s**2),
        baro_var=float(p.baro_noise_m**2),
        baro_shown_var=float(p.baro_noise_m**2) * _after_filter(p.baro_delay_s, aiding.baro[:, 0]),
        baro_walk_var=float(p.baro_walk_m_rthz**2),
        baro_delay_s=float(p.baro_delay_s),
        airflow=float(p.baro_airflow),
        mag_var=float(p.mag_noise_ut**2),
        mag_soft_var=float((p.mag_soft_sigma * horizontal) ** 2 + p.mag_surroundings_ut**2),
        motor_var=float(p.mag_motor_sigma_ut**2),
        iron_walk_var=float(p.mag_iron_walk_ut_rthz**2),
        field_ut=float(field),
        horizontal_ut=float(horizontal),
        dip_rad=float(dip),
        mag_gate=float(p.mag_gate),
        dip_gate_rad=float(p.dip_gate_rad),
        vector=bool(p.mag_vector),
        course=bool(p.course_heading),
        course_speed_m_s=float(p.course_speed_m_s),
        course_var=float(p.course_crab_rad**2),
        ground_down_m=float(ground),
        gate2=float(p.gate_sigma**2),
        recover_s=float(p.recover_s),
        i_gnss_bias=places[0],
        i_delay=places[1],
        i_arm=places[2],
        i_field=places[3],
        i_iron=places[4],
    )


def size_of(c: Coefficients) -> int:
    """Return how many errors the filter holds."""
    return ALWAYS + sum(
        n
        for i, n in zip((c.i_gnss_bias, c.i_delay, c.i_arm, c.i_field, c.i_iron), (3, 1, 3, 3, 3), strict=True)
        if i > 0
    )


def _after_filter(delay_s: float, t_s: Array) -> float:
    """Return which share of a white variance a first-order filter of that delay leaves in single samples: a / (2 - a)."""
    if len(t_s) < 3 or delay_s <= 0.0:
        return 1.0
    a = 1.0 - math.exp(-max(float(np.median(np.diff(t_s))), 1e-4) / delay_s)
    return a / (2.0 - a)


def _has_field(p: Parameters, aiding: Aiding, start: Start) -> bool:
    return len(aiding.mag) > 0 and not p.course_heading and start.has_heading


def _first_fix(aiding: Aiding) -> Array:
    known = np.flatnonzero(np.isfinite(aiding.gnss[:, 1:4]).all(axis=1))
    return aiding.gnss[known[0], 1:4] if len(known) else np.zeros(3)


def stands_at_home(p: Parameters, aiding: Aiding) -> bool:
    """Return whether the place of the start is known: home by definition, by the parameters, or for want of fixes."""
    return aiding.starts_at_home or p.home_sigma_m < FAR_M or not len(aiding.gnss)


def initial_state(
    p: Parameters, c: Coefficients, start: Start, aiding: Aiding, site: Site, known: Known = NOTHING_KNOWN
) -> State:
    """Return the state before the first sample; ``known`` says what is known from elsewhere."""
    n = size_of(c)
    m = zeros(Memory)
    m.attitude[:] = start.q_nb
    m.gyro_bias[:] = start.gyro_bias_b
    m.gnss_delay_s = p.gnss_delay_s
    m.lever_arm[:] = p.lever_arm_x_m, p.lever_arm_y_m, p.lever_arm_z_m
    if site.field is not None:
        m.earth_field[:] = site.field.vector_ut
    else:
        m.earth_field[:] = c.horizontal_ut, 0.0, c.horizontal_ut * math.tan(c.dip_rad)
    at_home = stands_at_home(p, aiding)
    fix = _first_fix(aiding)
    if not at_home:
        m.position[:] = fix
    m.baro_offset = m.position[2]  # heights of the barometer begin at zero
    diagonal = np.zeros(n)
    place = min(p.home_sigma_m, FAR_M) if at_home and p.home_sigma_m < FAR_M else HOME_M if at_home else FAR_M
    diagonal[E_POS : E_POS + 3] = place**2
    diagonal[E_VEL : E_VEL + 3] = REST_M_S**2
    diagonal[E_ATT : E_ATT + 2] = MOVING_TILT_RAD**2
    diagonal[E_ATT + 2] = _heading_var(p, aiding, start, known.heading_sigma_rad)
    diagonal[E_GYRO : E_GYRO + 3] = p.gyro_bias_sigma_rad_s**2
    if start.bias_sigma_rad_s > 0.0:
        later = start.bias_sigma_rad_s**2 + p.gyro_walk_rad_s2_rthz**2 * LATER_S + REST_BIAS_RAD_S**2
        diagonal[E_GYRO : E_GYRO + 3] = np.minimum(diagonal[E_GYRO : E_GYRO + 3], later)
    diagonal[E_ACC : E_ACC + 3] = p.acc_bias_sigma_m_s2**2
    if c.i_delay > 0:
        diagonal[c.i_delay] = c.delay_var
        if known.delay_s is not None:
            m.gnss_delay_s = known.delay_s
            diagonal[c.i_delay] = known.delay_sigma_s**2
    _believe_receiver(m, p, aiding)
    m.motion_level = 0.0 if start.is_still else UNKNOWN_CARRIER
    if known.motion_level is not None:
        m.motion_level = known.motion_level
    if known.noise_level is not None:
        m.noise_level[:] = known.noise_level
        m.drift_level[:] = (
            min(float(np.mean(known.noise_level[:2])), GREATEST_DRIFT),
            min(float(known.noise_level[2]), GREATEST_DRIFT),
        )
    if c.i_gnss_bias > 0:
        diagonal[c.i_gnss_bias : c.i_gnss_bias + 3] = c.gnss_bias_var_h, c.gnss_bias_var_h, c.gnss_bias_var_v
        diagonal[c.i_gnss_bias : c.i_gnss_bias + 3] *= np.exp(m.drift_level[[0, 0, 1]])
    if c.i_arm > 0:
        diagonal[c.i_arm : c.i_arm + 3] = p.lever_arm_sigma_m**2
    if c.i_field > 0:
        diagonal[c.i_field : c.i_field + 3] = p.mag_field_sigma_ut**2
    if c.i_iron > 0:
        diagonal[c.i_iron : c.i_iron + 3] = p.mag_iron_sigma_ut**2
    if not start.is_still:
        diagonal[E_VEL : E_VEL + 3] = MOVING_M_S**2
        moving = np.flatnonzero(np.isfinite(aiding.gnss[:, 4:7]).all(axis=1))[:1]
        if len(moving):
            m.velocity[:] = aiding.gnss[moving[0], 4:7]
    factors = np.zeros(FACTORS)
    m.channel_s[:] = NEVER_S
    m.rest_s, m.history_s = -1.0, NEVER_S
    m.gate2, m.recover_s = c.gate2, c.recover_s
    m.i_gnss_bias, m.i_delay, m.i_arm, m.i_field, m.i_iron = c.i_gnss_bias, c.i_delay, c.i_arm, c.i_field, c.i_iron
    factors[: (W + 1) * n : W + 1] = 1.0
    factors[D : D + n] = diagonal
    # The barometer's zero is the height of the start, but for its noise: an error of one is an error of the other.
    placed, own = place**2, max(p.baro_noise_m**2 / ZERO_SAMPLES, LEAST_ZERO_VAR)
    factors[D + E_BARO] = placed + own
    factors[D + E_POS + 2] = placed * own / (placed + own)
    factors[W * E_BARO + E_POS + 2] = placed / (placed + own)
    if start.is_still:
        _see_gravity(m, factors, n, to_matrix(start.q_nb), site.gravity_m_s2, p, start.rest_s)
    return State(m, factors, rows_of(Moment, MOMENTS), n)


def _believe_receiver(m: Memory, p: Parameters, aiding: Aiding) -> None:
    """Set the factors of the fixes' noise by what the receiver says of its own accuracy: of all its error, over both horizontal axes."""
    wander = p.gnss_wander_horizontal_m, p.gnss_wander_vertical_m
    horizontal, vertical, speed = aiding.accuracy
    usual = math.hypot(p.gnss_horizontal_m, wander[0]), math.hypot(p.gnss_vertical_m, wander[1])
    if horizontal > 0.0:
        m.said_level[0] = 2.0 * math.log(horizontal / math.sqrt(2.0) / usual[0])
        m.said_level[1] = m.said_level[0] if not vertical > 0.0 else 2.0 * math.log(vertical / usual[1])
        m.said_level[:] = np.clip(m.said_level, LEAST_LEVEL, GREATEST_DRIFT)
        # All of it may be from fix to fix: the innovations will show.
        level = np.array(
            [2.0 * math.log(usual[0] / p.gnss_horizontal_m)] * 2 + [2.0 * math.log(usual[1] / p.gnss_vertical_m)]
        )
        m.noise_level[CH_POS : CH_POS + 3] = np.clip(m.said_level[[0, 0, 1]] + level, LEAST_LEVEL, GREATEST_LEVEL)
        m.first_level[:] = m.noise_level[CH_POS + 1 : CH_POS + 3]
    if speed > 0.0:
        m.noise_level[CH_VEL : CH_VEL + 3] = np.clip(
            2.0 * math.log(speed / p.gnss_velocity_horizontal_m_s), LEAST_LEVEL, GREATEST_LEVEL
        )


def _heading_var(p: Parameters, aiding: Aiding, start: Start, sigma: float | None) -> float:
    if sigma is not None:
        return sigma**2
    return LOOSE_HEADING_RAD**2 if _has_field(p, aiding, start) else UNKNOWN_HEADING_RAD**2


def _see_gravity(
    m: Memory, factors: Array, n: int, rotation: Array, gravity: float, p: Parameters, rest_s: float
) -> None:
    """Fold the level part of the specific force at rest in: tilt and accelerometer bias are then known only together.

    The attitude was made from it: what it says is zero. The vertical part is left to the rest that follows.
    """
    mean, scale = p.acc_noise_m_s2_rthz**2 / max(rest_s, LEAST_REST_S), LEVEL_SCALE * gravity * p.acc_scale_sigma
    noise = mean + scale**2 + LEAST_LEVEL_VAR
    for axis in range(2):
        first(m, E_ATT + 1 - axis, -gravity if axis == 0 else gravity)
        for j in range(3):
            entry(m, E_ACC + j, -rotation[axis, j])
        project(factors, m)
        ud_update(factors, m, n, noise, 0.0)
