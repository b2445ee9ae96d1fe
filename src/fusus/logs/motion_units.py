"""Units that only the motion shows, settled when all tables are known: gyros, counts of gyros, angles of an attitude.

A stated unit is held against the motion as well: where the two disagree, it is asked.
"""

from dataclasses import dataclass, replace

import numpy as np

from fusus.core.arrays import Array
from fusus.core.frames.quaternion import conjugate, rotate
from fusus.core.frames.units import KINDS
from fusus.errors import LogError
from fusus.logs import values as by_value
from fusus.logs.blocks import numbers
from fusus.logs.conclusions import Findings
from fusus.logs.detect import Table
from fusus.logs.mapping import ColumnMapping, RawCounts
from fusus.logs.physics.arrangement import fitting_arrangement
from fusus.logs.physics.attitude import angle_unit
from fusus.logs.physics.turning import Reading, TurnEvidence, turn_evidence
from fusus.logs.problems import Problems
from fusus.logs.time_texts import NO_TIME
from fusus.logs.times.base import TimeBase
from fusus.logs.unitfinder import FASTEST_RAD_S

RAD_S, DEG_S, MDEG_S = 1.0, KINDS["rate"]["deg/s"], KINDS["rate"]["mdeg/s"]
NAMES = {RAD_S: "rad/s", DEG_S: "deg/s", MDEG_S: "mdeg/s"}
# Full scales of usual gyros, deg/s for a 16-bit word: powers of two of 125, and those that come as 8.75 mdeg/s a count and its doubles.
COUNT_SCALES = (125.0, 250.0, 500.0, 1000.0, 2000.0, 4000.0, 286.72, 573.44, 1146.88, 2293.76)
COUNT_TOLERANCE = 0.06
LEAST_COUNT_SLOPES = 3
PIECE_S, MOST_PIECES = 8.0, 12
STILL = 1e-6
LEAST_FAST, FAST_SHARE = 5, 0.002
LEAST_MDEG_S = 60.0  # thousandths of a degree are offered where they are some hundredths of a degree at least
IMUS = ("imu", "imu2", "imu3")


@dataclass(frozen=True, slots=True)
class Signal:
    """Three columns of one table as logged, with the times of their rows, s; parts from the head and from the middle."""

    table: Table
    columns: tuple[ColumnMapping, ...]
    parts: tuple[tuple[Array, Array], ...]


def settle_motion_units(tables: list[Table], findings: Findings) -> list[Table]:
    """Return the tables with every open unit settled as the motion shows, or asked about."""
    changed: dict[tuple[int, int], ColumnMapping] = {}
    timeless = {q.file for q in findings.questions}  # without a settled time nothing turns at a known rate
    for imu in IMUS:
        gyro = signal(tables, *(f"{imu}.gyro_{a}_rad_s" for a in "xyz"))
        if gyro is None:
            continue
        acc = signal(tables, *(f"{imu}.acc_{a}_m_s2" for a in "xyz"))
        field = signal(tables, *(f"mag.mag_{a}_ut" for a in "xyz"))
        number = next(k for k, t in enumerate(tables) if t is gyro.table)
        for sensor in (gyro, acc, field if imu == "imu" else None):
            if sensor is not None:
                _dead_axes(sensor, findings)
        motion = Motion(gyro, acc, field, signal(tables, *(f"reference.q_{a}" for a in "wxyz")))
        for column in _gyro(motion, gyro.table.path.name in timeless, findings):
            changed[number, column.index] = column
    acc = signal(tables, *(f"imu.acc_{a}_m_s2" for a in "xyz"))
    for number, table in enumerate(tables):
        for column in _angles(table, acc, findings):
            changed[number, column.index] = column
    return [
        replace(t, mapping=t.mapping.model_copy(update={"columns": tuple(changed.get((k, c.index), c) for c in t.mapping.columns)}))
        for k, t in enumerate(tables)
    ]  # fmt: skip


