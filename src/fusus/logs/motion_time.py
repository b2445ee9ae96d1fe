"""The unit of a time by the motion: rates that are known turn gravity, field or attitude only in the time that really passed.

A unit that nothing tells is settled where the motion shows exactly one; one that was concluded is held against the motion.
"""

from dataclasses import replace

from fusus.core.frames.units import KINDS
from fusus.logs.conclusions import Findings
from fusus.logs.detect import Table
from fusus.logs.headers import time_name
from fusus.logs.mapping import Mapping
from fusus.logs.motion_units import NAMES, Motion, Signal, signal
from fusus.logs.times.units import LONG, SECONDS, WORDS, rate_words, step_of

# Rates at which a gyro may be logged if its time's unit is open, Hz.
RATES_HZ = (1.0, 40_000.0)
CLOSE = (0.6, 1.6)


def settle_motion_time(tables: list[Table], given: Mapping | None, findings: Findings) -> list[Table]:
    """Return the tables with a time that was open as the motion shows it; a time that the motion denies is asked."""
    gyro = signal(tables, *(f"imu.gyro_{a}_rad_s" for a in "xyz"))
    if gyro is None:
        return tables
    table, first = gyro.table, gyro.columns[0]
    time = table.mapping.time
    sizes = SECONDS | LONG
    entry = given.for_table(table.path.name, table.dialect.header) if given is not None else None
    said = entry is not None and bool({"unit", "rate_hz"} & entry.time.model_fields_set)
    if (
        said
        or time.index is None
        or time.unit not in sizes
        or time.is_step
        or first.unit_from not in ("header", "mapping")
    ):
        return tables
    factor = KINDS["rate"].get(str(first.unit))
    if factor is None or first.raw is not None:
        return tables
    name = table.dialect.header[time.index] if table.dialect.header else f"column {time.index + 1}"
    mine = [q for q in findings.questions if q.file == table.path.name and q.column == name]
    if {q.file for q in findings.questions if q not in mine} & {table.path.name}:
        return tables  # what else is open may be what the motion seems to deny
    told = time_name(name)
    if mine and told is not None and told.unit is not None:
        return tables  # where name and steps disagree it is asked, whatever the motion shows
    step = step_of(gyro.parts[0][0])
    if step is None:
        return tables
    rates = {u: sizes[time.unit] / (size * step) for u, size in sizes.items()}
    units = [u for u, rate in rates.items() if RATES_HZ[0] <= rate <= RATES_HZ[1] and u != "days"]
    stated = factor * first.factor
    if not mine and (first.unit_from == "mapping" or any(_shown(tables, gyro, f, 1.0) for f in (stated, *NAMES))):
        return tables  # as it was taken, or what its name says of the gyro is wrong: that is asked there
    found = [u for u in units if (mine or u != time.unit) and _shown(tables, gyro, stated, sizes[u] / sizes[time.unit])]
    if len(found) != 1:
        return tables
    unit, reason = found[0], f"only then the rates turn as what stands beside them: {rate_words(rates[found[0]])}"
    if not mine:
        findings.ask(
            table.path.name, name, f"it was taken as {WORDS[time.unit]}, but the motion shows {WORDS[unit]} ({reason}); what is its unit?",
            tuple((u, f"{WORDS[u]}, {rate_words(rates[u])}") for u in (unit, time.unit)),
            f'{{"files": [{{"time": {{"unit": "{unit}"}}}}]}}',
        )  # fmt: skip
        return tables
    findings.questions = [q for q in findings.questions if q not in mine]
    findings.conclude(table.path.name, name, f"time in {WORDS[unit]}", reason, "shown")
    settled = table.mapping.model_copy(update={"time": time.model_copy(update={"unit": unit, "rate_hz": None})})
    return [replace(t, mapping=settled) if t is table else t for t in tables]


def _shown(tables: list[Table], gyro: Signal, factor: float, scale: float) -> bool:
    """Return whether the motion shows the rates, if its times are ``scale`` times as long."""

    def scaled(s: Signal) -> Signal:
        return replace(s, parts=tuple((t * scale, v) for t, v in s.parts))

    beside = [
        signal(tables, *targets)
        for targets in (
            tuple(f"imu.acc_{a}_m_s2" for a in "xyz"),
            tuple(f"mag.mag_{a}_ut" for a in "xyz"),
            tuple(f"reference.q_{a}" for a in "wxyz"),
        )
    ]
    # Another table's clock may be of another unit: only what is logged beside the gyro counts.
    acc, field, attitude = (scaled(s) if s is not None and s.table is gyro.table else None for s in beside)
    motion = Motion(scaled(gyro), acc, field, attitude)
    evidence, _ = motion.evidence((factor,))
    readings = [e.reading(factor) for e in evidence]
    if not any(r.is_shown for r in readings) or any(r.is_denied for r in readings):
        return False
    # Another time than the one that was taken has to fit closely: shaking that moves with the rates looks like a slope of three.
    fits = [s.value for r in readings if r.is_shown for s in r.slopes if s.fits]
    return scale == 1.0 or all(CLOSE[0] <= value <= CLOSE[1] for value in fits)
