"""The unit of each column: by its name, held against what the values can be; else by the values; else left open.

A gyro's and an attitude's unit shows only in how the body moves: without a stated unit they stay ``open`` here, and
``motion_units`` settles them when all tables are known.
"""

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
from fusus.logs.conclusions import Findings
from fusus.logs.headers import Meaning
from fusus.logs.mapping import ColumnMapping, Mapping, RawCounts
from fusus.logs.streams import IN_DEGREES, STREAMS

SensorWord = Literal["gyro", "acc", "mag"]
SENSOR_OF_KIND: dict[str, SensorWord] = {"rate": "gyro", "acceleration": "acc", "field": "mag"}
# Sizes, SI, that readings of these kinds have: outside them a stated unit is doubted. Specific force is gravity on the mean;
# the earth's field is 22 to 67 µT, and magnets near a sensor add to it.
USUAL_SIZE = {"acceleration": (4.0, 25.0), "field": (5.0, 500.0), "pressure": (20_000.0, 120_000.0)}
FASTEST_RAD_S = 90.0
# Sizes at which gravity may be in cm/s² (981) or in mg (1000) as sensors of 2 % write it; nearer to 1000 the rare unit is not thought of.
LIKE_GAL = (960.0, 990.0)
WHAT = {
    "acceleration": "gravity gives 9.8 m/s² on the mean", "field": "the earth's field is 22 to 67 µT",
    "pressure": "the air's pressure is 300 to 1100 hPa",
}  # fmt: skip


