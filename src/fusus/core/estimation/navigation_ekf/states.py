"""Where each figure stands, and what the filter carries from sample to sample."""

from collections.abc import Sequence
from typing import Annotated, NamedTuple

from fusus.core.arrays import Array
from fusus.core.records import Record

# The nominal state: position m, velocity m/s (both north-east-down), attitude q_nb, gyro bias rad/s, accelerometer bias
# m/s^2 (body), barometer offset m, GNSS bias m, GNSS delay s, lever arm m (body), earth field µT (north-east-down),
# field of the craft µT (body).
POS, VEL, ATT, GYRO, ACC, BARO, GNSS_BIAS, DELAY, ARM, FIELD, IRON = 0, 3, 6, 10, 13, 16, 17, 20, 21, 24, 27
NOMINAL = 30
# The error state, truth minus estimate, with a rotation in place of the quaternion: R_true = exp([φ]×) R, φ in
# north-east-down. The sixteen first are always there; where the others begin is in the coefficients, -1 for absent.
E_POS, E_VEL, E_ATT, E_GYRO, E_ACC, E_BARO = 0, 3, 6, 9, 12, 15
ALWAYS = 16
MOST = 29

# Channels of measurement.
CH_POS, CH_VEL, CH_BARO, CH_FIELD, CH_RANGE, CH_STILL, CH_RATE, CH_COURSE, CH_LEVEL = 0, 3, 6, 7, 10, 11, 14, 17, 18
CHANNELS = 20

# What is known of a sample beforehand.
AT_REST, ACC_CLIPPED, GYRO_CLIPPED, NOT_MEASURED = 1, 2, 4, 8

MOMENTS = 512

# The covariance's factors lie flat, with this distance from column to column, more than there are errors; after them D, and what is to be
# added to D and yet too small.
W = 32
D = W * W
WAITING = D + W
FACTORS = WAITING + W


class Coefficients(NamedTuple):
    """Constant during a run. Variances are squares of the parameters' units; ``i_*`` where optional errors begin."""

    gravity_m_s2: float
    every: int
    gyro_var: float
    gyro_walk_var: float
    gyro_scale_var: float
    gyro_cross_var: float
    acc_var: float
    acc_walk_var: float
    acc_scale_var: float
    gnss_var_h: float
    gnss_var_v: float
    gnss_bias_var_h: float
    gnss_bias_var_v: float
    gnss_bias_tau_s: float
    velocity_var_h: float
    velocity_var_v: float
    follow: float
    delay_var: float
    baro_var: float
    baro_shown_var: float
    baro_walk_var: float
    baro_delay_s: float
    airflow: float
    mag_var: float
    mag_soft_var: float
    motor_var: float
    iron_walk_var: float
    field_ut: float
    horizontal_ut: float
    dip_rad: float
    mag_gate: float
    dip_gate_rad: float
    vector: bool
    course: bool
    course_speed_m_s: float
    course_var: float
    ground_down_m: float
    gate2: float
    recover_s: float
    i_gnss_bias: int
    i_delay: int
    i_arm: int
    i_field: int
    i_iron: int


