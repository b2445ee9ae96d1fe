"""What the sensors read in flight: all that is random is drawn before, what depends on the motion is added as it comes.

Arrays, where a function does not say otherwise (shape, unit, frame):

    t_s : (N,) s, any
    table : (K, 2) any, any
"""

import math
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from fusus.core._jit import contracting_kernel, kernel
from fusus.core.arrays import Array, ByteArray, IntArray
from fusus.core.noise import random_walk
from fusus.core.sensors.barometer import BarometerModel, added_pressure, follows
from fusus.core.sensors.gnss import GnssModel, read_gnss, visible
from fusus.core.sensors.inertial import InertialErrors, InertialModel, added_errors, draw_errors
from fusus.core.sensors.magnetometer import MagnetometerModel, draw_magnetometer
from fusus.core.sensors.quantise import counts_per_unit
from fusus.core.sensors.rangefinder import STEEPEST_COS
from fusus.core.simulation.scenario import Conditions, Suite
from fusus.core.vehicle.body import Motion13
from fusus.core.world.atmosphere import density_kg_m3, geopotential_m, pressure_altitude_m, pressure_pa
from fusus.core.world.site import Site

# Pressures lie in a table by height, and heights by pressure: a straight line between is good to 0.001 Pa.
TABLE_M, BELOW_M, ABOVE_M = 1.0, 100.0, 1000.0
TABLE_PA = 10.0
MAG_HZ, BARO_HZ = 100.0, 50.0
# As many samples no flight has.
NEVER = 2**40
SLOW_HZ = 50.0
# The rotors' speed wavers: their phase walks by so much in a second.
ROTOR_PHASE_WALK_RAD_RTS = 0.45
ROUNDS = 1.5 * 2.0**52


Three = tuple[float, float, float]
Nine = tuple[float, float, float, float, float, float, float, float, float]


class Triad(NamedTuple):
    """Gyro or accelerometer: matrix and g-sensitivity row by row, rectification of shaking, its size in the hover, counts of a unit
    and the highest count. What is added to its samples lies apart: arrays are dear to hand on."""

    matrix: Nine
    g_matrix: Nine
    rectifies: float
    shakes: float
    counts: float
    top: float


class SlowSensors(NamedTuple):
    """The slower sensors. Magnetometer: every so many samples, soft iron, hard iron, field of an ampere, noise (K, 3), earth field,
    lumps of steel (S, 7: place, radius, field). Barometer: every so many samples, what is added and noise (K,), share that its filter
    takes, airflow Pa per (m/s)², tables. GNSS and rangefinder: samples at which they look, errors, lever arm; limits."""

    mag_every: int
    soft: Array
    hard: Array
    motor: Array
    mag_noise: Array
    field_n: Array
    steel: Array
    baro_every: int
    baro_added: Array
    baro_noise: Array
    baro_follows: float
    airflow_pa: float
    home_m: float
    pressures: Array
    heights: Array
    first_pa: float
    gnss_at: IntArray
    gnss_pos: Array
    gnss_vel: Array
    arm: Array
    range_at: IntArray
    range_noise: Array
    range_m: float
    range_share: float
    range_low_m: float
    range_high_m: float


class Shaking(NamedTuple):
    """What rotors shake: turns a second in the hover, one over the square of their speed share there, and the size of sine and cosine
    of the first and second harmonic on each axis."""

    rotor_hz: float
    hover: float
    per_hover2: float
    first: tuple[float, float, float, float, float, float]
    second: tuple[float, float, float, float, float, float]


class Readings(NamedTuple):
    """What is read, filled as it comes; rows as estimators take them. ``pressure`` and ``level`` (K,): what the barometer says."""

    gyro: Array
    acc: Array
    known: ByteArray
    mag: Array
    baro: Array
    pressure: Array
    gnss: Array
    ranges: Array


