"""Test cards: from first power to the edge of what the craft may do, made from its modes and requirements; results tick them."""

from collections.abc import Iterable
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

from fusus.errors import RecordingError
from fusus.logs.info import load_info
from fusus.project import book
from fusus.project.records import Project
from fusus.study.judgements import judge_recording
from fusus.study.needs import endurance_of, mission_of

RESULTS = ("pass", "fail", "aborted")
NO_PROPS = "Propellers off."
HELD = "Motors restrained, people away, a hand on the switch."
FIRST = (
    "Low, over soft ground, away from people, with a switch that stops the motors; follow the local rules for unmanned aircraft, radio "
    "and batteries, and ask licensed people where these require it."
)
BATTERY = "Charge, store and carry lithium batteries as their maker says."


@dataclass(frozen=True, slots=True)
class Card:
    """One step of the ladder: purpose, conditions, steps, what to record, when it is passed, when to break off, cautions, and the
    requirements (by key) that its recording shows."""

    card: str
    purpose: str
    conditions: str
    steps: tuple[str, ...]
    record: str
    passes: str
    abort: str
    cautions: tuple[str, ...]
    requirements: tuple[str, ...] = ()


def ladder(project: Project) -> tuple[Card, ...]:
    """Return the cards for a craft in their order."""
    modes, mission = set(project.brief.modes), mission_of(project)
    keys = {r.key: r for r in project.brief.requirements}
    height = mission.height_m

    def of(*quantities: str) -> tuple[str, ...]:
        return tuple(k for k, r in keys.items() if r.quantity in quantities)

    def said(quantity: str) -> str:
        r = next((r for r in keys.values() if r.quantity == quantity), None)
        scale, unit = (
            (57.29577951, "°") if r is not None and r.unit == "rad" else (1.0, f" {r.unit}" if r is not None else "")
        )
        return "" if r is None else f" of {r.limit * scale:.3g}{unit} ({r.statistic})"

    log = "imu at full rate"
    cards = [
        Card(
            "sensors only",
            "Every sensor speaks, at its rate, with the right signs.",
            "On the bench, no battery: power from the board's plug.",
            (
                "Log a minute lying still.",
                "Tilt it forward, right, and turn it right by hand; watch the tilt rose follow.",
                "Breathe on the barometer, bring a screwdriver near the magnetometer: each must answer alone.",
            ),
            f"still, 60 s; {log}, mag, baro, gnss",
            "no problems at import, mounting confirmed, gyro bias known",
            "a sensor falls silent or stands at one value",
            (NO_PROPS,),
        ),
        Card(
            "motors without propellers",
            "Order, spin and signals are right; vibration and currents do not upset sensors.",
            "Battery in, propellers off, on the bench.",
            (
                "Start each motor alone: number and spin as in the drawing.",
                "Run all from idle to half for 30 s.",
                "Tilt it by hand at idle: the lower side's motors must speed up.",
            ),
            f"vibration and motor-current captures; {log}, mag, motor, battery",
            "no motor swapped, field moves by no more than its calibration says",
            "a motor turns the wrong way, smells or stutters",
            (NO_PROPS, BATTERY),
        ),
        Card(
            "restrained",
            "Thrust, loop time and swings under load.",
            "Propellers on, the craft tied down so that it cannot lift or tip.",
            (
                "Arm; raise to a quarter, half, three quarters for 5 s each.",
                "Nudge each axis by hand with a stick: it must push back and settle.",
            ),
            f"{log}, motor, battery, setpoint",
            "no motor beyond 90 %, no swing that grows, loop in its time",
            "anything comes loose, a swing grows",
            (HELD, BATTERY),
        ),
    ]
    first_mode = "self-level" if "self-level" in modes else "rate"
    cards.append(
        Card(
            "first hover",
            f"It leaves the ground and stays level in {first_mode}.",
            "Calm air below 3 m/s, soft ground, 10 m clear round it.",
            (
                "Preflight list.",
                "Take off to half a metre; hands off the sticks for a second; land.",
                "If it goes one way: land, and ask “fusus causes” why.",
                "Hover at 1 m for half a minute.",
            ),
            f"flight, 60 s; {log}, mag, baro, gnss, motor, stick, setpoint, board",
            f"tilt error within the limit{said('tilt')}; it wanders for no known cause but wind",
            "it tilts beyond 20° by itself, swings, or leaves the marked ground",
            (FIRST, BATTERY),
            of("tilt", "heading"),
        ),
    )
    if "altitude-hold" in modes:
        cards.append(
            Card(
                "altitude hold",
                f"It holds {height:g} m by itself.",
                f"Wind below {mission.wind_m_s:g} m/s, a staff or rangefinder beside it.",
                (
                    "Hover by hand; switch to altitude hold.",
                    "Hands off the throttle for a minute; then up and down by 2 m.",
                    "Fly forward at half speed and stop: watch for height lost to airflow.",
                ),
                f"flight, 2 min; {log}, baro, range, motor; heights by tape as reference",
                f"height error within the limit{said('height')}",
                "it climbs or sinks by more than 2 m by itself",
                (FIRST, BATTERY),
                of("height"),
            ),
        )
    if modes & {"position-hold", "return", "follow-path"}:
        cards.append(
            Card(
                "position hold",
                "It holds its place, and does not circle.",
                "Open sky, ten satellites and more, wind below the brief's.",
                (
                    "Hover by hand at 5 m; switch to position hold.",
                    "Hands off for two minutes.",
                    "Turn it by 90° four times: a circle that grows means the magnetometer.",
                ),
                f"flight, 3 min; {log}, mag, baro, gnss, stick, board; a satellite track of centimetres as reference, or a surveyed point",
                f"position error within the limit{said('position')}, velocity{said('velocity')}",
                "it circles, or leaves a circle of 5 m: back to self-level by hand",
                (FIRST, BATTERY),
                of("position", "velocity"),
            ),
        )
    outage = next((r for r in keys.values() if r.outage_s is not None), None)
    if outage is not None:
        cards.append(
            Card(
                "outage",
                f"{outage.outage_s:g} s without fixes leave it where it must be.",
                "Open sky, 20 m clear on all sides; a pilot ready in self-level.",
                (
                    "Hold a place at 5 m.",
                    f"Have the board ignore fixes for {outage.outage_s:g} s, three times; fly a leg in the third.",
                ),
                f"flight, 5 min; {log}, mag, baro, gnss, board",
                f"off by no more than {outage.limit:g} m at the end of each",
                "it leaves a circle of twice the limit: self-level by hand",
                (FIRST, BATTERY),
                (outage.key,),
            ),
        )
    if "return" in modes:
        cards.append(
            Card(
                "range and return",
                "Link and return home hold at the mission's distance.",
                "Open field, the radio's failsafe set and tried on the ground.",
                (
                    "Walk the craft away, motors off, until the link's margin is half.",
                    "Fly out to a tenth of the mission's way; ask for return.",
                    "Twice as far, until the mission's way.",
                ),
                f"flight; {log}, gnss, stick, battery",
                f"home within {project.brief.mission.height_m + 2:g} m, link never lost",
                "the link's margin falls below a quarter",
                (FIRST, BATTERY),
                of("position"),
            ),
        )
    minutes = endurance_of(project).seconds / 60.0
    cards += [
        Card(
            "endurance",
            f"It flies as long as the arithmetic says ({minutes:.0f} min).",
            "Full battery, its charge and temperature noted; calm.",
            (
                "Fly circles at the mission's speed to the stop voltage.",
                "Land with it, and note minutes, charge put back and stop voltage in the book.",
            ),
            "flight; battery, motor, gnss",
            f"{0.85 * minutes:.0f} min and more; the book's mean current replaces the estimate",
            "a cell below its stop voltage",
            (FIRST, BATTERY),
        ),
        Card(
            "envelope",
            "Full sticks, the brief's wind and speed: nothing at its stop for long.",
            "All cards before passed; wind up to the brief's.",
            (
                f"Legs at {mission.speed_m_s:g} m/s with hard stops.",
                "Full sticks in each axis for a second.",
                f"Hover in {mission.wind_m_s:g} m/s and its gusts.",
            ),
            f"flight, 5 min; {log}, mag, baro, gnss, motor, battery, board",
            "all requirements hold in this flight too; motors at their stop below 1 % of the time",
            "a swing grows, a motor stands at its stop for a second",
            (FIRST, BATTERY),
            tuple(keys),
        ),
    ]
    return tuple(cards)


