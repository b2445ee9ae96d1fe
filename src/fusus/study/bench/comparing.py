"""A calibration beside the one before it of its kind. Light to import: the window shows it."""

import math
from typing import Any

import numpy as np

from fusus.core.calibration.bias_age import bias_sigma
from fusus.project.records import StoredCalibration

# The parameter of each kind that tells whether the sensor has changed, and how it is called.
MAIN = {
    "gyro-bias": ("gyro_bias_rad_s", "the bias", 180 / math.pi, "°/s"),
    "six-face": ("offset_m_s2", "the offset", 1e3 / 9.80665, "mg"),
    "magnetometer": ("hard_iron_ut", "the hard iron", 1.0, "µT"),
    "thermal": ("gyro_slope_rad_s_k", "the slope", 180 / math.pi, "°/s/K"),
    "level": ("trim_rad", "the trim", 180 / math.pi, "°"),
    "mounting": ("fine_rad", "the fine angles", 180 / math.pi, "°"),
    "motor-current": ("slope_ut_a", "the field of one ampere", 1.0, "µT/A"),
    "sticks": ("centre", "the centres", 1.0, ""),
}
MOVED, CLEARLY_MOVED = 3.0, 6.0


def compared(new: StoredCalibration, old: StoredCalibration) -> dict[str, Any] | None:
    """Return how the main figure moved between two calibrations of a kind, in its own standard errors, or None."""
    if new.kind not in MAIN:
        return None
    name, words, scale, unit = MAIN[new.kind]
    a, b = _numbers(new.parameters.get(name)), _numbers(old.parameters.get(name))
    if a is None or b is None or len(a) != len(b):
        return None
    sa, sb = _numbers(new.standard_errors.get(name)), _numbers(old.standard_errors.get(name))
    if new.kind == "gyro-bias":
        # The new one as it was measured, the old one as it is worth by now: its drift counts once.
        sa, sb = _numbers(new.parameters.get("mean_sigma_rad_s")), _aged(new, old)
    move = a - b
    spread = np.sqrt((0.0 if sa is None else sa) ** 2 + (0.0 if sb is None else sb) ** 2) * np.ones(len(a))
    with np.errstate(divide="ignore", invalid="ignore"):
        sigmas = np.where(spread > 0, np.abs(move) / spread, np.inf * np.abs(move))
    worst = float(np.nanmax(np.where(np.isfinite(move), sigmas, np.nan)))
    size = float(np.linalg.norm(np.nan_to_num(move))) * scale
    told_as = "more than its spread" if worst > MOVED else "no more than its spread"
    warm = ""
    if new.temperature_degc is not None and old.temperature_degc is not None and new.kind in ("gyro-bias", "six-face"):
        warm = f" (at {new.temperature_degc:.0f} °C, then {old.temperature_degc:.0f} °C)"
    return {
        "when": old.when.isoformat(), "recording": old.recording, "move": _plain(move), "standard_errors": _plain(spread),
        "sigmas": worst if math.isfinite(worst) else None, "has_moved": worst > MOVED,
        "statement": f"{words} moved by {size:.3g} {unit}, {told_as} ({worst:.1f} σ){warm}.".replace("  ", " "),
    }  # fmt: skip


def _aged(new: StoredCalibration, old: StoredCalibration) -> Any:
    kelvin = 0.0
    if new.temperature_degc is not None and old.temperature_degc is not None:
        kelvin = new.temperature_degc - old.temperature_degc
    age_s = abs((new.when - old.when).total_seconds())
    return bias_sigma(old.parameters, old.standard_errors, age_s, kelvin)


def _numbers(value: Any) -> Any:
    if not isinstance(value, list):
        return None
    return np.array([np.nan if v is None else float(v) for v in value])


def _plain(values: Any) -> list[float | None]:
    return [float(v) if math.isfinite(v) else None for v in values]
