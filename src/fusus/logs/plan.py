"""How all source tables together become streams: made by detection, shown before the import, saved as the mapping."""

import json
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Literal

import numpy as np
import polars as pl

from fusus.core.frames.axes import BodyAxes
from fusus.errors import LogError, MappingError, OpenQuestionsError
from fusus.logs.clock_table import counts_per_second, is_clock_table
from fusus.logs.complete import refuse_half_sensors
from fusus.logs.conclusions import Candidate, Conclusion, Findings, Question
from fusus.logs.convention import find_body_axes, find_reference, seconds_per_count
from fusus.logs.detect import Table, detect
from fusus.logs.looking import look
from fusus.logs.mapping import ColumnMapping, FileMapping, Mapping
from fusus.logs.motion_time import settle_motion_time
from fusus.logs.motion_units import settle_motion_units, times_of
from fusus.logs.place_checks import check_places
from fusus.logs.problems import Problem, Problems
from fusus.logs.scalar_order import settle_scalar_order
from fusus.logs.times.base import EPOCH_NS
from fusus.project.records import Place

# In such recordings gravity comes from all sides on purpose.
EARTH_WORDS = {"ned": "north, east, down", "nwu": "north, west, up", "enu": "east, north, up"}
TURNED_ON_PURPOSE = {"six-face", "rotate"}


@dataclass(frozen=True, slots=True)
class Plan:
    """The tables that will be read, the mapping, the start that is taken off epoch times, problems logged so far."""

    tables: tuple[Table, ...]
    mapping: Mapping
    start_ns: int
    problems: tuple[Problem, ...]
    conclusions: tuple[Conclusion, ...] = ()
    questions: tuple[Question, ...] = ()


def listed(names: list[str], most: int = 6) -> str:
    """Return the first names in one text."""
    return ", ".join(names[:most]) + (" ..." if len(names) > most else "")


def make_plan(
    files: list[Path],
    explicit: set[Path],
    given: Mapping | None,
    kind: str,
    place: Place | None,
    declination_rad: float,
) -> Plan:
    """Return the plan for source files; a mapping that was given wins over detection."""
    findings = Findings()
    problems = findings.problems
    tables: list[Table] = []
    clocks: list[Table] = []
    unknown: list[Table] = []
    first_error: LogError | None = None
    for path in files:
        found = Findings()
        try:
            read = detect(path, given, found)
        except LogError as error:
            if len(files) == 1 or (path in explicit and "exist" in error.reason):
                raise
            first_error = first_error or error
            problems.add(path.name, "ignored_file", error.reason, "left out")
            continue
        for table in read:
            if is_clock_table(table):
                clocks.append(table)
            elif any(c.target for c in table.mapping.columns):
                tables.append(table)
            else:
                unknown.append(table)
                of = f" in lines “{table.mapping.kind}”" if table.mapping.kind else ""
                problems.add(path.name, "ignored_file", f"no column is one that Fusus knows{of}", "left out")
        if any(t in tables for t in read):
            findings.extend(found)
    # A quaternion says more than angles: its table is asked first.
    tables.sort(key=lambda t: "reference.q_w" not in {c.target for c in t.mapping.columns})
    kept: list[Table] = []
    for table in tables:
        kept.append(_without_taken(table, kept, problems))
    tables = [t for t in kept if any(c.target for c in t.mapping.columns)]
    if not tables:
        raise first_error or _nothing_known(files, unknown)
    if given is not None:
        _refuse_unused(given, tables)
    refuse_half_sensors(tables)
    tables = _rated(tables, clocks, findings)
    tables = settle_scalar_order(tables, given, place, findings)
    tables = settle_motion_time(tables, given, findings)
    tables = check_places(settle_motion_units(tables, findings), place, findings)
    for table in tables:
        unused = [c.source for c in table.mapping.columns if c.target is None]
        if unused:
            problems.add(
                table.path.name, "ignored_column", f"not known: {listed(unused)}",
                "left out; name a target in a mapping to import them", count=len(unused),
            )  # fmt: skip
        for stream in table.mapping.held:
            problems.add(
                table.path.name, "held_values", f"values of {stream} are repeated until a new one comes",
                "only new values kept", column=stream,
            )  # fmt: skip
    mapping = _with_axes(tables, given, kind, place, declination_rad, problems)
    return Plan(
        tuple(tables), mapping, _start(tables), problems.all(), tuple(findings.conclusions), tuple(findings.questions)
    )


