"""What belongs together in a flight, as compiled code takes it: tuples of figures and arrays."""

from typing import Any, NamedTuple

from fusus.core.arrays import Array
from fusus.core.control.cascade import Cascade, StateEstimate
from fusus.core.control.failsafe import FailsafeRules
from fusus.core.estimation.altitude.kernel import Coefficients as AltitudeCoefficients
from fusus.core.estimation.attitude_math import State as AttitudeState
from fusus.core.estimation.navigation_ekf.states import Coefficients as NavigationCoefficients
from fusus.core.estimation.navigation_ekf.states import State as NavigationState
from fusus.core.vehicle.body import Body
from fusus.core.vehicle.drive import Power

Three = tuple[float, float, float]
Six = tuple[float, float, float, float, float, float]

NONE, NAVIGATION, COMPLEMENTARY, MAHONY, MADGWICK, ATTITUDE_EKF = -1, 0, 1, 2, 3, 4

# What happens, by number, in the list of events.
STARTED, REFUSED, LEFT_GROUND, TOUCHED_DOWN, STOPPED, CRASHED, LOST_PLACE, FOUND_PLACE, EMPTY, FAILSAFE = (
    0,
    1,
    2,
    3,
    4,
    5,
    6,
    7,
    8,
    9,
)
# The detail of a failsafe: what is done, times this, and why.
STAGES_BY = 65536
EVENTS = 64
# Above this the craft has left the ground; touching it tilted or fast breaks it.
OFF_M, BREAKS_COS, BREAKS_M_S = 0.15, 0.5, 4.0
GROUND_WIND_M = 2.0
# With the motors off, samples within this are of a craft that stands.
QUIET_RAD_S, QUIET_M_S2 = 0.1, 0.6

# Places in the memory of the flight: motion (13), phase of the rotors, charge taken, current, motors on, refusal told, broken, in the
# air, knows its place, calm since, events so far, next fix and next look of the rangefinder, voltage of a cell.
PHASE, TAKEN, AMPS, ON, TOLD, BROKEN, FLIES, KNOWS, CALM, HAPPENED, NEXT_FIX, NEXT_RANGE, CELL_V = (
    13, 14, 15, 16, 17, 18, 19, 20, 21, 22, 23, 24, 25,
)  # fmt: skip
MEMORY = 26


class World(NamedTuple):
    """Body, what takes current, table of a cell's voltage; ``effect`` (4, M): thrust N and torques N m of a full motor each, as it
    truly is, and the one from ``weak_s`` on; motor lag s; wind north-east-down at each row of the plan (R, 3), felt in full above
    two metres."""

    body: Body
    power: Power
    charge: Array
    cell_v: Array
    effect: Array
    weak_effect: Array
    weak_s: float
    tau_s: float
    wind: Array


class Rules(NamedTuple):
    """Arming: tilt limit rad, whether a calibration is due, whether sensors are healthy; mass kg and gravity m/s² for landing; when
    failsafes act."""

    tilt_limit_rad: float
    due: bool
    healthy: bool
    mass_kg: float
    gravity_m_s2: float
    failsafe: FailsafeRules


class Board(NamedTuple):
    """What the flight controller is: loop period s, steps of the body in it, delay from sample to thrust in such steps, cascade, mixer
    table (M, 4), the gyro's filter (S, 6), arming rules, the sigma beyond which a place counts as lost m, least thrust of a motor that
    is on, as a share, the accelerometer's filter (A, 6)."""

    period_s: float
    parts: int
    delay: int
    cascade: Cascade
    table: Array
    sections: Array
    rules: Rules
    lost_m: float
    idle: float
    acc_sections: Array


class Asked(NamedTuple):
    """The plan: rows (R, 14), so many a second, rates added (N, 3) or none."""

    rows: Array
    rows_hz: float
    extra: Array


class Estimators(NamedTuple):
    """Coefficients of all of them; arrays of the navigation and altitude filters, changed in place."""

    navigation: NavigationCoefficients
    nav_state: NavigationState
    key_every: int
    key_x: Array
    key_p: Array
    nav_rows: Array
    complementary: Any
    mahony: Any
    madgwick: Any
    ekf: Any
    altitude: AltitudeCoefficients
    alt_x: Array
    alt_p: Array
    alt_at: Array
    alt_motion: Array
    alt_key_x: Array
    alt_key_p: Array
    alt_rows: Array
    alt_work: Array
    up: Array


class Log(NamedTuple):
    """What is kept of every loop (N, ·): time and interval (N,), true motion (13), estimate (10: place, speed, attitude), wanted rates,
    thrust and mode (5), motors' commands (M), voltage, current, charge taken (3); flags; events (64, 3: number, time, detail)."""

    t: Array
    dt: Array
    truth: Array
    estimate: Array
    flags: Any
    wanted: Array
    motors: Array
    power: Array
    events: Array


class Memory(NamedTuple):
    """What one loop hands to the next: of the flight, the motors' shares of full speed (M,), of the cascade, of the gyro's filter
    (3, S, 2), of the accelerometer's (3, A, 2), scratch (M,) twice, and of the failsafes."""

    flight: Array
    speed: Array
    cascade: Array
    filters: Array
    acc_filters: Array
    older: Array
    newer: Array
    failsafe: Array


class Stretch(NamedTuple):
    """Which loops are flown: the kind of estimator, the first loop and the one behind the last; where the barometer's zero lies m; the
    states with which the attitude filter that flies, and the attitude EKF, begin."""

    kind: int
    first: int
    last: int
    zero_m: float
    attitude: AttitudeState
    attitude_ekf: Any


class Moment(NamedTuple):
    """A loop: its number, its row of the plan, its length and its time s."""

    i: int
    row: int
    dt: float
    t: float


class LoopInput(NamedTuple):
    """What the loops have to go by: the estimate, its gyro bias rad/s, the sample, and whether the filter has no place to lose."""

    estimate: StateEstimate
    bias: Three
    sample: Six
    lacks_place: bool


class Steps(NamedTuple):
    """The steps of the body in a loop: how many, how many of them follow the older command, the motors' decay over half of one, and
    their length s."""

    parts: int
    later: int
    half: float
    h: float