def times_of(table: Table, middle: bool = False) -> Array:
    """Return the times of a table's first rows, or of those from its middle, s; NaN without a time."""
    frame = table.middle if middle and table.middle is not None else table.head
    ns = TimeBase(table.mapping.time, table.path.name, "", Problems(), 1_000_000).read(frame, 1)
    return np.where(ns == NO_TIME, np.nan, ns * 1e-9)


def signal(tables: list[Table], *targets: str) -> Signal | None:
    """Return the columns with these targets, if one table has them all."""
    for table in tables:
        by_target = {c.target: c for c in table.mapping.columns if c.target}
        if all(t in by_target for t in targets):
            columns = tuple(by_target[t] for t in targets)
            parts = []
            for middle in (False, True):
                frame = table.middle if middle else table.head
                if frame is not None:
                    v = np.stack([numbers(frame, c.index) for c in columns], axis=1)
                    parts.append((times_of(table, middle), v))
            return Signal(table, columns, tuple(parts))
    return None


def _on(t: Array, other: Signal | None, part: int) -> Array | None:
    """Return another signal at times ``t``, by linear interpolation; None where it has no such part."""
    if other is None or part >= len(other.parts):
        return None
    at, v = other.parts[part]
    good = np.isfinite(at) & np.isfinite(v).all(axis=1)
    if good.sum() < 10:
        return None
    at, v = at[good], v[good]
    if len(at) == len(t) and np.array_equal(at, t):
        return v
    order = np.argsort(at, kind="stable")
    out = np.stack([np.interp(t, at[order], v[order, k], left=np.nan, right=np.nan) for k in range(v.shape[1])], axis=1)
    return out if np.isfinite(out).any() else None


@dataclass(frozen=True, slots=True)
class Motion:
    """What may show how a gyro is to be read: the gyro, and whatever stands beside it."""

    gyro: Signal
    acc: Signal | None
    field: Signal | None
    attitude: Signal | None

    def evidence(self, factors: tuple[float, ...], signed: bool = False) -> tuple[list[TurnEvidence], set[float]]:
        """Return what the motion shows of factors, in each part that was sampled and in pieces of it, and the factors under
        which some piece turns far too little; ``signed`` reads counts as words."""
        out: list[TurnEvidence] = []
        too_little: set[float] = set()
        for part, (t, v) in enumerate(self.gyro.parts):
            good = np.isfinite(t) & np.isfinite(v).all(axis=1)
            order = np.argsort(t[good], kind="stable")
            t, v = t[good][order], v[good][order]
            v = by_value.signed_words(v) if signed else v
            whole = self._best(t, v, part, factors)
            if whole is None:
                continue
            out.append(whole)
            pieces = int(np.clip((t[-1] - t[0]) / PIECE_S, 1, MOST_PIECES)) if not signed else 1
            if pieces > 1:
                # Pieces of it show a unit that changes on the way.
                cut = [self._best(t[i], v[i], part, factors) for i in np.array_split(np.arange(len(t)), pieces)]
                out += [e for e in cut if e is not None and e.shown is not None]
                too_little |= {f for e in cut if e is not None and e.shown is None for f in e.turns_too_little}
        return out, too_little

    def _best(self, t: Array, v: Array, part: int, factors: tuple[float, ...]) -> TurnEvidence | None:
        """Return the evidence of the directions that say most, None without any."""
        found = [turn_evidence(t, v, vectors, factors) for vectors in self.vectors(t, part) if vectors]
        return max(found, key=lambda e: (e.shown is not None, e.votes), default=None)

    def vectors(self, t: Array, part: int) -> list[dict[str, Array]]:
        """Return the directions that do not turn, the surest first: an attitude may be meant either way round."""
        plain: dict[str, Array] = {}
        for name, signal in (("field", self.field), ("gravity", self.acc)):
            v = _on(t, signal, part)
            if v is not None:
                plain[name] = by_value.signed_words(v) if by_value.looks_like_counts(list(v.T)) else v
        q = _on(t, self.attitude, part)
        if q is None or not float(np.nanmax(np.nanstd(q, axis=0))) > STILL:
            return [plain]  # an attitude that never changes says nothing
        size = np.linalg.norm(q, axis=1)
        usable = np.where((size > 0.5)[:, None], q, np.nan) / np.maximum(size, 0.5)[:, None]
        fixed = np.array([0.6, 0.48, 0.64])
        return [
            {"attitude": rotate(x, np.broadcast_to(fixed, (len(x), 3)))} | plain for x in (conjugate(usable), usable)
        ]