def _refuse_unused(given: Mapping, tables: list[Table]) -> None:
    """Refuse a mapping of which a part fits nothing: what it was meant for would be read otherwise, without a word."""
    targets = {c.target.split(".")[1] for t in tables for c in t.mapping.columns if c.target}
    kinds = {
        "gyro": "gyro_",
        "acc": "acc_",
        "mag": "mag_",
        "pressure": "pressure_",
        "angles": "_rad",
        "height": "height_",
    }
    for part, words in (("units", given.units), ("ranges", given.ranges)):
        for word in words:
            if not any(kinds[word] in name for name in targets):
                raise MappingError(
                    f"{part}: the mapping names “{word}”, and no column is one. Take it out, or name the columns."
                )
    for entry in given.files:
        if not any(given.for_table(t.path.name, t.dialect.header) is entry for t in tables):
            raise MappingError(
                f"files: the mapping's entry for “{entry.file or ', '.join(entry.header[:4])}” fits none of the tables "
                f"({', '.join(t.path.name for t in tables)}). Correct its file or its header."
            )


def _nothing_known(files: list[Path], tables: list[Table]) -> LogError:
    """Return the refusal of tables of which no column is known: their columns, and the mapping to fill in."""
    names = [name for table in tables for name in table.dialect.header]
    width = max((t.width for t in tables), default=0)
    sources = [n for n in names if n] or [f"column {i + 1}" for i in range(width)]
    found = ", ".join(names[:12]) if names else "there is no header"
    lines = ", ".join(json.dumps({"source": n, "target": None}, ensure_ascii=False) for n in sources[:40])
    mapping = f'{{"files": [{{"columns": [{lines}]}}]}}'
    reason = (
        f"no column is one that Fusus knows (found: {found}). Say with --mapping what the columns are: a target such as "
        f"imu.gyro_x_rad_s or baro.pressure_pa for each, for example "
        f'{{"files": [{{"columns": [{{"source": "{sources[0] if sources else "a"}", "target": "imu.acc_x_m_s2", "unit": "m/s²"}}]}}]}}.'
    )
    question = Question(
        file=files[0].name, asks="no column is one that Fusus knows; what are they?",
        candidates=tuple(Candidate(value=n, meaning="stream.column, or null to leave it out") for n in sources[:40]), mapping=mapping,
    )  # fmt: skip
    return OpenQuestionsError(
        files[0], None, reason, {"questions": [question.model_dump()], "conclusions": [], "problems": []}
    )


def _without_taken(table: Table, before: list[Table], problems: Problems) -> Table:
    """Return the table with targets that an earlier table has moved to the next stream of their kind, or dropped."""
    taken = {c.target for t in before for c in t.mapping.columns if c.target}
    if "reference.q_w" in taken:
        taken |= {f"reference.{angle}_rad" for angle in ("roll", "pitch", "yaw")}
    columns: list[ColumnMapping] = []
    dropped: list[str] = []
    for c in table.mapping.columns:
        target = c.target
        while target in taken and target is not None:
            stream, name = target.split(".")
            following = {"imu": "imu2", "imu2": "imu3", "reference": "board"}.get(stream)
            if stream == "reference" and not name.startswith("q_"):
                following = None
            target = f"{following}.{name}" if following else None
        if c.target is not None and target is None:
            dropped.append(c.source)
        columns.append(c.model_copy(update={"target": target}))
    if dropped:
        problems.add(
            table.path.name, "ignored_column", f"an earlier file has them already: {listed(dropped)}", "left out",
            count=len(dropped),
        )  # fmt: skip
    return replace(table, mapping=table.mapping.model_copy(update={"columns": tuple(columns)}))


