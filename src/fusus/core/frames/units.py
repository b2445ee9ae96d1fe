"""Units: what one of each is in SI, and numbers as people write them."""

import math
import re

from fusus.errors import UnitError

_DEG = math.pi / 180
_G = 9.80665  # standard gravity, 3rd CGPM 1901

# Kind of quantity: unit as written for people, size in the kind's SI unit. The first of a kind is SI.
KINDS: dict[str, dict[str, float]] = {
    "angle": {"rad": 1.0, "deg": _DEG, "mrad": 1e-3, "°": _DEG},
    "rate": {"rad/s": 1.0, "deg/s": _DEG, "mdeg/s": 1e-3 * _DEG, "°/s": _DEG, "deg/h": _DEG / 3600, "mrad/s": 1e-3,
             "rpm": math.pi / 30},
    "acceleration": {"m/s²": 1.0, "g": _G, "mg": 1e-3 * _G, "µg": 1e-6 * _G, "cm/s²": 0.01, "Gal": 0.01},
    "field": {"µT": 1.0, "nT": 1e-3, "mT": 1e3, "T": 1e6, "G": 100.0, "mG": 0.1},
    "pressure": {"Pa": 1.0, "hPa": 100.0, "kPa": 1000.0, "mbar": 100.0, "bar": 1e5, "mmHg": 133.322387415,
                 "inHg": 3386.389},
    "length": {"m": 1.0, "mm": 1e-3, "cm": 0.01, "km": 1000.0, "ft": 0.3048},
    "speed": {"m/s": 1.0, "km/h": 1 / 3.6, "cm/s": 0.01, "mm/s": 1e-3, "kn": 0.514444444444, "ft/s": 0.3048},
    "time": {"s": 1.0, "ms": 1e-3, "µs": 1e-6, "ns": 1e-9, "min": 60.0, "h": 3600.0},
    "temperature": {"°C": 1.0, "K": 1.0, "°F": 5 / 9},
    "temperature difference": {"K": 1.0},
    "voltage": {"V": 1.0, "mV": 1e-3},
    "current": {"A": 1.0, "mA": 1e-3},
    "resistance": {"Ω": 1.0, "mΩ": 1e-3},
    "mass": {"kg": 1.0, "g": 1e-3},
    "share": {"1": 1.0, "%": 0.01, "ppm": 1e-6},
    "rate noise": {"rad/s/√Hz": 1.0, "deg/s/√Hz": _DEG, "mdeg/s/√Hz": 1e-3 * _DEG, "deg/√h": _DEG / 60},
    "rate walk": {"rad/s²/√Hz": 1.0, "deg/s²/√Hz": _DEG, "deg/h/√h": _DEG / 3600 / 60},
    "rate per kelvin": {"rad/s/K": 1.0, "deg/s/K": _DEG, "mdeg/s/K": 1e-3 * _DEG, "deg/h/K": _DEG / 3600},
    "rate per acceleration": {"rad/s/(m/s²)": 1.0, "deg/s/g": _DEG / _G, "mdeg/s/g": 1e-3 * _DEG / _G},
    "acceleration walk": {"m/s³/√Hz": 1.0, "mg/s/√Hz": 1e-3 * _G, "µg/s/√Hz": 1e-6 * _G},
    "acceleration per kelvin": {"m/s²/K": 1.0, "mg/K": 1e-3 * _G, "µg/K": 1e-6 * _G},
    "rectification": {"s²/m": 1.0, "mg/g²": 1e-3 / _G, "µg/g²": 1e-6 / _G},
    "pressure per kelvin": {"Pa/K": 1.0, "hPa/K": 100.0},
    "share per kelvin": {"1/K": 1.0, "%/K": 0.01, "ppm/K": 1e-6},
    "field per current": {"µT/A": 1.0, "nT/A": 1e-3, "mG/A": 0.1},
    # One sigma per axis of a circular normal error: half of all lie within CEP50 = σ √(2 ln 2), 95 % within
    # σ √(2 ln 20); DRMS = σ √2.
    "horizontal accuracy": {"m (1σ per axis)": 1.0, "m CEP50": 1 / math.sqrt(2 * math.log(2)),
                            "m CEP95": 1 / math.sqrt(2 * math.log(20)), "m DRMS": 1 / math.sqrt(2),
                            "m 2DRMS": 1 / math.sqrt(8)},
    "vertical accuracy": {"m (1σ)": 1.0, "m (50 %)": 1 / 0.6744897501960817, "m (95 %)": 1 / 1.959963984540054},
    "frequency": {"Hz": 1.0, "kHz": 1000.0, "MHz": 1e6},
    "bits": {"bit": 1.0},
    "money": {"cr": 1.0},
    "energy": {"J": 1.0, "Wh": 3600.0},
    "charge": {"A s": 1.0, "mAh": 3.6, "Ah": 3600.0},
    "inertia": {"kg m²": 1.0, "g m²": 1e-3},
    "force": {"N": 1.0, "gf": 1e-3 * _G, "kgf": _G},
    "acceleration noise": {"m/s²/√Hz": 1.0, "µg/√Hz": 1e-6 * _G, "mg/√Hz": 1e-3 * _G, "m/s/√h": 1 / 60},
    "field walk": {"µT/√s": 1.0},
    "length walk": {"m/√s": 1.0, "cm/√s": 0.01},
    "gain": {"1/s": 1.0},
    "gain squared": {"1/s²": 1.0},
    "angular acceleration": {"rad/s²": 1.0, "deg/s²": _DEG},
}  # fmt: skip

