"""A short check capture against the active calibrations: do they still hold?

Arrays, where a function does not say otherwise (shape, unit, frame):

    t : (N,) s, any
    gyro : (N, 3) rad/s, b
    acc : (N, 3) m/s^2, b
    warm : (N,) °C, any
    mag : (M, 3) µT, b
"""

import math
from dataclasses import dataclass

import numpy as np

from fusus.core.arrays import Array
from fusus.core.calibration.apply import Corrections
from fusus.core.calibration.stillness import Span, still_spans

# What a stored calibration may be off before it does harm; beyond it, and beyond its spread, it is due.
MOST_BIAS_RAD_S, MOST_GRAVITY_M_S2, MOST_STRENGTH, MOST_WOBBLE = math.radians(0.1), 0.15, 0.05, 0.04
SIGMAS = 3.0
TURN_RAD = 0.6


@dataclass(frozen=True, slots=True)
class CheckItem:
    """One calibration against the check: whether it holds, by how much it is off (SI), and what to know of it."""

    kind: str
    holds: bool
    off: float
    limit: float
    statement: str


def check_gyro(
    t: Array, gyro: Array, acc: Array, corrections: Corrections, warm: Array | None, sigma: float
) -> CheckItem | None:
    """Return whether the stored gyro bias still holds, None where the capture has no rest."""
    rest = _rest(t, gyro, acc)
    if rest is None:
        return None
    left = corrections.gyro(gyro, warm)[rest.rows]
    off = float(np.linalg.norm(left.mean(axis=0)))
    error = float(np.linalg.norm(left.std(axis=0))) / math.sqrt(len(left))
    limit = max(MOST_BIAS_RAD_S, SIGMAS * math.hypot(error, sigma))
    told = f"{math.degrees(off):.3f} °/s of bias are left ({math.degrees(limit):.2f} °/s may be)"
    return CheckItem("gyro-bias", off <= limit, off, limit, told + ("." if off <= limit else ": calibrate it again."))


def check_acc(
    t: Array, gyro: Array, acc: Array, corrections: Corrections, warm: Array | None, gravity: float
) -> CheckItem | None:
    """Return whether gravity still comes out as it should in all rests."""
    spans = still_spans(t, gyro, acc)
    if not spans:
        return None
    fixed = corrections.acc(acc, warm)
    off = max(abs(float(np.linalg.norm(fixed[s.rows].mean(axis=0))) - gravity) for s in spans)
    mg = 1e3 / 9.80665
    told = f"gravity is off by {off * mg:.1f} mg at rest ({MOST_GRAVITY_M_S2 * mg:.0f} mg may be)"
    holds = off <= MOST_GRAVITY_M_S2
    return CheckItem("six-face", holds, off, MOST_GRAVITY_M_S2, told + ("." if holds else ": do the six faces again."))


def check_mag(mag: Array, corrections: Corrections, field_ut: float | None) -> CheckItem | None:
    """Return whether the field's strength holds while the craft is turned, None where it was not turned."""
    good = mag[np.isfinite(mag).all(axis=1)]
    if len(good) < 30:
        return None
    fixed = corrections.mag(good)
    size = np.linalg.norm(fixed, axis=1)
    directions = fixed / np.maximum(size[:, None], 1e-9)
    if float(np.arccos(np.clip((directions @ directions[0]).min(), -1, 1))) < TURN_RAD:
        return None
    strength = field_ut or float(size.mean())
    off, wobble = abs(float(size.mean()) / strength - 1), float(size.std()) / strength
    worst, limit = (wobble, MOST_WOBBLE) if wobble / MOST_WOBBLE > off / MOST_STRENGTH else (off, MOST_STRENGTH)
    holds = off <= MOST_STRENGTH and wobble <= MOST_WOBBLE
    told = f"the field's strength is off by {off:.1%} and varies by {wobble:.1%}"
    return CheckItem(
        "magnetometer", holds, worst, limit, told + ("." if holds else ": turn it again, away from steel.")
    )


def _rest(t: Array, gyro: Array, acc: Array) -> Span | None:
    spans = still_spans(t, gyro, acc)
    return max(spans, key=lambda s: s.length_s) if spans else None
