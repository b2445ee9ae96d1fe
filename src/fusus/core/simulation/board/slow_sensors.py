"""What surrounds a stand-in board, and the sensors beside its IMU: magnetometer, barometer, receiver, sticks.

Arrays, where a function does not say otherwise (shape, unit, frame):

    t : (N,) s, any
    nanoseconds() : (N,) ns, any
"""

from dataclasses import dataclass, field

import numpy as np

from fusus.core.arrays import Array
from fusus.core.frames import quaternion
from fusus.core.parts.fitting import LEFT_BY_FOAM
from fusus.core.parts.models import SuiteModel
from fusus.core.sensors.quantise import quantise
from fusus.core.simulation.board.slow import SlowBias
from fusus.core.simulation.board.specimen import Specimen
from fusus.core.world.atmosphere import density_kg_m3, geopotential_m, pressure_pa
from fusus.core.world.site import Site

REFERENCE_DEGC = 25.0
STEEL_N_UT, INDOOR_N_UT = np.array([14.0, -9.0, 6.0]), np.array([2.0, -1.5, 1.0])
FULL_CURRENT_A, ROTOR_IDLE_HZ, ROTOR_FULL_HZ = 40.0, 40.0, 190.0
WASH_M_S, BLOW_M_S = 9.0, 4.0


@dataclass(frozen=True, slots=True)
class Rates:
    """Samples a second; the others divide the IMU's."""

    imu_hz: float = 200.0
    mag_hz: float = 50.0
    baro_hz: float = 25.0
    gnss_hz: float = 5.0
    slow_hz: float = 20.0


@dataclass(frozen=True, slots=True)
class Around:
    """What is done to the board apart from turning it: throttle 0 to 1, air blown at it, foam on the barometer, steel near,
    outdoors (sky and no building), the room's temperature, sticks moved."""

    throttle: float = 0.0
    blowing: bool = False
    foam: bool = False
    steel: bool = False
    outdoors: bool = False
    room_degc: float = 20.0
    sticks: bool = False

    @property
    def rotor_hz(self) -> float:
        """Turns of the rotors a second."""
        return ROTOR_IDLE_HZ + (ROTOR_FULL_HZ - ROTOR_IDLE_HZ) * self.throttle if self.throttle > 0 else 0.0

    @property
    def current_a(self) -> float:
        """What the motors draw."""
        return float(FULL_CURRENT_A * self.throttle**1.5)


