"""The whole board: block by block, from what hands and surroundings do to what the sensors print."""

from dataclasses import dataclass, field, replace

import numpy as np

from fusus.core.arrays import Array, IntArray
from fusus.core.frames import quaternion
from fusus.core.parts.models import SuiteModel
from fusus.core.sensors.inertial import InertialErrors, InertialModel
from fusus.core.sensors.quantise import quantise
from fusus.core.simulation.board.handling import Hands
from fusus.core.simulation.board.slow import SlowBias
from fusus.core.simulation.board.slow_sensors import REFERENCE_DEGC, Around, Rates, SlowSensors, nanoseconds
from fusus.core.simulation.board.specimen import Specimen
from fusus.core.world.site import Site

Streams = dict[str, dict[str, Array]]
SELF_HEATING_K, WARM_UP_S = 6.0, 90.0
SHAKE_M_S2, SHAKE_RAD_S, TREMOR_M_S2 = 4.0, 0.08, 0.25


@dataclass(slots=True)
class Board:
    """A board that runs. ``advance`` gives the next block and the truth behind it."""

    specimen: Specimen
    model: SuiteModel
    site: Site
    rates: Rates
    seed: int
    home: tuple[float, float, float] = (0.0, 0.0, 0.0)
    has_second_imu: bool = False
    hands: Hands = field(default_factory=Hands)
    around: Around = field(default_factory=Around)
    t_s: float = 0.0
    rng: np.random.Generator = field(init=False)
    _gyro: SlowBias = field(init=False)
    _acc: SlowBias = field(init=False)
    slow: SlowSensors = field(init=False)
    _degc: float = field(init=False)
    _phase: float = 0.0
    _rows: int = 0

    def __post_init__(self) -> None:
        self.rng = np.random.default_rng(self.seed + 7)
        self._gyro = SlowBias.of_inertial(self.model.gyro, self.rng)
        self._acc = SlowBias.of_inertial(self.model.acc, self.rng)
        self.slow = SlowSensors(self.specimen, self.model, self.site, self.rates, self.home, self.rng)
        self._degc = self.around.room_degc + SELF_HEATING_K

    def put(self, **what: object) -> None:
        """Change the surroundings."""
        self.around = replace(self.around, **what)  # type: ignore[arg-type]

    def settle(self) -> None:
        """Let the board reach its temperature at once."""
        self._degc = self.around.room_degc + SELF_HEATING_K

    def advance(self, count: int) -> tuple[Streams, dict[str, Array]]:
        """Return the next ``count`` IMU samples with the slower streams between, and the truth.

        Parameters
        ----------
        count : int
            IMU samples.

        Returns
        -------
        tuple of dict
            Streams with ``t_ns``, sensor axes; and the truth at the IMU's times: ``t_s`` (N,), ``gyro_bias`` (N, 3) rad/s at rest,
            ``q_nb`` (N, 4) of the craft, ``temperature_degc`` (N,).
        """
        dt = 1.0 / self.rates.imu_hz
        t = np.asarray(self.t_s + dt * np.arange(count), dtype=np.float64)
        q, rate_b, moving = self.hands.move(dt, count)
        warm = self._warm(count, dt)
        to_s = self.specimen.mounting.T
        down = quaternion.rotate(quaternion.conjugate(q), np.array([0.0, 0.0, -self.site.gravity_m_s2]))
        tremor = self.rng.standard_normal((count, 3)) * (TREMOR_M_S2 * moving[:, None])
        shake_acc, shake_gyro = self._shaking(t)
        force_s, rate_s = (down + tremor) @ to_s.T, rate_b @ to_s.T
        gyro, at_rest = self._inertial(
            self.model.gyro, self.specimen.gyro, rate_s, force_s, warm, shake_gyro, self._gyro, dt
        )
        acc, _ = self._inertial(self.model.acc, self.specimen.acc, force_s, force_s, warm, shake_acc, self._acc, dt)
        streams: Streams = {"imu": _columns(t, gyro, acc) | {"temperature_degc": np.round(warm, 2)}}
        if self.has_second_imu:
            errors = self.specimen.second_gyro, self.specimen.second_acc
            still = np.zeros_like(shake_acc)
            other_gyro, _ = self._inertial(self.model.gyro, errors[0], rate_s, force_s, warm, still, None, dt)
            other_acc, _ = self._inertial(self.model.acc, errors[1], force_s, force_s, warm, still, None, dt)
            streams["imu2"] = _columns(t, other_gyro, other_acc)
        self._slower(streams, t, q, rate_b, warm)
        self.t_s += count * dt
        self._rows += count
        return streams, {"t_s": t, "gyro_bias": at_rest, "q_nb": q, "temperature_degc": warm}

    def _warm(self, count: int, dt: float) -> Array:
        goal = self.around.room_degc + SELF_HEATING_K
        decay = np.exp(-dt * np.arange(1, count + 1) / WARM_UP_S)
        warm = goal + (self._degc - goal) * decay
        self._degc = float(warm[-1])
        return np.asarray(warm)

    def _shaking(self, t: Array) -> tuple[Array, Array]:
        u = self.around.throttle
        if u <= 0:
            return np.zeros((len(t), 3)), np.zeros((len(t), 3))
        turns = self.around.rotor_hz
        phase = self._phase + 2 * np.pi * turns * (t - self.t_s)
        self._phase = float(phase[-1] + 2 * np.pi * turns / self.rates.imu_hz) % (2 * np.pi)
        lines = np.stack([np.sin(phase), np.cos(phase + 0.4), 1.5 * np.sin(2 * phase + 1.1)], axis=1)
        rough = self.rng.standard_normal((len(t), 3))
        return u**2 * SHAKE_M_S2 * (lines + 0.4 * rough), u**2 * SHAKE_RAD_S * (lines + 0.4 * rough)

    def _inertial(
        self, model: InertialModel, errors: InertialErrors, truth: Array, force: Array, warm: Array, shake: Array,
        slow_bias: SlowBias | None, dt: float,
    ) -> tuple[Array, Array]:  # fmt: skip
        """Return readings, and what they would read on average at rest."""
        n = len(truth)
        slow = errors.bias + (warm - REFERENCE_DEGC)[:, None] * errors.slope
        if slow_bias is not None:
            slow = slow + slow_bias.advance(n, dt, self.rng)
        tied = (force @ errors.g_matrix.T) @ errors.matrix.T
        out = truth @ errors.matrix.T + tied + slow + shake + model.vibration_rectification * shake**2
        out = out + self.rng.standard_normal((n, 3)) * model.noise / np.sqrt(dt)
        return quantise(out, model.full_scale, model.bits), slow + tied

    def _every(self, rate_hz: float, count: int) -> IntArray:
        """Return the rows of this block at which a slower stream samples."""
        step = max(1, round(self.rates.imu_hz / rate_hz))
        first = (-self._rows) % step
        return np.arange(first, count, step, dtype=np.int64)

    def _slower(self, streams: Streams, t: Array, q: Array, rate_b: Array, warm: Array) -> None:
        count = len(t)
        rows = self._every(self.rates.mag_hz, count)
        if self.model.mag is not None and self.site.field is not None and len(rows):
            streams["mag"] = self.slow.field(self.around, t[rows], q[rows])
        rows = self._every(self.rates.baro_hz, count)
        if self.model.baro is not None and len(rows):
            streams["baro"] = self.slow.pressure(self.around, t[rows], warm[rows])
        rows = self._every(self.rates.gnss_hz, count)
        if self.model.gnss is not None and self.around.outdoors and len(rows):
            streams["gnss"] = self.slow.fixes(t[rows], q[rows], rate_b[rows])
        rows = self._every(self.rates.slow_hz, count)
        if len(rows):
            n = len(rows)
            current = self.around.current_a + 0.3 + 0.05 * self.rng.standard_normal(n)
            volts = 16.2 - 0.02 * current
            streams["battery"] = {
                "t_ns": nanoseconds(t[rows]),
                "voltage_v": np.round(volts, 3),
                "current_a": np.round(current, 3),
            }
            turns = 60 * self.around.rotor_hz * np.ones(n)
            throttle = {f"motor_{i}": np.full(n, self.around.throttle) for i in range(1, 5)}
            streams["motor"] = (
                {"t_ns": nanoseconds(t[rows])} | throttle | {f"rpm_{i}": np.round(turns) for i in range(1, 5)}
            )
            streams["stick"] = self.slow.sticks(self.around, t[rows])


def _columns(t: Array, gyro: Array, acc: Array) -> dict[str, Array]:
    return (
        {"t_ns": nanoseconds(t)}
        | {f"gyro_{a}_rad_s": gyro[:, i] for i, a in enumerate("xyz")}
        | {f"acc_{a}_m_s2": acc[:, i] for i, a in enumerate("xyz")}
    )


def collect(board: Board, seconds: float, block: int = 2000) -> tuple[Streams, dict[str, Array]]:
    """Return streams and truth of the next seconds in one piece."""
    count = round(seconds * board.rates.imu_hz)
    streams: dict[str, dict[str, list[Array]]] = {}
    truth: dict[str, list[Array]] = {}
    while count > 0:
        part, behind = board.advance(min(block, count))
        count -= min(block, count)
        for name, columns in part.items():
            for key, values in columns.items():
                streams.setdefault(name, {}).setdefault(key, []).append(values)
        for key, values in behind.items():
            truth.setdefault(key, []).append(values)
    joined = {n: {k: np.concatenate(v) for k, v in c.items()} for n, c in streams.items()}
    return joined, {k: np.concatenate(v) for k, v in truth.items()}
