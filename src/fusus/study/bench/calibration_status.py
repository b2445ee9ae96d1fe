"""How the active calibrations stand: ages, distances, events from the book, and the latest check capture."""

from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import numpy as np

from fusus.core.arrays import Array
from fusus.core.calibration.bias_age import bias_sigma
from fusus.core.calibration.check import CheckItem, check_acc, check_gyro, check_mag
from fusus.core.frames.geodesy import geodetic_to_ned
from fusus.core.judgement.calibration_age import CalibrationAge, Due, due
from fusus.errors import RecordingError
from fusus.logs.info import RecordingInfo, list_recordings, load_info
from fusus.logs.recording import load_stream
from fusus.project import book
from fusus.project.records import Place, Project, StoredCalibration
from fusus.study.brief.site import site_of
from fusus.study.recording.corrections import corrections_for, temperature_of

DAY_S = 86400.0


@dataclass(frozen=True, slots=True)
class CheckResult:
    """What one check capture says of the active calibrations."""

    recording: str
    when: datetime
    items: tuple[CheckItem, ...]

    def item(self, kind: str) -> CheckItem | None:
        """Return what it says of one kind."""
        return next((i for i in self.items if i.kind == kind), None)


def run_check(folder: Path, project: Project, recording: str) -> CheckResult:
    """Return a check capture held against the active calibrations."""
    info = load_info(folder, recording)
    imu = load_stream(folder, recording, "imu")
    if imu is None or not imu.has("gyro_x_rad_s", "acc_x_m_s2"):
        raise RecordingError(recording, "a check needs gyro and accelerometer; log them, and record again.")
    corrections, site = corrections_for(project, info), site_of(project, info)
    t, gyro, acc = imu.t_s, imu.vector("gyro", "rad_s"), imu.vector("acc", "m_s2")
    good = np.isfinite(gyro).all(axis=1) & np.isfinite(acc).all(axis=1)
    warm = temperature_of(imu)
    warm = None if warm is None else warm[good]
    t, gyro, acc = t[good], gyro[good], acc[good]
    if len(t) < 50:
        raise RecordingError(recording, f"{len(t)} samples are too few for a check; record 20 s.")
    force = project.bench.in_force()
    found: list[CheckItem | None] = []
    if "gyro-bias" in force:
        found.append(check_gyro(t, gyro, acc, corrections, warm, _bias_sigma(force["gyro-bias"], info, warm)))
    if "six-face" in force:
        found.append(check_acc(t, gyro, acc, corrections, warm, site.gravity_m_s2))
    if "magnetometer" in force:
        found.append(check_mag(_field(folder, recording), corrections, site.field.strength_ut if site.field else None))
    return CheckResult(recording, _when(info), tuple(i for i in found if i is not None))


def _bias_sigma(c: StoredCalibration, info: RecordingInfo, warm: Array | None) -> float:
    """Return what a stored bias is worth at a check's age and temperature, all axes together, rad/s."""
    age_s = abs((_when(info) - _aware(c.when)).total_seconds())
    kelvin = 0.0 if warm is None or c.temperature_degc is None else float(np.nanmean(warm)) - c.temperature_degc
    found = bias_sigma(c.parameters, c.standard_errors, age_s, kelvin)
    return 0.0 if found is None else float(np.linalg.norm(found))


def _field(folder: Path, recording: str) -> Array:
    mag = load_stream(folder, recording, "mag")
    return mag.vector("mag", "ut") if mag is not None and mag.has("mag_x_ut") else np.zeros((0, 3))


def calibration_ages(
    folder: Path, project: Project, now: datetime | None = None, place: Place | None = None
) -> tuple[CalibrationAge, ...]:
    """Return how each active calibration stands; ``place`` is where the craft is now, the brief's if left out."""
    now = now or datetime.now(UTC)
    here = place or project.brief.place
    recordings = list_recordings(folder)
    events = [
        (datetime.fromisoformat(e["at"]), str(e["what"])) for e in book.entries(folder) if e.get("what") in book.EVENTS
    ]
    checks = [run_check(folder, project, r.name) for r in recordings if r.kind == "check"]
    flights = [_when(r) for r in recordings if r.kind == "flight"] + [t for t, what in events if what == "flight"]
    out = []
    for c in project.bench.in_force().values():
        when = _aware(c.when)
        since = sorted((t, what) for t, what in events if t > when and what not in ("flight", "note"))
        latest = max((k for k in checks if k.when >= when and k.item(c.kind)), key=lambda k: k.when, default=None)
        # A check speaks for what happened before it, not after.
        if latest is not None:
            since = [(t, what) for t, what in since if t > latest.when]
            if since:
                latest = None
        item = latest.item(c.kind) if latest is not None else None
        out.append(
            CalibrationAge(
                c.kind, max(0.0, (now - when).total_seconds() / DAY_S), _distance(c.place, here), _warmer(project, c),
                tuple(what for _, what in since), sum(t > when for t in flights), item.holds if item else None,
                (now - latest.when).total_seconds() / DAY_S if latest is not None else None, item.statement if item else "",
            )
        )  # fmt: skip
    return tuple(out)


def due_all(folder: Path, project: Project, now: datetime | None = None, place: Place | None = None) -> tuple[Due, ...]:
    """Return what is due by the project's school, the due ones first."""
    found = [due(s, project.bench.school) for s in calibration_ages(folder, project, now, place)]
    return tuple(sorted(found, key=lambda d: not d.is_due))


def due_report(folder: Path, project: Project, check: str | None) -> dict[str, Any]:
    """Return currency as JSON data, with a check's items where one is named."""
    result = run_check(folder, project, check) if check is not None else None
    return {
        "school": project.bench.school,
        "calibrations": [asdict(d) for d in due_all(folder, project)],
        "check": None if result is None else {"recording": result.recording, "items": [asdict(i) for i in result.items]},
    }  # fmt: skip


def _when(info: RecordingInfo) -> datetime:
    return _aware(info.when) if info.when is not None else datetime.now(UTC)


def _aware(when: datetime) -> datetime:
    return when if when.tzinfo is not None else when.replace(tzinfo=UTC)


def _distance(there: Place | None, here: Place | None) -> float | None:
    if there is None or here is None:
        return None
    ned = geodetic_to_ned(here.lat_deg, here.lon_deg, 0.0, (there.lat_deg, there.lon_deg, 0.0))
    return float(np.hypot(ned[0], ned[1]))


def _warmer(project: Project, c: StoredCalibration) -> float | None:
    """Return how far the climate's middle lies from a calibration's temperature, K; None with a thermal calibration."""
    if c.temperature_degc is None or "thermal" in project.bench.in_force():
        return None
    climate = project.brief.climate
    nearest = min(max(c.temperature_degc, climate.low_degc), climate.high_degc)
    return nearest - c.temperature_degc