def _agreed(found: list[TurnEvidence]) -> tuple[float | None, Reading | None]:
    """Return the factor that some part shows and no part denies, with its best reading."""
    shown = {e.shown for e in found if e.shown is not None}
    if len(shown) != 1:
        return None, None
    factor = next(iter(shown))
    readings = [e.reading(factor) for e in found]
    if any(r.is_denied for r in readings):
        return None, None
    return factor, next((e.reading(factor) for e in found if e.shown == factor), None)


def _told(reading: Reading | None, unit: str) -> str:
    best = reading.best if reading is not None else None
    if best is None:
        return f"read otherwise, gravity could not last: only {unit} is possible"
    vector = {"gravity": "gravity", "field": "the magnetic field", "attitude": "the attitude beside it"}[best.vector]
    return (
        f"read so, it turns as {vector} does in the body: slope {best.value:.2f} ± {best.error:.2f} (1 if right) "
        f"over {best.windows} windows of {best.window_s:g} s"
    )


def _gyro(motion: Motion, is_timeless: bool, findings: Findings) -> list[ColumnMapping]:
    """Return the gyro's columns with their unit."""
    gyro = motion.gyro
    first = gyro.columns[0]
    if first.unit_from == "unknown":
        return _counts(motion, is_timeless, findings)
    if first.unit_from not in ("open", "header"):
        return []
    file = gyro.table.path.name
    found, too_little = motion.evidence(tuple(NAMES)) if not is_timeless else ([], set())
    factor, reading = _agreed(found)
    shown = {e.shown for e in found} - {None}
    # A part that turns far more than a unit says speaks against it, unless the name says it.
    missed = first.unit_from == "open" and any(
        f in too_little and (f in shown or _is_fast(gyro, f)) for f in (DEG_S, MDEG_S)
    )
    if len(shown) > 1 or missed:
        stated = "" if first.unit_from == "open" else f"its name says {first.unit}, and "
        findings.ask(
            file, first.source, f"{stated}parts of the file show different units: its unit changes on the way. Split the file there, or "
            "say which it is", (("rad/s", "throughout"), ("deg/s", "throughout")), '{"units": {"gyro": "rad/s"}}',
        )  # fmt: skip
        return []
    if first.unit_from == "header":
        _hold_against(first, factor, reading, file, findings)
        if not is_timeless and not any(q.file == file and q.column == first.source for q in findings.questions):
            _arrangement(motion, KINDS["rate"].get(str(first.unit), 1.0) * first.factor, findings)
        return []
    reason = _told(reading, NAMES[factor]) if factor is not None else ""
    if factor is None and not _is_fast(gyro, MDEG_S) and _is_fast(gyro, DEG_S):
        factor = MDEG_S
        reason = f"in any other unit it would be faster than such gyros measure ({np.degrees(FASTEST_RAD_S):.0f} °/s)"
    if factor is not None:
        _arrangement(motion, factor, findings)
        for c in gyro.columns:
            findings.conclude(file, c.source, NAMES[factor], reason, "shown")
        return [c.model_copy(update={"unit": NAMES[factor], "unit_from": "motion"}) for c in gyro.columns]
    _ask_rate(gyro, "its time has to be settled first" if is_timeless else None, bool(found), findings)
    return []


def _is_fast(gyro: Signal, factor: float) -> bool:
    """Return whether rates read with a factor would be faster than such gyros measure, beyond a few wrong fields."""
    known = np.vstack([v for _, v in gyro.parts])
    fast = int(np.any(np.abs(known * factor) > FASTEST_RAD_S, axis=1).sum())
    return fast >= max(LEAST_FAST, FAST_SHARE * len(known))


