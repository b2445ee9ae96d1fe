"""Which column of a table is the time, and in which unit: by its name, checked by its steps; else it is asked."""

import re
from dataclasses import dataclass

import numpy as np
import polars as pl

from fusus.core.arrays import Array
from fusus.logs.blocks import numbers
from fusus.logs.conclusions import Findings
from fusus.logs.headers import meaning, time_name
from fusus.logs.mapping import TimeMapping
from fusus.logs.physics.clock import (
    INERTIAL_HZ,
    OTHER_HZ,
    SECONDS,
    STATED_HZ,
    WORDS,
    counts_by_one,
    epoch_unit,
    plausible_units,
    rate_words,
    step_of,
)
from fusus.logs.split_time import split_time

RATE_LINE = '{"files": [{"time": {"unit": "counter", "rate_hz": 100}}]}'


def told_rate(text: str, first_data_line: int) -> float | None:
    """Return the sample rate that the lines before the table tell, Hz, or None."""
    before = "\n".join(text.split("\n")[: first_data_line - 1])
    found = re.search(r"(?:rate|frequency)\W{0,4}(?:\(?hz\)?\W{0,3})?(\d+(?:\.\d+)?)", before, re.IGNORECASE)
    return float(found.group(1)) if found and 0.1 <= float(found.group(1)) <= 1e5 else None