@dataclass(slots=True)
class SlowSensors:
    """The sensors beside the IMU; their slow errors go on from call to call."""

    specimen: Specimen
    model: SuiteModel
    site: Site
    rates: Rates
    home: tuple[float, float, float]
    rng: np.random.Generator
    _weather: SlowBias = field(init=False)
    _gnss: SlowBias = field(init=False)
    _draught: SlowBias = field(init=False)

    def __post_init__(self) -> None:
        baro, gnss = self.model.baro, self.model.gnss
        self._weather = SlowBias.start(
            0.0, baro.weather_pa if baro else 0.0, baro.weather_tau_s if baro else 1.0, 1, self.rng
        )
        self._gnss = SlowBias.start(0.0, 1.0, gnss.correlation_time_s if gnss else 1.0, 3, self.rng)
        self._draught = SlowBias.start(0.0, 1.0, 0.15, 1, self.rng)

    def field(self, around: Around, t: Array, q: Array) -> dict[str, Array]:
        """Return the magnetometer's readings."""
        model, s = self.model.mag, self.specimen
        if model is None or self.site.field is None:
            raise ValueError("the board has no magnetometer")
        field_n = self.site.field.vector_ut + (STEEL_N_UT if around.steel else 0.0)
        field_n = field_n + (0.0 if around.outdoors else INDOOR_N_UT)
        board = quaternion.rotate(quaternion.conjugate(q), field_n) @ s.mounting
        own = board @ s.mag_alignment  # rows: the inverse rotation
        m = own @ s.soft_iron.T + s.hard_iron_ut + around.current_a * s.motor_ut_a
        m = m + self.rng.standard_normal(m.shape) * model.noise_ut
        m = quantise(m, model.full_scale_ut, model.bits)
        return {"t_ns": nanoseconds(t)} | {f"mag_{a}_ut": m[:, i] for i, a in enumerate("xyz")}

    def pressure(self, around: Around, t: Array, warm: Array) -> dict[str, Array]:
        """Return the barometer's readings."""
        model = self.model.baro
        if model is None:
            raise ValueError("the board has no barometer")
        n, dt = len(t), 1.0 / self.rates.baro_hz
        height = geopotential_m(self.home[2] + (1.0 if around.outdoors else 0.0))
        speed = WASH_M_S * around.throttle + (BLOW_M_S if around.blowing else 0.0)
        # Through open-cell foam a share passes; the bare hole of a model that is under foam already takes it all.
        reach = LEFT_BY_FOAM if around.foam else 1.0
        gusts = 1.0 + 0.5 * self._draught.advance(n, dt, self.rng)[:, 0]
        wind = -4.0 * max(model.airflow_cp, 0.02) * reach * 0.5 * density_kg_m3(height) * (speed * gusts) ** 2
        p = pressure_pa(height) + self.specimen.baro_offset_pa + self.specimen.baro_slope_pa_k * (warm - REFERENCE_DEGC)
        p = p + self._weather.advance(n, dt, self.rng)[:, 0] + wind + self.rng.standard_normal(n) * model.noise_pa
        return {"t_ns": nanoseconds(t), "pressure_pa": np.round(p, 2), "temperature_degc": np.round(warm, 2)}

    def fixes(self, t: Array, q: Array, rate_b: Array) -> dict[str, Array]:
        """Return the receiver's fixes, at the times when they arrive."""
        model = self.model.gnss
        if model is None:
            raise ValueError("the board has no receiver")
        n = len(t)
        arm = self.specimen.lever_arm_b_m
        pos = quaternion.rotate(q, arm)
        vel = quaternion.rotate(q, np.cross(rate_b, np.broadcast_to(arm, (n, 3))))
        slow = [model.correlated_horizontal_m, model.correlated_horizontal_m, model.correlated_vertical_m]
        fast = [model.white_horizontal_m, model.white_horizontal_m, model.white_vertical_m]
        speed = [model.velocity_horizontal_m_s, model.velocity_horizontal_m_s, model.velocity_vertical_m_s]
        pos = (
            pos
            + self._gnss.advance(n, 1.0 / self.rates.gnss_hz, self.rng) * slow
            + self.rng.standard_normal((n, 3)) * fast
        )
        vel = vel + self.rng.standard_normal((n, 3)) * speed
        axes = "ned"
        return (
            {"t_ns": nanoseconds(t + model.latency_s)}
            | {f"pos_{a}_m": np.round(pos[:, i], 4) for i, a in enumerate(axes)}
            | {f"vel_{a}_m_s": np.round(vel[:, i], 4) for i, a in enumerate(axes)}
            | {"h_acc_m": np.full(n, float(np.hypot(slow[0], fast[0]) * np.sqrt(2))), "satellites": np.full(n, 14.0)}
        )

    def sticks(self, around: Around, t: Array) -> dict[str, Array]:
        """Return the sticks of the transmitter."""
        moved = np.zeros((len(t), 3))
        throttle = np.zeros(len(t))
        if around.sticks:
            # One after the other to both ends, two seconds each, then the throttle.
            phase = np.mod(t, 8.0)
            for i in range(3):
                inside = (phase >= 2 * i) & (phase < 2 * i + 2)
                moved[inside, i] = np.clip(1.3 * np.sin(np.pi * (phase[inside] - 2 * i)), -1, 1)
            throttle = np.where(phase >= 6, np.clip(1.2 * np.sin(np.pi * (phase - 6) / 2), 0, 1), 0.0)
        at = np.clip(moved + self.specimen.stick_centre + 0.001 * self.rng.standard_normal(moved.shape), -1, 1)
        names = ("roll", "pitch", "yaw")
        return (
            {"t_ns": nanoseconds(t)}
            | {k: np.round(at[:, i], 4) for i, k in enumerate(names)}
            | {"throttle": np.round(throttle, 3)}
        )


def nanoseconds(t: Array) -> Array:
    """Return times in whole ns."""
    return np.asarray(np.round(t * 1e9), dtype=np.int64)