def note_result(
    folder: Path, project: Project, card: str, result: str | None, recording: str | None, words: str = ""
) -> None:
    """Write a card's result into the book; RecordingError for a card or result that does not exist."""
    known = [c.card for c in ladder(project)]
    if card not in known:
        raise RecordingError(card, f"this is no card of this craft; the cards are {', '.join(known)}.")
    if result not in RESULTS:
        raise RecordingError(card, f"say with --result how it went: {', '.join(RESULTS)}.")
    if recording is not None:
        load_info(folder, recording)
    details = {"card": card, "result": result, "recording": recording, "note": words}
    book.note(folder, "test card", **{k: v for k, v in details.items() if v})


def cards_report(folder: Path, project: Project) -> dict[str, Any]:
    """Return the ladder with what the book says of each card and what its recording shows of its requirements."""
    found = {str(e.get("card")): e for e in book.entries(folder) if e.get("what") == "test card"}
    out: list[dict[str, Any]] = []
    for card in ladder(project):
        last = found.get(card.card)
        shown = {} if last is None else _shown(folder, project, str(last.get("recording", "")), card.requirements)
        out.append(
            asdict(card)
            | {
                "steps": list(card.steps),
                "cautions": list(card.cautions),
                "requirements": list(card.requirements),
                "state": _state(last, shown.values()),
                "last": last,
                "verdicts": shown,
            }
        )
    waiting = next((c["card"] for c in out if c["state"] != "passed"), None)
    ticked = sorted({k for c in out for k, word in c["verdicts"].items() if word == "pass"})
    return {
        "cards": out,
        "next": waiting,
        "ticked": ticked,
        "requirements": [r.key for r in project.brief.requirements],
    }


def _shown(folder: Path, project: Project, recording: str, keys: tuple[str, ...]) -> dict[str, str]:
    if not recording or not keys:
        return {}
    try:
        judged = judge_recording(folder, project, load_info(folder, recording))
    except RecordingError:
        return {}
    return {k: v["verdict"] for k in keys if (v := judged.verdict(k)) is not None}


def _state(last: dict[str, Any] | None, verdicts: Iterable[str]) -> str:
    if last is None:
        return "to do"
    result = str(last.get("result"))
    if result == "pass" and "fail" in verdicts:
        return "noted as passed, but a requirement fails"
    return {"pass": "passed", "fail": "failed", "aborted": "broken off"}.get(result, result)


def card_text(c: dict[str, Any]) -> str:
    """Return a card as text for people."""
    steps = "\n".join(f"  {i}. {s}" for i, s in enumerate(c["steps"], 1))
    return (
        f"{c['card'].capitalize()}: {c['purpose']}\nConditions: {c['conditions']}\n{steps}\nRecord: {c['record']}\n"
        f"Passed: {c['passes']}\nBreak off: {c['abort']}\nCautions: {' '.join(c['cautions'])}\nState: {c['state']}"
    )
