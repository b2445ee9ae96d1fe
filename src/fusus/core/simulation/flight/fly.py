"""One closed-loop flight: sensors drawn, aligned at rest, then flown by the compiled engine."""

import math
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from fusus.core.arrays import Array
from fusus.core.control import cascade as cascade_module
from fusus.core.control import failsafe as failsafe_module
from fusus.core.control.arming import ArmingRules
from fusus.core.control.cascade import Cascade
from fusus.core.control.failsafe import NO_FAILSAFE, FailsafeRules
from fusus.core.estimation.aiding import Aiding
from fusus.core.estimation.altitude.kernel import Coefficients as AltitudeCoefficients
from fusus.core.estimation.altitude.parameters import Parameters as AltitudeParameters
from fusus.core.estimation.altitude.run import coefficients as altitude_coefficients
from fusus.core.estimation.altitude.run import first_covariance, first_times
from fusus.core.estimation.attitude_ekf import run as attitude_ekf
from fusus.core.estimation.catalogue import EstimatorParameters, info_for
from fusus.core.estimation.complementary import run as complementary
from fusus.core.estimation.initial import Start, start_from
from fusus.core.estimation.madgwick import run as madgwick
from fusus.core.estimation.mahony import run as mahony
from fusus.core.estimation.navigation_ekf import run as navigation
from fusus.core.estimation.navigation_ekf.parameters import Parameters as NavigationParameters
from fusus.core.frames import quaternion
from fusus.core.simulation.flight import engine, groups
from fusus.core.simulation.flight.craft import Craft, drawn, hover_share, true_craft
from fusus.core.simulation.flight.plan import PLAN_HZ, Plan
from fusus.core.simulation.flight.sensing import DrawnSensors, Sensors, draw_sensors
from fusus.core.simulation.flight.troubles import Troubles, built, spoiled
from fusus.core.simulation.scenario import Conditions, Suite
from fusus.core.vehicle.battery import CHARGE, REST_V
from fusus.core.vehicle.body import SINKS_M
from fusus.core.world.site import Site
from fusus.core.world.wind import gust_series, gusts

# The board stands still for so long before it knows where down is.
ALIGN_S = 2.0
BODY_HZ = 4000.0
WIND_FROM_RAD = 0.3 + math.pi  # what the mean wind blows towards: against the legs of a mission
SHORTEST_S = 4.0

