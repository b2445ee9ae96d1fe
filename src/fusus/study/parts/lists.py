"""Shopping list, wiring table and predicted errors of a suite, as rows for CSV."""

import math

from fusus.core.derived_requirements.check import conflicts
from fusus.core.parts.fields import KIND_TITLES
from fusus.core.parts.part import Completed, addresses
from fusus.core.prediction.ranking import Choice
from fusus.project.table_text import table_text
from fusus.study.parts.suite import SuiteStudy

# Pins by function; which pin of a board that is, only its own documents say.
_PINS = {
    "I2C": "power, ground, clock (SCL), data (SDA)",
    "SPI": "power, ground, clock, data to the sensor, data from the sensor, chip select, data-ready interrupt",
    "UART": "power, ground, transmit, receive",
}


def _cell(value: float | None, factor: float, digits: int) -> str:
    return "" if value is None else f"{value * factor:.{digits}f}"


def shopping_rows(choice: Choice) -> list[list[str]]:
    """Return the shopping list with its sum."""
    rows = [["what", "part", "price [cr]", "mass [g]", "current [mA]", "supply [V]", "connector", "mounting", "notes"]]
    for p in choice.separate():
        figures = p.part.figures
        low, high = figures.get("supply_low"), figures.get("supply_high")
        supply = f"{low:g} to {high:g}" if low is not None and high is not None else ""
        rows.append(
            [
                KIND_TITLES[p.part.kind], p.part.name, _cell(figures.get("price"), 1, 2), _cell(figures.get("mass"), 1e3, 1),
                _cell(figures.get("current"), 1e3, 1), supply, p.part.word("connector"), p.part.word("mounting"),
                p.part.word("notes"),
            ]
        )  # fmt: skip
    total = [_cell(choice.total(n), f, d) for n, f, d in (("price", 1, 2), ("mass", 1e3, 1), ("current", 1e3, 1))]
    rows.append(["total", "", *total, "", "", "", ""])
    return rows


def wiring_rows(choice: Choice) -> list[list[str]]:
    """Return the wiring table: bus, address, rate, pins by function, and what is in the way."""
    rows = [["part", "bus", "address", "rate [Hz]", "pins by function", "supply [V]", "remark"]]
    taken: set[int] = set()
    in_the_way = {c.parts[-1]: c.action for c in conflicts(choice.separate())}
    for p in sorted(choice.separate(), key=lambda p: len(addresses(p.part)) or 99):
        bus = p.part.word("bus")
        free = [a for a in addresses(p.part) if a not in taken]
        address = f"0x{free[0]:02x}" if free else ""
        taken |= set(free[:1])
        figures = p.part.figures
        low, high = figures.get("supply_low"), figures.get("supply_high")
        rows.append(
            [
                p.part.name, bus, address, _cell(_rate(p), 1, 0), _PINS.get(bus, ""),
                f"{low:g} to {high:g}" if low is not None and high is not None else "", in_the_way.get(p.part.name, ""),
            ]
        )  # fmt: skip
    return rows


def _rate(p: Completed) -> float | None:
    for name in ("rate", "gyro_rate", "mag_rate"):
        if name in p.part.figures:
            return p.part.figures[name]
    return None


# Columns of the spread along a mission: name, scale into the unit, variances that add up.
_SPREAD = (
    ("tilt_deg", math.degrees(1.0), (6, 7)),
    ("heading_deg", math.degrees(1.0), (8,)),
    ("height_m", 1.0, (2,)),
    ("climb_m_s", 1.0, (5,)),
    ("position_m", 1.0, (0, 1)),
    ("velocity_m_s", 1.0, (3, 4, 5)),
)


def spread_rows(study: SuiteStudy) -> list[list[str]]:
    """Return one sigma along the mission, true and as the filter would claim it, with the phase of each step."""
    spread, phases = study.prediction.spread, study.prediction.trajectory.phases
    rows = [["t_s", "phase", *(n for n, _, _ in _SPREAD), *(f"claimed_{n}" for n, _, _ in _SPREAD)]]
    for i, t in enumerate(spread.t_s):
        phase = next((p.name for p in reversed(phases) if p.start_s < t <= p.end_s + 1e-9), "")
        cells = [
            f"{scale * math.sqrt(max(0.0, float(table[i, list(columns)].sum()))):.6g}"
            for table in (spread.true, spread.claimed) for _, scale, columns in _SPREAD
        ]  # fmt: skip
        rows.append([f"{t:g}", phase, *cells])
    return rows


def as_csv(rows: list[list[str]]) -> bytes:
    """Return rows as CSV text."""
    return table_text(rows).encode()
