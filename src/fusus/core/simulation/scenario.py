"""What happens in a made-up recording, apart from the motion."""

import math
from dataclasses import dataclass, field

import numpy as np

from fusus.core.sensors.barometer import BarometerModel
from fusus.core.sensors.gnss import GnssModel
from fusus.core.sensors.inertial import InertialModel
from fusus.core.sensors.magnetometer import MagnetometerModel
from fusus.core.sensors.rangefinder import RangefinderModel

DEG = 0.017453292519943295
G = 9.80665

# A consumer-grade IMU in plausible figures; invented. N values are Allan coefficients.
GYRO = InertialModel(
    noise=0.005 * DEG,
    walk=2e-4 * DEG,
    instability=2.0 / 3600 * DEG,
    instability_tau_s=100.0,
    bias=0.5 * DEG,
    scale=0.002,
    misalignment_rad=0.001,
    temperature_slope=0.004 * DEG,
    full_scale=1000 * DEG,
    bits=16,
    g_sensitivity=0.01 * DEG / G,
)
ACCELEROMETER = InertialModel(
    noise=120e-6 * G,
    walk=2e-5,
    instability=30e-6 * G,
    instability_tau_s=100.0,
    bias=3e-3 * G,
    scale=0.002,
    misalignment_rad=0.001,
    temperature_slope=1e-4 * G,
    full_scale=8 * G,
    bits=16,
    vibration_rectification=2e-4,
)


# Which sequence of a seed the heading at the start is drawn from.
HEADING = 1


@dataclass(frozen=True, slots=True)
class Disturbance:
    """A lump of steel: field at its centre in µT (north, east, down), fading over ``radius_m``."""

    north_m: float
    east_m: float
    height_m: float
    radius_m: float
    field_ut: tuple[float, float, float]


@dataclass(frozen=True, slots=True)
class Suite:
    """The sensors on board; None: there is none of this kind."""

    gyro: InertialModel = GYRO
    acc: InertialModel = ACCELEROMETER
    baro: BarometerModel | None = field(default_factory=BarometerModel)
    mag: MagnetometerModel | None = field(default_factory=MagnetometerModel)
    gnss: GnssModel | None = field(default_factory=GnssModel)
    rangefinder: RangefinderModel | None = None

    def start_heading(self, seed: int) -> float:
        """Return the true heading at the start of a flight, rad: north with a magnetometer, any one by the seed without.

        A filter that cannot know its heading must not be right by starting at the simulator's north. It is drawn from a sequence of
        its own, so that all noise stays what its seed says.
        """
        if self.mag is not None:
            return 0.0
        return float(np.random.default_rng([seed, HEADING]).uniform(-math.pi, math.pi))


@dataclass(frozen=True, slots=True)
class Conditions:
    """Surroundings: outages of GNSS (start, duration) in s, steel near the path, rotor vibration, warming."""

    outages: tuple[tuple[float, float], ...] = ()
    steel: tuple[Disturbance, ...] = ()
    rotor_hz: float = 118.0
    vibration_acc_m_s2: float = 1.2
    vibration_gyro_rad_s: float = 0.03
    warming_k: float = 6.0
    warming_tau_s: float = 180.0
    hover_current_a: float = 14.0
