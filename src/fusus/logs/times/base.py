"""A time column as nanoseconds: units, wraps, restarts, stamps. State goes from block to block."""

from dataclasses import dataclass

import numpy as np
import polars as pl

from fusus.core.arrays import BoolArray, IntArray
from fusus.logs.mapping import TextForm, TimeMapping
from fusus.logs.problems import Problems
from fusus.logs.time_texts import DAY_NS, NO_TIME, SECOND_NS, as_ns, forms_of
from fusus.logs.times.units import SERIAL_1970, of_day_s

NS = {
    "s": SECOND_NS,
    "ms": 1_000_000,
    "us": 1_000,
    "ns": 1,
    "min": 60 * SECOND_NS,
    "h": 3600 * SECOND_NS,
    "days": DAY_NS,
}
EPOCH_NS = 100_000_000 * 1_000_000_000  # later than this is time since 1970, not since power-on
# So many wrong stamps in a row may stand between right ones; more are a clock of their own.
GLITCH_ROWS = 5


@dataclass(slots=True)
class TimeBase:
    """Turns the time fields of one table's blocks into int64 ns; rows without a usable time get NO_TIME."""

    mapping: TimeMapping
    file: str
    column: str
    problems: Problems
    step_ns: int
    row: int = 0
    start_ns: int = 0
    last: int | None = None
    shift: int = 0
    empty: BoolArray | None = None
    form: TextForm | None = None
    stepped: int = 0

    def read(self, frame: pl.DataFrame, first_line: int) -> IntArray:
        """Return the times of a block; ``empty`` then tells which rows hold no time, apart from the wrong ones."""
        m = self.mapping
        if m.index is None:
            counted = (self.row + np.arange(frame.height)) * (1e9 / (m.rate_hz or 1.0))
            self.row += frame.height
            return np.asarray(np.rint(counted).astype(np.int64))
        if m.unit == "iso8601":
            ns = self._texts(frame)
        elif m.unit == "counter":
            ns = _scaled(frame[str(m.index)], 1e9 / (m.rate_hz or 1.0))
        else:
            ns = _numbers(frame[str(m.index)], m.unit)
            if m.seconds_index is not None:
                whole = _scaled(frame[str(m.seconds_index)], NS["s"])
                ns = np.where((ns == NO_TIME) | (whole == NO_TIME), NO_TIME, ns + whole)
        if m.is_step:
            ns = self._summed(ns)
        straight = self._straighten(ns, first_line)
        self.empty = ns == NO_TIME
        if not self.start_ns:
            return straight
        return np.where(straight == NO_TIME, NO_TIME, straight - self.start_ns)

    def _texts(self, frame: pl.DataFrame) -> IntArray:
        """Return a block's times that are text; a mapping of an earlier version tells no form, and the first rows show it."""
        m = self.mapping
        text = frame[str(m.index)].str.strip_chars()
        if m.date_index is not None:
            text = frame[str(m.date_index)].str.strip_chars() + "T" + text
        if self.form is None:
            found = (m.form,) if m.form else forms_of(text.drop_nulls().head(1000).to_list())
            self.form = found[0] if found else None
        if self.form is None:
            return np.full(frame.height, NO_TIME, dtype=np.int64)
        return as_ns(text, self.form, m.fraction_digits)

    def _summed(self, steps: IntArray) -> IntArray:
        """Return times from steps, the first row of all at 0; a row without a step has no time."""
        known = np.where(steps == NO_TIME, 0, steps)
        known[:1] *= self.last is not None or self.stepped > 0
        total = self.stepped + np.cumsum(known)
        self.stepped = int(total[-1]) if len(total) else self.stepped
        return np.where(steps == NO_TIME, NO_TIME, total)

    def _period_ns(self) -> int:
        """Return after how long the board's counter starts again."""
        if self.mapping.unit == "hhmmss" or (self.mapping.unit == "iso8601" and self.mapping.date_index is None):
            return DAY_NS
        counts: int = 1 << (self.mapping.wrap_bits or 32)
        if self.mapping.unit == "counter":
            return round(counts * 1e9 / (self.mapping.rate_hz or 1.0))
        # A 32-bit counter of milliseconds or of microseconds, whatever unit it was written in.
        return counts * (1_000_000 if self.mapping.unit == "ms" else 1_000)

    def _straighten(self, ns: IntArray, first_line: int) -> IntArray:
        """Undo counter wraps and restarts of the clock; single wrong stamps lose their row."""
        far = max(100 * self.step_ns, 1_000_000_000)
        if len(ns) and int(ns.min()) != NO_TIME and int(np.diff(ns, prepend=self.last or ns[0]).min()) >= -far:
            self.last = int(ns[-1])
            return ns + self.shift if self.shift else ns
        rows = np.flatnonzero(ns != NO_TIME)
        if len(rows) == 0:
            return ns
        t = ns[rows]
        before = np.int64(self.last) if self.last is not None else t[0]
        steps = np.diff(np.concatenate([[before], t]))
        out, bad = t.copy(), np.zeros(len(t), dtype=bool)
        shift, done = self.shift, 0
        for j in np.flatnonzero(steps < -far).tolist():
            out[done:j] += shift
            done = j
            glitch = self._glitch(t, j, int(before), far)
            if glitch is not None:
                bad[glitch] = True
                continue
            shift += self._restart(int(steps[j]), first_line + int(rows[j]), far)
        out[done:] += shift
        out[bad] = NO_TIME
        if bad.any():
            first = int(np.flatnonzero(bad)[0])
            self.problems.add(
                self.file, "backward_time", f"the time jumps to {t[first] / 1e9:.6f} s and back", "row left out",
                column=self.column, count=int(bad.sum()), lines=(first_line + rows[np.flatnonzero(bad)[:3]]).tolist(),
            )  # fmt: skip
        self.shift = shift
        good = t[~bad]
        if len(good):
            self.last = int(good[-1])
        result = ns.copy()
        result[rows] = out
        return result

    @staticmethod
    def _glitch(t: IntArray, j: int, before: int, far: int) -> slice | None:
        """Return the wrong rows round a jump back at j, if the time goes on as before after or had done before them."""
        last = int(t[j - 1]) if j > 0 else before
        ahead = np.flatnonzero(np.abs(t[j + 1 : j + 1 + GLITCH_ROWS] - last) < far)
        if len(ahead) and (j + 1 + ahead[0] >= len(t) - 1 or t[j + 2 + int(ahead[0])] >= last - far):
            return slice(j, j + 1 + int(ahead[0]))
        for k in range(1, GLITCH_ROWS + 1):
            earlier = int(t[j - 1 - k]) if j - 1 - k >= 0 else before if j - 1 - k == -1 else None
            if earlier is not None and 0 <= int(t[j]) - earlier < far:
                return slice(j - k, j)
        return None

    def _restart(self, step: int, line: int, far: int) -> int:
        """Return what has to be added from a jump back on."""
        period = self._period_ns()
        if abs(step + period) < max(far, 10_000_000_000):
            self.problems.add(
                self.file, "clock_wrap", f"the clock wraps after {period / 1e9:.3f} s", "unwrapped",
                line=line, column=self.column,
            )  # fmt: skip
            return period
        self.problems.add(
            self.file, "clock_restart", f"the clock goes back by {-step / 1e9:.3f} s and stays there",
            "continued one sample after the last time", line=line, column=self.column,
        )  # fmt: skip
        return -step + self.step_ns


