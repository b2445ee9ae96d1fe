"""Faults put into a recording's samples: each for a while, in flight, as they happen to makers. The recording stays as it is."""

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from fusus.core.arrays import Array, BoolArray, IntArray
from fusus.core.estimation.catalogue import EstimatorParameters
from fusus.core.estimation.known import known_of
from fusus.core.estimation.navigation_ekf.parameters import Parameters as NavigationParameters
from fusus.core.estimation.replay import EstimatorInput
from fusus.core.estimation.samples import Samples, as_attitude_samples
from fusus.core.frames import quaternion

SEED = 7


@dataclass(frozen=True, slots=True)
class Window:
    """From when to when, s, in the recording's time."""

    start_s: float
    end_s: float

    def of(self, t_s: Array) -> BoolArray:
        """Return which times lie inside."""
        return np.asarray((t_s >= self.start_s) & (t_s < self.end_s))


Change = Callable[[EstimatorInput, Window], EstimatorInput]
Retune = Callable[[EstimatorParameters], EstimatorParameters]


@dataclass(frozen=True, slots=True)
class Fault:
    """What goes wrong, for how long (0: throughout), as a change of the samples or of what the filter is told."""

    name: str
    title: str
    about: str
    length_s: float
    change: Change | None = None
    retune: Retune | None = None


def _with(
    given: EstimatorInput, gnss: Array | None = None, baro: Array | None = None, mag: Array | None = None
) -> EstimatorInput:
    a = given.aiding
    new = replace(
        a,
        gnss=a.gnss if gnss is None else gnss,
        baro=a.baro if baro is None else baro,
        mag=a.mag if mag is None else mag,
    )
    return replace(given, aiding=new)


def _inertial(given: EstimatorInput, gyro: Array | None = None, acc: Array | None = None) -> EstimatorInput:
    s = given.samples
    new_gyro, new_acc = s.gyro_b if gyro is None else gyro, s.acc_b if acc is None else acc
    stops = known_of(new_gyro, new_acc, 0)
    rests = given.aiding.known & 1 if len(given.aiding.known) else np.zeros(len(new_gyro), dtype=np.uint8)
    samples = Samples(s.dt_s, np.ascontiguousarray(new_gyro), np.ascontiguousarray(new_acc), s.mag_b)
    known = np.asarray(stops | rests, dtype=np.uint8)
    return replace(given, samples=samples, aiding=replace(given.aiding, known=known))


def outage(given: EstimatorInput, w: Window) -> EstimatorInput:
    """Leave the fixes out."""
    g = given.aiding.gnss
    return _with(given, gnss=np.ascontiguousarray(g[~w.of(g[:, 0])]))


def jump(given: EstimatorInput, w: Window) -> EstimatorInput:
    """Put the fixes 15 m to the north-east."""
    g = given.aiding.gnss.copy()
    g[w.of(g[:, 0]), 1:3] += 15.0 / np.sqrt(2.0)
    return _with(given, gnss=g)


def drift(given: EstimatorInput, w: Window) -> EstimatorInput:
    """Let the fixes walk off by 0.4 m/s; what they say of speed stays right."""
    g = given.aiding.gnss.copy()
    g[:, 1] += 0.4 * np.clip(g[:, 0] - w.start_s, 0.0, w.end_s - w.start_s) * (g[:, 0] < w.end_s)
    return _with(given, gnss=g)


def disturbance(given: EstimatorInput, w: Window) -> EstimatorInput:
    """Bend the field by 15 µT in the craft, as steel nearby or a wire under load does."""
    push = np.array([9.0, 11.0, 5.0])
    m = given.aiding.mag.copy()
    m[w.of(m[:, 0]), 1:4] += push
    field = given.samples.mag_b.copy()
    field[w.of(given.t_s)] += push
    s = given.samples
    return replace(_with(given, mag=m), samples=Samples(s.dt_s, s.gyro_b, s.acc_b, np.ascontiguousarray(field)))


def airflow(given: EstimatorInput, w: Window) -> EstimatorInput:
    """Blow on the barometer: its height is 1.5 m too high, swelling and fading within two seconds."""
    b = given.aiding.baro.copy()
    t = b[:, 0]
    swell = np.clip(np.minimum(t - w.start_s, w.end_s - t) / 2.0, 0.0, 1.0)
    b[:, 1] += 1.5 * swell
    return _with(given, baro=b)


def clipping(given: EstimatorInput, w: Window) -> EstimatorInput:
    """Take ranges that are too small: the accelerometer stops just above gravity, shaken beyond it, and the gyro at 20 °/s."""
    rng = np.random.default_rng(SEED)
    rows = w.of(given.t_s)
    acc, gyro = given.samples.acc_b.copy(), given.samples.gyro_b.copy()
    acc[rows] = np.clip(acc[rows] + rng.normal(0.0, 25.0, acc[rows].shape), -19.62, 19.62)
    gyro[rows] = np.clip(gyro[rows] + rng.normal(0.0, 1.5, gyro[rows].shape), -2.2, 2.2)
    return _inertial(given, gyro, acc)


