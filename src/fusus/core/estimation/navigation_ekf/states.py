"""Where each figure stands, and what the filter carries from sample to sample."""

from typing import NamedTuple

from fusus.core.arrays import Array

# The nominal state: position m, velocity m/s (both north-east-down), attitude q_nb, gyro bias rad/s, accelerometer bias
# m/s^2 (body), barometer offset m, GNSS wander m, GNSS delay s, lever arm m (body), earth field µT (north-east-down),
# field of the craft µT (body).
POS, VEL, ATT, GYRO, ACC, BARO, WANDER, DELAY, ARM, FIELD, IRON = 0, 3, 6, 10, 13, 16, 17, 20, 21, 24, 27
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
AT_REST, ACC_CLIPPED, GYRO_CLIPPED = 1, 2, 4

# A remembered moment: time, position, velocity, attitude, body rate, and the corrections summed up till then.
PAST = 23
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
    wander_var_h: float
    wander_var_v: float
    wander_tau_s: float
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
    i_wander: int
    i_delay: int
    i_arm: int
    i_field: int
    i_iron: int


class State(NamedTuple):
    """All arrays, changed in place: ``m`` (356,) one after the other the nominal state and what has built up, by the places
    below; ``p`` (1088,) the covariance's factors, see covariance.py; ``past`` (512, 23) remembered moments; ``n`` how
    many errors there are."""

    m: Array
    p: Array
    past: Array
    n: int


# Places in ``m`` after the nominal state. The group since the last step of the covariance: duration, force·s (3),
# rotation (3), turned angle north-east-down of the last half minute (3), flags, shaking variances, the sample before (6),
# how long at rest, gyro·s at rest (3), when the last moment was kept, when the last fix came.
G_DT, G_F, G_TURN, G_TURNED, G_FLAGS, G_SHAKE_A, G_SHAKE_G, G_LAST, G_REST, G_REST_G, G_PUSHED, G_GNSS = (
    30, 31, 34, 37, 40, 41, 42, 43, 49, 50, 53, 54,
)  # fmt: skip
# What the field is off: strength µT, dip and heading rad, as means of the last half second.
G_FIELD_OFF, G_FIELD_LEAN, G_FIELD_TURN = 55, 56, 57
# Headings of the field that wait to be taken in: their sum and number.
G_FIELD_SUM, G_FIELD_COUNT = 94, 95
# Where things stand: samples in the group, next row of each stream, next innovation row, moments remembered, sample.
AT_COUNT, AT_GNSS, AT_BARO, AT_MAG, AT_RANGE, AT_ROW, AT_PAST, AT_SAMPLE = 58, 59, 60, 61, 62, 63, 64, 65
# Corrections summed up (9): position, velocity, velocity times time.
SUMS = 66
# The moment that a late fix belongs to (16).
MOMENT = 78
# Per channel (20 x 4): time of the last use, last innovation, its time, and the variance that it follows.
CHANNEL = 96
# Scratch: errors found so far, gain, what is half-way to it (Uᵀ hᵀ), and a row's columns and values.
ERR, GAIN, HALF, COLS, VALS = 176, 208, 240, 272, 304
ENTRIES = 336
# Copies of coefficients that the innermost steps need: handing them all of them would cost more than the steps.
GATE2, RECOVER_S, I_WANDER, I_DELAY, I_ARM, I_FIELD, I_IRON = 337, 338, 339, 340, 341, 342, 343
# Force north and east of the last half second, and how much of it is summed up, s.
LEVEL, LEVEL_S = 344, 346
# The noise variance that a single innovation of the next measurement shows, where that is not what it weighs by; 0 if it is.
SHOWN = 347
# By how much the field is off what it should be, squared, µT².
FIELD_DOUBT = 348
# Force north and east as means of the last tenth of a second, and what share of it is sure to be motion.
PUSH, TOLD = 349, 351
# Noise that is not in the covariance yet: of the velocity, of the attitude (3), and over how many seconds it is.
NOISE_VEL, NOISE_ATT, NOISE_S = 75, 352, 355
MEMORY = 356
# Earlier than all that happens: the time of what has not happened.
NEVER_S, LONG_AGO_S = -1e9, -1e8
