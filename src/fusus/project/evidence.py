"""Where a figure comes from."""

from datetime import date
from typing import Literal

from pydantic import BaseModel, ConfigDict

Source = Literal["assumed", "datasheet", "bench", "flight"]
# A later source in this order is the better one.
RANK: dict[Source, int] = {"assumed": 0, "datasheet": 1, "bench": 2, "flight": 3}


class Record(BaseModel):
    """The base of all that a project holds: a frozen value that refuses unknown fields."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


class Evidence(Record):
    """Origin of a figure: source, date, conditions, one-sigma standard error in the figure's SI unit, recording."""

    source: Source = "assumed"
    day: date | None = None
    conditions: str = ""
    standard_error: float | None = None
    recording: str | None = None

    @property
    def mark(self) -> str:
        """The letter that stands beside the figure."""
        return self.source[0].upper()

    def told(self) -> str:
        """Return the origin in words."""
        parts: list[str] = [self.source]
        if self.day is not None:
            parts.append(self.day.isoformat())
        if self.conditions:
            parts.append(self.conditions)
        if self.recording:
            parts.append(f"recording “{self.recording}”")
        return ", ".join(parts)


ASSUMED = Evidence()
