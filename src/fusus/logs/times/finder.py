"""Which column of a table is the time, and in which unit: by its name, checked by its steps; else it is asked."""

import re
from dataclasses import dataclass

import numpy as np
import polars as pl

from fusus.core.arrays import Array
from fusus.logs.blocks import numbers
from fusus.logs.conclusions import Findings
from fusus.logs.headers import is_step_name, meaning, split_unit, time_name
from fusus.logs.mapping import TimeMapping
from fusus.logs.time_texts import FORM_WORDS, forms_of, fraction_digits, has_clock, has_date
from fusus.logs.times.split import split_time
from fusus.logs.times.units import (
    FASTEST_USUAL_HZ,
    INERTIAL_HZ,
    LONG,
    OTHER_HZ,
    SECONDS,
    STATED_HZ,
    WORDS,
    counts_by_one,
    epoch_unit,
    is_serial_day,
    plausible_units,
    rate_words,
    shows_time_of_day,
    step_of,
)

_STEP_UNITS = {"s": "s", "ms": "ms", "µs": "us", "ns": "ns"}
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
            return self._steps() or self._counted_rows()
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
                if any(has_clock(r[i]) for r in self.shown if len(r) > i) or (known and self._digits(i)):
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

    def _steps(self) -> TimeMapping | None:
        """Return the column that holds the time since the row before, None without one."""
        for i, name in enumerate(self.names):
            unit = split_unit(name)[1]
            if i in self.texts or not self.has_header or not is_step_name(name):
                continue
            v = numbers(self.head, i)
            v = v[np.isfinite(v)]
            if len(v) < 3 or not (v[1:] >= 0).all() or not v.sum() > 0:
                continue
            step = float(v[1:].mean())
            units = {_STEP_UNITS[unit]: 0.0} if unit in _STEP_UNITS else plausible_units(step, self._band())
            if len(units) != 1:
                return self._ask_unit(i, name, units, "it holds steps of time, whose unit nothing shows", None)
            found = next(iter(units))
            rate = rate_words(1.0 / (step * SECONDS[found]))
            self._conclude(
                i, f"steps of time in {WORDS[found]}", f"its name says so; they mean {rate} on the mean", "shown"
            )
            return TimeMapping(index=i, unit=found, is_step=True)  # type: ignore[arg-type]
        return None

    def _counted_rows(self) -> TimeMapping:
        if self.told_rate_hz:
            self._conclude(
                None, f"rows counted at {self.told_rate_hz:g} Hz", "the lines before the table tell the rate", "stated"
            )
        else:
            self.findings.ask(
                self.file,
                None,
                f"{self._unread()}; at which rate were the rows written?",
                (("rate_hz", "rows a second"),),
                RATE_LINE,
            )
        return TimeMapping(index=None, unit="counter", rate_hz=self.told_rate_hz or 100.0)

    def _unread(self) -> str:
        """Return why there is no time: a column whose text is none, by what it holds."""
        for i, name in enumerate(self.names):
            if i in self.texts and self.has_header and time_name(name) is not None and self.shown:
                return f"“{name}” holds “{self.shown[0][i][:40]}”, which is no time in a form that is read, and no other column is one"
        return "no column is a time that advances"

    def _fields(self, index: int) -> list[str]:
        return [] if self.head.height == 0 else self.head[str(index)].drop_nulls().cast(pl.String).to_list()

    def _digits(self, index: int) -> int | None:
        return fraction_digits(self._fields(index))

    def _stamps(self, index: int) -> TimeMapping:
        fields = self._fields(index)
        dates = [j for j in self.texts if j != index and all(has_date(r[j]) for r in self.shown[:3] if len(r) > j)]
        date = dates[0] if dates and not has_date(fields[0] if fields else "") else None
        digits = self._digits(index)
        forms = forms_of(fields) or (("seconds",) if digits else ())
        if date is not None:
            forms = forms_of(f"{a}T{b}" for a, b in zip(self._fields(date), fields, strict=False))
        if len(forms) == 1:
            self._conclude(index, FORM_WORDS[forms[0]], "it is written so", "stated")
        elif forms:
            self.findings.ask(
                self.file, self._name(index), f"“{fields[0]}” can be read in more than one way; how is it meant?",
                tuple((f, FORM_WORDS[f]) for f in forms), f'{{"files": [{{"time": {{"unit": "iso8601", "form": "{forms[0]}"}}}}]}}',
            )  # fmt: skip
        if digits:
            told = f"what stands behind its point counts to {10**digits}, without leading zeros"
            self._conclude(index, told, "as decimals the times would go back within their second", "shown")
        return TimeMapping(
            index=index, unit="iso8601", date_index=date, form=forms[0] if forms else None, fraction_digits=digits
        )

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
        if unit is None and is_serial_day(values, step):
            self._conclude(index, f"time in {WORDS['days']}", "its size and its steps say so", "shown")
            return TimeMapping(index=index, unit="days")
        by_day = shows_time_of_day(values) if unit in (None, "s") else False
        if by_day or (by_day is None and unit is None):
            return self._as_one_number(index, by_day, unit)
        if unit is not None:
            return self._stated(index, unit, step)
        found = epoch_unit(values, step)
        if found is not None:
            self._conclude(index, f"time in {WORDS[found]} since 1970", "its size and its steps say so", "shown")
            return TimeMapping(index=index, unit=found)  # type: ignore[arg-type]
        units = plausible_units(step, self._band())
        if counts_by_one(values):
            return self._ask_unit(index, name, units, "it goes up by one from row to row: it may count samples", None)
        if set(units) == {"s"} and units["s"] > FASTEST_USUAL_HZ:
            # So fast a log of numbers as text is rare; minutes are as likely.
            units |= {"min": units["s"] / LONG["min"]}
        elif not units:
            units = {
                u: rate
                for u in LONG
                if STATED_HZ[0] <= (rate := 1.0 / (step * LONG[u])) <= STATED_HZ[1] and u != "days"
            }
        if len(units) != 1 or not set(units) <= set(SECONDS):
            return self._ask_unit(
                index, name, units, "its name tells no unit, and its steps fit more than one or none", None
            )
        found, rate = next(iter(units.items()))
        self._conclude(
            index, f"time in {WORDS[found]}",
            f"its steps then mean {rate_words(rate)}, and no other unit means a rate at which such sensors are logged", "shown",
        )  # fmt: skip
        return TimeMapping(index=index, unit=found)  # type: ignore[arg-type]

    def _as_one_number(self, index: int, is_shown: bool | None, unit: str | None) -> TimeMapping:
        """Return the time of day that is written as one number, or ask where it may be seconds as well."""
        if is_shown and unit is None:
            self._conclude(index, WORDS["hhmmss"], "it steps from 59 seconds to the next hundred", "shown")
            return TimeMapping(index=index, unit="hhmmss")
        why = (
            f"its name says {WORDS[unit]}, but it steps from 59 to the next hundred"
            if unit
            else "it may be seconds, or a time of day"
        )
        self.findings.ask(
            self.file, self.names[index], f"{why}; what is it?", (("hhmmss", WORDS["hhmmss"]), ("s", WORDS["s"])),
            '{"files": [{"time": {"unit": "hhmmss"}}]}',
        )  # fmt: skip
        return TimeMapping(index=index, unit="hhmmss" if is_shown else "s")

    def _band(self) -> tuple[float, float]:
        """Return the rates that rows of this table may come at, Hz."""
        targets = [m.target for m in map(meaning, self.names) if m is not None] if self.has_header else []
        fast = not targets or any(t.startswith(("imu", "setpoint", "motor")) for t in targets)
        return INERTIAL_HZ if fast else OTHER_HZ

    def _stated(self, index: int, unit: str, step: float) -> TimeMapping:
        size = SECONDS.get(unit) or LONG[unit]
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