def _numbers(values: pl.Series, unit: str) -> IntArray:
    """Return a column of numbers in a unit as ns; days as spreadsheets count them since 1970."""
    if unit == "hhmmss":
        return _scaled(pl.Series(of_day_s(values.cast(pl.Float64).to_numpy())), SECOND_NS)
    ns = _scaled(values, NS[unit])
    return np.where(ns == NO_TIME, NO_TIME, ns - SERIAL_1970 * DAY_NS) if unit == "days" else ns


def _scaled(values: pl.Series, factor: float) -> IntArray:
    """Return rounded values times a factor; whole numbers stay exact."""
    if values.dtype == pl.Int64 and float(factor).is_integer():
        reach = int(9.2e18 / factor)
        whole = values.fill_null(NO_TIME).to_numpy()
        if len(whole) and -reach < int(whole.min()) and int(whole.max()) < reach:
            return whole * int(factor)
        usable = (whole > -reach) & (whole < reach)  # a time beyond int64 nanoseconds is none
        return np.where(usable, np.where(usable, whole, 0) * int(factor), NO_TIME)
    v = values.cast(pl.Float64).to_numpy()
    with np.errstate(invalid="ignore", over="ignore"):
        if len(v) and np.isfinite(v.sum()) and max(float(v.max()), -float(v.min())) * factor < 9.2e18:
            return np.rint(v * factor).astype(np.int64)  # the usual block: every row has a time
        ns = np.asarray(v * factor)
        usable = np.isfinite(ns) & (np.abs(ns) < 9.2e18)
        return np.where(usable, np.rint(np.where(usable, ns, 0.0)).astype(np.int64), NO_TIME)
