"""The ladder of test cards: from first power to the edge of what a craft may do, made from its modes and requirements."""

import math
from dataclasses import dataclass

from fusus.core.mission.mission import Mission
from fusus.core.requirements import Requirement
from fusus.project.records import Project
from fusus.study.brief.brief import endurance_of, mission_of

LOG = "imu at full rate"
NO_PROPS = "Propellers off."
HELD = "Craft restrained, people away, goggles on, a hand on the switch that stops the motors."
FIRST = (
    "Low, over soft ground, away from people, with a switch that stops the motors; follow the local rules for unmanned aircraft, radio "
    "and batteries, and ask licensed people where these require it."
)
USUAL_RETURN_M = 5.0  # within which a return lands: common practice for a receiver alone
BATTERY = (
    "Charge lithium batteries where a fire can do no harm and never alone; store and carry them as their maker says."
)


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


@dataclass(frozen=True, slots=True)
class _Craft:
    """What the cards are made of."""

    project: Project
    modes: frozenset[str]
    mission: Mission
    requirements: tuple[Requirement, ...]

    def of(self, *quantities: str) -> tuple[str, ...]:
        """Return the keys of the requirements on quantities."""
        return tuple(r.key for r in self.requirements if r.quantity in quantities)

    def lands_within_m(self) -> float:
        """Return how near its start a return must land: twice what position may be off, at the start and at the end; else usual."""
        r = next((r for r in self.requirements if r.quantity == "position"), None)
        return USUAL_RETURN_M if r is None else 2.0 * r.limit

    def said(self, quantity: str) -> str:
        """Return a requirement's limit in words, "" where there is none."""
        r = next((r for r in self.requirements if r.quantity == quantity), None)
        if r is None:
            return ""
        limit = f"{math.degrees(r.limit):.3g}°" if r.unit == "rad" else f"{r.limit:.3g} {r.unit}"
        return f" of {limit} ({r.statistic})"


def ladder(project: Project) -> tuple[Card, ...]:
    """Return the cards for a craft in their order."""
    craft = _Craft(project, frozenset(project.brief.modes), mission_of(project), project.brief.requirements)
    outage = next((r for r in craft.requirements if r.outage_s is not None), None)
    cards = [*_ground(), _first_hover(craft)]
    if "altitude-hold" in craft.modes:
        cards.append(_altitude(craft))
    if craft.modes & {"position-hold", "return", "follow-path"}:
        cards.append(_position(craft))
    if outage is not None:
        cards.append(_outage(outage))
    if "return" in craft.modes:
        cards.append(_range(craft))
    return (*cards, _endurance(craft), _envelope(craft))


def _ground() -> tuple[Card, ...]:
    return (
        Card(
            "sensors only",
            "Every sensor speaks, at its rate, with the right signs.",
            "On the bench, no battery: power from the board's plug.",
            (
                "Log a minute lying still.",
                "Tilt it forward, right, and turn it right by hand; watch the tilt rose follow.",
                "Breathe on the barometer, bring a screwdriver near the magnetometer: each must answer alone.",
            ),
            f"still, 60 s; {LOG}, mag, baro, gnss",
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
            f"vibration and motor-current captures; {LOG}, mag, motor, battery",
            "no motor swapped, field moves by no more than its calibration says",
            "a motor turns the wrong way, smells or stutters",
            (NO_PROPS, BATTERY),
        ),
        Card(
            "failsafes without propellers",
            "What the craft does by itself when something fails, it does.",
            "Battery in, propellers off, on the bench; the table of failsafes at hand (Loops, Failsafes, or “fusus failsafes”).",
            (
                "Armed at idle, switch the transmitter off: the motors stop within a second, and stay off when it is on again.",
                "Held in the hand as if it flew (throttle raised): transmitter off; the log shows hold, then sinking, then motors off.",
                "Unplug the receiver, then the magnetometer: the log tells which is silent; coming home is no longer done.",
                "Armed at idle, lay it on its side for two seconds: the motors stop.",
                "Lower the supply to the empty voltage of a cell: after three seconds it tells to land.",
                "After each: do not touch the arming switch. Nothing may start by itself.",
            ),
            f"{LOG}, battery, stick, setpoint, board",
            "each failsafe acts after its time, says why, and no motor starts again before it was disarmed by hand",
            "a motor goes on, or starts by itself: no flight before that is mended",
            (NO_PROPS, BATTERY),
        ),
        Card(
            "restrained",
            "Thrust, loop time and swings under load.",
            "Propellers on, the craft tied down so that it cannot lift or tip; nobody within reach or in the propellers' plane.",
            (
                "Integral gains at zero for this card: a tied craft cannot follow, and its integrals would grow to their limits.",
                "From a distance: arm; raise to a quarter, half, three quarters for 5 s each; small stick steps in each axis.",
                "Stop the motors and disconnect the battery before anybody comes near; then set the integral gains back.",
            ),
            f"{LOG}, motor, battery, setpoint",
            "no motor beyond 90 %, no swing that grows, loop in its time, integral gains set back",
            "anything comes loose, a swing grows, somebody comes near",
            (HELD, BATTERY),
        ),
    )


