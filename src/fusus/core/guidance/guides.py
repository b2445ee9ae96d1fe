"""All guided captures as data: why, how, what to beware of, and which calibration they lead to."""

from dataclasses import dataclass
from typing import TYPE_CHECKING, cast

from fusus.core.calibration.durations import LEAST_SKY_S
from fusus.core.guidance.status import Status

if TYPE_CHECKING:
    from fusus.core.guidance.watch import Watch

NO_POWER = "Propellers off for all bench work with a battery in."
POWERED = (
    "Powered: propellers off where the test allows it, else the craft restrained, people away, goggles on, and a switch that stops "
    "the motors at hand. Lithium batteries as their maker says. Follow local rules."
)
# Captures that mean nothing without the propellers' load.
RESTRAINED = (
    "Powered, propellers on: the craft restrained so that it cannot lift or tip, nobody within reach or in the propellers' plane, "
    "goggles on, and a switch that stops the motors at hand. Lithium batteries as their maker says. Follow local rules."
)


@dataclass(frozen=True, slots=True)
class Guide:
    """One guided capture.

    ``kind`` is the recording's, ``rule`` its function in ``rules``; ``calibration`` is the fit that it leads to, None for Allan
    and checks; ``stand_in`` are the commands with which hands can be played.
    """

    name: str
    title: str
    kind: str
    calibration: str | None
    why: str
    how: str
    caution: str
    is_powered: bool
    rule: str
    stand_in: tuple[str, ...] = ()

    def judge(self, watch: "Watch") -> Status:
        """Return the judgement on what has come so far; the rules' libraries are loaded when a capture begins."""
        from fusus.core.guidance import rules

        return cast(Status, getattr(rules, self.rule)(watch))


GUIDES = (
    Guide(
        "still", "Still", "still", "gyro-bias",
        "Integrated, a gyro's bias is drift: 0.1 °/s turns a heading by 6° a minute.",
        "Lay the board on something solid, at the temperature that it flies at, and leave it alone for 20 s.", NO_POWER, False, "still",
        ("face level",),
    ),
    Guide(
        "long-still", "Long still", "still", None,
        "Two hours at rest show noise, bias instability and walk in the Allan deviation: what the filter needs to know.",
        "Somewhere quiet, at one temperature, away from fans and feet; two hours. Stop it by hand when you have enough.", NO_POWER,
        False, "long_still", ("face level",),
    ),
    Guide(
        "six-face", "Six faces", "six-face", "six-face",
        "An accelerometer that is off by 20 mg leans the craft by 1.1°, and it drifts off.",
        "The board alone in a square box, or the craft if the board sits square in it: each face up in turn, 3 s still, on a solid "
        "level surface; motors never started, the board on for some minutes so that its temperature stands.", NO_POWER, False, "six_face",
        ("face level", "face upside down", "face left side up", "face right side up", "face nose down", "face nose up"),
    ),
    Guide(
        "level", "Level trim", "level", "level",
        "Level is what the craft hovers at, not what the board shows.",
        "Stand the craft on a level table for 5 s, turn it half round, 5 s again: the table's lean cancels.", NO_POWER, False,
        "level", ("stand", "flip"),
    ),
    Guide(
        "rotate", "Turn", "rotate", "magnetometer",
        "Iron on the craft bends the field; uncalibrated, a heading is off by tens of degrees.",
        "Outdoors, 1.5 m above the ground, a metre and more from steel, cars, fences, speakers, phones: slow full turns level, nose "
        "down, on both sides, upside down.", NO_POWER, False, "rotate", ("outdoors on", "turn"),
    ),
    Guide(
        "mounting", "Mounting", "mounting", "mounting",
        "A board that sits turned makes the craft lean back when you push forward. Three motions show how it sits.",
        "Stand the craft level for 2 s. Then right side down and back, nose up and back, nose to the right: some 40° each, a rest "
        "of 1.5 s before and after.", NO_POWER, False, "mounting", ("motions",),
    ),
    Guide(
        "soak", "Soak", "soak", "thermal",
        "A bias follows the temperature, and a craft that comes from a warm car flies in the cold.",
        "Cool the board by 15 K and more (outdoors, a cool box, dry), then let it warm by itself, at rest.", NO_POWER, False,
        "soak", ("room 2", "room 30"),
    ),
    Guide(
        "airflow", "Airflow", "airflow", "airflow",
        "Wind in the barometer's hole is height to it: 4 m/s can be a metre.",
        "20 s of moving air without foam, then lay open-cell foam over it (never glue over the hole) and 20 s more.", POWERED, True,
        "airflow", ("motors 0.5", "foam on"),
    ),
    Guide(
        "motor-current", "Motor current", "motor-current", "motor-current",
        "The wires' field turns the compass with the throttle.",
        "Propellers on: without them the motors draw too little. The craft held fast, magnetometer and current logged: throttle up "
        "to hover and down again, twice.", RESTRAINED, True,
        "motor_current", ("motors 0.3", "motors 0.6", "motors 0.2", "motors 0"),
    ),
    Guide(
        "vibration", "Vibration", "vibration", "vibration",
        "Vibration aliases to low frequencies at the wrong sample rate, and no filter finds it there.",
        "The craft restrained, propellers on and balanced, motors at hover, 10 s.", RESTRAINED, True, "vibration", ("motors 0.5",),
    ),
    Guide(
        "gnss-static", "GNSS static", "gnss-static", "gnss-scatter",
        "Advertised accuracies are best cases: measure your own receiver under your own sky.",
        f"Leave it outdoors, free view of the sky, {LEAST_SKY_S / 60:.0f} minutes at least; the result says whether its errors need "
        "longer.", NO_POWER, False, "gnss_static", ("outdoors on",),
    ),
    Guide(
        "lever-arm", "Lever arm", "lever-arm", "lever-arm",
        "An antenna 10 cm off the centre moves with every turn; its sign is easily got wrong.",
        "Outdoors with a fix: 4 s at rest, then turn the craft on the spot, nose round, for a minute.", NO_POWER, False,
        "lever_arm", ("outdoors on", "spin"),
    ),
    Guide(
        "sticks", "Sticks", "sticks", "sticks",
        "Stick centres shift with age and look like drift.",
        "5 s hands off, then each stick slowly to both ends.", NO_POWER, False, "sticks", ("sticks on",),
    ),
    Guide(
        "two-imu", "Two IMUs", "two-imu", "two-imu",
        "Two IMUs can vote only if they agree to begin with.",
        "Turn the craft by hand about all axes.", NO_POWER, False, "two_imu", ("second on", "turn"),
    ),
    Guide(
        "check", "Check", "check", None,
        "20 s tell whether the active calibrations still hold.",
        "10 s at rest, then turn the craft slowly, nose round and over.", NO_POWER, False, "check",
        ("outdoors on", "face level", "turn"),
    ),
)  # fmt: skip


# All else that hands, weather and bad luck can do to a stand-in.
HANDS = (
    "face level", "stand", "turn", "flip", "spin", "motors 0", "motors 0.5", "blow on", "blow off", "foam on", "foam off", "steel on",
    "steel off", "outdoors on", "outdoors off", "room 2", "room 20", "room 35", "sticks on", "second on", "fault drop", "fault garble",
    "fault clock", "fault unplug",
)  # fmt: skip


def guide_for(name: str) -> Guide:
    """Return a guide by its name; KeyError naming all of them where there is none."""
    for guide in GUIDES:
        if guide.name == name:
            return guide
    raise KeyError(f"“{name}” is no guided capture; there are {', '.join(g.name for g in GUIDES)}")
