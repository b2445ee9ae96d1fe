"""What the craft asks of its estimate. Light to import: projects hold these."""

from dataclasses import dataclass
from typing import Literal

from fusus.core.arrays import check_range
from fusus.errors import ParameterError

Quantity = Literal["tilt", "heading", "height", "position", "velocity", "outage"]
StatisticName = Literal["rmse", "p95", "max"]

QUANTITIES: dict[str, tuple[str, str, float, float]] = {
    # name: title, SI unit, least and greatest limit
    "tilt": ("Tilt", "rad", 1e-5, 3.2),
    "heading": ("Heading", "rad", 1e-5, 3.2),
    "height": ("Height", "m", 1e-3, 1e4),
    "position": ("Position", "m", 1e-3, 1e5),
    "velocity": ("Velocity", "m/s", 1e-3, 1e3),
    "outage": ("Position after outage", "m", 1e-3, 1e5),
}
STATISTICS = {"rmse": "RMSE", "p95": "95th percentile", "max": "maximum"}


@dataclass(frozen=True, slots=True)
class Requirement:
    """A limit, SI units, on a statistic of an error; ``outage_s`` belongs to ``outage`` alone."""

    quantity: Quantity
    limit: float
    statistic: StatisticName = "rmse"
    outage_s: float | None = None

    def __post_init__(self) -> None:
        if self.quantity not in QUANTITIES:
            raise ParameterError("quantity", self.quantity, 0, 0, "one of " + ", ".join(QUANTITIES))
        title, unit, low, high = QUANTITIES[self.quantity]
        check_range(f"{title} limit", self.limit, low, high, unit)
        if self.quantity == "outage":
            check_range("Outage length", self.outage_s if self.outage_s is not None else float("nan"), 0.5, 3600, "s")

    @property
    def title(self) -> str:
        """A name for people."""
        if self.quantity == "outage":
            return f"Position after {self.outage_s:g} s outage"
        return QUANTITIES[self.quantity][0]

    @property
    def unit(self) -> str:
        """The SI unit of the limit."""
        return QUANTITIES[self.quantity][1]

    @property
    def key(self) -> str:
        """A name for scripts."""
        return f"outage_{self.outage_s:g}s" if self.quantity == "outage" else self.quantity
