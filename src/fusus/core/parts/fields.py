"""The fields of a datasheet, kind by kind: name, quantity, usual unit, what is absurd, what is assumed where it is silent."""

from dataclasses import dataclass
from typing import Literal

from fusus.core.frames.units import to_si

PartKind = Literal["imu", "barometer", "magnetometer", "receiver", "rangefinder"]

KIND_TITLES: dict[PartKind, str] = {
    "imu": "IMU",
    "barometer": "Barometer",
    "magnetometer": "Magnetometer",
    "receiver": "GNSS receiver",
    "rangefinder": "Rangefinder",
}


@dataclass(frozen=True, slots=True)
class Field:
    """One figure of a datasheet. ``low``, ``high`` and ``assumed`` are SI; below or above them a figure is absurd.

    ``assumed`` is a poor but usual value, taken where the datasheet is silent; None: the part does without it.
    """

    name: str
    title: str
    quantity: str
    unit: str
    low: float
    high: float
    assumed: float | None


def _f(name: str, title: str, quantity: str, unit: str, low: float, high: float, assumed: float | None = None) -> Field:
    """Return a field whose bounds and assumption are written in its usual unit."""

    def si(value: float) -> float:
        return to_si(value, unit, quantity)

    return Field(name, title, quantity, unit, si(low), si(high), None if assumed is None else si(assumed))


COMMON = (
    _f("price", "Price", "money", "cr", 0, 1e5),
    _f("mass", "Mass", "mass", "g", 0.01, 2000, 2.0),
    _f("current", "Current", "current", "mA", 1e-4, 2000, 5.0),
    _f("supply_low", "Supply from", "voltage", "V", 0.8, 60),
    _f("supply_high", "Supply to", "voltage", "V", 0.8, 60),
    _f("temperature_low", "Works from", "temperature", "°C", -80, 60),
    _f("temperature_high", "Works to", "temperature", "°C", 0, 200),
)

_GYRO = (
    _f("gyro_noise", "Gyro noise density", "rate noise", "mdeg/s/√Hz", 0.01, 200, 10),
    _f("gyro_instability", "Gyro bias instability", "rate", "deg/h", 0.001, 500, 15),
    _f("gyro_walk", "Gyro rate walk", "rate walk", "deg/s²/√Hz", 1e-8, 0.1, 3e-4),
    _f("gyro_offset", "Gyro offset", "rate", "deg/s", 1e-5, 50, 2),
    _f("gyro_offset_temperature", "Gyro offset per K", "rate per kelvin", "mdeg/s/K", 1e-4, 1000, 20),
    _f("gyro_scale_error", "Gyro scale error", "share", "%", 1e-4, 20, 2),
    _f("gyro_cross_axis", "Gyro cross-axis", "share", "%", 1e-4, 20, 2),
    _f("gyro_nonlinearity", "Gyro non-linearity", "share", "%", 1e-4, 10, 0.1),
    _f("gyro_g_sensitivity", "Gyro g-sensitivity", "rate per acceleration", "mdeg/s/g", 1e-3, 2000, 100),
    _f("gyro_range", "Gyro range, widest", "rate", "deg/s", 50, 20000, 2000),
    _f("gyro_range_low", "Gyro range, narrowest", "rate", "deg/s", 10, 20000),
    _f("gyro_bits", "Gyro bits", "bits", "bit", 8, 32, 16),
    _f("gyro_rate", "Gyro rate, greatest", "frequency", "Hz", 1, 64000, 1000),
    _f("gyro_bandwidth", "Gyro bandwidth, widest", "frequency", "Hz", 1, 20000),
)
_ACC = (
    _f("acc_noise", "Accel. noise density", "acceleration noise", "µg/√Hz", 0.1, 5000, 250),
    _f("acc_instability", "Accel. bias instability", "acceleration", "µg", 0.01, 10000, 60),
    _f("acc_walk", "Accel. bias walk", "acceleration walk", "µg/s/√Hz", 1e-4, 500, 4),
    _f("acc_offset", "Accel. offset", "acceleration", "mg", 1e-3, 1000, 60),
    _f("acc_offset_temperature", "Accel. offset per K", "acceleration per kelvin", "mg/K", 1e-4, 20, 0.5),
    _f("acc_scale_error", "Accel. scale error", "share", "%", 1e-4, 20, 1.5),
    _f("acc_cross_axis", "Accel. cross-axis", "share", "%", 1e-4, 20, 1.5),
    _f("acc_nonlinearity", "Accel. non-linearity", "share", "%", 1e-4, 10, 0.5),
    _f("acc_rectification", "Accel. rectification", "rectification", "mg/g²", 1e-4, 50, 2),
    _f("acc_range", "Accel. range, widest", "acceleration", "g", 1, 400, 16),
    _f("acc_range_low", "Accel. range, narrowest", "acceleration", "g", 0.5, 400),
    _f("acc_bits", "Accel. bits", "bits", "bit", 8, 32, 16),
    _f("acc_rate", "Accel. rate, greatest", "frequency", "Hz", 1, 64000, 1000),
    _f("acc_bandwidth", "Accel. bandwidth, widest", "frequency", "Hz", 1, 20000),
)
_MAG = (
    _f("mag_noise", "Magn. noise", "field", "µT", 1e-3, 20, 0.6),
    _f("mag_offset", "Magn. offset", "field", "µT", 0.01, 500, 30),
    _f("mag_scale_error", "Magn. scale error", "share", "%", 0.01, 50, 5),
    _f("mag_cross_axis", "Magn. cross-axis", "share", "%", 0.01, 20, 1),
    _f("mag_offset_temperature", "Magn. scale per K", "share per kelvin", "%/K", 1e-4, 5, 0.05),
    _f("mag_range", "Magn. range", "field", "µT", 50, 1e5, 800),
    _f("mag_bits", "Magn. bits", "bits", "bit", 8, 32, 16),
    _f("mag_rate", "Magn. rate, greatest", "frequency", "Hz", 1, 2000, 50),
)