def _rated(tables: list[Table], clocks: list[Table], findings: Findings) -> list[Table]:
    """Give counters their rate by a table of clock readings; without one ask, with what gyro and attitude say of it."""
    counted = [t for t in tables if t.mapping.time.unit == "counter" and t.mapping.time.rate_hz is None]
    if not counted:
        return tables
    rate = next((r for r in map(counts_per_second, clocks) if r is not None), None)
    if rate is not None:
        for table in counted:
            findings.conclude(
                table.path.name,
                None,
                f"{rate:.5g} counts a second",
                "a table of clock readings beside it shows it",
                "shown",
            )
        return [replace(t, mapping=_with_rate(t, rate)) if t in counted else t for t in tables]
    as_counts = [replace(t, mapping=_with_rate(t, 1.0)) if t in counted else t for t in tables]
    logged = look(as_counts)
    seconds = seconds_per_count(logged) if logged is not None else None
    for table in counted:
        step = _counts_per_row(table)
        told = (
            f"; how far gyro and attitude turn shows some {1 / seconds:.0f} counts a second, to 10 %" if seconds else ""
        )
        likely = 1.0 / seconds if seconds else 100.0 * step
        findings.ask(
            table.path.name, None, f"its time is a counter of {step:.4g} counts a row; how many counts pass in a second{told}?",
            (("rate_hz", "counts a second"),), f'{{"files": [{{"time": {{"unit": "counter", "rate_hz": {likely:.4g}}}}}]}}',
        )  # fmt: skip
    return as_counts


def _with_rate(table: Table, rate: float) -> FileMapping:
    time = table.mapping.time.model_copy(update={"rate_hz": rate})
    return table.mapping.model_copy(update={"time": time})


def _counts_per_row(table: Table) -> float:
    index = table.mapping.time.index
    if index is None:
        return 1.0
    v = table.head[str(index)].cast(pl.Float64).drop_nulls().to_numpy()
    return float((v[-1] - v[0]) / max(len(v) - 1, 1)) if len(v) > 1 and v[-1] > v[0] else 1.0


def _with_axes(
    tables: list[Table],
    given: Mapping | None,
    kind: str,
    place: Place | None,
    declination_rad: float,
    problems: Problems,
) -> Mapping:
    files = tuple(t.mapping for t in tables)
    said = given.model_copy(update={"files": files}) if given is not None else Mapping(files=files)
    if given is not None and {"body_axes", "reference"} <= given.model_fields_set:
        return said
    logged = look(tables)
    if logged is None:
        return said
    axes: BodyAxes | None
    sign: Literal[1, -1]
    file = next(t.path.name for t in tables if any((c.target or "").startswith("imu.") for c in t.mapping.columns))
    if given is not None and "body_axes" in given.model_fields_set:
        axes, sign, why = given.body_axes, given.acc_sign, "the mapping says so"
    elif kind in TURNED_ON_PURPOSE:
        axes, sign, why = None, 1, ""
    else:
        axes, sign, why = find_body_axes(logged, place.lat_deg if place else None)
    body = axes or "frd"
    if body != "frd" or sign != 1:
        turned = "y and z turned round to forward-right-down" if body == "flu" else "kept forward-right-down"
        problems.add(file, "axes_changed", why, turned + ("; signs of specific force changed" if sign < 0 else ""))
    elif axes is None and kind not in TURNED_ON_PURPOSE and logged.acc is not None:
        problems.add(file, "axes_changed", why, "axes taken as forward-right-down; give body_axes in a mapping if not")
    reference = None
    if logged.ref_q is not None:
        reference, unknown = find_reference(logged, body, sign, declination_rad)
        ref_file = next(
            t.path.name for t in tables if any((c.target or "").startswith("reference.") for c in t.mapping.columns)
        )
        if unknown:
            problems.add(ref_file, "heading_unknown", unknown, "kept")
        if reference.conjugate or reference.earth != "ned":
            problems.add(
                ref_file, "axes_changed",
                f"the attitude is {'earth to body' if reference.conjugate else 'body to earth'}, earth axes "
                f"{EARTH_WORDS[reference.earth]}, found by {reference.found_by}", "turned to body to north-east-down",
            )  # fmt: skip
    return said.model_copy(update={"body_axes": body, "acc_sign": sign, "reference": reference or said.reference})


def _start(tables: list[Table]) -> int:
    """Return what is taken off all times: the first whole second where they count from 1970, else nothing."""
    firsts = []
    for table in tables:
        t = times_of(table)
        t = t[np.isfinite(t)]
        if len(t):
            firsts.append(float(t[0]))
    first = min(firsts, default=0.0)
    return int(first) * 1_000_000_000 if first * 1e9 > EPOCH_NS else 0
