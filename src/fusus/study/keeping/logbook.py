"""What the book and the project say together: what is due when, each part's story, firmware versions, and the list before a flight."""

from dataclasses import asdict, dataclass
from datetime import UTC, date, datetime, timedelta
from pathlib import Path
from typing import Any

from fusus.core.judgement.calibration_age import CHECK_DAYS, OLD_DAYS
from fusus.project import book
from fusus.project.book_tables import OF_PART, Flights, flights, of_part
from fusus.project.records import Project
from fusus.study.bench.calibration_status import due_all
from fusus.study.keeping.card_results import cards_report
from fusus.study.keeping.test_cards import FIRST

HOLDS = {"position-hold", "return", "follow-path"}
ENDURANCE_DAYS = 90.0
AGED = ("gyro-bias", "six-face", "magnetometer")
AGED_BY_RULE = ("magnetometer", "level", "gyro-bias", "six-face")


@dataclass(frozen=True, slots=True)
class Item:
    """Something that is due on a day (None: before the next flight), why, and whether that day has passed."""

    day: date | None
    what: str
    why: str
    overdue: bool


def calendar(folder: Path, project: Project, now: datetime | None = None) -> tuple[Item, ...]:
    """Return what is due by the project's school and by the book, in the order of days; what waits for a sign is left out."""
    now = now or datetime.now(UTC)
    today = now.date()
    items: list[Item] = []
    force = project.bench.in_force()
    for d in due_all(folder, project, now):
        if d.is_due:
            items.append(
                Item(
                    None if project.bench.school == "each-flight" else today, f"calibrate: {_said(d.kind)}", d.why, True
                )
            )
            continue
        days = _lasts(project.bench.school, d.kind)
        if days is not None:
            day = (force[d.kind].when + timedelta(days=days)).date()
            items.append(
                Item(
                    max(day, today + timedelta(days=1)),
                    f"{'check' if days == CHECK_DAYS else 'calibrate'}: {_said(d.kind)}",
                    "by its age",
                    False,
                )
            )
    entries = book.entries(folder)
    measured = [_day(e) for e in entries if e.get("what") == "flight" and e.get("charge_mah") is not None]
    if any(e.get("what") == "flight" for e in entries):
        last = max((m for m in measured if m is not None), default=None)
        day = today if last is None else last + timedelta(days=ENDURANCE_DAYS)
        why = "no flight has its charge on record" if last is None else f"last measured on {last.isoformat()}"
        items.append(Item(day, "endurance: fly to the stop voltage and note the charge", why, day <= today))
    waiting = cards_report(folder, project)["next"]
    if waiting is not None:
        items.append(Item(None, f"test card: {waiting}", "the next one of the ladder", False))
    return tuple(sorted(items, key=lambda i: (i.day is None, i.day or today, i.what)))


def _lasts(school: str, kind: str) -> float | None:
    if school == "check" and kind in AGED:
        return CHECK_DAYS
    return OLD_DAYS if school == "distance-and-age" and kind in AGED_BY_RULE else None


def _said(kind: str) -> str:
    return {"six-face": "six faces"}.get(kind, kind.replace("-", " "))


def _day(entry: dict[str, Any]) -> date | None:
    try:
        return datetime.fromisoformat(str(entry.get("at"))).date()
    except ValueError:
        return None


@dataclass(frozen=True, slots=True)
class Firmware:
    """A version of the board's program: from which day on, and the flights with it."""

    version: str
    since: str
    flights: Flights


def firmwares(entries: list[dict[str, Any]]) -> tuple[Firmware, ...]:
    """Return the versions that the book knows, in their order."""
    marks = [i for i, e in enumerate(entries) if e.get("what") == "new firmware"]
    out = []
    for k, i in enumerate(marks):
        until = marks[k + 1] if k + 1 < len(marks) else len(entries)
        e = entries[i]
        version = str(e.get("firmware") or e.get("note") or "unnamed")
        out.append(Firmware(version, str(e.get("at", ""))[:10], flights(entries[i:until])))
    return tuple(out)


def part_story(folder: Path, project: Project, kind: str) -> dict[str, Any]:
    """Return what is on record of a part of the craft: its name, calibrations, measured figures, and entries that concern it."""
    name = getattr(project.parts, kind, None)
    kinds = OF_PART.get(kind, ())
    calibrations = [
        {
            "kind": c.kind, "recording": c.recording, "when": c.when.isoformat(timespec="minutes"), "verdict": c.verdict,
            "in_force": c.is_in_force,
        }
        for c in project.bench.calibrations
        if c.kind in kinds
    ]  # fmt: skip
    figures = [
        {"field": m.field, "value": m.value, "recording": m.recording, "when": m.when.isoformat(timespec="minutes")}
        for m in project.bench.measured
        if m.part_kind == kind
    ]
    entries = of_part(book.entries(folder), kind, name)
    return {"part": kind, "name": name, "calibrations": calibrations, "measured": figures, "entries": entries}


@dataclass(frozen=True, slots=True)
class Preflight:
    """One line of the list before a flight: what, whether it is known to be right (None: somebody must look), and why."""

    what: str
    holds: bool | None
    why: str


def preflight(folder: Path, project: Project, now: datetime | None = None) -> tuple[Preflight, ...]:
    """Return the list: calibrations by their currency first, then what only somebody who looks can tell."""
    found = due_all(folder, project, now)
    out = [
        Preflight(f"Calibration: {_said(d.kind)}", not d.is_due, d.why + (f". {d.next_step}" if d.is_due else ""))
        for d in found
    ]
    if not found:
        out.append(Preflight("Calibrations", False, "none is active: gyro bias, six faces and magnetometer come first"))
    report = cards_report(folder, project)
    if report["next"] is not None:
        out.append(Preflight(f"Next test card: {report['next']}", None, "read it before; its abort rule too"))
    craft = project.brief.craft
    out += [
        Preflight("Propellers", None, "on the right motors, right way up, tight, without nicks"),
        Preflight("Battery", None, f"full and strapped down; land at {craft.stop_cell_v * craft.cells:.1f} V"),
        Preflight("Frame", None, "arms, screws, antenna mast and board tight; nothing can touch a propeller"),
        Preflight("Sticks", None, "centres at zero with nobody touching them, throttle down, the switch that stops the motors tried"),
        Preflight("At rest", None, "the board lies still for 10 s after power: roll and pitch near zero, heading as you see it"),
        Preflight("Fixes", None, "ten satellites and more, and the place on record") if HOLDS & set(project.brief.modes)
        else Preflight("Wind", None, "no place is held: it goes with the air"),
        Preflight("Ground and people", None, FIRST),
    ]  # fmt: skip
    return tuple(out)


def logbook_report(folder: Path, project: Project) -> dict[str, Any]:
    """Return calendar, firmware versions and the preflight list as plain data."""
    return {
        "calendar": [
            asdict(i) | {"day": None if i.day is None else i.day.isoformat()} for i in calendar(folder, project)
        ],
        "firmware": [asdict(f) for f in firmwares(book.entries(folder))],
        "preflight": [asdict(p) for p in preflight(folder, project)],
    }