def _first_hover(craft: _Craft) -> Card:
    first_mode = "self-level" if "self-level" in craft.modes else "rate"
    return Card(
        "first hover",
        f"It leaves the ground and stays level in {first_mode}.",
        "Calm air below 3 m/s, soft ground, 10 m clear round it.",
        (
            "Preflight list; radio loss and the other failsafes tried with the propellers off, with this firmware: their card is passed.",
            "Take off to half a metre; sticks centred for a second, fingers on them; land.",
            "If it goes one way: land, and ask “fusus causes” why.",
            "Hover at 1 m for half a minute.",
        ),
        f"flight, 60 s; {LOG}, mag, baro, gnss, motor, stick, setpoint, board",
        f"tilt error within the limit{craft.said('tilt')}; it drifts for no known cause but wind",
        "it tilts beyond 20° by itself, swings, or leaves the marked ground",
        (FIRST, BATTERY),
        craft.of("tilt", "heading"),
    )


def _altitude(craft: _Craft) -> Card:
    return Card(
        "altitude hold",
        f"It holds {craft.mission.height_m:g} m by itself.",
        f"Wind below {craft.mission.wind_m_s:g} m/s, a staff or rangefinder beside it.",
        (
            "Hover by hand; switch to altitude hold.",
            "Throttle stick centred, fingers on it, for a minute; then up and down by 2 m.",
            "Fly forward at half speed and stop: watch for height lost to airflow.",
        ),
        f"flight, 2 min; {LOG}, baro, range, motor; heights by tape as reference",
        f"height error within the limit{craft.said('height')}",
        "it climbs or sinks by more than 2 m by itself",
        (FIRST, BATTERY),
        craft.of("height"),
    )


def _position(craft: _Craft) -> Card:
    return Card(
        "position hold",
        "It holds its place, and does not circle.",
        "Open sky, ten satellites and more, wind below the brief's.",
        (
            "Hover by hand at 5 m; switch to position hold.",
            "Sticks centred, fingers on them, for two minutes.",
            "Turn it by 90° four times: a circle that grows means the magnetometer.",
        ),
        f"flight, 3 min; {LOG}, mag, baro, gnss, stick, board; a satellite track of centimetres as reference, or a surveyed point",
        f"position error within the limit{craft.said('position')}, velocity{craft.said('velocity')}",
        "it circles, or leaves a circle of 5 m: back to self-level by hand",
        (FIRST, BATTERY),
        craft.of("position", "velocity"),
    )


def _outage(outage: Requirement) -> Card:
    return Card(
        "outage",
        f"{outage.outage_s:g} s without fixes leave it where it must be.",
        "Open sky, 20 m clear on all sides; a pilot ready in self-level.",
        (
            "Hold a place at 5 m.",
            f"Have the board ignore fixes for {outage.outage_s:g} s, three times; fly a leg in the third.",
        ),
        f"flight, 5 min; {LOG}, mag, baro, gnss, board",
        f"off by no more than {outage.limit:g} m at the end of each",
        "it leaves a circle of twice the limit: self-level by hand",
        (FIRST, BATTERY),
        (outage.key,),
    )


def _range(craft: _Craft) -> Card:
    return Card(
        "range and return",
        "Link and return home hold at the mission's distance.",
        "Open field, the radio's failsafe set and tried on the ground.",
        (
            "Walk the craft away, motors off, until the link's margin is half.",
            "Fly out to a tenth of the mission's way; ask for return.",
            "Twice as far, until the mission's way.",
        ),
        f"flight; {LOG}, gnss, stick, battery",
        f"lands within {craft.lands_within_m():.3g} m of where it took off, link never lost",
        "the link's margin falls below a quarter",
        (FIRST, BATTERY),
        craft.of("position"),
    )


def _endurance(craft: _Craft) -> Card:
    minutes = endurance_of(craft.project).seconds / 60.0
    return Card(
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
    )


def _envelope(craft: _Craft) -> Card:
    return Card(
        "envelope",
        "Full sticks, the brief's wind and speed: nothing at its stop for long.",
        "All cards before passed; wind up to the brief's.",
        (
            f"Legs at {craft.mission.speed_m_s:g} m/s with hard stops.",
            "Full sticks in each axis for a second.",
            f"Hover in {craft.mission.wind_m_s:g} m/s and its gusts.",
        ),
        f"flight, 5 min; {LOG}, mag, baro, gnss, motor, battery, board",
        "all requirements hold in this flight too; motors at their stop below 1 % of the time",
        "a swing grows, a motor stands at its stop for a second",
        (FIRST, BATTERY),
        tuple(r.key for r in craft.requirements),
    )