class Sensors(NamedTuple):
    """Sensors as compiled code takes them: what is added to their samples (N, 3), the drift of the rotors' phase (N,), the slower
    sensors, what is read, and the specific force behind its filter (N, 3)."""

    gyro: Triad
    acc: Triad
    gyro_added: Array
    acc_added: Array
    drift: Array
    slow: SlowSensors
    shaking: Shaking
    readings: Readings
    acc_filtered: Array


@dataclass(frozen=True, slots=True)
class DrawnSensors:
    """Everything drawn for one flight: the sensors, the gyro's errors, and how warm the board is above its start, K (N,)."""

    sensors: Sensors
    gyro_errors: InertialErrors
    warming_k: Array


def draw_sensors(
    suite: Suite,
    around: Conditions,
    site: Site,
    home_m: float,
    t_s: Array,
    hover_share: float,
    rng: np.random.Generator,
) -> DrawnSensors:
    """Return one set of sensors for a flight with evenly spaced samples at ``t_s`` (N,); the site's field must be known.

    ``hover_share``: the motors' share of full speed in the hover, at which the rotors turn with the surroundings' ``rotor_hz``.
    """
    if site.field is None:
        raise ValueError("the simulator needs a site with a known magnetic field")
    n, rate = len(t_s), 1.0 / (t_s[1] - t_s[0])
    warming = around.warming_k * (1 - np.exp(-t_s / around.warming_tau_s))
    gyro_errors, acc_errors = draw_errors(suite.gyro, rng), draw_errors(suite.acc, rng)
    every = max(1, round(rate / SLOW_HZ))
    gyro_added = added_errors(suite.gyro, gyro_errors, warming, rate, rng, every)
    acc_added = added_errors(suite.acc, acc_errors, warming, rate, rng, every)
    drift = random_walk(rng, n, 1, ROTOR_PHASE_WALK_RAD_RTS, rate)[:, 0]
    phases = rng.uniform(0.0, 2.0 * math.pi, (2, 3))
    slow, readings = _slow_sensors(suite, around, site, home_m, t_s, warming, rng)
    sensors = Sensors(
        _triad(suite.gyro, gyro_errors, around.vibration_gyro_rad_s), _triad(suite.acc, acc_errors, around.vibration_acc_m_s2),
        gyro_added, acc_added, drift, slow, _shaking(around.rotor_hz, hover_share, phases), readings, np.empty((n, 3)),
    )  # fmt: skip
    return DrawnSensors(sensors, gyro_errors, warming)


def _triad(model: InertialModel, errors: InertialErrors, shakes: float) -> Triad:
    return Triad(
        _nine(errors.matrix), _nine(errors.matrix @ errors.g_matrix), float(model.vibration_rectification), float(shakes),
        counts_per_unit(model.full_scale, model.bits), float(2 ** (model.bits - 1)),
    )  # fmt: skip


def _nine(matrix: Array) -> Nine:
    a, b, c, d, e, f, g, h, i = (float(v) for v in matrix.ravel())
    return a, b, c, d, e, f, g, h, i


def _shaking(rotor_hz: float, hover: float, phases: Array) -> Shaking:
    """Return shaking of unit size, a half more along the rotors' axes, the second harmonic 0.4 of the first."""
    along = np.array([0.8, 0.8, 1.2])
    first = [float(v) for v in np.concatenate([along * np.cos(phases[0]), along * np.sin(phases[0])])]
    second = [float(v) for v in 0.4 * np.concatenate([along * np.cos(phases[1]), along * np.sin(phases[1])])]
    return Shaking(rotor_hz, hover, 1.0 / hover**2, _six(first), _six(second))


def _six(v: list[float]) -> tuple[float, float, float, float, float, float]:
    return v[0], v[1], v[2], v[3], v[4], v[5]