# What makes a nine-axis board of a six-axis one: all magnetometer fields, none of them assumed.
_ON_BOARD = tuple(Field(f.name, f.title, f.quantity, f.unit, f.low, f.high, None) for f in _MAG)

FIELDS: dict[PartKind, tuple[Field, ...]] = {
    "imu": (*_GYRO, *_ACC, *_ON_BOARD, *COMMON),
    "barometer": (
        _f("noise", "Pressure noise", "pressure", "Pa", 0.01, 100, 4),
        _f("offset", "Pressure offset", "pressure", "hPa", 0.01, 50, 2),
        _f("offset_temperature", "Offset per K", "pressure per kelvin", "Pa/K", 0.01, 100, 3),
        _f("rate", "Rate, greatest", "frequency", "Hz", 0.5, 1000, 25),
        _f("filter_time", "Filter time", "time", "ms", 0.1, 5000, 50),
        _f("airflow", "Airflow share", "share", "%", 0.1, 200, 30),
        _f("range_low", "Range from", "pressure", "hPa", 1, 1000),
        _f("range_high", "Range to", "pressure", "hPa", 300, 20000),
        _f("bits", "Bits", "bits", "bit", 8, 32, 24),
        *COMMON,
    ),
    "magnetometer": (*_MAG, *COMMON),
    "receiver": (
        _f("position_horizontal", "Horizontal position", "horizontal accuracy", "m CEP50", 0.005, 50, 3),
        _f("position_vertical", "Vertical position", "vertical accuracy", "m (1σ)", 0.005, 100, 6),
        _f("slow_share", "Share that drifts", "share", "%", 0, 100, 80),
        _f("wander_time", "Correlation time", "time", "s", 1, 7200, 150),
        _f("speed", "Speed accuracy", "speed", "m/s", 0.005, 5, 0.15),
        _f("rate", "Fix rate, greatest", "frequency", "Hz", 0.2, 100, 5),
        _f("latency", "Latency", "time", "ms", 0.1, 2000, 200),
        _f("first_fix", "First fix, cold", "time", "s", 1, 600),
        _f("bands", "Frequency bands", "bits", "bit", 1, 8),
        *COMMON,
    ),
    "rangefinder": (
        _f("range_low", "Range from", "length", "m", 0, 10, 0.1),
        _f("range_high", "Range to", "length", "m", 0.2, 2000, 4),
        _f("noise", "Noise", "length", "cm", 0.01, 200, 3),
        _f("noise_share", "Error with distance", "share", "%", 0, 20, 1),
        _f("rate", "Rate, greatest", "frequency", "Hz", 0.5, 2000, 20),
        _f("view", "Field of view", "angle", "deg", 0.1, 90),
        *COMMON,
    ),
}  # fmt: skip

# Words of a datasheet; where a choice is closed, what it may be.
WORDS: dict[str, tuple[str, ...] | None] = {
    "grade": None,
    "bus": ("I2C", "SPI", "UART"),
    "address": None,
    "noise_is": ("one-sided density", "Allan coefficient"),
    "constellations": None,
    "connector": None,
    "mounting": None,
    "notes": None,
}


def fields_of(kind: PartKind) -> dict[str, Field]:
    """Return the fields of a kind by name."""
    return {f.name: f for f in FIELDS[kind]}