def _ask_rate(gyro: Signal, first: str | None, has_vectors: bool, findings: Findings) -> None:
    """Ask for the unit of a gyro, among those in which it is not too fast; ``first`` is what has to be settled before."""
    known = np.abs(np.vstack([v for _, v in gyro.parts]))
    known = known[np.isfinite(known)]
    peak = float(np.percentile(known, 99.9)) if len(known) else 0.0
    without = "there is no accelerometer or magnetometer beside it that would show it"
    why = first or ("the motion does not show its unit" if has_vectors else without)
    possible = [f for f in NAMES if not _is_fast(gyro, f) and (f != MDEG_S or peak > LEAST_MDEG_S)]
    if not possible:
        raise LogError(
            gyro.table.path, None, gyro.columns[0].source, f"its name tells no unit, and in every one it would be faster than such gyros "
            f"measure ({np.degrees(FASTEST_RAD_S):.0f} °/s). Mend the file, or leave the column out with a mapping.",
        )  # fmt: skip
    findings.ask(
        gyro.table.path.name, gyro.columns[0].source, f"its name tells no unit, and {why}; what is it?",
        tuple((NAMES[f], f"it turns at up to {np.degrees(peak * f):.3g} °/s") for f in possible),
        f'{{"units": {{"gyro": "{NAMES[possible[0]]}"}}}}',
    )  # fmt: skip


def _hold_against(
    first: ColumnMapping, factor: float | None, reading: Reading | None, file: str, findings: Findings
) -> None:
    """Confirm the unit that a column's name tells by the motion, or ask where the motion shows another."""
    stated = KINDS["rate"].get(str(first.unit), 0.0) * first.factor
    if factor is None:
        return
    if abs(stated / factor - 1) < 0.01:
        reason = f"as its name says; the motion agrees: {_told(reading, str(first.unit))}"
        findings.conclude(file, first.source, f"{first.unit}", reason, "shown")
    elif stated in NAMES:
        findings.ask(
            file, first.source, f"its name says {first.unit}, but the motion shows {NAMES[factor]} ({_told(reading, NAMES[factor])}); "
            "what is its unit?", ((str(first.unit), "as named"), (NAMES[factor], "as the motion shows")),
            f'{{"units": {{"gyro": "{NAMES[factor]}"}}}}',
        )  # fmt: skip


def _arrangement(motion: Motion, factor: float, findings: Findings) -> None:
    """Name axes of the gyro that turn against the sensors beside it."""
    for part, (t, v) in enumerate(motion.gyro.parts):
        for vectors in motion.vectors(t, part):
            plain = {n: u for n, u in vectors.items() if n != "attitude"}
            good = np.isfinite(t) & np.isfinite(v).all(axis=1) & (np.abs(v) < 1e6).all(axis=1)
            for u in plain.values():
                good &= (np.abs(u) < 1e6).all(axis=1)
            order = np.argsort(t[good], kind="stable")
            found = fitting_arrangement(
                t[good][order], v[good][order] * factor, {n: u[good][order] for n, u in plain.items()}
            )
            if found is not None:
                words, vector = found
                beside = {"gravity": "accelerometer", "field": "magnetometer"}[vector]
                findings.problems.add(
                    motion.gyro.table.path.name, "axes_disagree",
                    f"the gyro turns against the {beside}; with {words} it would fit", "kept; correct the axes in the logger, or a "
                    "column's target or factor in a mapping", column=motion.gyro.columns[0].source,
                )  # fmt: skip
                return


def _dead_axes(sensor: Signal, findings: Findings) -> None:
    """Name an axis that never changes while the others do."""
    v = np.vstack([x for _, x in sensor.parts])
    v = v[np.isfinite(v).all(axis=1)]
    if not len(v):
        return
    different = [len(np.unique(v[:2000, k])) for k in range(3)]
    for k, column in enumerate(sensor.columns):
        if different[k] == 1 and max(different) > 20:
            findings.problems.add(
                sensor.table.path.name, "dead", f"it is always {v[0, k]:g} while the other axes change", "kept; check the sensor",
                column=column.source, count=len(v),
            )  # fmt: skip