# Zero of the scale, in the SI unit, for units whose zero lies elsewhere.
OFFSETS = {"K": -273.15, "°F": -160 / 9}

# Other spellings, in small letters with u for µ, of each unit.
_SPELLINGS = {
    "deg/s": "dps | degrees/s | deg/sec | degree/s | deg s^-1 | deg*s^-1 | deg.s-1",
    "rad/s": "rad/sec | rads/s | radians/s | rad s^-1 | rad*s^-1 | rad.s-1 | rad s-1",
    "mdeg/s": "mdps",
    "deg": "degrees | degree",
    "rad": "radians | radian",
    "m/s²": "m/s^2 | m/s2 | m/s/s | m/sec^2 | m/sec2 | ms-2 | mps2 | m s^-2 | m*s^-2 | m.s-2 | m s-2",
    "µT": "ut | ut. | microtesla",
    "nT": "nt",
    "mT": "mt",
    "G": "gauss | gs",
    "mG": "mgauss | milligauss",
    "µg": "ug",
    "Gal": "mgal",
    "Pa": "pa",
    "hPa": "hpa",
    "kPa": "kpa",
    "mbar": "millibar | mb",
    "µs": "us | usec | microseconds",
    "s": "sec | secs | second | seconds",
    "ms": "msec | milliseconds",
    "ns": "nsec | nanoseconds",
    "°C": "degc | celsius | c | deg c | degrees c | °c",
    "°F": "degf",
    "K": "kelvin",
    "m/s": "mps | m/sec | m s^-1 | m*s^-1 | m s-1",
    "km/h": "kmh | kph",
    "kn": "knots | knot | kt",
    "m": "meters | metres | meter | metre",
    "ft": "feet",
    "V": "volt | volts | v",
    "mV": "mv",
    "A": "amp | amps | a",
    "mA": "ma",
    "%": "percent",
    "deg/s/√Hz": "dps/√hz | deg/s/sqrt(hz) | dps/sqrt(hz)",
    "µg/√Hz": "ug/√hz | ug/sqrt(hz)",
    "rad/s/√Hz": "rad/s/sqrt(hz)",
    "m/s²/√Hz": "m/s^2/sqrt(hz) | m/s²/sqrt(hz)",
    "deg/√h": "deg/sqrt(h) | deg/rt-hr",
    "deg/s/K": "dps/k | dps/°c | deg/s/°c",
    "mdeg/s/K": "mdps/k | mdps/°c",
    "mdeg/s/√Hz": "mdps/√hz | mdps/sqrt(hz)",
    "mg/√Hz": "mg/sqrt(hz)",
    "deg/s/g": "dps/g",
    "mg/K": "mg/°c",
    "µg/K": "ug/k | ug/°c",
    "Pa/K": "pa/°c",
    "%/K": "%/°c",
    "m (1σ per axis)": "m 1σ | m 1 sigma | m rms per axis",
    "m CEP50": "m cep",
    "m DRMS": "m rms",
    "cr": "credits",
    "bit": "bits",
    "mAh": "mah",
    "gf": "gram-force",
}
_SAME = {other: unit for unit, others in _SPELLINGS.items() for other in others.split(" | ")}

_NUMBER = re.compile(r"\s*([+-]?(?:\d+[.,]?\d*|[.,]\d+)(?:[eE][+-]?\d+)?)\s*(.*?)\s*$")


def known_unit(text: str) -> str | None:
    """Return the unit that a text means, as this module spells it, or None."""
    plain = text.strip().replace("μ", "µ")
    if any(plain in units for units in KINDS.values()):
        return plain
    # Only then by other spellings: "mG" and "mg" differ by their capital alone.
    lower = plain.lower().replace("µ", "u")
    if lower in _SAME:
        return _SAME[lower]
    for units in KINDS.values():
        for unit in units:
            if unit.lower().replace("µ", "u") == lower:
                return unit
    return None


def to_si(value: float, unit: str, kind: str) -> float:
    """Return a value in the kind's SI unit; the unit must be known to that kind."""
    return value * KINDS[kind][unit] + (OFFSETS.get(unit, 0.0) if kind == "temperature" else 0.0)


def from_si(value: float, unit: str, kind: str) -> float:
    """Return an SI value in a unit of its kind."""
    return (value - (OFFSETS.get(unit, 0.0) if kind == "temperature" else 0.0)) / KINDS[kind][unit]


def parse(text: str, kind: str, default_unit: str) -> tuple[float, str]:
    """Return the SI value and the unit of a text such as "500 deg/s", "0,5 mg" or a bare number.

    Decimal point and comma are both read. Without a unit the default one is taken. UnitError says what is wrong.
    """
    match = _NUMBER.match(text)
    if match is None:
        raise UnitError(text, f"write a number, if you like with a unit ({', '.join(KINDS[kind])}).")
    number = float(match.group(1).replace(",", "."))
    unit: str | None = default_unit
    if match.group(2):
        unit = known_unit(match.group(2))
        if unit is None or unit not in KINDS[kind]:
            raise UnitError(text, f"“{match.group(2)}” is no unit of this quantity; use {', '.join(KINDS[kind])}.")
    return to_si(number, str(unit), kind), str(unit)