@dataclass(slots=True)
class TimeFinder:
    """Finds the time of one table. ``shown`` are the text fields of its first rows."""

    file: str
    names: tuple[str, ...]
    has_header: bool
    head: pl.DataFrame
    texts: frozenset[int]
    shown: tuple[tuple[str, ...], ...]
    findings: Findings
    told_rate_hz: float | None

    def find(self, said: TimeMapping | None, clock: dict[str, TimeMapping]) -> TimeMapping:
        """Return the time's column and unit; what a mapping ``said`` is taken as it is.

        ``clock`` are the times of other lines of the same text by the name of their column: they share its unit, and this
        one is added where its unit is settled.
        """
        given = said.model_fields_set if said is not None else frozenset()
        index, unit = (said.index, None) if said is not None and "index" in given else self._column()
        time = TimeMapping(index=index, unit="s")
        if said is not None and given:
            time = time.model_copy(update={n: getattr(said, n) for n in given})
        if said is not None and ("unit" in given or said.rate_hz):
            self._conclude(time.index, f"time in {WORDS.get(time.unit, time.unit)}", "the mapping says so", "stated")
            return time
        split = split_time(self.names, self.head, self.texts) if self.has_header and "index" not in given else None
        if split is not None and index in (None, split.whole, split.beyond):
            reason = f"“{self.names[split.whole]}” holds the whole seconds, and together they advance"
            self._conclude(split.beyond, f"time in seconds and {WORDS[split.unit]}, in two columns", reason, "shown")
            return TimeMapping(index=split.beyond, unit=split.unit, seconds_index=split.whole)  # type: ignore[arg-type]
        if index is None:
            return self._counted_rows()
        if index in self.texts:
            return self._stamps(index)
        name = self.names[index] if self.has_header else f"column {index}"
        if unit is None and name in clock:
            shared = clock[name]
            self._conclude(
                index, f"time in {WORDS.get(shared.unit, shared.unit)}", "other lines of this text show it", "shown"
            )
            return shared.model_copy(update={"index": index})
        asked = len(self.findings.questions)
        found = self._unit(index, unit)
        if len(self.findings.questions) == asked:
            clock[name] = found
        return found

    def _name(self, index: int | None) -> str | None:
        return self.names[index] if index is not None else None

    def _conclude(self, index: int | None, conclusion: str, reason: str, certainty: str) -> None:
        self.findings.conclude(self.file, self._name(index), conclusion, reason, certainty)  # type: ignore[arg-type]

    def _column(self) -> tuple[int | None, str | None]:
        """Return the column of the time and the unit that its name tells."""
        candidates: list[tuple[int, int, int, str | None]] = []
        named: list[tuple[int, int, int, str | None]] = []
        for i, name in enumerate(self.names):
            known = time_name(name) if self.has_header else None
            if i in self.texts:
                if any(":" in r[i] for r in self.shown[:5] if len(r) > i):
                    candidates.append((10 if known else 3, -i, i, "iso8601"))
                continue
            v = numbers(self.head, i)
            v = v[np.isfinite(v)]
            rising = len(v) > 1 and float((np.diff(v) >= 0).mean()) > 0.9 and v.max() > v.min()
            if known is not None and len(v) > 1 and float((np.diff(v) < 0).mean()) > 0.9:
                rising = True  # newest first: the rows are put in order later
            if known is not None and (rising or self.head.height <= 2):
                candidates.append((known.rank, -i, i, known.unit))
            elif known is not None and len(v) > 1 and v.max() > v.min():
                named.append((known.rank, -i, i, known.unit))
            elif self._may_be_nameless(i, name, known is None and rising, v):
                candidates.append((0, -i, i, None))
        # A column called time that jumps about is better than none: its rows are put in order, or told.
        found = max(candidates or named, default=None)
        return (None, None) if found is None else (found[2], found[3])

    def _may_be_nameless(self, i: int, name: str, is_rising: bool, v: Array) -> bool:
        if not is_rising or not (i == 0 or not self.has_header) or not float((np.diff(v) > 0).mean()) > 0.8:
            return False
        return not self.has_header or meaning(name) is None

    def _counted_rows(self) -> TimeMapping:
        if self.told_rate_hz:
            self._conclude(
                None, f"rows counted at {self.told_rate_hz:g} Hz", "the lines before the table tell the rate", "stated"
            )
        else:
            self.findings.ask(
                self.file, None, "no column is a time that advances; at which rate were the rows written?",
                (("rate_hz", "rows a second"),), RATE_LINE,
            )  # fmt: skip
        return TimeMapping(index=None, unit="counter", rate_hz=self.told_rate_hz or 100.0)

    def _stamps(self, index: int) -> TimeMapping:
        dates = [j for j in self.texts if j != index and all("-" in r[j] for r in self.shown[:3] if len(r) > j)]
        has_date = "-" in self.shown[0][index]
        self._conclude(index, "clock times" if not has_date else "dates and times", "it is written so", "stated")
        return TimeMapping(index=index, unit="iso8601", date_index=dates[0] if dates and not has_date else None)

    def _unit(self, index: int, unit: str | None) -> TimeMapping:
        values = numbers(self.head, index)
        name = self.names[index]
        if unit == "counter":
            if self.told_rate_hz:
                self._conclude(
                    index,
                    f"a counter at {self.told_rate_hz:g} Hz",
                    "the lines before the table tell the rate",
                    "stated",
                )
            return TimeMapping(index=index, unit="counter", rate_hz=self.told_rate_hz)
        if unit is None and self.told_rate_hz and counts_by_one(values):
            self._conclude(
                index, f"a counter at {self.told_rate_hz:g} Hz", "the lines before the table tell the rate", "stated"
            )
            return TimeMapping(index=index, unit="counter", rate_hz=self.told_rate_hz)
        step = step_of(values)
        if step is None:
            if self.head.height <= 2:
                return TimeMapping(index=index, unit=unit or "s")  # type: ignore[arg-type]
            return self._ask_unit(index, name, {}, "the time does not advance", unit)
        if unit is not None:
            return self._stated(index, unit, step)
        found = epoch_unit(values, step)
        if found is not None:
            self._conclude(index, f"time in {WORDS[found]} since 1970", "its size and its steps say so", "shown")
            return TimeMapping(index=index, unit=found)  # type: ignore[arg-type]
        units = plausible_units(step, self._band())
        if counts_by_one(values):
            return self._ask_unit(index, name, units, "it goes up by one from row to row: it may count samples", None)
        if len(units) != 1:
            return self._ask_unit(
                index, name, units, "its name tells no unit, and its steps fit more than one or none", None
            )
        found, rate = next(iter(units.items()))
        self._conclude(
            index, f"time in {WORDS[found]}",
            f"its steps then mean {rate_words(rate)}, and no other unit means a rate at which such sensors are logged", "shown",
        )  # fmt: skip
        return TimeMapping(index=index, unit=found)  # type: ignore[arg-type]

    def _band(self) -> tuple[float, float]:
        """Return the rates that rows of this table may come at, Hz."""
        targets = [m.target for m in map(meaning, self.names) if m is not None] if self.has_header else []
        fast = not targets or any(t.startswith(("imu", "setpoint", "motor")) for t in targets)
        return INERTIAL_HZ if fast else OTHER_HZ

    def _stated(self, index: int, unit: str, step: float) -> TimeMapping:
        size = SECONDS.get(unit, 60.0)
        rate = 1.0 / (step * size)
        others = {u: r for u, r in plausible_units(step, self._band()).items() if u != unit}
        low, high = STATED_HZ if self._band() == OTHER_HZ else (0.5, STATED_HZ[1])
        if low <= rate <= high or not others:
            self._conclude(
                index, f"time in {WORDS[unit]}", f"its name says so; its steps mean {rate_words(rate)}", "stated"
            )
            return TimeMapping(index=index, unit=unit)  # type: ignore[arg-type]
        told = f"its name says {WORDS[unit]}, but its steps would then mean {rate_words(rate)}"
        return self._ask_unit(index, self.names[index], {unit: rate} | others, told, unit)

    def _ask_unit(self, index: int, name: str, units: dict[str, float], why: str, stated: str | None) -> TimeMapping:
        choices = tuple((u, f"{WORDS[u]}, {rate_words(r)}") for u, r in units.items())
        best = max((u for u in units if u != stated), key=lambda u: units[u], default=None)
        line = f'{{"files": [{{"time": {{"unit": "{best}"}}}}]}}' if best else RATE_LINE
        self.findings.ask(
            self.file, name, f"{why}; what is its unit?", (*choices, ("counter", "samples counted, with rate_hz")), line,
        )  # fmt: skip
        unit = stated or best or "s"
        return TimeMapping(index=index, unit=unit)  # type: ignore[arg-type]