class Memory(Record):
    """What the filter carries from sample to sample beside its covariance: the state, what has built up since the covariance's last step,
    where each stream stands, what each channel of measurement said last, and room to work in."""

    # The nominal state: m, m/s (north-east-down), attitude q_nb, rad/s, m/s^2 (body).
    position: Annotated[Array, 3]
    velocity: Annotated[Array, 3]
    attitude: Annotated[Array, 4]
    gyro_bias: Annotated[Array, 3]
    acc_bias: Annotated[Array, 3]
    # Of the sensors beside: m, m (north-east-down), s, m (body), µT (north-east-down), µT (body).
    baro_offset: float
    gnss_bias: Annotated[Array, 3]
    gnss_delay_s: float
    lever_arm: Annotated[Array, 3]
    earth_field: Annotated[Array, 3]
    craft_field: Annotated[Array, 3]
    # The group of samples since the last step of the covariance: duration, number, force·s, rotation, what is known of them.
    group_s: float
    group_count: float
    group_force: Annotated[Array, 3]
    group_turn: Annotated[Array, 3]
    group_flags: int
    # Turned angle north-east-down of the last half minute; how much the frame shakes; the sample before.
    turned: Annotated[Array, 3]
    # How much the motion turns and pushes: mean squares of an axis over some ten seconds, rad²/s² and m²/s⁴, and of how many groups.
    turn_var: float
    push_var: float
    motion_count: float
    shake_acc: float
    shake_gyro: float
    last_acc: Annotated[Array, 3]
    last_gyro: Annotated[Array, 3]
    # How long at rest (-1: in motion), and gyro·s of it.
    rest_s: float
    rest_turn: Annotated[Array, 3]
    # When the last moment was kept, and when the last fix came.
    history_s: float
    fix_s: float
    # What the field is off: strength µT, dip and heading rad, as means of the last half second; headings that wait to be taken in; by
    # how much it is off what it should be, squared, µT².
    field_off: float
    field_lean: float
    field_turn: float
    field_sum: float
    field_count: float
    field_doubt: float
    # Next row of each stream of measurements and of innovations; moments remembered; samples so far.
    next_gnss: int
    next_baro: int
    next_mag: int
    next_range: int
    next_row: int
    moments: int
    next_sample: int
    # Corrections summed up: of position, of velocity, of velocity times time.
    position_moved: Annotated[Array, 3]
    velocity_moved: Annotated[Array, 3]
    velocity_moved_t: Annotated[Array, 3]
    # The moment that a late fix belongs to, as now believed.
    then_position: Annotated[Array, 3]
    then_velocity: Annotated[Array, 3]
    then_attitude: Annotated[Array, 4]
    then_rate: Annotated[Array, 3]
    then_acc: Annotated[Array, 3]
    # Of each channel: time of its last use, its last innovation and when, and the variance that it follows.
    channel_used_s: Annotated[Array, CHANNELS]
    channel_innovation: Annotated[Array, CHANNELS]
    channel_s: Annotated[Array, CHANNELS]
    channel_var: Annotated[Array, CHANNELS]
    # Of each channel: its refusals in a row, when the first of them was, and the innovation of the last.
    refusals: Annotated[Array, CHANNELS]
    refused_s: Annotated[Array, CHANNELS]
    refused_innovation: Annotated[Array, CHANNELS]
    # Of each channel: its last innovation if that was a surprise, else 0, and when the first of a row of them was.
    surprise: Annotated[Array, CHANNELS]
    surprise_s: Annotated[Array, CHANNELS]
    # What the innovations show (unless it is held as it is): the logarithms of factors of each channel's noise variance and of
    # that of the inertial motion; each
    # channel's last innovation over its sigma (NaN where it was refused); the factor by which the receiver's drift was scaled, and
    # that which its own word on its accuracy gives,
    # and the factor of the noise that goes with it (horizontal, vertical).
    noise_level: Annotated[Array, CHANNELS]
    is_held: bool
    level_count: Annotated[Array, CHANNELS]
    motion_level: float
    last_normal: Annotated[Array, CHANNELS]
    alike: Annotated[Array, CHANNELS]
    drift_level: Annotated[Array, 2]
    said_level: Annotated[Array, 2]
    first_level: Annotated[Array, 2]
    # Room to work in: errors found so far, gain, what is half-way to it (Uᵀ hᵀ), a row's columns and values and their number.
    error: Annotated[Array, W]
    gain: Annotated[Array, W]
    half: Annotated[Array, W]
    columns: Annotated[Array, W]
    values: Annotated[Array, W]
    entries: int
    # Copies of coefficients that the innermost steps need: handing them all of them would cost more than the steps.
    gate2: float
    recover_s: float
    i_gnss_bias: int
    i_delay: int
    i_arm: int
    i_field: int
    i_iron: int
    # Force north and east of the last half second, and how much of it is summed up, s.
    level_force: Annotated[Array, 2]
    level_s: float
    # What was seen of accelerations while fixes came: of half seconds, their mean square, what neighbours have in common, m²/s⁴, the last
    # one north and east, and how many there were.
    push2: float
    push_alike: float
    push_last: Annotated[Array, 2]
    push_windows: float
    # The noise variance that a single innovation of the next measurement shows, where that is not what it weighs by; 0 if it is.
    shown_var: float
    # Force north and east as means of the last tenth of a second, and what share of it is sure to be motion: it shows the heading.
    push_force: Annotated[Array, 2]
    heading_excitation: float
    # Noise that is not in the covariance yet: of the velocity, of the attitude, and over how many seconds it is.
    noise_velocity: float
    noise_attitude: Annotated[Array, 3]
    noise_s: float


class Moment(Record):
    """A moment that is remembered for late fixes: time, state, body rate, and the corrections summed up till then."""

    t_s: float
    position: Annotated[Array, 3]
    velocity: Annotated[Array, 3]
    attitude: Annotated[Array, 4]
    rate: Annotated[Array, 3]
    position_moved: Annotated[Array, 3]
    velocity_moved: Annotated[Array, 3]
    velocity_moved_t: Annotated[Array, 3]


Moments = Sequence[Moment]


class State(NamedTuple):
    """All of it, changed in place: ``m``; ``p`` (1088,) the covariance's factors, see covariance.py; ``history`` (512,) remembered
    moments; ``n`` how many errors there are."""

    m: Memory
    p: Array
    history: Moments
    n: int


# What came longer ago than this says nothing of now, s.
STALE_S = 0.3

# Earlier than all that happens: the time of what has not happened.
NEVER_S, LONG_AGO_S = -1e9, -1e8