def _counts(motion: Motion, is_timeless: bool, findings: Findings) -> list[ColumnMapping]:
    """Return a gyro in counts with its range, where the motion fits one usual range alone; else ask."""
    gyro = motion.gyro
    file, first = gyro.table.path.name, gyro.columns[0]
    factors = tuple(np.radians(s) / 2**15 for s in COUNT_SCALES)
    estimates: list[tuple[float, float]] = []
    for evidence in [] if is_timeless else motion.evidence(factors, signed=True)[0]:
        for reading in evidence.readings:
            # Near slope one the scale follows: s₀ = s (slope + 1) / 2.
            estimates += [
                (reading.factor * (s.value + 1) / 2, reading.factor * s.error / 2)
                for s in reading.slopes
                if s.fits and abs(s.value - 1) < 0.35 and s.error < 0.1
            ]
    scales = [np.degrees(e) * 2**15 for e, _ in estimates]
    near = {min(COUNT_SCALES, key=lambda r, x=x: abs(np.log(x / r))) for x in scales}  # type: ignore[misc]
    fits = len(scales) >= LEAST_COUNT_SLOPES and len(near) == 1
    if fits and all(abs(x / next(iter(near)) - 1) < COUNT_TOLERANCE for x in scales):
        full_scale = next(iter(near))
        for c in gyro.columns:
            findings.conclude(
                file, c.source, f"counts of ±{full_scale:g} deg/s, 16 bits",
                f"gravity turns as with ±{np.mean(scales):.0f} ± {np.std(scales):.0f} deg/s, and no other usual range is near", "shown",
            )  # fmt: skip
        raw = RawCounts(full_scale=full_scale, bits=16)
        return [c.model_copy(update={"unit": "deg/s", "raw": raw, "unit_from": "motion"}) for c in gyro.columns]
    told = f" (the motion fits some ±{np.median(scales):.0f} deg/s)" if scales else ""
    likely = min(COUNT_SCALES, key=lambda r: abs(np.log(float(np.median(scales)) / r))) if scales else 500.0
    findings.ask(
        file, first.source, f"it holds raw counts, and the data do not show their range{told}; what is it?",
        tuple((f"{s:g}", f"±{s:g} deg/s, {2**15 / s:.4g} counts for 1 deg/s") for s in COUNT_SCALES[1:5]),
        f'{{"ranges": {{"gyro": {{"full_scale": {likely:g}, "unit": "deg/s", "bits": 16}}}}}}',
    )  # fmt: skip
    return []


def _angles(table: Table, acc: Signal | None, findings: Findings) -> list[ColumnMapping]:
    """Return the angles of a table whose unit was open, as their size or gravity shows, or ask."""
    out: list[ColumnMapping] = []
    for stream in ("reference", "board", "setpoint"):
        angles = [
            c for c in table.mapping.columns if c.target in {f"{stream}.{a}_rad" for a in ("roll", "pitch", "yaw")}
        ]
        still_open = [c for c in angles if c.unit_from == "open"]
        if not still_open:
            continue
        known = next((c.unit for c in angles if c.unit_from != "open"), None)
        if known is not None:
            for c in still_open:
                findings.conclude(
                    table.path.name, c.source, str(known), "the other angles beside it are in it", "shown"
                )
                out.append(c.model_copy(update={"unit": known, "unit_from": "values"}))
            continue
        tilt = {str(c.target).split(".")[1][:-4]: numbers(table.head, c.index) for c in angles}
        at = times_of(table)
        unit = angle_unit(tilt.get("roll"), tilt.get("pitch"), _on(at, acc, 0))
        if unit is not None:
            for c in still_open:
                findings.conclude(
                    table.path.name, c.source, unit, "read so, it leans as the accelerometer says", "shown"
                )
                out.append(c.model_copy(update={"unit": unit, "unit_from": "motion"}))
            continue
        peak = max((float(np.nanmax(np.abs(v))) for v in tilt.values() if np.isfinite(v).any()), default=0.0)
        findings.ask(
            table.path.name, still_open[0].source, "its name tells no unit, and nothing shows it; what is it?",
            (("rad", f"up to {np.degrees(peak):.3g}°"), ("deg", f"up to {peak:.3g}°")), '{"units": {"angles": "rad"}}',
        )  # fmt: skip
    return out
