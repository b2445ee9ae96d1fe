"""What is done with a calibration once it is fitted: told, compared with earlier ones, put in force."""

import math
from pathlib import Path
from typing import Any

import numpy as np

from fusus.core.calibration.result import Calibration
from fusus.errors import LockedError
from fusus.project import book
from fusus.project.commands import TakeCalibration
from fusus.project.document import Document
from fusus.project.records import Project, StoredCalibration
from fusus.study.summary import plain

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
        "when": old.when.isoformat(), "recording": old.recording, "move": plain(move), "standard_errors": plain(spread),
        "sigmas": plain(worst), "has_moved": worst > MOVED,
        "statement": f"{words} moved by {size:.3g} {unit}, {told_as} ({worst:.1f} σ){warm}.".replace("  ", " "),
    }  # fmt: skip


def _numbers(value: Any) -> Any:
    if not isinstance(value, list):
        return None
    return np.array([np.nan if v is None else float(v) for v in value])


def told(entry: StoredCalibration, result: Calibration, project: Project) -> dict[str, Any]:
    """Return a calibration as JSON data, with its comparison to earlier ones of its kind, the latest first."""
    earlier = [c for c in project.bench.calibrations if c.kind == entry.kind][::-1]
    return {
        "kind": entry.kind, "recording": entry.recording, "parameters": plain(entry.parameters),
        "standard_errors": plain(entry.standard_errors), "units": entry.units, "before": plain(entry.before),
        "after": plain(entry.after), "condition": plain(entry.condition), "verdict": entry.verdict, "reason": entry.reason,
        "problems": [{"kind": p.kind, "message": p.message, "action": p.action} for p in result.problems],
        "compared": [c for old in earlier if (c := compared(entry, old)) is not None],
    }  # fmt: skip


def take(folder: Path, entry: StoredCalibration) -> None:
    """Put a calibration in force in a project folder, and into its book."""
    document = Document.open(folder)
    try:
        if document.read_only:
            raise LockedError(folder, "the project is open elsewhere; close that window first.")
        document.do(TakeCalibration(entry))
    finally:
        document.close()
    note_taken(folder, entry)


def note_taken(folder: Path, entry: StoredCalibration) -> None:
    """Write a calibration that was put in force into the book."""
    book.note(
        folder, "calibration", kind=entry.kind, recording=entry.recording, verdict=entry.verdict, reason=entry.reason,
        temperature_degc=entry.temperature_degc, place=entry.place.model_dump() if entry.place else None,
    )  # fmt: skip