def _slow_sensors(
    suite: Suite, around: Conditions, site: Site, home_m: float, t: Array, warming: Array, rng: np.random.Generator
) -> tuple[SlowSensors, Readings]:
    n, rate = len(t), 1.0 / (t[1] - t[0])
    mag_every = max(1, round(rate / MAG_HZ)) if suite.mag is not None else NEVER
    baro_every = max(1, round(rate / BARO_HZ)) if suite.baro is not None else NEVER
    # A sensor that is not on board has no rows, and is never due.
    mag_rows = -(-n // mag_every) if suite.mag is not None else 0
    magnetometer = draw_magnetometer(suite.mag or MagnetometerModel(), rng)
    noise = rng.normal(0.0, suite.mag.noise_ut if suite.mag is not None else 0.0, (mag_rows, 3))
    baro, warm = suite.baro or BarometerModel(), warming[::baro_every] if suite.baro is not None else warming[:0]
    baro_rows = len(warm)
    added, baro_noise = added_pressure(baro, warm, BARO_HZ if suite.baro is None else rate / baro_every, rng)
    table = pressure_pa(geopotential_m(home_m - BELOW_M + np.arange(0.0, BELOW_M + ABOVE_M + 1.0, TABLE_M)))
    first = math.floor(table[-1] - 2000.0)
    heights = pressure_altitude_m(first + np.arange(0.0, table[0] + 2000.0 - first, TABLE_PA))
    receiver = suite.gnss or GnssModel()
    ends_s = t[-1] - receiver.latency_s if suite.gnss is not None else 0.0
    fixes_s = np.arange(0.0, ends_s, 1.0 / receiver.rate_hz)
    fixes_s = fixes_s[visible(fixes_s, around.outages)]
    zero = np.zeros((len(fixes_s), 3))
    fixes = read_gnss(receiver, fixes_s, zero, zero, rng)
    finder = suite.rangefinder
    looks = np.arange(0.0, t[-1], 1.0 / finder.rate_hz) if finder is not None else np.empty(0)
    slow = SlowSensors(
        mag_every, magnetometer.soft, magnetometer.hard, magnetometer.motor, noise,
        np.asarray(site.field.vector_ut if site.field else (0.0, 0.0, 0.0), dtype=float),
        np.array(
            [[s.north_m, s.east_m, -s.height_m, s.radius_m, *s.field_ut] for s in around.steel], dtype=float
        ).reshape(-1, 7),
        baro_every, added, baro_noise, follows(baro, BARO_HZ if suite.baro is None else rate / baro_every),
        baro.airflow_cp * 0.5 * float(density_kg_m3(geopotential_m(home_m))), home_m, table, heights, float(first),
        np.rint(fixes_s * rate).astype(np.int64), fixes.pos_n, fixes.vel_n, np.array(receiver.lever_arm_b_m, dtype=float),
        np.rint(looks * rate).astype(np.int64), rng.standard_normal(len(looks)),
        *((finder.noise_m, finder.noise_share, finder.low_m, finder.high_m) if finder is not None else (0.0, 0.0, 0.0, 0.0)),
    )  # fmt: skip
    mag, heard, gnss = (
        np.full((mag_rows, 5), np.nan),
        np.full((baro_rows, 2), np.nan),
        np.full((len(fixes_s), 9), np.nan),
    )
    mag[:, 0], mag[:, 4] = t[::mag_every][:mag_rows], mag_every / rate
    heard[:, 0], gnss[:, 0], gnss[:, 7:] = t[::baro_every][:baro_rows], fixes.t_s, 1.0
    ranges = np.full((len(looks), 2), np.nan)
    ranges[:, 0] = t[slow.range_at]
    readings = Readings(
        np.empty((n, 3)), np.empty((n, 3)), np.zeros(n, dtype=np.uint8), mag, heard, np.empty(baro_rows), gnss, ranges
    )
    return slow, readings


@kernel
def looked_up(table: Array, first: float, step: float, x: float) -> float:
    """Return a table's value on a straight line between its entries."""
    place = min(max((x - first) / step, 0.0), table.shape[0] - 1.001)
    i = int(place)
    return float(table[i] + (place - i) * (table[i + 1] - table[i]))


@contracting_kernel
def read_triad(s: Triad, true: Three, force: Three, added: Three, shake: Three) -> tuple[float, float, float, bool]:
    """Return the reading of a true rate or specific force under a specific force, with what is added and the shaking of unit size;
    and whether it stands at its stop."""
    (x, y, z), (fx, fy, fz), (a, b, c) = true, force, added
    m, g, k = s.matrix, s.g_matrix, s.shakes
    sx, sy, sz = shake[0] * k, shake[1] * k, shake[2] * k
    x, y, z = (
        m[0] * x + m[1] * y + m[2] * z + g[0] * fx + g[1] * fy + g[2] * fz + a + sx + s.rectifies * sx * sx,
        m[3] * x + m[4] * y + m[5] * z + g[3] * fx + g[4] * fy + g[5] * fz + b + sy + s.rectifies * sy * sy,
        m[6] * x + m[7] * y + m[8] * z + g[6] * fx + g[7] * fy + g[8] * fz + c + sz + s.rectifies * sz * sz,
    )
    x, y, z = nearest(x * s.counts), nearest(y * s.counts), nearest(z * s.counts)
    low, high = -s.top, s.top - 1.0
    clipped = min(x, y, z) <= low or max(x, y, z) >= high
    if clipped:
        x, y, z = min(max(x, low), high), min(max(y, low), high), min(max(z, low), high)
    unit = 1.0 / s.counts
    return x * unit, y * unit, z * unit, clipped


@kernel
def nearest(x: float) -> float:
    """Return the nearest whole number, halves to even: adding what leaves no room for a fraction rounds."""
    return (x + ROUNDS) - ROUNDS if abs(x) < ROUNDS else x


@contracting_kernel
def shaken(s: Shaking, phase: float, speed: float) -> tuple[float, float, float]:
    """Return the shaking of unit size: with the square of the rotors' speed, and its second harmonic."""
    sin, cos = math.sin(phase), math.cos(phase)
    size = speed * speed * s.per_hover2
    sin, cos, sin2, cos2 = size * sin, size * cos, size * 2.0 * sin * cos, size * (cos * cos - sin * sin)
    a, b = s.first, s.second
    return (
        sin * a[0] + cos * a[3] + sin2 * b[0] + cos2 * b[3], sin * a[1] + cos * a[4] + sin2 * b[1] + cos2 * b[4],
        sin * a[2] + cos * a[5] + sin2 * b[2] + cos2 * b[5],
    )  # fmt: skip


@kernel
def to_body(w: float, x: float, y: float, z: float, a: float, b: float, c: float) -> tuple[float, float, float]:
    """Return R(q)ᵀ v."""
    return (
        (1.0 - 2.0 * (y * y + z * z)) * a + 2.0 * (x * y + w * z) * b + 2.0 * (x * z - w * y) * c,
        2.0 * (x * y - w * z) * a + (1.0 - 2.0 * (x * x + z * z)) * b + 2.0 * (y * z + w * x) * c,
        2.0 * (x * z + w * y) * a + 2.0 * (y * z - w * x) * b + (1.0 - 2.0 * (x * x + y * y)) * c,
    )


@kernel
def read_field(
    o: SlowSensors,
    r: Readings,
    k: int,
    m: Motion13,
    amps: float,
) -> None:
    """Fill a row of the magnetometer: earth and steel, turned into the body, through iron and motor currents."""
    pn, pe, pd, _, _, _, w, x, y, z, _, _, _ = m
    fn, fe, fd = o.field_n[0], o.field_n[1], o.field_n[2]
    for j in range(o.steel.shape[0]):
        s = o.steel[j]
        away = (pn - s[0]) ** 2 + (pe - s[1]) ** 2 + (pd - s[2]) ** 2
        fade = (1.0 + away / (s[3] * s[3])) ** -1.5
        fn, fe, fd = fn + s[4] * fade, fe + s[5] * fade, fd + s[6] * fade
    a, b, c = to_body(w, x, y, z, fn, fe, fd)
    for j in range(3):
        estimate = o.soft[j, 0] * a + o.soft[j, 1] * b + o.soft[j, 2] * c
        r.mag[k, 1 + j] = estimate + o.hard[j] + amps * o.motor[j] + o.mag_noise[k, j]


@kernel
def read_pressure(o: SlowSensors, r: Readings, k: int, pd: float, airspeed2: float, zero_m: float) -> None:
    """Fill a row of the barometer: through its filter, and as a height over ``zero_m``."""
    true = looked_up(o.pressures, o.home_m - BELOW_M, TABLE_M, o.home_m - pd)
    raw = true + o.baro_added[k] - o.airflow_pa * airspeed2 + o.baro_noise[k]
    r.pressure[k] = raw if k == 0 else r.pressure[k - 1] + o.baro_follows * (raw - r.pressure[k - 1])
    r.baro[k, 1] = looked_up(o.heights, o.first_pa, TABLE_PA, r.pressure[k]) - zero_m


@kernel
def read_fix(o: SlowSensors, r: Readings, k: int, m: Motion13) -> None:
    """Fill a fix: the antenna's place and speed with their errors; it comes later, at the time that stands in its row."""
    pn, pe, pd, vn, ve, vd, w, x, y, z, p, q, s = m
    a, b, c = o.arm[0], o.arm[1], o.arm[2]
    ux, uy, uz = q * c - s * b, s * a - p * c, p * b - q * a
    place = (pn, pe, pd)
    speed = (vn, ve, vd)
    r11, r12, r13 = 1.0 - 2.0 * (y * y + z * z), 2.0 * (x * y - w * z), 2.0 * (x * z + w * y)
    r21, r22, r23 = 2.0 * (x * y + w * z), 1.0 - 2.0 * (x * x + z * z), 2.0 * (y * z - w * x)
    r31, r32, r33 = 2.0 * (x * z - w * y), 2.0 * (y * z + w * x), 1.0 - 2.0 * (x * x + y * y)
    arm = (r11 * a + r12 * b + r13 * c, r21 * a + r22 * b + r23 * c, r31 * a + r32 * b + r33 * c)
    turn = (r11 * ux + r12 * uy + r13 * uz, r21 * ux + r22 * uy + r23 * uz, r31 * ux + r32 * uy + r33 * uz)
    for j in range(3):
        r.gnss[k, 1 + j] = place[j] + arm[j] + o.gnss_pos[k, j]
        r.gnss[k, 4 + j] = speed[j] + turn[j] + o.gnss_vel[k, j]


@kernel
def read_range(o: SlowSensors, r: Readings, k: int, height: float, down_cos: float) -> None:
    """Fill a distance to level ground, NaN beyond the limits or too steep."""
    true = height / max(down_cos, 0.1)
    given = o.range_low_m <= true <= o.range_high_m and down_cos > STEEPEST_COS
    sigma = math.sqrt(o.range_m * o.range_m + (o.range_share * true) ** 2)
    r.ranges[k, 1] = true + sigma * o.range_noise[k] if given else math.nan


@kernel
def read_slow_sensors(
    o: SlowSensors,
    r: Readings,
    i: int,
    m: Motion13,
    amps: float,
    airspeed2: float,
    zero_m: float,
    next_looks: tuple[int, int],
) -> tuple[int, int]:
    """Fill the rows of all slower sensors that are due at loop ``i``; return the next fix and the next look of the rangefinder."""
    _, _, pd, _, _, _, _, x, y, _, _, _, _ = m
    fix, look = next_looks
    if i % o.mag_every == 0 and r.mag.shape[0] > 0:
        read_field(o, r, i // o.mag_every, m, amps)
    if i % o.baro_every == 0 and r.baro.shape[0] > 0:
        read_pressure(o, r, i // o.baro_every, pd, airspeed2, zero_m)
    if fix < o.gnss_at.shape[0] and o.gnss_at[fix] <= i:
        read_fix(o, r, fix, m)
        fix += 1
    if look < o.range_at.shape[0] and o.range_at[look] <= i:
        read_range(o, r, look, -pd, 1.0 - 2.0 * (x * x + y * y))
        look += 1
    return fix, look
