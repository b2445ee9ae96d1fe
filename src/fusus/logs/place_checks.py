"""Holds what a receiver and a barometer log against one another and against the project's place, and says where they disagree."""

from dataclasses import replace

import numpy as np

from fusus.core.arrays import Array
from fusus.core.frames.units import KINDS
from fusus.logs.conclusions import Findings
from fusus.logs.detect import Table
from fusus.logs.mapping import ColumnMapping
from fusus.logs.motion_units import signal
from fusus.logs.physics.places import FAR_HEIGHT_M, FAR_PLACE_M, FAR_PRESSURE_M, distance_m, pressure_height, speed_unit
from fusus.logs.unitfinder import si_factor
from fusus.project.records import Place

SPEED_TARGETS = ("gnss.speed_m_s",)


def check_places(tables: list[Table], place: Place | None, findings: Findings) -> list[Table]:
    """Return the tables with a speed's unit settled by the fixes; name what does not agree with the project's place."""
    fixes = signal(tables, "gnss.lat_deg", "gnss.lon_deg")
    pressure = signal(tables, "baro.pressure_pa")
    if fixes is not None:
        lat, lon = (fixes.parts[0][1][:, k] * si_factor(fixes.columns[k])[0] for k in range(2))
        good = (
            np.isfinite(lat) & np.isfinite(lon) & ((lat != 0) | (lon != 0)) & (np.abs(lat) <= 90) & (np.abs(lon) <= 360)
        )
        if place is not None and good.any():
            off = distance_m(float(np.median(lat[good])), float(np.median(lon[good])), place.lat_deg, place.lon_deg)
            if off > FAR_PLACE_M:
                findings.problems.add(
                    fixes.table.path.name, "impossible", f"its places lie {off / 1000:.0f} km from the project's place",
                    "kept; check the columns' factor, or the place in the brief", column=fixes.columns[0].source,
                )  # fmt: skip
        tables = _speeds(tables, np.where(good, lat, np.nan), np.where(good, lon, np.nan), findings)
    if pressure is not None and place is not None:
        factor, offset = si_factor(pressure.columns[0])
        known = pressure.parts[0][1][:, 0] * factor + offset
        known = known[np.isfinite(known) & (known > 1000.0)]
        height = pressure_height(known) if len(known) else place.height_m
        if abs(height - place.height_m) > FAR_PRESSURE_M:
            findings.problems.add(
                pressure.table.path.name, "impossible",
                f"its pressure stands for a height of {height:.0f} m, and the project's place lies at {place.height_m:.0f} m",
                "kept; check its unit, or the place in the brief", column=pressure.columns[0].source,
            )  # fmt: skip
    heights = signal(tables, "gnss.height_m")
    if heights is not None and place is not None and heights.columns[0].unit_from != "open":
        v = heights.parts[0][1][:, 0] * si_factor(heights.columns[0])[0]
        v = v[np.isfinite(v) & (np.abs(v) < 50_000)]
        if len(v) and abs(float(np.median(v)) - place.height_m) > FAR_HEIGHT_M:
            findings.problems.add(
                heights.table.path.name, "impossible",
                f"its heights are some {np.median(v):.0f} m, and the project's place lies at {place.height_m:.0f} m",
                "kept; check its unit, or the place in the brief", column=heights.columns[0].source,
            )  # fmt: skip
    return tables


def _speeds(tables: list[Table], lat: Array, lon: Array, findings: Findings) -> list[Table]:
    """Return the tables with a speed or velocity whose name tells no unit in the unit that the steps of the fixes show."""
    out = list(tables)
    for targets in (SPEED_TARGETS, tuple(f"gnss.vel_{a}_m_s" for a in "ned"), tuple(f"gnss.vel_{a}_m_s" for a in "ne")):
        found = signal(out, *targets)
        if found is None or len(found.parts[0][0]) != len(lat):
            continue
        t, v = found.parts[0]
        size = np.abs(v[:, 0]) if v.shape[1] == 1 else np.hypot(v[:, 0], v[:, 1])
        shown = speed_unit(t, lat, lon, size)
        first = found.columns[0]
        if shown is None:
            continue
        unit, ratio = shown
        stated = first.unit_from in ("header", "mapping")
        agrees = abs(KINDS["speed"].get(str(first.unit), 1.0) / KINDS["speed"][unit] - 1) < 0.02
        file = found.table.path.name
        if agrees:
            findings.conclude(file, first.source, unit, f"its size over the steps of the fixes is {ratio:.3g}", "shown")
        elif stated:
            findings.problems.add(
                file, "impossible", f"its name says {first.unit}, but the steps of the fixes show {unit} (ratio {ratio:.3g})",
                "kept as named; correct the header, or its unit in a mapping", column=first.source,
            )  # fmt: skip
        else:
            for c in found.columns:
                findings.conclude(file, c.source, unit, f"its size over the steps of the fixes is {ratio:.3g}", "shown")
            number = next(k for k, x in enumerate(out) if x is found.table)
            settled = {c.index: c.model_copy(update={"unit": unit, "unit_from": "motion"}) for c in found.columns}
            out[number] = _with_columns(found.table, settled)
        break
    return out


def _with_columns(table: Table, settled: dict[int, ColumnMapping]) -> Table:
    columns = tuple(settled.get(c.index, c) for c in table.mapping.columns)
    return replace(table, mapping=table.mapping.model_copy(update={"columns": columns}))
