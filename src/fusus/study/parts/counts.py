"""What a raw count is: by a part's datasheet, or by a range that is given; for the sensors of a log that are logged in counts."""

import math
import re
from dataclasses import dataclass

from fusus.core.parts.fields import PartKind
from fusus.core.parts.part import Completed
from fusus.errors import MappingError, PartError
from fusus.logs.mapping import Mapping, SensorRange
from fusus.logs.plan import Plan
from fusus.project.records import Project
from fusus.study.parts.suite import choice_of, find_part

CHOSEN = "chosen"
# By sensor: which kind of part measures it, the unit in which ranges are told, and how many of these the kept unit is.
SENSORS: dict[str, tuple[PartKind, str, float]] = {
    "gyro": ("imu", "deg/s", math.degrees(1.0)), "acc": ("imu", "g", 1.0 / 9.80665), "mag": ("magnetometer", "uT", 1.0),
}  # fmt: skip
_GIVEN = re.compile(r"(?P<sensor>gyro|acc|mag)=(?P<full>[0-9.]+)(?P<unit>[A-Za-zµ°/^0-9]*?)(?::(?P<bits>\d+))?$")


@dataclass(frozen=True, slots=True)
class FromPart:
    """A mapping with the ranges of a part in it, and what was taken from where, in sentences."""

    mapping: Mapping
    said: tuple[str, ...]


def sensors_in_counts(plan: Plan) -> tuple[str, ...]:
    """Return the sensors whose counts a plan asks about."""
    out = []
    for table in plan.tables:
        for c in table.mapping.columns:
            sensor = (c.target or "").partition(".")[2].partition("_")[0]
            asked = any(q.column == c.source and '"ranges"' in q.mapping for q in plan.questions)
            if sensor in SENSORS and (c.unit_from == "unknown" or asked):
                out.append(sensor)
    return tuple(dict.fromkeys(out))


def with_part(plan: Plan, given: Mapping | None, project: Project, name: str) -> FromPart:
    """Return the mapping with what a count is by a part's widest range; PartError where it has none of these sensors.

    ``name``: a part of the catalogue or of one's own, or "chosen" for the parts that the project has chosen.
    """
    mapping = given or Mapping()
    ranges, said = dict(mapping.ranges), []
    for sensor in sensors_in_counts(plan):
        if sensor in ranges:
            continue
        kind, unit, times = SENSORS[sensor]
        part = _part(project, kind, sensor, name)
        full, bits = float(f"{times * part.value(f'{sensor}_range'):.9g}"), round(part.value(f"{sensor}_bits"))
        ranges[sensor] = SensorRange(full_scale=full, unit=unit, bits=bits)  # type: ignore[index]
        said.append(
            f"{sensor}: {bits} bits over ±{full:.4g} {unit}, the widest range of {part.part.name}; if it was set to another, give "
            f"--range {sensor}=FULL_SCALE"
        )
    if not said:
        raise PartError(name, None, "no sensor of this log is in raw counts whose range is open: leave --part out")
    return FromPart(mapping.model_copy(update={"ranges": ranges}), tuple(said))


def _part(project: Project, kind: PartKind, sensor: str, name: str) -> Completed:
    if name != CHOSEN:
        found = find_part(project, kind, name)
    else:
        choice = choice_of(project)
        found = None if choice is None else choice.imu if kind == "imu" else choice.magnetometer
    if found is None:
        raise PartError(
            name, None, f"the project has chosen no part that measures {sensor}: choose one in Parts, or name it"
        )
    return found


def with_ranges(given: Mapping | None, words: list[str]) -> Mapping:
    """Return the mapping with ranges as they are given: gyro=500, acc=8g, mag=800uT:14; MappingError where one cannot be read."""
    mapping = given or Mapping()
    ranges = dict(mapping.ranges)
    for word in words:
        found = _GIVEN.match(word.strip())
        if found is None or not float(found["full"] if found["full"].count(".") < 2 else 0) > 0:
            raise MappingError(
                f"--range {word}: write SENSOR=FULL_SCALE, as gyro=500, acc=8g or mag=800uT:14 (bits after the colon)."
            )
        unit = found["unit"] or SENSORS[found["sensor"]][1]
        ranges[found["sensor"]] = SensorRange(full_scale=float(found["full"]), unit=unit, bits=int(found["bits"] or 16))  # type: ignore[index]
    return mapping.model_copy(update={"ranges": ranges})