KINDS = {
    "navigation-ekf": groups.NAVIGATION, "complementary": groups.COMPLEMENTARY, "mahony": groups.MAHONY,
    "madgwick": groups.MADGWICK, "attitude-ekf": groups.ATTITUDE_EKF,
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Controller:
    """The flight controller: loop rate Hz, delay from sample to thrust s (the hold apart), cascade, the gyro's filter (S, 6), arming
    rules, estimator by name with its tuning, the sigma of position beyond which it counts as lost, m, the accelerometer's filter
    (A, 6), the tuning of the height filter that flies beside an attitude filter, and when failsafes act (by themselves never)."""

    rate_hz: float
    delay_s: float
    cascade: Cascade
    sections: Array
    estimator: str
    parameters: EstimatorParameters
    rules: ArmingRules
    lost_m: float
    acc_sections: Array = field(default_factory=lambda: np.empty((0, 6)))
    height: AltitudeParameters = field(default_factory=AltitudeParameters)
    failsafe: FailsafeRules = NO_FAILSAFE


@dataclass(frozen=True, slots=True)
class Setting:
    """Where and through what it flies: site, home (degrees, degrees, m), air density, mean wind m/s at 6 m and whether it gusts, the
    height at which gusts are taken, surroundings, sensors."""

    site: Site
    home: tuple[float, float, float]
    density_kg_m3: float
    wind_m_s: float
    gusty: bool
    height_m: float
    around: Conditions
    suite: Suite


@dataclass(frozen=True, slots=True)
class Flown:
    """All that a flight left: the log of every loop, the sensors with their readings, the craft as it truly was, the plan, and the
    estimator's run (None for attitude filters)."""

    t_s: Array
    log: groups.Log
    drawn: DrawnSensors
    craft: Craft
    plan: Plan
    controller: Controller
    setting: Setting
    first: int
    start: Start
    run: navigation.Run | None

    @property
    def sensors(self) -> Sensors:
        """The sensors with their readings."""
        return self.drawn.sensors

    @property
    def events(self) -> tuple[tuple[int, float, float], ...]:
        """Number, time s and detail of what happened."""
        rows = self.log.events
        return tuple((int(n), float(t), float(d)) for n, t, d in rows if not math.isnan(n))


def fly(
    craft: Craft,
    controller: Controller,
    plan: Plan,
    setting: Setting,
    seed: int,
    as_drawn: bool = False,
    troubles: Troubles | None = None,
) -> Flown:
    """Return a flight. The seed alone decides what sensors, wind and craft are like; ``as_drawn``: the craft is exactly the drawing.
    ``troubles`` come on top.

    KeyError names the estimators that can fly.
    """
    if controller.estimator not in KINDS:
        raise KeyError(f"{controller.estimator} cannot fly a craft: {', '.join(KINDS)} can")
    rng = np.random.default_rng(seed)
    craft = built(craft if as_drawn else drawn(craft, rng), troubles or Troubles())
    n = round(max(plan.seconds, SHORTEST_S) * controller.rate_hz)
    t = np.arange(n) / controller.rate_hz
    gravity = setting.site.gravity_m_s2
    share = hover_share(craft, gravity)
    drawn_sensors = spoiled(
        draw_sensors(setting.suite, setting.around, setting.site, setting.home[2], t, share, rng),
        t,
        troubles or Troubles(),
    )
    sensors = drawn_sensors.sensors
    true = true_craft(craft, gravity, setting.density_kg_m3)
    body = true.body
    world = groups.World(
        body,
        true.power,
        CHARGE,
        REST_V,
        true.effect,
        true.weak_effect,
        craft.weak_s,
        true.tau_s,
        _wind(setting, plan, rng),
    )
    parts = max(1, math.ceil(BODY_HZ / controller.rate_hz))
    step = 1.0 / controller.rate_hz / parts
    rules = controller.rules
    board = groups.Board(
        1.0 / controller.rate_hz, parts, max(0, round(controller.delay_s / step)), controller.cascade,
        np.ascontiguousarray(craft.mixer.mix), controller.sections,
        groups.Rules(
            rules.tilt_rad, rules.calibration_due, rules.sensors_healthy, craft.frame.mass_kg, gravity, controller.failsafe,
        ),
        controller.lost_m, craft.idle**2, controller.acc_sections,
    )  # fmt: skip
    asked = groups.Asked(plan.rows, PLAN_HZ, plan.extra)
    motors = len(craft.mixer.motors)
    log = groups.Log(
        t, np.full(n, 1.0 / controller.rate_hz), np.empty((n, 13)), np.zeros((n, 10)), np.zeros(n, dtype=np.uint8), np.zeros((n, 5)),
        np.zeros((n, motors)), np.empty((n, 3)), np.full((groups.EVENTS, 3), np.nan),
    )  # fmt: skip
    mem = np.zeros(groups.MEMORY)
    # Standing on its feet, as deep as its weight presses them.
    mem[0:3] = -SINKS_M * np.cos(craft.slope_rad) * np.array([body.up_n, body.up_e, body.up_d])
    mem[6:10] = _stands(craft.slope_rad, setting.suite.start_heading(seed))
    mem[groups.TAKEN] = (1.0 - craft.charge) * craft.battery.capacity_as
    mem[groups.KNOWS] = 1.0
    memory = groups.Memory(
        mem,
        np.zeros(motors),
        np.zeros(cascade_module.MEMORY),
        np.zeros((3, len(controller.sections), 2)),
        np.zeros((3, len(controller.acc_sections), 2)),
        np.zeros(motors),
        np.zeros(motors),
        np.zeros(failsafe_module.MEMORY),
    )
    first = round(ALIGN_S * controller.rate_hz)

    def advance(kind: int, begin: int, end: int, zero_m: float, start: Start) -> navigation.Run | None:
        est, states, run = _estimators(controller, setting.site, start, sensors, t, first)
        stretch = groups.Stretch(kind, begin, end, zero_m, *states)
        engine.fly(world, board, asked, sensors, est, log, memory, stretch)
        return run

    advance(groups.NONE, 0, first, 0.0, _level_start())
    r = sensors.readings
    settled = r.baro[: first // sensors.slow.baro_every, 1]
    zero = float(np.mean(settled)) if len(settled) else 0.0
    settled -= zero
    field = np.full((first, 3), np.nan)
    if len(r.mag):
        field[:: sensors.slow.mag_every] = r.mag[: len(field[:: sensors.slow.mag_every]), 1:4]
    start = start_from(t[:first], r.gyro[:first], r.acc[:first], field, setting.site)
    run = advance(KINDS[controller.estimator], first, n, zero, start)
    log.estimate[:first, 6:10] = start.q_nb
    return Flown(t, log, drawn_sensors, craft, plan, controller, setting, first, start, run)


def _wind(setting: Setting, plan: Plan, rng: np.random.Generator) -> Array:
    """Return the wind north-east-down at each row of the plan, (R, 3)."""
    rows = len(plan.rows) + 1
    mean = setting.wind_m_s * np.array([math.cos(WIND_FROM_RAD), math.sin(WIND_FROM_RAD), 0.0])
    if not setting.gusty or setting.wind_m_s == 0.0:
        return np.tile(mean, (rows, 1))
    found = gust_series(gusts(setting.wind_m_s, setting.height_m, setting.wind_m_s), PLAN_HZ, rows, rng)
    c, s = math.cos(WIND_FROM_RAD), math.sin(WIND_FROM_RAD)
    turned = np.stack([c * found[:, 0] - s * found[:, 1], s * found[:, 0] + c * found[:, 1], found[:, 2]], axis=1)
    return np.ascontiguousarray(mean + turned)


def _stands(slope_rad: float, heading_rad: float) -> Array:
    """Return the attitude on ground that slopes up to the north, (4,) q_nb."""
    tilt = np.array([math.cos(slope_rad / 2), 0.0, math.sin(slope_rad / 2), 0.0])
    return quaternion.multiply(tilt, np.array([math.cos(heading_rad / 2), 0.0, 0.0, math.sin(heading_rad / 2)]))


def _level_start() -> Start:
    return Start(np.array([1.0, 0.0, 0.0, 0.0]), np.zeros(3), True, ALIGN_S, 50.0, 1.0, True)


def _estimators(
    controller: Controller, site: Site, start: Start, sensors: Sensors, t: Array, first: int
) -> tuple[groups.Estimators, tuple[Any, ...], navigation.Run | None]:
    """Return all estimators' figures; the one that flies with its own tuning, the others with the usual one."""
    kind = KINDS[controller.estimator]

    def tuning(name: str) -> Any:
        return controller.parameters if name == controller.estimator else info_for(name).parameters()

    r = sensors.readings
    nav: NavigationParameters = replace(tuning("navigation-ekf"), home_sigma_m=0.05)
    aiding = Aiding(r.gnss, r.baro, r.mag, r.ranges, starts_at_home=True)
    # Other estimators fly without these rows: a run of one sample is enough to fill their place.
    span = t[first:] if kind == groups.NAVIGATION else t[first : first + 2]
    run = navigation.begin_at(nav, site, start, aiding, span)
    flying = []
    for module, name in (
        (complementary, "complementary"), (mahony, "mahony"), (madgwick, "madgwick"), (attitude_ekf, "attitude-ekf"),
    ):  # fmt: skip
        p = tuning(name)
        c = module.coefficients(p, site, start)
        flying.append((c, module.initial_state(p, c, start)))
    height = controller.height
    alt: AltitudeCoefficients = altitude_coefficients(height, Aiding(baro=r.baro))
    keys = -(-(len(t) - first) // run.key_every) + 1
    rows = len(r.baro) + 1
    samples = len(t) if kind != groups.NAVIGATION else 1
    est = groups.Estimators(
        run.c, run.state, run.key_every, run.key_x, run.key_p, run.rows, flying[0][0], flying[1][0],
        flying[2][0], flying[3][0], alt, np.zeros(4),
        first_covariance(height), first_times(), np.empty((samples, 2)), np.empty((keys, 4)), np.empty((keys, 4, 4)), np.empty((rows, 5)),
        np.zeros((2, 4)), np.empty(samples),
    )  # fmt: skip
    # The attitude EKF is the last of them.
    flies = next((s for k, (_, s) in enumerate(flying[:3], groups.COMPLEMENTARY) if k == kind), flying[0][1])
    return est, (flies, flying[3][1]), run if kind == groups.NAVIGATION else None
