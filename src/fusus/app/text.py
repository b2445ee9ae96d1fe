"""How figures are written for people."""

import math

from fusus.core.frames.units import from_si
from fusus.core.requirements import STATISTICS, Requirement

SHOWN = {"rad": ("deg", "°"), "m": ("m", " m"), "m/s": ("m/s", " m/s")}
KIND_OF_UNIT = {"rad": "angle", "m": "length", "m/s": "speed"}


def figure(value: float, digits: int = 3) -> str:
    """Return a number with some three digits that count: 0.0123, 1.23, 12.3, 123, 1.2e-05."""
    if not math.isfinite(value):
        return "–"
    if value == 0:
        return "0"
    size = abs(value)
    if size >= 10**6 or size < 1e-4:
        return f"{value:.{digits - 1}e}".replace("e-0", "e-").replace("e+0", "e")
    places = max(0, digits - 1 - math.floor(math.log10(size)))
    return f"{value:.{places}f}"


def short(value: float) -> str:
    """Return a number without zeros at its end: as it was typed in."""
    return f"{value:.4g}" if value == 0 or abs(value) >= 1e-3 else f"{value:.3g}"


def shown_limit(requirement: Requirement) -> float:
    """Return a limit in the unit that people read."""
    unit, _ = SHOWN[requirement.unit]
    return from_si(requirement.limit, unit, KIND_OF_UNIT[requirement.unit])


def limit_text(requirement: Requirement) -> str:
    """Return a requirement in one line."""
    name = f"{requirement.outage_s:g} s outage" if requirement.quantity == "outage" else requirement.title
    _, sign = SHOWN[requirement.unit]
    return f"{name} ≤ {short(shown_limit(requirement))}{sign}"


def statistic_text(requirement: Requirement) -> str:
    """Return the statistic in words."""
    return STATISTICS[requirement.statistic]


def seconds(value: float) -> str:
    """Return a time left in words."""
    return f"{value:.0f} s" if value < 90 else f"{value / 60:.0f} min"