@dataclass(slots=True)
class UnitFinder:
    """Finds the units of one table's columns."""

    path: Path
    names: tuple[str, ...]
    head: pl.DataFrame
    meanings: dict[int, Meaning]
    findings: Findings
    given: Mapping

    def column(self, i: int) -> ColumnMapping:
        """Return the mapping of column ``i``."""
        m = self.meanings[i]
        stream, column = m.target.split(".")
        kind = STREAMS[stream][column].kind
        triple = self._triple(stream, column) if kind in SENSOR_OF_KIND and "bias" not in column else None
        said = self._said(i, m, kind, column)
        if said is not None:
            return said
        if m.unit is not None and m.unit in KINDS[kind]:
            return self._stated(i, m.unit, kind, triple or [i])
        if triple is not None:
            return self._vector(i, kind, triple)
        return self._scalar(i, kind, column)

    def _mapping(self, i: int, unit: str | None, unit_from: str, **more: object) -> ColumnMapping:
        fields = {
            "source": self.names[i],
            "index": i,
            "target": self.meanings[i].target,
            "unit": unit,
            "unit_from": unit_from,
        }
        return ColumnMapping.model_validate(fields | more)

    def _conclude(self, i: int, conclusion: str, reason: str, certainty: str = "shown") -> None:
        self.findings.conclude(self.path.name, self.names[i], conclusion, reason, certainty)  # type: ignore[arg-type]

    def _ask(self, i: int, asks: str, candidates: tuple[tuple[str, str], ...], mapping: str) -> None:
        self.findings.ask(self.path.name, self.names[i], asks, candidates, mapping)

    def _said(self, i: int, m: Meaning, kind: str, column: str) -> ColumnMapping | None:
        """Return what a mapping says of a whole kind of column, or None."""
        sensor = SENSOR_OF_KIND.get(kind)
        said_range = self.given.ranges.get(sensor) if sensor is not None else None
        if said_range is not None and m.unit is None and "bias" not in column:
            unit = known_unit(said_range.unit) or said_range.unit
            return self._mapping(
                i, unit, "mapping", raw=RawCounts(full_scale=said_range.full_scale, bits=said_range.bits)
            )
        words = {"pressure": "pressure", "angle": "angles"} | dict(SENSOR_OF_KIND.items())
        key = "height" if column == "height_m" else None if column in IN_DEGREES else words.get(kind)
        told = self.given.units.get(key) if key is not None else None  # type: ignore[call-overload]
        if told is None:
            return None
        known = known_unit(told)
        if known is None or known not in KINDS[kind]:
            raise MappingError(f"units, {key}: “{told}” is no unit of {column}; use {', '.join(KINDS[kind])}.")
        self._conclude(i, f"{known}", "the mapping says so", "stated")
        return self._mapping(i, known, "mapping")

    def _triple(self, stream: str, column: str) -> list[int] | None:
        kind = column.split("_")[0]
        found = {m.target: i for i, m in self.meanings.items()}
        parts = column.split("_", 2)
        wanted = [f"{stream}.{kind}_{axis}_{parts[2]}" for axis in "xyz"] if len(parts) == 3 else []
        return [found[w] for w in wanted] if wanted and all(w in found for w in wanted) else None

    def _values(self, indices: list[int]) -> Array:
        v = np.stack([numbers(self.head, i) for i in indices], axis=1)
        return v[np.isfinite(v).any(axis=1)]

    # Stated units

    def _stated(self, i: int, unit: str, kind: str, triple: list[int]) -> ColumnMapping:
        """Return a column whose name tells its unit, asked about where the values cannot be in it."""
        v = self._values(triple)
        if kind == "rate" and len(triple) == 3:
            self._check_rate(i, v * KINDS[kind][unit], unit)
        elif kind in USUAL_SIZE and len(v):
            size = by_value.typical_size(v) if len(triple) == 3 else float(np.median(np.abs(v[np.isfinite(v)])))
            low, high = USUAL_SIZE[kind]
            if size > 0 and (kind == "pressure" or len(triple) == 3) and not low <= size * KINDS[kind][unit] <= high:
                self._doubt(i, kind, unit, size, first=i == triple[0])
                return self._mapping(i, unit, "header")
        self._conclude(i, unit, "its name says so", "stated")
        return self._mapping(i, unit, "header")

    def _check_rate(self, i: int, rates: Array, unit: str) -> None:
        fast = int(np.any(np.abs(rates) > FASTEST_RAD_S, axis=1).sum())
        if fast >= max(5, 0.002 * len(rates)) and i == min(self._triple_of(i)):
            peak = float(np.percentile(np.abs(rates[np.isfinite(rates)]), 99.9))
            self._ask(
                i, f"its name says {unit}, but it would turn at up to {np.degrees(peak):.0f} °/s, faster than such gyros measure; "
                "what is its unit?", (("rad/s", "as named"), ("deg/s", "degrees a second")), '{"units": {"gyro": "deg/s"}}',
            )  # fmt: skip

    def _triple_of(self, i: int) -> list[int]:
        stream, column = self.meanings[i].target.split(".")
        return self._triple(stream, column) or [i]

    def _doubt(self, i: int, kind: str, unit: str, size: float, first: bool) -> None:
        """Ask about a stated unit in which the values have no possible size, once for a sensor."""
        if not first:
            return
        low, high = USUAL_SIZE[kind]
        fitting = [u for u, factor in KINDS[kind].items() if low <= size * factor <= high]
        sensor = SENSOR_OF_KIND.get(kind, "pressure")
        why = f"its name says {unit}, but its typical size of {size:.4g} {unit} is not possible: {WHAT[kind]}"
        if kind == "acceleration" and size * KINDS[kind][unit] < low and not fitting:
            why += ". Is gravity taken out of it? Then it is no specific force, and is better left out"
        choices = ((unit, "as named"), *((u, f"a typical size of {size:.4g} {u}") for u in fitting))
        self._ask(i, f"{why}; what is its unit?", choices, f'{{"units": {{"{sensor}": "{(fitting or [unit])[0]}"}}}}')

    # Units by the values

    def _vector(self, i: int, kind: str, triple: list[int]) -> ColumnMapping:
        xyz = self._values(triple)
        first = i == triple[0]
        known = xyz[np.isfinite(xyz)]
        if not len(known) or not np.any(known):
            if len(known):
                self.findings.problems.add(
                    self.path.name,
                    "dead",
                    "all readings are zero",
                    "kept; check the sensor",
                    column=self.names[i],
                    count=len(xyz),
                )
            return self._mapping(i, next(iter(KINDS[kind])), "values")
        counts = by_value.looks_like_counts([numbers(self.head, j) for j in triple])
        if kind == "acceleration":
            unit = by_value.acceleration_unit(xyz)
            if unit is not None:
                size = by_value.typical_size(xyz)
                if unit == "mg" and LIKE_GAL[0] <= size <= LIKE_GAL[1]:
                    if first:
                        self._ask_mg_or_gal(i, size)
                    return self._mapping(i, unit, "values")
                self._conclude(i, unit, f"its typical size is {size:.4g}, and gravity gives 9.8 m/s² on the mean")
                return self._mapping(i, unit, "values")
            raw = by_value.acceleration_counts(by_value.signed_words(xyz)) if counts else None
            if raw is not None:
                self._range_found(i, raw)
                return self._mapping(i, "g", "values", raw=raw)
        elif kind == "field":
            unit = None if self.meanings[i].is_raw and counts else by_value.field_unit(xyz)
            if unit is not None:
                self._conclude(i, unit, f"its typical size is {by_value.typical_size(xyz):.4g}, and {WHAT[kind]}")
                return self._mapping(i, unit, "values")
        if counts:
            return self._mapping(i, None, "unknown")
        if kind == "rate":
            return self._mapping(i, None, "open")
        if first:
            self._ask_vector(i, kind, xyz)
        return self._mapping(i, next(iter(KINDS[kind])), "open")

    def _range_found(self, i: int, raw: RawCounts) -> None:
        words = f"it holds counts; how gravity looks in them shows a range of ±{raw.full_scale:g} g, {raw.bits} bits"
        self.findings.problems.add(self.path.name, "range_found", words, "scaled so", column=self.names[i])
        self._conclude(
            i, f"counts of ±{raw.full_scale:g} g, {raw.bits} bits", "gravity on the mean fits no other usual range"
        )

    def _ask_mg_or_gal(self, i: int, size: float) -> None:
        choices = (
            ("cm/s²", f"gravity is read as {size * 0.01:.3f} m/s²"), ("mg", f"gravity is read as {size * 1e-3:.3f} g")
        )  # fmt: skip
        self._ask(
            i, f"its typical size of {size:.4g} is gravity in cm/s², and in mg it is within what sensors are off; what is its unit?",
            choices, '{"units": {"acc": "cm/s²"}}',
        )  # fmt: skip

    def _ask_vector(self, i: int, kind: str, xyz: Array) -> None:
        sensor, size = SENSOR_OF_KIND[kind], by_value.typical_size(xyz)
        units = list(KINDS[kind])[:4]
        choices = tuple((u, f"a typical size of {size * KINDS[kind][u]:.4g} {units[0]}") for u in units)
        self._ask(
            i, f"its typical size of {size:.4g} fits no usual unit ({WHAT[kind]}); what is its unit?", choices,
            f'{{"units": {{"{sensor}": "{units[0]}"}}}}',
        )  # fmt: skip

    def _scalar(self, i: int, kind: str, column: str) -> ColumnMapping:
        v = numbers(self.head, i)
        v = v[np.isfinite(v)]
        size = float(np.median(np.abs(v))) if len(v) else 0.0
        if kind == "pressure":
            unit = by_value.pressure_unit(v)
            if unit is not None:
                self._conclude(i, unit, f"its typical size is {size:.4g}, and {WHAT[kind]}")
                return self._mapping(i, unit, "values")
            choices = tuple((u, f"{size * KINDS[kind][u] / 100:.4g} hPa") for u in ("Pa", "hPa", "kPa", "mmHg"))
            self._ask(
                i, f"its typical size of {size:.4g} is no pressure of the air in any usual unit; what is its unit?", choices,
                '{"units": {"pressure": "hPa"}}',
            )  # fmt: skip
            return self._mapping(i, "Pa", "open")
        if column in ("lat_deg", "lon_deg"):
            return self._geographic(i, v, column)
        if kind == "angle" and column not in IN_DEGREES:
            # Angles beyond 2π can only be degrees; others may be either, and the motion has to tell.
            if len(v) and float(np.abs(v).max()) > 6.4:
                self._conclude(i, "deg", f"it reaches {np.abs(v).max():.4g}, more than a turn in radians")
                return self._mapping(i, "deg", "values")
            return self._mapping(i, None, "open")
        if column == "height_m" and size > 9000:
            self._ask(
                i, f"its typical size is {size:.6g}; what is its unit?",
                tuple((u, f"{size * KINDS['length'][u]:.0f} m high") for u in ("m", "cm", "mm", "ft")), '{"units": {"height": "mm"}}',
            )  # fmt: skip
            return self._mapping(i, "m", "open")
        unit, reason = self._plain(kind, column, size)
        if len(KINDS[kind]) > 1 and kind != "share":
            self._conclude(i, unit, reason, "likely")
        return self._mapping(i, unit, "values")

    @staticmethod
    def _plain(kind: str, column: str, size: float) -> tuple[str, str]:
        """Return the unit of a quantity that a wrong unit would make absurd, and why."""
        if kind == "temperature":
            return ("K", "its size is that of air in kelvin") if size > 200 else ("°C", "its name tells no unit")
        if kind in ("voltage", "current") and size > 200:
            return {"voltage": "mV", "current": "mA"}[kind], "as volts or amperes it would be absurd"
        return (
            "deg" if column in IN_DEGREES else next(iter(KINDS[kind]))
        ), "its name tells no unit; the SI unit is taken"

    def _geographic(self, i: int, v: Array, column: str) -> ColumnMapping:
        """Return latitude or longitude: degrees, or degrees in whole numbers of 1e-7."""
        limit = 90.0 if column == "lat_deg" else 360.0
        peak = float(np.percentile(np.abs(v), 95)) if len(v) else 0.0
        whole = bool(len(v)) and bool(np.all(v == np.rint(v)))
        if peak <= limit:
            self._conclude(i, "deg", "its values can be degrees")
            return self._mapping(i, "deg", "values")
        if whole and peak > 1e6 and peak * 1e-7 <= limit:
            self._conclude(i, "deg, in whole numbers of 1e-7", f"whole numbers up to {peak:.0f} can be nothing else")
            return self._mapping(i, "deg", "values", factor=1e-7)
        words = {"source": self.names[i], "target": f"gnss.{column}", "unit": "deg", "factor": 1e-6}
        line = (
            '{"files": [{"columns": [' + ", ".join(f'"{k}": {_json(x)}' for k, x in words.items()).join("{}") + "]}]}"
        )
        self._ask(
            i, f"it reaches {peak:.6g}, more than {limit:g} degrees (degrees and minutes in one number, as in 4807.038, have to be "
            "turned into degrees before); by which factor does it become degrees?",
            (("1e-7", f"up to {peak * 1e-7:.4g}°"), ("1e-6", f"up to {peak * 1e-6:.4g}°"), ("0.01", f"up to {peak * 0.01:.4g}°")), line,
        )  # fmt: skip
        return self._mapping(i, "deg", "open")


def _json(value: object) -> str:
    return f'"{value}"' if isinstance(value, str) else f"{value:g}"


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