def stuck_gyro(given: EstimatorInput, w: Window) -> EstimatorInput:
    """Let the gyro repeat its last reading."""
    rows = np.flatnonzero(w.of(given.t_s))
    gyro = given.samples.gyro_b.copy()
    gyro[rows] = gyro[rows[0]]
    return _inertial(given, gyro)


def stuck_baro(given: EstimatorInput, w: Window) -> EstimatorInput:
    """Let the barometer repeat its last reading."""
    b = given.aiding.baro.copy()
    rows = np.flatnonzero(w.of(b[:, 0]))
    if len(rows):
        b[rows, 1] = b[rows[0], 1]
    return _with(given, baro=b)


def dropped(given: EstimatorInput, w: Window) -> EstimatorInput:
    """Lose a third of the inertial samples, and half a second of them in one piece."""
    rng = np.random.default_rng(SEED)
    lost = w.of(given.t_s) & (rng.random(len(given.t_s)) < 0.33)
    middle = 0.5 * (w.start_s + w.end_s)
    lost |= (given.t_s > middle) & (given.t_s < middle + 0.5)
    return _at(given, given.t_s[~lost], np.flatnonzero(~lost))


def jitter(given: EstimatorInput, w: Window) -> EstimatorInput:
    """Stamp the samples late by up to a step, at random."""
    rng = np.random.default_rng(SEED)
    step = float(np.median(np.diff(given.t_s)))
    t = given.t_s + np.clip(rng.normal(0.0, 0.35 * step, len(given.t_s)), -0.49 * step, 0.49 * step)
    return _at(given, t, np.arange(len(t)))


def _at(given: EstimatorInput, t_s: Array, rows: IntArray) -> EstimatorInput:
    s = given.samples
    dt = np.empty(len(t_s))
    dt[1:] = np.diff(t_s)
    dt[0] = np.median(dt[1:])
    known = given.aiding.known[rows] if len(given.aiding.known) else given.aiding.known
    samples = as_attitude_samples(dt, s.gyro_b[rows], s.acc_b[rows], s.mag_b[rows])
    return replace(given, t_s=t_s, samples=samples, aiding=replace(given.aiding, known=known))


def mounting(given: EstimatorInput, w: Window) -> EstimatorInput:
    """Turn the inertial sensors by 20° about the vertical axis against what the filter is told."""
    turned = quaternion.from_rotation_vector(np.array([0.0, 0.0, np.radians(20.0)]))
    s = given.samples
    return _inertial(given, quaternion.rotate(turned, s.gyro_b), quaternion.rotate(turned, s.acc_b))


def wrong_arm(parameters: EstimatorParameters) -> EstimatorParameters:
    """Tell the filter the lever arm with its sign turned round."""
    if not isinstance(parameters, NavigationParameters):
        return parameters
    p = parameters
    return replace(p, lever_arm_x_m=-p.lever_arm_x_m, lever_arm_y_m=-p.lever_arm_y_m, lever_arm_z_m=-p.lever_arm_z_m)


FAULTS = (
    Fault("outage", "GNSS outage", "No fixes for 20 s.", 20.0, outage),
    Fault("jump", "GNSS jump", "Fixes 15 m off for 12 s.", 12.0, jump),
    Fault("drift", "GNSS drift", "The GNSS position drifts off by 0.4 m/s for 40 s.", 40.0, drift),
    Fault("field", "Magnetic disturbance", "15 µT for 15 s.", 15.0, disturbance),
    Fault("airflow", "Airflow on the barometer", "1.5 m too high for 15 s.", 15.0, airflow),
    Fault("clipping", "Clipping", "Shaking beyond ±2 g and ±126 °/s ranges for 5 s.", 5.0, clipping),
    Fault("stuck-gyro", "Stuck gyro", "One reading for 2 s.", 2.0, stuck_gyro),
    Fault("stuck-baro", "Stuck barometer", "One reading for 20 s.", 20.0, stuck_baro),
    Fault("dropped", "Dropped samples", "A third lost for 10 s, and half a second in one piece.", 10.0, dropped),
    Fault("jitter", "Time stamps jitter", "By a third of a step throughout.", 0.0, jitter),
    Fault("lever-arm", "Lever arm reversed", "Its sign turned round in the tuning.", 0.0, None, wrong_arm),
    Fault("mounting", "Wrong mounting", "Inertial sensors turned by 20° about the vertical throughout.", 0.0, mounting),
)


def fault_named(name: str) -> Fault:
    """Return a fault; KeyError names those that exist."""
    for fault in FAULTS:
        if fault.name == name:
            return fault
    raise KeyError(f"{name} is none of {', '.join(f.name for f in FAULTS)}")
