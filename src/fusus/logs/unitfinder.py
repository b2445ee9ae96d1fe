"""The unit of each column: by its name, else by its values."""

from dataclasses import dataclass
from pathlib import Path
from typing import Literal

import numpy as np
import polars as pl

from fusus.core.arrays import Array
from fusus.core.frames.units import KINDS, OFFSETS, known_unit
from fusus.errors import MappingError
from fusus.logs import values as by_value
from fusus.logs.blocks import numbers
from fusus.logs.headers import Meaning
from fusus.logs.mapping import ColumnMapping, RawCounts, SensorRange, TimeMapping
from fusus.logs.problems import Problems
from fusus.logs.streams import IN_DEGREES, STREAMS

SENSOR_OF_KIND = {"rate": "gyro", "acceleration": "acc", "field": "mag"}


@dataclass(slots=True)
class UnitFinder:
    """Finds the unit of each column: by its name, else by its values."""

    path: Path
    names: tuple[str, ...]
    head: pl.DataFrame
    middle: pl.DataFrame | None
    time: TimeMapping
    meanings: dict[int, Meaning]
    problems: Problems
    ranges: dict[Literal["gyro", "acc", "mag"], SensorRange]

    def column(self, i: int) -> ColumnMapping:
        """Return the mapping of column ``i``."""
        m = self.meanings[i]
        stream, column = m.target.split(".")
        kind = STREAMS[stream][column].kind
        name = self.names[i]
        if m.unit is not None and m.unit in KINDS[kind]:
            return ColumnMapping(source=name, index=i, target=m.target, unit=m.unit, unit_from="header")
        triple = self._triple(stream, column)
        if kind in ("rate", "acceleration", "field") and triple is not None and "bias" not in column:
            return self._vector(i, m, kind, triple)
        unit, factor, sure = self._scalar(i, kind, column)
        if not sure:
            self._tell(i, unit)
        return ColumnMapping(
            source=name, index=i, target=m.target, unit=unit, factor=factor, unit_from="values" if sure else "assumed"
        )

    def _tell(self, i: int, unit: str) -> None:
        self.problems.add(
            self.path.name, "unit_assumed", "the unit is not told and the values do not show it", f"taken as {unit}",
            column=self.names[i],
        )  # fmt: skip

    def _triple(self, stream: str, column: str) -> list[int] | None:
        kind = column.split("_")[0]
        found = {m.target: i for i, m in self.meanings.items()}
        wanted = (
            [f"{stream}.{kind}_{axis}_{column.split('_', 2)[2]}" for axis in "xyz"] if column.count("_") >= 2 else []
        )
        return [found[w] for w in wanted] if wanted and all(w in found for w in wanted) else None

    def _xyz(self, triple: list[int], middle: bool = False) -> Array:
        frame = self.middle if middle and self.middle is not None else self.head
        v = np.stack([numbers(frame, i) for i in triple], axis=1)
        return v[np.isfinite(v).any(axis=1)] if not middle else v

    def _vector(self, i: int, m: Meaning, kind: str, triple: list[int]) -> ColumnMapping:
        name, xyz = self.names[i], self._xyz(triple)
        # A name with "raw" may also mean "not yet calibrated": only whole numbers are counts.
        counts = m.unit is None and by_value.looks_like_counts([numbers(self.head, j) for j in triple])
        said = next((r for sensor, r in self.ranges.items() if SENSOR_OF_KIND[kind] == sensor), None)
        if said is not None and m.unit is None:
            known = known_unit(said.unit) or said.unit
            counts_of = RawCounts(full_scale=said.full_scale, bits=said.bits)
            return ColumnMapping(source=name, index=i, target=m.target, unit=known, raw=counts_of)
        raw: RawCounts | None = None
        unit: str | None = None
        sure = True
        if kind == "acceleration":
            unit = by_value.acceleration_unit(xyz)
            if unit is None and counts:
                raw, unit = by_value.acceleration_counts(by_value.signed_words(xyz)), "g"
        elif kind == "field":
            unit = None if m.is_raw and counts else by_value.field_unit(xyz)
        else:
            unit, raw, sure = self._rate(triple, counts)
        if counts and raw is None and (unit is None or kind != "field"):
            # The import refuses such a column unless a range is given before.
            return ColumnMapping(source=name, index=i, target=m.target, unit=unit, unit_from="unknown")
        if unit is None:
            unit, sure = {"acceleration": "m/s²", "field": "µT"}[kind], False
        if not sure:
            self._tell(i, unit)
        if raw is not None:
            words = f"it holds counts; how gravity looks in them shows a range of ±{raw.full_scale:g} {unit}, {raw.bits} bits"
            self.problems.add(self.path.name, "range_found", words, "scaled so", column=name)
        return ColumnMapping(
            source=name, index=i, target=m.target, unit=unit, raw=raw, unit_from="values" if sure else "assumed"
        )

    def _rate(self, triple: list[int], counts: bool) -> tuple[str, RawCounts | None, bool]:
        stream = self.meanings[triple[0]].target.split(".")[0]
        acc = self._triple(stream, "acc_x_m_s2")
        use_middle = self.middle is not None
        gyro = self._xyz(triple, use_middle)
        force = self._xyz(acc, use_middle) if acc is not None else None
        t = self._seconds(self.middle if use_middle and self.middle is not None else self.head)
        if force is not None and not len(force) == len(gyro) == len(t):
            good = np.isfinite(numbers(self.head, triple[0]))
            t, gyro, force = self._seconds(self.head)[good], self._xyz(triple), self._xyz(acc or triple)
            if not len(t) == len(gyro) == len(force):
                force = None
        if counts:
            signed = by_value.signed_words
            return "deg/s", by_value.rate_counts(t, signed(gyro), signed(force) if force is not None else None), True
        unit, sure = by_value.rate_unit(t, gyro, force)
        return unit, None, sure

    def _seconds(self, frame: pl.DataFrame) -> Array:
        m = self.time
        if m.index is None or m.unit in ("iso8601", "counter"):
            return np.arange(frame.height) / (m.rate_hz or 100.0)
        return numbers(frame, m.index) * {"s": 1.0, "ms": 1e-3, "us": 1e-6, "ns": 1e-9, "min": 60.0}[m.unit]

    def _scalar(self, i: int, kind: str, column: str) -> tuple[str, float, bool]:
        v = numbers(self.head, i)
        v = v[np.isfinite(v)]
        size = float(np.median(np.abs(v))) if len(v) else 0.0
        if kind == "pressure":
            unit = by_value.pressure_unit(v)
            return (unit, 1.0, True) if unit else ("Pa", 1.0, False)
        if kind == "temperature":
            return ("K", 1.0, True) if size > 200 else ("°C", 1.0, True)
        if column in ("lat_deg", "lon_deg"):
            return ("deg", 1e-7, True) if size > 1000 else ("deg", 1.0, True)
        if kind == "angle":
            span = float(np.abs(v).max()) if len(v) else 0.0
            # Angles beyond 2π can only be degrees; a heading that never exceeds π may be either.
            return ("deg", 1.0, True) if span > 6.4 else ("rad", 1.0, span > 0.5) if span > 0 else ("deg", 1.0, False)
        if column == "height_m" and size > 20000:
            return "mm", 1.0, True
        if kind in ("voltage", "current") and size > 200:
            return {"voltage": "mV", "current": "mA"}[kind], 1.0, True
        return next(iter(KINDS[kind])), 1.0, True


def si_factor(column: ColumnMapping) -> tuple[float, float]:
    """Return factor and offset that take a column's numbers to its canonical unit."""
    stream, name = str(column.target).split(".")
    kind = STREAMS[stream][name].kind
    unit = (known_unit(column.unit) if column.unit else None) or next(iter(KINDS[kind]))
    if unit not in KINDS[kind]:
        raise MappingError(f"“{column.source}”: {unit} is no unit of {name}; use {', '.join(KINDS[kind])}.")
    if name in IN_DEGREES:
        return column.factor * (1.0 if unit in ("deg", "°") else KINDS["angle"][unit] / KINDS["angle"]["deg"]), 0.0
    return column.factor * KINDS[kind][unit], OFFSETS.get(unit, 0.0)
